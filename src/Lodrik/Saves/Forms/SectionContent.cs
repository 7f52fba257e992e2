using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>
/// A section that may be decoded. There are two of them: a verified one, which only a <see cref="Reading.CheckedSave"/> can make, and a
/// <see cref="PackedSection"/>, which was written in this process and never left it.
/// </summary>
internal abstract class SectionContent : UndecodedSection
{
    /// <summary>The form of the content.</summary>
    public abstract FileForm Form { get; }

    /// <summary>The content, neither compressed nor encrypted.</summary>
    public abstract ReadOnlyMemory<byte> Bytes { get; }

    /// <summary>The section beside this one that holds the contents of its shared objects; null where it has none.</summary>
    public virtual SectionContent? Shared => null;

    /// <summary>
    /// The section's name within the save, of which <see cref="UndecodedSection.Name"/> is a part if it belongs to a group.
    /// </summary>
    public virtual string FullName => Name;

    /// <summary>Where the section comes from, for errors.</summary>
    public abstract SaveLocation Origin { get; }

    /// <summary>The error for content that does not fit.</summary>
    /// <param name="exception">What a reader says.</param>
    /// <param name="name">What the section is called.</param>
    public abstract SaveException Misfit(Exception exception, string name);

    public sealed override void Decode(ISectionDecoder decoder)
    {
        var objects = Shared is { } shared ? new SharedReading(new SharedSection(shared)) : null;
        Decode(decoder, new ReadContext { Shared = objects });
        objects?.Fill();
    }

    /// <summary>Decodes the section as a part of another: one of the objects that it leads to may be that one's.</summary>
    /// <param name="decoder">What is done with it.</param>
    /// <param name="context">What goes along with it.</param>
    /// <param name="toEnd">Whether it has to be read to its end.</param>
    public void Decode(ISectionDecoder decoder, ReadContext context, bool toEnd = true)
    {
        try
        {
            Form.Decode(Bytes, decoder, context, toEnd);
        }
        catch (Exception exception) when (FileForm.IsBadContent(exception))
        {
            throw Misfit(exception, FullName);
        }
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

    public override FileForm Form => content.Form;

    public override ReadOnlyMemory<byte> Bytes => content.Bytes;

    public override SectionContent? Shared => shared;

    public override bool IsIntact => content.IsIntact;

    public override SaveLocation Origin => content.Origin;

    public override SaveException Misfit(Exception exception, string name) => content.Misfit(exception, name);
}

/// <summary>The section beside another one that holds the contents of its shared objects, by their numbers.</summary>
internal sealed class SharedSection : SharedContents
{
    private readonly Dictionary<int, SectionContent> _contents = [];
    private readonly SectionContent _section;

    /// <param name="section">The section itself.</param>
    /// <exception cref="SaveException">It is not a map from numbers to contents.</exception>
    public SharedSection(SectionContent section)
    {
        _section = section;
        section.Decode(new Splitter(_contents), new ReadContext());
    }

    public override bool Has(int number) => _contents.ContainsKey(number);

    public override void Decode(int number, ISectionDecoder decoder, SharedReading objects)
    {
        try
        {
            // Making an object reads no more than tells which one it is.
            _contents[number].Decode(decoder, new ReadContext { Shared = objects }, toEnd: false);
        }
        catch (SaveContentException content)
        {
            var path = $"/{number}{content.Location.Path}";
            throw new SaveContentException(content.Code, content.Problem, new SaveLocation { Path = path }.Within(
                new SaveLocation { Section = _section.FullName }).Within(_section.Origin), content.Remedy, content.InnerException);
        }
    }

    /// <summary>Puts each object's content aside as a value of its own.</summary>
    private sealed class Splitter(Dictionary<int, SectionContent> contents) : ISectionDecoder
    {
        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            if (SaveValueCodec.ReadTree(ref reader) is not SaveMap map)
                throw reader.Wrong("Shared objects are a map from numbers to contents.");
            foreach (var (key, value) in map)
            {
                if (!ParsableKey<int>.TryParse(key, out var number) || number < 1)
                    throw reader.Wrong($"\"{Shorten.Text(key)}\" is not a valid number of a shared object.");
                contents[number] = new ObjectContent(key, BinaryEncoding.Of<SaveValue?, SaveValueCodec>(value));
            }
        }
    }

    /// <summary>What one object holds, packed.</summary>
    private sealed class ObjectContent(string name, ReadOnlyMemory<byte> cbor) : SectionContent
    {
        public override string Name => name;

        public override bool IsIntact => true;

        public override FileForm Form => FileForms.Packed;

        public override ReadOnlyMemory<byte> Bytes => cbor;

        public override SaveLocation Origin => default;

        public override SaveException Misfit(Exception exception, string name) =>
            Form.Misfit(exception, cbor, new SectionSlice(name, 0, cbor.Length), Origin);
    }
}
