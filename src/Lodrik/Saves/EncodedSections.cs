using System.Text.Json;
using System.Xml;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>Where one form puts a section among the others.</summary>
/// <typeparam name="TWriter">The form's writer.</typeparam>
internal interface ISectionForm<TWriter> where TWriter : IStateWriter
{
    /// <summary>Begins a section; what is written next is its value.</summary>
    TWriter Begin(string name);

    /// <summary>Writes a whole section of which the bytes are there already.</summary>
    void WriteWhole(string name, ReadOnlySpan<byte> bytes);

    /// <summary>The bytes of the section as far as it is written.</summary>
    ReadOnlySpan<byte> Written();

    /// <summary>Where those bytes end among all that was written.</summary>
    int End { get; }

    /// <summary>The pointer of the value that the section has got to.</summary>
    string PointerToEnd();
}

/// <summary>Writes the sections of a save one after the other, and takes down the size and the digest of each.</summary>
internal struct EncodedSections<TForm, TWriter>(TForm form, SectionCache? cache = null) : ISectionWriter
    where TForm : class, ISectionForm<TWriter> where TWriter : struct, IStateWriter
{
    /// <summary>The sections written, in order.</summary>
    public List<SectionEntry> Entries { get; } = [];

    /// <summary>Where each of them begins among all that was written.</summary>
    public List<int> Offsets { get; } = [];

    /// <summary>The sections in which half of a pair was replaced.</summary>
    public List<string> Replaced { get; } = [];

    /// <summary>The section that is being written.</summary>
    public string Current { get; private set; } = "";

    public void Write<T, TCodec>(string name, T value) where TCodec : IStateCodec<T>
    {
        Current = name;
        // Only what is a class can be asked for a revision without making a copy of it first.
        var identity = !typeof(T).IsValueType && value is IRevisedState revised ? new SectionIdentity(revised, revised.Revision) : default;
        if (TryReuse(identity))
            return;
        using var shared = SharedWriting.Begin();
        var writer = form.Begin(name);
        TCodec.Write(ref writer, value);
        End();
        var own = identity.IsKnown && cache is not null ? form.Written().ToArray() : [];
        var digest = Entries[^1].Digest;
        var beside = shared.Entries.Count > 0 ? WriteShared(name + SharedSection.Suffix, shared) : default((byte[], UInt128)?);
        if (identity.IsKnown)
            cache?.Keep(name, identity, own, digest, beside);
    }

    private (byte[] Bytes, UInt128 Digest) WriteShared(string name, SharedWriting shared)
    {
        var tree = SharedSection.ToTree(shared, name);
        Current = name;
        var writer = form.Begin(name);
        SaveValueCodec.Write(ref writer, tree);
        End();
        return (cache is null ? [] : form.Written().ToArray(), Entries[^1].Digest);
    }

    /// <summary>Writes the section's bytes of last time again, where its content is the same.</summary>
    private readonly bool TryReuse(SectionIdentity identity)
    {
        if (cache is null || !cache.TryGet(Current, identity, out var known))
            return false;
        WriteWhole(Current, known.Bytes, known.Digest);
        if (known.Shared is { } shared)
            WriteWhole(Current + SharedSection.Suffix, shared.Bytes, shared.Digest);
        return true;
    }

    private readonly void WriteWhole(string name, byte[] bytes, UInt128 digest)
    {
        form.WriteWhole(name, bytes);
        Entries.Add(new SectionEntry(name, bytes.Length, digest));
        Offsets.Add(form.End - bytes.Length);
    }

    public void WriteGroup(string name, ISectionGroup? group)
    {
        foreach (var section in group?.SectionNames ?? [])
        {
            Current = $"{name}/{section}";
            var identity = new SectionIdentity(group!.IdentityOf(section));
            if (TryReuse(identity))
                continue;
            var writer = form.Begin(Current);
            group.WriteSection(section, ref writer);
            End();
            cache?.Keep(Current, identity, form.Written(), Entries[^1].Digest);
        }
    }

    private readonly void End()
    {
        var bytes = form.Written();
        if (LoneSurrogates.TakeNote())
            Replaced.Add(Current);
        Offsets.Add(form.End - bytes.Length);
        Entries.Add(new SectionEntry(Current, bytes.Length, SectionDigest.Of(bytes)));
    }
}

/// <summary>Sections as the members of one JSON object.</summary>
internal sealed class JsonSections(Utf8JsonWriter writer, PooledBuffer body) : ISectionForm<JsonStateWriter>
{
    private int _start;

    public JsonStateWriter Begin(string name)
    {
        writer.WritePropertyName(name);
        writer.Flush();
        _start = body.Length;
        return new JsonStateWriter(writer);
    }

    public void WriteWhole(string name, ReadOnlySpan<byte> bytes)
    {
        writer.WritePropertyName(name);
        writer.WriteRawValue(bytes, skipInputValidation: true);
        writer.Flush();
    }

    public ReadOnlySpan<byte> Written()
    {
        writer.Flush();
        return body.Written[_start..];
    }

    public int End => body.Length;

    public string PointerToEnd() => JsonPlace.PointerAt(Written(), long.MaxValue);
}

/// <summary>Sections as the child elements of one XML element.</summary>
internal sealed class XmlSections(XmlWriter writer, PooledBuffer body) : ISectionForm<XmlStateWriter>
{
    private int _start;

    public XmlStateWriter Begin(string name)
    {
        writer.Flush();
        _start = body.Length;
        var tokens = new XmlStateWriter(writer);
        tokens.WriteKey(name);
        return tokens;
    }

    public void WriteWhole(string name, ReadOnlySpan<byte> bytes)
    {
        // The writer lays out an empty element where the section belongs; the section takes its place.
        Begin(name);
        writer.WriteStartElement("s");
        writer.WriteEndElement();
        var placeholder = Written().Length;
        body.Truncate(body.Length - placeholder);
        body.Write(bytes);
    }

    /// <summary>The section's element: what was written since, without the end of the tag before and the white space.</summary>
    public ReadOnlySpan<byte> Written()
    {
        writer.Flush();
        var written = body.Written[_start..];
        var start = written.IndexOf((byte)'<');
        return start < 0 ? default : written[start..];
    }

    public int End => body.Length;

    public string PointerToEnd() => XmlPlace.PointerAt(Written().ToArray(), int.MaxValue, int.MaxValue);
}

/// <summary>Sections one behind the other, as CBOR.</summary>
internal sealed class PackedSections(PooledBuffer body) : ISectionForm<BinaryStateWriter>
{
    private int _start;

    public BinaryStateWriter Begin(string name)
    {
        _start = body.Length;
        return new BinaryStateWriter(body);
    }

    public void WriteWhole(string name, ReadOnlySpan<byte> bytes) => body.Write(bytes);

    public ReadOnlySpan<byte> Written() => body.Written[_start..];

    public int End => body.Length;

    public string PointerToEnd() => BinaryPlace.PointerAt(Written(), BinaryPlace.End);
}
