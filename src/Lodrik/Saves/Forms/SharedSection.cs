using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>The section beside another one that holds the contents of its shared objects, by their numbers.</summary>
internal sealed class SharedSection : SharedContents
{
    /// <summary>What the name of such a section ends with.</summary>
    public const string Suffix = "#shared";

    private readonly Dictionary<int, PackedSection> _contents = [];
    private readonly SectionContent _section;

    /// <param name="section">The section itself.</param>
    /// <exception cref="SaveException">It is not a map from numbers to contents.</exception>
    public SharedSection(SectionContent section)
    {
        _section = section;
        section.Decode(new Splitter(_contents), new ReadContext());
    }

    /// <summary>Writes what the shared objects of a section hold, those included that they lead to.</summary>
    /// <exception cref="UnsavableStateException">One of them cannot be saved as it is.</exception>
    public static SaveMap ToTree(SharedWriting objects, string name, WriteContext context)
    {
        var tree = new SaveMap();
        using var buffer = new PooledBuffer();
        context.Shared = objects;
        try
        {
            for (var i = 0; i < objects.Entries.Count; i++)
            {
                buffer.Reset();
                var writer = new BinaryStateWriter(buffer, context);
                try
                {
                    objects.Entries[i].Write(ref writer);
                }
                catch (ContentException content)
                {
                    throw Unsavable.At(content, name, $"/{i + 1}{BinaryPlace.PointerAt(buffer.Written, BinaryPlace.End)}");
                }
                var reader = new BinaryStateReader(buffer.Written);
                tree[$"{i + 1}"] = SaveValueCodec.ReadTree(ref reader);
            }
        }
        finally
        {
            context.Shared = null;
        }
        return tree;
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
    private sealed class Splitter(Dictionary<int, PackedSection> contents) : ISectionDecoder
    {
        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            if (SaveValueCodec.ReadTree(ref reader) is not SaveMap map)
                throw reader.Wrong("Shared objects are a map from numbers to contents.");
            foreach (var (key, value) in map)
            {
                if (!ParsableKey<int>.TryParse(key, out var number) || number < 1)
                    throw reader.Wrong($"\"{Shorten.Text(key)}\" is not a valid number of a shared object.");
                contents[number] = PackedSection.Of<SaveValue?, SaveValueCodec>(key, value);
            }
        }
    }
}
