using System.Text;
using System.Text.Json;
using System.Xml;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>What is known of the sections that have been written so far.</summary>
internal interface IEncodedSections
{
    /// <summary>The sections written, in order.</summary>
    List<SectionEntry> Entries { get; }

    /// <summary>The section that is being written.</summary>
    string Current { get; }

    /// <summary>The pointer of the value that the section being written has got to.</summary>
    string PointerToEnd();
}

/// <summary>Writes sections as the members of one JSON object.</summary>
internal struct JsonSections(Utf8JsonWriter writer, PooledBuffer body) : ISectionWriter, IEncodedSections
{
    private int _start;

    public List<SectionEntry> Entries { get; } = [];

    public string Current { get; private set; } = "";

    public void Write<T, TCodec>(string name, T value) where TCodec : IStateCodec<T>
    {
        var tokens = Begin(name);
        TCodec.Write(ref tokens, value);
        End();
    }

    public void WriteGroup(string name, ISectionGroup? group)
    {
        foreach (var section in group?.SectionNames ?? [])
        {
            var tokens = Begin($"{name}/{section}");
            group!.WriteSection(section, ref tokens);
            End();
        }
    }

    public readonly string PointerToEnd()
    {
        writer.Flush();
        return JsonPlace.PointerAt(body.Written[_start..], long.MaxValue);
    }

    private JsonStateWriter Begin(string name)
    {
        Current = name;
        writer.WritePropertyName(name);
        writer.Flush();
        _start = body.Length;
        return new JsonStateWriter(writer);
    }

    private readonly void End()
    {
        writer.Flush();
        var bytes = body.Written[_start..];
        Entries.Add(new SectionEntry(Current, bytes.Length, SectionDigest.Of(bytes)));
    }
}

/// <summary>Writes sections as the child elements of one XML element.</summary>
internal struct XmlSections : ISectionWriter, IEncodedSections
{
    private readonly PooledBuffer _body;
    private readonly XmlWriter _writer;
    private int _start;

    public XmlSections(PooledBuffer body, XmlWriterSettings settings)
    {
        _body = body;
        _writer = XmlWriter.Create(new BufferStream(body), settings);
        _writer.WriteStartElement(XmlWords.Root);
    }

    public List<SectionEntry> Entries { get; } = [];

    public string Current { get; private set; } = "";

    public void Write<T, TCodec>(string name, T value) where TCodec : IStateCodec<T>
    {
        var tokens = Begin(name);
        TCodec.Write(ref tokens, value);
        EndSection();
    }

    public void WriteGroup(string name, ISectionGroup? group)
    {
        foreach (var section in group?.SectionNames ?? [])
        {
            var tokens = Begin($"{name}/{section}");
            group!.WriteSection(section, ref tokens);
            EndSection();
        }
    }

    public readonly string PointerToEnd()
    {
        _writer.Flush();
        return XmlPlace.PointerAt(Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(Section())), int.MaxValue, int.MaxValue);
    }

    public readonly void End()
    {
        _writer.WriteEndElement();
        _writer.Dispose();
    }

    private XmlStateWriter Begin(string name)
    {
        Current = name;
        _writer.Flush();
        _start = _body.Length;
        var tokens = new XmlStateWriter(_writer);
        tokens.WriteKey(name);
        return tokens;
    }

    private readonly void EndSection()
    {
        _writer.Flush();
        var bytes = Section();
        Entries.Add(new SectionEntry(Current, bytes.Length, SectionDigest.Of(bytes)));
    }

    /// <summary>The section's element: what was written since, without the end of the tag before and the white space.</summary>
    private readonly ReadOnlySpan<byte> Section()
    {
        var written = _body.Written[_start..];
        var start = written.IndexOf((byte)'<');
        return start < 0 ? default : written[start..];
    }
}

/// <summary>Writes sections one behind the other, as CBOR.</summary>
internal struct PackedSections(PooledBuffer body) : ISectionWriter, IEncodedSections
{
    private int _start;

    public List<SectionEntry> Entries { get; } = [];

    public string Current { get; private set; } = "";

    public void Write<T, TCodec>(string name, T value) where TCodec : IStateCodec<T>
    {
        var tokens = Begin(name);
        TCodec.Write(ref tokens, value);
        End();
    }

    public void WriteGroup(string name, ISectionGroup? group)
    {
        foreach (var section in group?.SectionNames ?? [])
        {
            var tokens = Begin($"{name}/{section}");
            group!.WriteSection(section, ref tokens);
            End();
        }
    }

    public readonly string PointerToEnd() => BinaryPlace.PointerAt(body.Written[_start..], long.MaxValue);

    private BinaryStateWriter Begin(string name)
    {
        Current = name;
        _start = body.Length;
        return new BinaryStateWriter(body);
    }

    private readonly void End()
    {
        var bytes = body.Written[_start..];
        Entries.Add(new SectionEntry(Current, bytes.Length, SectionDigest.Of(bytes)));
    }
}
