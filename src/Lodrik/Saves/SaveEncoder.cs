using System.Buffers.Binary;
using System.Text.Json;
using System.Xml;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>
/// Turns live state into the bytes of a save. The sections are written first, then the table of their digests, then the
/// header, which speaks of both; in the file they stand the other way round.
/// </summary>
internal sealed class SaveEncoder : IDisposable
{
    /// <summary>The names of a file's own parts, which no section may have.</summary>
    public const string HeaderKey = "lodrik";
    public const string ContentsKey = "contents";
    public const string SealKey = "seal";

    private readonly PooledBuffer _body = new(16 * 1024);
    private readonly PooledBuffer _contents = new(512);
    private readonly PooledBuffer _header = new(1024);
    private readonly PooledBuffer _file = new(16 * 1024);
    private List<string> _replaced = [];

    /// <summary>What is to be said of the save that was encoded last.</summary>
    public IReadOnlyList<SaveWarning> Warnings { get; private set; } = [];

    /// <summary>Encodes a whole save. The bytes are valid until the next call.</summary>
    /// <param name="state">The state.</param>
    /// <param name="header">What the save says of itself; the form and the sections are filled in here.</param>
    /// <param name="form">The form of the content.</param>
    /// <param name="indented">Whether a readable form is laid out for people.</param>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is.</exception>
    public ReadOnlyMemory<byte> Encode<T>(T state, SaveHeader header, SaveForm form, bool indented) where T : IStateRoot<T>
    {
        _body.Reset();
        _contents.Reset();
        _header.Reset();
        _file.Reset();
        _replaced = [];
        LoneSurrogates.TakeNote();
        header.Content = form;
        switch (form)
        {
            case SaveForm.Json:
                EncodeJson(state, header, indented);
                break;
            case SaveForm.Xml:
                EncodeXml(state, header, indented);
                break;
            case SaveForm.Binary:
                EncodePacked(state, header);
                break;
            default:
                throw new ArgumentOutOfRangeException(nameof(form), form, "There is no such form.");
        }
        Warnings = _replaced.Count == 0 ? [] : FindReplaced(_file.WrittenMemory, _replaced);
        return _file.WrittenMemory;
    }

    /// <summary>Where texts had half of a pair. It costs reading those sections once more, and only a save with such texts pays.</summary>
    private static List<SaveWarning> FindReplaced(ReadOnlyMemory<byte> file, List<string> sections)
    {
        var saved = SavedFile.FromBytes(file);
        return [.. sections.SelectMany(section => LoneSurrogates.Places(saved.ReadSection(section)).Select(path => new SaveWarning(
            SaveWarningCode.ReplacedText,
            new SaveLocation { Section = section, Path = path },
            "Half of a character pair stood in the text, most often because it was cut in the middle of an emoji; it was replaced by U+FFFD.")))];
    }

    public void Dispose()
    {
        _body.Dispose();
        _contents.Dispose();
        _header.Dispose();
        _file.Dispose();
    }

    private void EncodeJson<T>(T state, SaveHeader header, bool indented) where T : IStateRoot<T>
    {
        // Each of the three is written as a JSON object of its own; then they become one object.
        var options = JsonStateWriter.Options(indented);
        using var writer = new Utf8JsonWriter(_body, options);
        writer.WriteStartObject();
        var entries = Collect<T, JsonSections, JsonStateWriter>(state, new JsonSections(writer, _body));
        writer.WriteEndObject();
        writer.Flush();

        writer.Reset(_contents);
        writer.WriteStartObject();
        writer.WritePropertyName(ContentsKey);
        writer.Flush();
        var start = _contents.Length;
        var tokens = new JsonStateWriter(writer);
        SectionTable.WriteReadable(ref tokens, entries);
        writer.Flush();
        Describe(header, entries, _contents.Written[start..]);
        writer.WriteEndObject();
        writer.Flush();

        writer.Reset(_header);
        writer.WriteStartObject();
        writer.WritePropertyName(HeaderKey);
        SaveHeader.StateCodec.Write(ref tokens, header);
        writer.WriteEndObject();
        writer.Flush();

        var end = indented ? "\n}"u8 : "}"u8;
        _file.Write(_header.Written[..^end.Length]);
        _file.Write(","u8);
        _file.Write(_contents.Written[1..^end.Length]);
        if (entries.Count > 0)
        {
            _file.Write(","u8);
            _file.Write(_body.Written[1..^end.Length]);
        }
        _file.Write(end);
        if (indented)
            _file.Write("\n"u8);
    }

    private void EncodeXml<T>(T state, SaveHeader header, bool indented) where T : IStateRoot<T>
    {
        var settings = XmlStateWriter.Settings(indented);
        settings.OmitXmlDeclaration = true;
        List<SectionEntry> entries;
        using (var writer = XmlWriter.Create(new BufferStream(_body), settings))
        {
            writer.WriteStartElement(XmlWords.Root);
            entries = Collect<T, XmlSections, XmlStateWriter>(state, new XmlSections(writer, _body));
            writer.WriteEndElement();
        }
        using (var writer = XmlWriter.Create(new BufferStream(_contents), settings))
        {
            writer.WriteStartElement(XmlWords.Root);
            var tokens = new XmlStateWriter(writer);
            tokens.Name(ContentsKey);
            SectionTable.WriteReadable(ref tokens, entries);
            writer.WriteEndElement();
        }
        var inner = XmlInside(_contents.Written);
        Describe(header, entries, inner.TrimStart(" \n"u8));

        settings.OmitXmlDeclaration = false;
        using (var writer = XmlWriter.Create(new BufferStream(_header), settings))
        {
            writer.WriteStartElement(XmlWords.Root);
            var tokens = new XmlStateWriter(writer);
            tokens.Name(HeaderKey);
            SaveHeader.StateCodec.Write(ref tokens, header);
            writer.WriteEndElement();
        }
        _file.Write(_header.Written[..XmlEnd(_header.Written)]);
        _file.Write(inner);
        if (entries.Count > 0)
            _file.Write(XmlInside(_body.Written));
        _file.Write(indented ? "\n</save>\n"u8 : "</save>"u8);
    }

    private void EncodePacked<T>(T state, SaveHeader header) where T : IStateRoot<T>
    {
        var entries = Collect<T, PackedSections, BinaryStateWriter>(state, new PackedSections(_body));

        var tokens = new BinaryStateWriter(_contents);
        SectionTable.WritePacked(ref tokens, entries);
        Describe(header, entries, _contents.Written);

        tokens = new BinaryStateWriter(_header);
        SaveHeader.StateCodec.Write(ref tokens, header);

        Span<byte> digest = stackalloc byte[SectionDigest.Size];
        BinaryPrimitives.WriteUInt128BigEndian(digest, SectionDigest.Of(_header.Written));
        tokens = new BinaryStateWriter(_file);
        tokens.WriteTag(Cbor.SelfDescribed);
        tokens.BeginList(PackedParts + entries.Count);
        tokens.WriteInteger(SaveHeader.CurrentFormat);
        tokens.WriteBytes(digest);
        tokens.WriteBytes(_header.Written);
        tokens.WriteBytes(_contents.Written);
        var offset = 0;
        foreach (var entry in entries)
        {
            tokens.WriteBytes(_body.Written.Slice(offset, entry.Size));
            offset += entry.Size;
        }
        tokens.WriteNull();
        tokens.EndList();
    }

    /// <summary>The items of a packed save beside its sections: format, header digest, header, contents, and the seal's place.</summary>
    internal const int PackedParts = 5;

    private List<SectionEntry> Collect<T, TForm, TWriter>(T state, TForm form)
        where T : IStateRoot<T> where TForm : class, ISectionForm<TWriter> where TWriter : struct, IStateWriter
    {
        var sections = new EncodedSections<TForm, TWriter>(form);
        try
        {
            T.WriteSections(ref sections, state);
            _replaced = sections.Replaced;
            return sections.Entries;
        }
        catch (ContentException content)
        {
            var path = form.PointerToEnd();
            throw new UnsavableStateException(
                content.Code,
                content.Message,
                new SaveLocation { Section = sections.Current, Path = path.Length <= 200 ? path : path[..200] + "…" },
                content.Code switch
                {
                    SaveErrorCode.TooDeep => "Leave the member that leads back out with [NotSaved], and set it again after loading.",
                    SaveErrorCode.UndeclaredType => "Declare the member with the object's own type, or name its variants with [SaveVariant].",
                    _ => null,
                });
        }
    }

    private static void Describe(SaveHeader header, List<SectionEntry> entries, ReadOnlySpan<byte> contents)
    {
        header.SectionCount = entries.Count;
        header.ContentsDigest = SectionDigest.ToText(SectionDigest.Of(contents));
    }

    private static ReadOnlySpan<byte> XmlInside(ReadOnlySpan<byte> document)
    {
        var start = document.IndexOf((byte)'>') + 1;
        return document[start..XmlEnd(document)];
    }

    /// <summary>Where the root element's end tag begins, with the line break before it.</summary>
    private static int XmlEnd(ReadOnlySpan<byte> document)
    {
        var end = document.LastIndexOf("</"u8);
        return end > 0 && document[end - 1] == '\n' ? end - 1 : end;
    }
}
