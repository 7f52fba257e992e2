using System.Text;
using System.Text.Json;
using Lodrik.Formats;
using Lodrik.Formats.Json;
using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>A save as one JSON object (RFC 8259): the header, the section table, the sections, the seal.</summary>
internal sealed class JsonFile : FileForm
{
    private const string SealStart = "\"seal\":";

    public override SaveForm Form => SaveForm.Json;

    public override string DisplayName => "JSON";

    public override string Extension => ".json";

    public override bool IsText => true;

    // Every item but the first in a collection comes after a comma, and every collection begins with a bracket. What is in texts counts
    // too.
    protected override long MostItems(ReadOnlySpan<byte> content) =>
        1L + content.Count((byte)',') + content.Count((byte)'[') + content.Count((byte)'{');

    public override bool IsBeginning(ReadOnlySpan<byte> bytes)
    {
        var text = SkipMark(bytes).TrimStart(" \t\r\n"u8);
        return text.Length > 0 && text[0] is (byte)'{' or (byte)'/';
    }

    protected override FileParts FindParts(ReadOnlyMemory<byte> file)
    {
        var parts = new FileParts();
        var mark = file.Length - SkipMark(file.Span).Length;
        var reader = new Utf8JsonReader(file.Span[mark..], JsonStateReader.Options);
        reader.Read();
        var start = mark + (int)reader.TokenStartIndex;
        if (reader.TokenType != JsonTokenType.StartObject)
            throw new ContentException(SaveErrorCode.NotASave, "A save is one JSON object.", new ContentPlace(start));
        while (NextMember(ref reader, mark, out var member, out var at))
            parts.Add(member, at);
        parts.Whole = new SectionSlice("", start, mark + (int)reader.BytesConsumed - start);
        if (reader.Read())
            throw new ContentException(
                SaveErrorCode.Damaged, "There is extra data after the end of the save.", new ContentPlace(mark + reader.TokenStartIndex));
        TakeOutHead(parts, file);
        return parts;
    }

    /// <summary>Passes over the next member of the file's object.</summary>
    private static bool NextMember(ref Utf8JsonReader reader, int mark, out SectionSlice member, out long at)
    {
        (member, at) = (default, 0);
        if (!reader.Read() || reader.TokenType != JsonTokenType.PropertyName)
            return false;
        var name = reader.GetString()!;
        at = mark + reader.TokenStartIndex;
        reader.Read();
        var offset = mark + (int)reader.TokenStartIndex;
        reader.Skip();
        member = new SectionSlice(name, offset, mark + (int)reader.BytesConsumed - offset);
        return true;
    }

    protected override SaveHeader? TryFindHeader(ReadOnlyMemory<byte> start)
    {
        var mark = start.Length - SkipMark(start.Span).Length;
        var json = new Utf8JsonReader(start.Span[mark..], isFinalBlock: false, new JsonReaderState(JsonStateReader.Options));
        if (!json.Read() || !json.Read() || json.TokenType != JsonTokenType.PropertyName || !json.ValueTextEquals(FileWords.Header)
            || !json.Read())
            return null;
        var from = mark + (int)json.TokenStartIndex;
        return json.TrySkip() ? ReadHeader(start[from..(mark + (int)json.BytesConsumed)]) : null;
    }

    public override SectionSlice? SealValueOf(ReadOnlySpan<byte> file, SectionSlice seal)
    {
        var raw = file.Slice(seal.Offset, seal.Length);
        return raw.Length >= 2 && raw[0] == '"' && raw[^1] == '"' ? seal with { Offset = seal.Offset + 1, Length = seal.Length - 2 } : null;
    }

    public override OpenedSeal OpenSeal(ReadOnlySpan<byte> seal, KeyRing keys, SaveLocation location) =>
        SealEnvelope.OpenJws(Encoding.ASCII.GetString(seal), keys, location);

    public override void Decode(ReadOnlyMemory<byte> value, ISectionDecoder decoder, ReadContext? context = null, bool toEnd = true)
    {
        var reader = new JsonStateReader(value.Span) { Context = context };
        Run(ref reader, decoder, static one => one.Place);
        if (toEnd)
            reader.End();
    }

    public override IEnumerable<SectionSlice> FindEntries(ReadOnlyMemory<byte> map)
    {
        var entries = new List<SectionSlice>();
        var reader = new Utf8JsonReader(map.Span, JsonStateReader.Options);
        reader.Read();
        if (reader.TokenType != JsonTokenType.StartObject)
            throw new ContentException(SaveErrorCode.WrongContent, "Expected a map.", new ContentPlace(reader.TokenStartIndex));
        while (NextMember(ref reader, 0, out var entry, out _))
            entries.Add(entry);
        if (reader.Read())
            throw new ContentException(
                SaveErrorCode.Damaged, "There is extra data after the end of the section.", new ContentPlace(reader.TokenStartIndex));
        return entries;
    }

    protected override string PointerAt(ReadOnlyMemory<byte> value, ContentPlace place) => JsonPlace.PointerAt(value.Span, place.Offset);

    protected override ContentPlace PlaceOf(Exception exception, ReadOnlySpan<byte> bytes) => exception switch
    {
        ContentException content => content.Place,
        JsonException json => new ContentPlace(OffsetOf(bytes, json.LineNumber ?? 0, json.BytePositionInLine ?? 0)),
        _ => new ContentPlace(long.MaxValue),
    };

    protected override SaveLocation LineOf(ReadOnlySpan<byte> file, int offset, ContentPlace place) => LineAt(file, offset + place.Offset);

    protected override SaveLocation InFile(ReadOnlyMemory<byte> file, ContentPlace place)
    {
        var pointer = JsonPlace.PointerAt(file.Span, place.Offset);
        return LineAt(file.Span, place.Offset) with { Path = pointer.Length == 0 ? null : pointer };
    }

    private static long OffsetOf(ReadOnlySpan<byte> bytes, long line, long column)
    {
        var offset = 0;
        for (; line > 0; line--)
        {
            var end = bytes[offset..].IndexOf((byte)'\n');
            if (end < 0)
                break;
            offset += end + 1;
        }
        return offset + column;
    }

    public override void Write<T>(T state, SectionBatch batch)
    {
        FormedSections<Sink, JsonStateWriter>.WriteAll(state, new Sink(Begin(batch), batch), batch);
    }

    public override void Write(IReadOnlyList<IPackedContent> sections, SectionBatch batch)
    {
        FormedSections<Sink, JsonStateWriter>.WriteAll(sections, new Sink(Begin(batch), batch), batch);
    }

    /// <summary>The object around the sections is begun for their indentation only; it is not part of any of them.</summary>
    private static JsonText Begin(SectionBatch batch)
    {
        var text = new JsonText(batch.Body, batch.IsIndented);
        text.StartObject();
        return text;
    }

    public override void Assemble(FileAssembly assembly)
    {
        var (file, isIndented) = (assembly.File, assembly.IsIndented);
        // Header and table are written as JSON objects of their own; then everything becomes one object.
        var table = new JsonText(assembly.Table, isIndented);
        table.StartObject();
        table.Name(FileWords.Contents);
        var start = assembly.Table.Length;
        var tokens = new JsonStateWriter(table);
        SectionTable.WriteReadable(ref tokens, assembly.Entries);
        assembly.Describe(assembly.Table.Written[start..]);
        table.EndObject();

        var head = new JsonText(assembly.Head, isIndented);
        head.StartObject();
        head.Name(FileWords.Header);
        var headerStart = assembly.Head.Length;
        tokens = new JsonStateWriter(head);
        SaveHeader.StateCodec.Write(ref tokens, assembly.Header);
        var digest = SectionDigest.Of(assembly.Head.Written[headerStart..]);
        head.Name(FileWords.HeaderDigest);
        head.Text(SectionDigest.ToText(digest));
        head.EndObject();

        var end = isIndented ? "\n}"u8 : "}"u8;
        file.Write(assembly.Head.Written[..^end.Length]);
        file.Write(","u8);
        file.Write(assembly.Table.Written[1..^end.Length]);
        foreach (var section in assembly.Sections)
        {
            file.Write(isIndented ? ",\n  \""u8 : ",\""u8);
            file.Write(NameOf(section.Name));
            file.Write(isIndented ? "\": "u8 : "\":"u8);
            assembly.Add(section);
        }
        if (assembly.Seal is not null)
            assembly.WriteJws(isIndented ? ",\n  \"seal\": \""u8 : ",\"seal\":\""u8, isIndented ? "\"\n}\n"u8 : "\"}"u8);
        else
            file.Write(isIndented ? "\n}\n"u8 : "}"u8);
    }

    private static ReadOnlySpan<byte> NameOf(string name) =>
        JsonEncodedText.Encode(name, JsonName.Encoder).EncodedUtf8Bytes;

    /// <summary>One value alone, as a text that people edit.</summary>
    /// <exception cref="UnsavableStateException">It cannot be saved as it is.</exception>
    public static byte[] Plain<T>(T state) where T : IStateType<T>
    {
        ArgumentNullException.ThrowIfNull(state);
        using var buffer = new PooledBuffer();
        var json = new JsonStateWriter(new JsonText(buffer, isIndented: true));
        try
        {
            T.WriteState(ref json, state);
        }
        catch (ContentException content)
        {
            throw Unsavable.At(content, StateRoot.SingleSection, JsonPlace.PointerAt(buffer.Written, long.MaxValue));
        }
        return [.. buffer.Written, (byte)'\n'];
    }

    public override long Measure(SaveValue value)
    {
        using var buffer = new PooledBuffer();
        var json = new JsonStateWriter(new JsonText(buffer, isIndented: true));
        SaveValueCodec.Write(ref json, value);
        return buffer.Length;
    }

    public override FileParts FindWhatIsWhole(ReadOnlyMemory<byte> file)
    {
        var parts = new FileParts();
        var mark = file.Length - SkipMark(file.Span).Length;
        try
        {
            var reader = new Utf8JsonReader(file.Span[mark..], JsonStateReader.Options);
            reader.Read();
            while (NextMember(ref reader, mark, out var member, out _))
                parts.TryAdd(member);
        }
        catch (Exception exception) when (IsBadContent(exception))
        {
            // What comes after this place is found by its digest.
        }
        TakeOutWhatIsWhole(parts, file);
        return parts;
    }

    public override SectionMark MarkOf(SectionEntry section) =>
        new([(byte)'"', .. NameOf(section.Name), (byte)'"', (byte)':'], MayHaveBlanks: true);

    public override int LastSealIn(ReadOnlySpan<byte> file) => file.LastIndexOf(Encoding.ASCII.GetBytes(SealStart));

    public override OpenedSeal? OpenSealAt(ReadOnlySpan<byte> bytes, KeyRing keys, SaveLocation location)
    {
        var text = Encoding.ASCII.GetString(bytes[SealStart.Length..]).TrimStart(' ', '"');
        var length = text.IndexOf('"', StringComparison.Ordinal);
        return length < 0 ? null : SealEnvelope.OpenJws(text[..length], keys, location);
    }

    /// <summary>Sections as the members of one JSON object.</summary>
    private sealed class Sink(JsonText text, SectionBatch batch) : ISectionSink<JsonStateWriter>
    {
        private int _start;

        public JsonStateWriter Begin(string name)
        {
            text.Name(name);
            _start = batch.Body.Length;
            return new JsonStateWriter(text, batch.Context);
        }

        public ReadOnlySpan<byte> Written() => batch.Body.Written[_start..];

        public string PointerToEnd() => JsonPlace.PointerAt(Written(), long.MaxValue);
    }
}
