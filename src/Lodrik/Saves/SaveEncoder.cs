using System.Buffers.Binary;
using System.Text;
using System.Text.Json;
using System.Xml;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.Protection;
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
    private List<SectionEntry> _entries = [];
    private List<int> _offsets = [];
    private SectionCache? _cache;
    private SaveProtection? _protection;
    private SaveForm _form;
    private bool _indented;
    private bool _hasCompressed;

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
        Snapshot(state, form, indented);
        return Complete(header);
    }

    /// <summary>Encodes the sections: all that has to happen while the state stands still.</summary>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is.</exception>
    /// <param name="state">The state.</param>
    /// <param name="form">The form of the content.</param>
    /// <param name="indented">Whether a readable form is laid out for people.</param>
    /// <param name="cache">Sections that were written before in this form; null for none.</param>
    public void Snapshot<T>(T state, SaveForm form, bool indented, SectionCache? cache = null) where T : IStateRoot<T>
    {
        Begin(form, indented, cache);
        LoneSurrogates.TakeNote();
        _entries = form switch
        {
            SaveForm.Json => CollectJson(state),
            SaveForm.Xml => CollectXml(state),
            SaveForm.Binary => Collect<T, PackedSections, BinaryStateWriter>(state, new PackedSections(_body)),
            _ => throw new ArgumentOutOfRangeException(nameof(form), form, "There is no such form."),
        };
    }

    /// <summary>Takes sections of another save as they are, in place of a snapshot.</summary>
    /// <param name="form">The form of their content.</param>
    /// <param name="sections">The sections, in their order.</param>
    public void TakeOver(SaveForm form, IReadOnlyList<TakenSection> sections)
    {
        Begin(form, form != SaveForm.Binary && (sections.Count == 0 || sections.Any(section => section.Bytes.Span.Contains((byte)'\n'))), cache: null);
        _hasCompressed = sections.Any(section => section.Decompressed > 0);
        _offsets = new List<int>(sections.Count);
        _entries = new List<SectionEntry>(sections.Count);
        var isText = !_hasCompressed && form != SaveForm.Binary;
        if (isText)
            _body.Write(form == SaveForm.Json ? "{"u8 : "<save>"u8);
        foreach (var (name, bytes, decompressed) in sections)
        {
            if (isText && form == SaveForm.Json && _entries.Count > 0)
                _body.Write(","u8);
            if (isText && _indented)
                _body.Write("\n  "u8);
            if (isText && form == SaveForm.Json)
                _body.Write(Encoding.UTF8.GetBytes($"\"{JsonEncodedText.Encode(name, JsonStateWriter.Options(_indented).Encoder)}\":{(_indented ? " " : "")}"));
            _offsets.Add(_body.Length);
            _body.Write(bytes.Span);
            _entries.Add(new SectionEntry(name, bytes.Length, SectionDigest.Of(bytes.Span), decompressed));
        }
        if (isText && _indented)
            _body.Write("\n"u8);
        if (isText)
            _body.Write(form == SaveForm.Json ? "}"u8 : "</save>"u8);
    }

    private void Begin(SaveForm form, bool indented, SectionCache? cache)
    {
        (_form, _indented, _cache, _hasCompressed, _replaced) = (form, indented, cache, false, []);
        _body.Reset();
        _contents.Reset();
        _header.Reset();
        _file.Reset();
    }

    /// <summary>Makes the whole file of the sections that were encoded last. The bytes are valid until the next snapshot.</summary>
    /// <param name="header">What the save says of itself; the form and the sections are filled in here.</param>
    /// <param name="compression">How the sections are compressed; a compressed save is packed.</param>
    /// <param name="compressed">Told after each section that was compressed how many bytes are done, and how many there are in all.</param>
    /// <param name="protection">How the save is sealed; null for not at all.</param>
    public ReadOnlyMemory<byte> Complete(
        SaveHeader header, SaveCompression compression = SaveCompression.None, Action<long, long>? compressed = null, SaveProtection? protection = null)
    {
        _protection = protection;
        header.Content = _form;
        var isReadable = compression == SaveCompression.None && !_hasCompressed && protection is not { Encrypts: true };
        switch (_form)
        {
            case SaveForm.Json when isReadable:
                CompleteJson(header);
                break;
            case SaveForm.Xml when isReadable:
                CompleteXml(header);
                break;
            default:
                CompletePacked(header, compression, compressed);
                break;
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

    private List<SectionEntry> CollectJson<T>(T state) where T : IStateRoot<T>
    {
        using var writer = new Utf8JsonWriter(_body, JsonStateWriter.Options(_indented));
        writer.WriteStartObject();
        var entries = Collect<T, JsonSections, JsonStateWriter>(state, new JsonSections(writer, _body));
        writer.WriteEndObject();
        return entries;
    }

    private void CompleteJson(SaveHeader header)
    {
        // Each of the three is a JSON object of its own; then they become one object.
        using var writer = new Utf8JsonWriter(_contents, JsonStateWriter.Options(_indented));
        writer.WriteStartObject();
        writer.WritePropertyName(ContentsKey);
        writer.Flush();
        var start = _contents.Length;
        var tokens = new JsonStateWriter(writer);
        SectionTable.WriteReadable(ref tokens, _entries);
        writer.Flush();
        Describe(header, _entries, _contents.Written[start..]);
        writer.WriteEndObject();
        writer.Flush();

        writer.Reset(_header);
        writer.WriteStartObject();
        writer.WritePropertyName(HeaderKey);
        SaveHeader.StateCodec.Write(ref tokens, header);
        writer.WriteEndObject();
        writer.Flush();

        var end = _indented ? "\n}"u8 : "}"u8;
        _file.Write(_header.Written[..^end.Length]);
        _file.Write(","u8);
        _file.Write(_contents.Written[1..^end.Length]);
        if (_entries.Count > 0)
        {
            _file.Write(","u8);
            _file.Write(_body.Written[1..^end.Length]);
        }
        if (_protection is null)
            _file.Write(end);
        else
            WriteSeal(_file.Length - (_body.Length - end.Length), _indented ? ",\n  \"seal\": \""u8 : ",\"seal\":\""u8, _indented ? "\"\n}"u8 : "\"}"u8);
        if (_indented)
            _file.Write("\n"u8);
    }

    /// <summary>Writes the seal of a readable save as the last thing in it.</summary>
    /// <param name="shift">How much later a section stands in the file than in what was encoded.</param>
    /// <param name="before">What stands before the seal's own value.</param>
    /// <param name="after">What stands behind it, but for the last line break.</param>
    private void WriteSeal(int shift, ReadOnlySpan<byte> before, ReadOnlySpan<byte> after)
    {
        _file.Write(before);
        var offset = _file.Length;
        // The end belongs to the frame as well: it is written, looked at, and written again behind the seal.
        _file.Write(after);
        if (_indented)
            _file.Write("\n"u8);
        var content = SealContent.Of(_file.Written, SectionPlaces(shift), offset, 0, _protection!.Context);
        _file.Truncate(offset);
        _file.Write(Encoding.ASCII.GetBytes(SealEnvelope.WriteJws(_protection.Keys.Current, content)));
        _file.Write(after);
    }

    private List<(string Name, int Offset, int Length)> SectionPlaces(int shift) => [.. _entries.Select((entry, i) => (entry.Name, _offsets[i] + shift, entry.Size))];

    private List<SectionEntry> CollectXml<T>(T state) where T : IStateRoot<T>
    {
        var settings = XmlStateWriter.Settings(_indented);
        settings.OmitXmlDeclaration = true;
        using var writer = XmlWriter.Create(new BufferStream(_body), settings);
        writer.WriteStartElement(XmlWords.Root);
        var entries = Collect<T, XmlSections, XmlStateWriter>(state, new XmlSections(writer, _body));
        writer.WriteEndElement();
        return entries;
    }

    private void CompleteXml(SaveHeader header)
    {
        var settings = XmlStateWriter.Settings(_indented);
        settings.OmitXmlDeclaration = true;
        using (var writer = XmlWriter.Create(new BufferStream(_contents), settings))
        {
            writer.WriteStartElement(XmlWords.Root);
            var tokens = new XmlStateWriter(writer);
            tokens.Name(ContentsKey);
            SectionTable.WriteReadable(ref tokens, _entries);
            writer.WriteEndElement();
        }
        var inner = XmlInside(_contents.Written);
        Describe(header, _entries, inner.TrimStart(" \n"u8));

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
        var shift = _file.Length - (_body.Written.IndexOf((byte)'>') + 1);
        if (_entries.Count > 0)
            _file.Write(XmlInside(_body.Written));
        if (_protection is not null)
            WriteSeal(shift, _indented ? "\n  <seal>"u8 : "<seal>"u8, _indented ? "</seal>\n</save>"u8 : "</seal></save>"u8);
        else
            _file.Write(_indented ? "\n</save>"u8 : "</save>"u8);
        if (_indented)
            _file.Write("\n"u8);
    }

    private void CompletePacked(SaveHeader header, SaveCompression compression, Action<long, long>? compressed)
    {
        var smaller = new byte[]?[_entries.Count];
        var entries = compression == SaveCompression.None ? _entries : Compress(compression, smaller, compressed);
        var making = _protection?.Keys.Current.NewMaking ?? KeyMaking.None;
        using var cipher = _protection is { Encrypts: true } ? SectionCipher.New(_protection.Keys.Current, making) : null;
        if (cipher is not null)
            entries = Encrypt(entries, smaller, cipher);

        var tokens = new BinaryStateWriter(_contents);
        SectionTable.WritePacked(ref tokens, entries);
        Describe(header, entries, _contents.Written);

        if (_protection is { HidesLabels: true } && header.Slot is { } label)
            header.Slot = HiddenLabel.Hide(label, header.SaveId, _protection.Keys.Current, making);
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
        var places = new List<(string, int, int)>(entries.Count);
        for (var i = 0; i < entries.Count; i++)
        {
            tokens.WriteBytes(smaller[i] ?? SectionBytes(i));
            places.Add((entries[i].Name, _file.Length - entries[i].Size, entries[i].Size));
        }
        if (_protection is null)
            tokens.WriteNull();
        else
            _file.Write(SealEnvelope.WriteCose(_protection.Keys.Current, making, SealContent.Of(_file.Written, places, _file.Length, 0, _protection.Context, cipher?.Salt)));
        tokens.EndList();
    }

    /// <summary>Compresses each section for which it pays, and gives the table of what they have become.</summary>
    private List<SectionEntry> Compress(SaveCompression compression, byte[]?[] smaller, Action<long, long>? done)
    {
        List<SectionEntry> entries = [.. _entries];
        long bytes = 0;
        for (var i = 0; i < entries.Count; i++)
        {
            if (_cache is null || !_cache.TryGetCompressed(_entries[i], compression, out smaller[i]))
            {
                smaller[i] = SectionCompression.Compress(SectionBytes(i), compression);
                _cache?.KeepCompressed(_entries[i], compression, smaller[i]);
            }
            if (smaller[i] is { } less)
                entries[i] = new SectionEntry(entries[i].Name, less.Length, SectionDigest.Of(less), entries[i].Size);
            done?.Invoke(bytes += _entries[i].Size, _body.Length);
        }
        return entries;
    }

    /// <summary>Encrypts every section, compressed or not, and gives the table of what they have become.</summary>
    private List<SectionEntry> Encrypt(List<SectionEntry> entries, byte[]?[] bytes, SectionCipher cipher)
    {
        var encrypted = new List<SectionEntry>(entries.Count);
        for (var i = 0; i < entries.Count; i++)
        {
            var section = cipher.Encrypt(i, entries[i].Name, bytes[i] ?? SectionBytes(i));
            bytes[i] = section;
            encrypted.Add(new SectionEntry(entries[i].Name, section.Length, SectionDigest.Of(section), entries[i].Decompressed, IsEncrypted: true));
        }
        return encrypted;
    }

    private ReadOnlySpan<byte> SectionBytes(int section) => _body.Written.Slice(_offsets[section], _entries[section].Size);

    /// <summary>The items of a packed save beside its sections: format, header digest, header, contents, and the seal's place.</summary>
    internal const int PackedParts = 5;

    private List<SectionEntry> Collect<T, TForm, TWriter>(T state, TForm form)
        where T : IStateRoot<T> where TForm : class, ISectionForm<TWriter> where TWriter : struct, IStateWriter
    {
        var sections = new EncodedSections<TForm, TWriter>(form, _cache);
        try
        {
            T.WriteSections(ref sections, state);
            _replaced = sections.Replaced;
            _offsets = sections.Offsets;
            _cache?.Retain(sections.Entries.Select(entry => entry.Name));
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
