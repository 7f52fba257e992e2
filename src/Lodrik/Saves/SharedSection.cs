using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>The section beside another one that holds the contents of its shared objects, by their numbers.</summary>
internal sealed class SharedSection : SharedContents
{
    /// <summary>What the name of such a section ends with.</summary>
    public const string Suffix = "#shared";

    private readonly Dictionary<int, byte[]> _contents = [];
    private readonly SaveLocation _location;

    /// <param name="section">The section itself.</param>
    /// <param name="location">Where it is.</param>
    /// <exception cref="SaveException">It is no map from numbers to contents.</exception>
    public SharedSection(UndecodedSection section, SaveLocation location)
    {
        _location = new SaveLocation { Section = section.Name }.Within(location);
        section.Decode(new Splitter(_contents));
    }

    /// <summary>Writes what the shared objects of a section hold, those included that they lead to.</summary>
    /// <exception cref="UnsavableStateException">One of them cannot be saved as it is.</exception>
    public static SaveMap ToTree(SharedWriting objects, string name)
    {
        var tree = new SaveMap();
        using var buffer = new PooledBuffer();
        for (var i = 0; i < objects.Entries.Count; i++)
        {
            buffer.Reset();
            var writer = new BinaryStateWriter(buffer);
            try
            {
                objects.Entries[i].Write(ref writer);
            }
            catch (ContentException content)
            {
                var path = $"/{i + 1}{BinaryPlace.PointerAt(buffer.Written, BinaryPlace.End)}";
                throw new UnsavableStateException(content.Code, content.Message, new SaveLocation { Section = name, Path = path }, null, content);
            }
            var reader = new BinaryStateReader(buffer.Written);
            tree[$"{i + 1}"] = SaveValueCodec.ReadTree(ref reader);
        }
        return tree;
    }

    public override bool Has(int number) => _contents.ContainsKey(number);

    public override void Decode(int number, ISectionDecoder decoder)
    {
        var cbor = _contents[number];
        var reader = new BinaryStateReader(cbor);
        try
        {
            decoder.Decode(ref reader);
        }
        catch (ContentException content)
        {
            var path = $"/{number}{BinaryPlace.PointerAt(cbor, content.Place)}";
            throw new SaveContentException(
                content.Code, content.Message, new SaveLocation { Path = path }.Within(_location), "Mend the value, or load an older generation.", content);
        }
    }

    /// <summary>Puts each object's content aside as a value of its own.</summary>
    private sealed class Splitter(Dictionary<int, byte[]> contents) : ISectionDecoder
    {
        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            if (SaveValueCodec.ReadTree(ref reader) is not SaveMap map)
                throw reader.Wrong("Shared objects stand under their numbers.");
            using var buffer = new PooledBuffer();
            foreach (var (key, value) in map)
            {
                if (!ParsableKey<int>.TryParse(key, out var number) || number < 1)
                    throw reader.Wrong($"\"{Shorten.Text(key)}\" is no number of a shared object.");
                buffer.Reset();
                var writer = new BinaryStateWriter(buffer);
                SaveValueCodec.Write(ref writer, value);
                contents[number] = buffer.Written.ToArray();
            }
        }
    }
}
