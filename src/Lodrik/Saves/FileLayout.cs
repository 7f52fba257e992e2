using System.Text;
using System.Text.Json;
using System.Xml;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>Where a section's bytes stand in a file.</summary>
internal readonly record struct SectionSlice(string Name, int Offset, int Length);

/// <summary>
/// What stands where in a save file, found without decoding any section. The form is told from the bytes alone.
/// </summary>
internal sealed class FileLayout
{
    private FileLayout(SaveForm form) => Form = form;

    /// <summary>The form of the content.</summary>
    public SaveForm Form { get; private set; }

    /// <summary>Whether the file is packed: its content is binary, or compressed.</summary>
    public bool IsPacked { get; private init; }

    /// <summary>The header, or null in a file that was written wholly by hand.</summary>
    public SaveHeader? Header { get; private set; }

    /// <summary>Whether the header and the table are as they were written. Only packed files can tell, readable ones are edited.</summary>
    public bool ContentsMatch { get; private set; } = true;

    /// <summary>What the table says the sections are; empty without a header.</summary>
    public List<SectionEntry> Entries { get; private set; } = [];

    /// <summary>What the sections are.</summary>
    public List<SectionSlice> Slices { get; } = [];

    /// <summary>The one value that a readable file consists of.</summary>
    public SectionSlice Whole { get; private set; }

    /// <summary>Where the seal stands, with all that belongs to its item; null where there is none.</summary>
    public SectionSlice? Seal { get; private set; }

    /// <summary>The layout of a save that is not as its file is any more: what the table says holds for none of its sections.</summary>
    public FileLayout WithHeader(SaveHeader header) => new(Form) { IsPacked = IsPacked, Header = header, ContentsMatch = ContentsMatch, Seal = Seal };

    /// <summary>Tells the form from the first bytes (byte order mark and white space aside).</summary>
    /// <exception cref="DamagedSaveException">No form begins like this.</exception>
    public static SaveForm Recognise(ReadOnlySpan<byte> bytes, SaveLocation location)
    {
        if (bytes.StartsWith(Cbor.Signature))
            return SaveForm.Binary;
        var text = SkipMark(bytes).TrimStart(" \t\r\n"u8);
        if (text.Length > 0 && text[0] is (byte)'{' or (byte)'/')
            return SaveForm.Json;
        if (text.Length > 0 && text[0] == (byte)'<')
            return SaveForm.Xml;
        throw bytes.IsEmpty
            ? new DamagedSaveException(SaveErrorCode.NotASave, "The file is empty.", location, "Load an older generation, or delete the file.")
            : bytes.Length < Cbor.Signature.Length && Cbor.Signature.StartsWith(bytes)
                ? new DamagedSaveException(SaveErrorCode.Damaged, "The file ends after its first bytes.", location, "Load an older generation.")
                : new DamagedSaveException(
                    SaveErrorCode.NotASave, "This is no save: it begins like neither JSON nor XML nor a packed save.", location, "Check that this is the right file.");
    }

    /// <summary>Finds the parts of a file.</summary>
    /// <exception cref="SaveException">The bytes are no save, a damaged one, or of a newer layout.</exception>
    public static FileLayout Read(ReadOnlyMemory<byte> file, SaveLocation location)
    {
        var form = Recognise(file.Span, location);
        try
        {
            return form switch
            {
                SaveForm.Json => ReadJson(file.Span),
                SaveForm.Xml => ReadXml(file),
                _ => ReadPacked(file.Span),
            };
        }
        catch (Exception exception) when (exception is ContentException or JsonException or XmlException or InvalidOperationException)
        {
            throw ContentErrors.Damaged(exception, form, file, location);
        }
        catch (SaveException exception)
        {
            throw new DamagedSaveException(exception.Code, exception.Problem, exception.Location.Within(location), exception.Remedy, exception);
        }
    }

    /// <summary>
    /// Reads the header from the first bytes of a file; null where these bytes do not hold all of it, or hold none.
    /// </summary>
    public static SaveHeader? ReadHeader(ReadOnlyMemory<byte> start, SaveLocation location)
    {
        var form = Recognise(start.Span, location);
        try
        {
            switch (form)
            {
                case SaveForm.Json:
                    var json = new Utf8JsonReader(SkipMark(start.Span), isFinalBlock: false, new JsonReaderState(JsonStateReader.Options));
                    if (!json.Read() || !json.Read() || json.TokenType != JsonTokenType.PropertyName || !json.ValueTextEquals(SaveEncoder.HeaderKey) || !json.Read())
                        return null;
                    var from = (int)json.TokenStartIndex;
                    return json.TrySkip() ? JsonHeader(SkipMark(start.Span)[from..(int)json.BytesConsumed]) : null;
                case SaveForm.Xml:
                    return new XmlSlices(start).First() is (SaveEncoder.HeaderKey, var offset, var length) ? XmlHeader(start.Slice(offset, length)) : null;
                default:
                    var cbor = new BinaryStateReader(start.Span);
                    return PackedHeader(ref cbor, start.Span).Header;
            }
        }
        catch (Exception exception) when (exception is ContentException or JsonException or XmlException or InvalidOperationException)
        {
            return null;
        }
    }

    private static FileLayout ReadJson(ReadOnlySpan<byte> file)
    {
        var layout = new FileLayout(SaveForm.Json);
        var mark = file.Length - SkipMark(file).Length;
        var reader = new Utf8JsonReader(file[mark..], JsonStateReader.Options);
        reader.Read();
        var start = mark + (int)reader.TokenStartIndex;
        if (reader.TokenType != JsonTokenType.StartObject)
            throw new ContentException(SaveErrorCode.NotASave, "A save is one JSON object.", new ContentPlace(start));
        while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
        {
            var name = reader.GetString()!;
            var at = mark + reader.TokenStartIndex;
            reader.Read();
            var offset = mark + (int)reader.TokenStartIndex;
            reader.Skip();
            layout.Add(new SectionSlice(name, offset, mark + (int)reader.BytesConsumed - offset), at);
        }
        layout.Whole = new SectionSlice("", start, mark + (int)reader.BytesConsumed - start);
        if (reader.Read())
            throw new ContentException(SaveErrorCode.Damaged, "Something stands behind the save's end.", new ContentPlace(mark + reader.TokenStartIndex));
        if (layout.Take(SaveEncoder.HeaderKey) is { } header)
        {
            layout.Header = JsonHeader(file.Slice(header.Offset, header.Length));
            if (layout.Take(SaveEncoder.ContentsKey) is { } contents)
            {
                var bytes = file.Slice(contents.Offset, contents.Length);
                var tokens = new JsonStateReader(bytes);
                layout.ReadTable(ref tokens, bytes);
            }
            layout.Seal = layout.Take(SaveEncoder.SealKey);
        }
        return layout;
    }

    private static FileLayout ReadXml(ReadOnlyMemory<byte> file)
    {
        var layout = new FileLayout(SaveForm.Xml);
        var slices = new XmlSlices(file);
        foreach (var (name, offset, length) in slices.All())
            layout.Add(new SectionSlice(name, offset, length), offset);
        layout.Whole = new SectionSlice("", slices.RootOffset, slices.RootLength);
        if (layout.Take(SaveEncoder.HeaderKey) is { } header)
        {
            layout.Header = XmlHeader(file.Slice(header.Offset, header.Length));
            if (layout.Take(SaveEncoder.ContentsKey) is { } contents)
            {
                var bytes = file.Slice(contents.Offset, contents.Length);
                using var reader = XmlReader.Create(new MemoryStream(bytes.ToArray()), XmlStateReader.Settings);
                var tokens = new XmlStateReader(reader);
                layout.ReadTable(ref tokens, bytes.Span);
            }
            layout.Seal = layout.Take(SaveEncoder.SealKey);
        }
        return layout;
    }

    private void Add(SectionSlice slice, long at)
    {
        if (Slices.Exists(other => other.Name == slice.Name))
            throw new ContentException(SaveErrorCode.Damaged, $"The key \"{Shorten.Text(slice.Name)}\" stands twice.", new ContentPlace(at));
        Slices.Add(slice);
    }

    /// <summary>
    /// Takes a part of the file itself out of the sections. Only a save with a header has such parts: in one written wholly by
    /// hand, "contents" is what the game calls so.
    /// </summary>
    private SectionSlice? Take(string name)
    {
        var index = Slices.FindIndex(slice => slice.Name == name);
        if (index < 0)
            return null;
        var slice = Slices[index];
        Slices.RemoveAt(index);
        return slice;
    }

    private static FileLayout ReadPacked(ReadOnlySpan<byte> file)
    {
        var layout = new FileLayout(SaveForm.Binary) { IsPacked = true };
        var reader = new BinaryStateReader(file);
        int parts;
        (layout.Header, parts) = PackedHeader(ref reader, file);
        layout.Form = layout.Header.Content;
        reader.NextItem();
        var (offset, length) = reader.ReadBlock();
        var table = file.Slice(offset, length);
        if (SectionDigest.ToText(SectionDigest.Of(table)) != layout.Header.ContentsDigest)
            throw new ContentException(SaveErrorCode.Damaged, "The list of sections does not match its digest.", new ContentPlace(offset));
        var tokens = new BinaryStateReader(table);
        layout.Entries = SectionTable.ReadPacked(ref tokens);
        if (parts != SaveEncoder.PackedParts + layout.Entries.Count)
            throw new ContentException(SaveErrorCode.Damaged, $"The save lists {layout.Entries.Count} sections and has {parts - SaveEncoder.PackedParts}.", new ContentPlace(offset));
        foreach (var entry in layout.Entries)
        {
            reader.NextItem();
            try
            {
                (offset, length) = reader.ReadBlock();
            }
            catch (ContentException content)
            {
                throw new DamagedSaveException(
                    SaveErrorCode.Damaged, content.Message, new SaveLocation { Section = entry.Name }, "Load an older generation.", content);
            }
            layout.Slices.Add(new SectionSlice(entry.Name, offset, length));
        }
        reader.NextItem();
        var rest = reader.Rest;
        if (!reader.TryReadNull())
        {
            reader.Skip();
            layout.Seal = new SectionSlice(SaveEncoder.SealKey, file.Length - rest.Length, rest.Length - reader.Rest.Length);
        }
        reader.End();
        return layout;
    }

    private static (SaveHeader Header, int Parts) PackedHeader(ref BinaryStateReader reader, ReadOnlySpan<byte> file)
    {
        reader.TryReadTag();
        var parts = reader.BeginCountedList(clipped: true);
        if (parts < SaveEncoder.PackedParts)
            throw new ContentException(SaveErrorCode.Damaged, $"A packed save has {SaveEncoder.PackedParts} parts and its sections, and this has {parts}.", default);
        reader.NextItem();
        CheckFormat(reader.ReadInteger(0, int.MaxValue));
        reader.NextItem();
        var digest = reader.ReadBytes();
        reader.NextItem();
        var (offset, length) = reader.ReadBlock();
        var bytes = file.Slice(offset, length);
        Span<byte> actual = stackalloc byte[SectionDigest.Size];
        System.Buffers.Binary.BinaryPrimitives.WriteUInt128BigEndian(actual, SectionDigest.Of(bytes));
        if (!actual.SequenceEqual(digest))
            throw new ContentException(SaveErrorCode.Damaged, "The header does not match its digest.", new ContentPlace(offset));
        SaveHeader? header = null;
        var tokens = new BinaryStateReader(bytes);
        SaveHeader.StateCodec.Read(ref tokens, ref header!);
        return (header, parts);
    }

    private void ReadTable<TReader>(ref TReader reader, ReadOnlySpan<byte> bytes) where TReader : IStateReader, allows ref struct
    {
        Entries = SectionTable.ReadReadable(ref reader);
        ContentsMatch = Header is null || SectionDigest.ToText(SectionDigest.Of(bytes)) == Header.ContentsDigest;
    }

    private static SaveHeader JsonHeader(ReadOnlySpan<byte> bytes)
    {
        var header = new SaveHeader { Format = 0 };
        var tokens = new JsonStateReader(bytes);
        SaveHeader.StateCodec.Read(ref tokens, ref header);
        CheckFormat(header?.Format ?? 0);
        return header!;
    }

    private static SaveHeader XmlHeader(ReadOnlyMemory<byte> bytes)
    {
        var header = new SaveHeader { Format = 0 };
        using var reader = XmlReader.Create(new MemoryStream(bytes.ToArray()), XmlStateReader.Settings);
        var tokens = new XmlStateReader(reader);
        SaveHeader.StateCodec.Read(ref tokens, ref header);
        CheckFormat(header?.Format ?? 0);
        return header!;
    }

    private static void CheckFormat(long format)
    {
        if (format > SaveHeader.CurrentFormat)
        {
            throw new SaveMismatchException(
                SaveErrorCode.NewerFormat,
                $"The file is written in layout {format}, and this version of Lodrik knows layouts up to {SaveHeader.CurrentFormat}.",
                remedy: "Update the game to load it.");
        }
        if (format < 1)
            throw new ContentException(SaveErrorCode.Damaged, "The header does not say which layout the file has.", default);
    }

    private static ReadOnlySpan<byte> SkipMark(ReadOnlySpan<byte> bytes) =>
        bytes.StartsWith(Encoding.UTF8.Preamble) ? bytes[Encoding.UTF8.Preamble.Length..] : bytes;
}
