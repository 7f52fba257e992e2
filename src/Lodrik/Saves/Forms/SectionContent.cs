using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>
/// A section that may be decoded. There are two of them: a verified one, which only a <see cref="Reading.CheckedSave"/> can make, and a
/// <see cref="PackedSection"/>, which was written in this process and never left it.
/// </summary>
internal abstract class SectionContent : UndecodedSection
{
    /// <summary>What it may become while it is read; null if this process wrote it.</summary>
    public virtual SectionAllowance? Allowance => null;

    /// <summary>The form of the content.</summary>
    public abstract FileForm Form { get; }

    /// <summary>The content, neither compressed nor encrypted.</summary>
    public abstract ReadOnlyMemory<byte> Bytes { get; }

    /// <summary>The section beside this one that holds the contents of its shared objects; null if it has none.</summary>
    public virtual SectionContent? Shared => null;

    /// <summary>
    /// The section's name within the save, of which <see cref="UndecodedSection.Name"/> is a part if it belongs to a group.
    /// </summary>
    public virtual string FullName => Name;

    /// <summary>Where the section comes from, for errors.</summary>
    public abstract SaveLocation Origin { get; }

    /// <summary>The error for content that does not fit.</summary>
    /// <param name="exception">What a reader says.</param>
    /// <param name="part">The part of the content that was read, under the name that the section is called by.</param>
    /// <param name="within">The path to that part; empty for all of it.</param>
    public abstract SaveException Misfit(Exception exception, SectionSlice part, string within);

    public sealed override void Decode(ISectionDecoder decoder) => Decode(decoder, unknown: null);

    /// <summary>Decodes the section, and notes what is not known.</summary>
    public void Decode(ISectionDecoder decoder, UnknownMembers? unknown)
    {
        var objects = Shared is { } shared ? new SharedReading(new SharedSection(shared)) { Unknown = unknown } : null;
        Decode(decoder, new ReadContext
        {
            Shared = objects,
            Allowance = Allowance is { } all ? new Allowance(all) : null,
            Unknown = unknown,
        });
        objects?.Fill();
    }

    /// <summary>Decodes the section as a part of another: one of the objects that it leads to may be that one's.</summary>
    /// <param name="decoder">What is done with it.</param>
    /// <param name="context">What goes along with it.</param>
    /// <param name="toEnd">Whether it has to be read to its end.</param>
    public void Decode(ISectionDecoder decoder, ReadContext context, bool toEnd = true)
    {
        Untrusted.Read(Origin, () =>
        {
            var unknown = context.Unknown?.OpenCount ?? 0;
            try
            {
                Form.Decode(Bytes, decoder, context, toEnd);
            }
            catch (Exception exception) when (FileForm.IsBadContent(exception))
            {
                throw At(exception);
            }
            context.Unknown?.Locate(unknown, exception => At(exception).Location);
            return true;
        });

        SaveException At(Exception exception) => Misfit(exception, new SectionSlice(FullName, 0, Bytes.Length), "");
    }
}

/// <summary>A section under another name: within its group, or the one that a migration gave it.</summary>
/// <param name="content">The section.</param>
/// <param name="name">Its name.</param>
/// <param name="fullName">Its name within the save.</param>
/// <param name="shared">The section beside it that holds the contents of its shared objects.</param>
internal sealed class NamedSection(SectionContent content, string name, string fullName, SectionContent? shared) : SectionContent
{
    public override string Name => name;

    public override string FullName => fullName;

    public override SectionAllowance? Allowance => content.Allowance;

    public override FileForm Form => content.Form;

    public override ReadOnlyMemory<byte> Bytes => content.Bytes;

    public override SectionContent? Shared => shared;

    public override bool IsIntact => content.IsIntact;

    public override SaveLocation Origin => content.Origin;

    public override SaveException Misfit(Exception exception, SectionSlice part, string within) => content.Misfit(exception, part, within);
}

/// <summary>The section beside another one that holds the contents of its shared objects, by their numbers.</summary>
internal sealed class SharedSection : SharedContents
{
    private readonly Dictionary<int, SectionContent> _contents = [];

    /// <param name="section">The section itself.</param>
    /// <exception cref="SaveException">It is not a map from numbers to contents.</exception>
    public SharedSection(SectionContent section)
    {
        try
        {
            if (section.Form.FindEntries(section.Bytes) is { } entries)
            {
                foreach (var entry in entries)
                    Add(entry.Name, entry.Offset, new ObjectContent(section, entry));
                return;
            }
        }
        catch (Exception exception) when (FileForm.IsBadContent(exception))
        {
            throw section.Misfit(exception, new SectionSlice(section.FullName, 0, section.Bytes.Length), "");
        }
        section.Decode(new Splitter(this, section), new ReadContext());
    }

    public override bool Has(int number) => _contents.ContainsKey(number);

    // Making an object reads no more than tells which one it is.
    public override void Decode(int number, ISectionDecoder decoder, SharedReading objects) =>
        _contents[number].Decode(decoder, new ReadContext { Shared = objects, Unknown = objects.Unknown }, toEnd: false);

    private void Add(string key, long at, SectionContent content)
    {
        if (!ParsableKey<int>.TryParse(key, out var number) || number < 1)
            throw Wrong($"\"{Shorten.Text(key)}\" is not a valid number of a shared object.");
        if (!_contents.TryAdd(number, content))
            throw Wrong($"The shared object {number} appears twice.");

        ContentException Wrong(string problem) => new(SaveErrorCode.WrongContent, problem, new ContentPlace(at));
    }

    /// <summary>Puts each object's content aside as its own value, if all are kept as one.</summary>
    private sealed class Splitter(SharedSection objects, SectionContent section) : ISectionDecoder
    {
        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            if (SaveValueCodec.ReadTree(ref reader) is not SaveMap map)
                throw reader.Wrong("Shared objects are a map from numbers to contents.");
            foreach (var (key, value) in map)
                objects.Add(key, 0, new ObjectTree(section, key, BinaryEncoding.Of<SaveValue?, SaveValueCodec>(value)));
        }
    }

    /// <summary>What one object holds, where its section has it.</summary>
    private sealed class ObjectContent(SectionContent section, SectionSlice slice) : SectionContent
    {
        public override string Name => section.FullName;

        public override bool IsIntact => section.IsIntact;

        public override FileForm Form => section.Form;

        public override ReadOnlyMemory<byte> Bytes => section.Bytes.Slice(slice.Offset, slice.Length);

        public override SaveLocation Origin => section.Origin;

        public override SaveException Misfit(Exception exception, SectionSlice part, string within) =>
            section.Misfit(exception, part with { Offset = slice.Offset + part.Offset }, $"/{slice.Name}{within}");
    }

    /// <summary>What one object holds, taken out of a table and packed again.</summary>
    private sealed class ObjectTree(SectionContent section, string key, ReadOnlyMemory<byte> cbor) : SectionContent
    {
        public override string Name => section.FullName;

        public override bool IsIntact => section.IsIntact;

        public override FileForm Form => FileForms.Packed;

        public override ReadOnlyMemory<byte> Bytes => cbor;

        public override SaveLocation Origin => section.Origin;

        public override SaveException Misfit(Exception exception, SectionSlice part, string within) =>
            Form.Misfit(exception, cbor, part, section.Origin, $"/{key}{within}");
    }
}
