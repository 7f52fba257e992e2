using System.Text;
using System.Text.Json;
using System.Xml;
using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>
/// All that a form is, as a file and as the content of its sections: how it is recognised, where its parts are, how a section is decoded
/// and written, how a file is put together, and how a place in it is named. A form is one class below this one; nothing else knows any of
/// it.
/// </summary>
internal abstract class FileForm
{
    // What it is.

    public abstract SaveForm Form { get; }

    /// <summary>What it is called in a sentence.</summary>
    public abstract string DisplayName { get; }

    /// <summary>The extension of such files, with its dot.</summary>
    public abstract string Extension { get; }

    /// <summary>Whether a person can read it.</summary>
    public abstract bool IsText { get; }

    /// <summary>What reading a section takes at most: its bytes, and what its items take beside them.</summary>
    public long ReadingCost(ReadOnlySpan<byte> content) => content.Length + (Allowance.Value * MostItems(content));

    /// <summary>How many values there are in a section's content, of any depth; rather too many than too few.</summary>
    protected abstract long MostItems(ReadOnlySpan<byte> content);

    // Finding the parts of a file.

    /// <summary>Whether a file that begins with these bytes is of this form.</summary>
    public abstract bool IsBeginning(ReadOnlySpan<byte> bytes);

    /// <summary>Finds the parts of a file.</summary>
    /// <exception cref="SaveException">The bytes are not a save, or a damaged one, or one of a newer format.</exception>
    public FileParts Find(ReadOnlyMemory<byte> file, SaveLocation location)
    {
        try
        {
            return FindParts(file);
        }
        catch (Exception exception) when (IsBadContent(exception))
        {
            throw Damaged(exception, file, location);
        }
        catch (SaveException exception)
        {
            throw new DamagedSaveException(
                exception.Code, exception.Problem, exception.Location.Within(location), exception.Remedy, exception);
        }
    }

    /// <summary>Reads the header from the first bytes of a file; null if these bytes do not hold all of it, or none.</summary>
    /// <exception cref="SaveException">It is of a newer format.</exception>
    public SaveHeader? FindHeader(ReadOnlyMemory<byte> start)
    {
        try
        {
            return TryFindHeader(start);
        }
        catch (Exception exception) when (IsBadContent(exception))
        {
            return null;
        }
    }

    protected abstract FileParts FindParts(ReadOnlyMemory<byte> file);

    protected abstract SaveHeader? TryFindHeader(ReadOnlyMemory<byte> start);

    /// <summary>Takes header, section table and seal out of the parts of a readable file.</summary>
    protected void TakeOutHead(FileParts parts, ReadOnlyMemory<byte> file)
    {
        if (parts.TakeOut(FileWords.Header) is not { } header)
            return;
        var head = file.Slice(header.Offset, header.Length);
        parts.Header = ReadHeader(head);
        parts.IsHeadIntact = parts.TakeOut(FileWords.HeaderDigest) is { } digest
            && ReadDigest(file.Slice(digest.Offset, digest.Length)) == SectionDigest.ToText(SectionDigest.Of(head.Span));
        if (parts.TakeOut(FileWords.Contents) is { } contents)
        {
            var bytes = file.Slice(contents.Offset, contents.Length);
            parts.Table = ReadTable(bytes);
            parts.IsHeadIntact &= SectionDigest.ToText(SectionDigest.Of(bytes.Span)) == parts.Header.ContentsDigest;
        }
        parts.Seal = parts.TakeOut(FileWords.Seal);
    }

    /// <summary>Reads a header that is one value of this form.</summary>
    protected SaveHeader ReadHeader(ReadOnlyMemory<byte> bytes)
    {
        var decoder = new HeaderDecoder();
        Decode(bytes, decoder);
        CheckFormat(decoder.Header?.Format ?? 0);
        return decoder.Header!;
    }

    /// <summary>A digest that is one text of this form; null if it is something else.</summary>
    private string? ReadDigest(ReadOnlyMemory<byte> bytes)
    {
        var decoder = new TextDecoder();
        try
        {
            Decode(bytes, decoder);
            return decoder.Text;
        }
        catch (Exception exception) when (IsBadContent(exception))
        {
            return null;
        }
    }

    /// <summary>Reads a section table that is one value of this form.</summary>
    protected List<SectionEntry> ReadTable(ReadOnlyMemory<byte> bytes)
    {
        var decoder = new TableDecoder();
        Decode(bytes, decoder);
        return decoder.Entries;
    }

    protected static void CheckFormat(long format)
    {
        if (format > SaveHeader.CurrentFormat)
        {
            throw new SaveMismatchException(
                SaveErrorCode.NewerFormat,
                $"The file is written in format {format}, and this version of Lodrik knows formats up to {SaveHeader.CurrentFormat}.",
                remedy: "Update the game to load it.");
        }
        if (format < 1)
            throw new ContentException(SaveErrorCode.Damaged, "The header does not say which format the file has.", default);
    }

    // Seals.

    /// <summary>Where the seal's own value is, without what surrounds it; null if it is not written as seals are.</summary>
    public abstract SectionSlice? SealValueOf(ReadOnlySpan<byte> file, SectionSlice seal);

    /// <summary>What a seal says, if it fits; it is not held against the file yet.</summary>
    /// <exception cref="TamperedSaveException">It does not fit, or is not written as seals are.</exception>
    public abstract OpenedSeal OpenSeal(ReadOnlySpan<byte> seal, KeyRing keys, SaveLocation location);

    // The content of a section.

    /// <summary>Decodes one value. Whoever calls this has checked the bytes, or says what became of them.</summary>
    /// <exception cref="ContentException">The value does not fit.</exception>
    /// <exception cref="JsonException">It is not well-formed.</exception>
    /// <exception cref="XmlException">It is not well-formed.</exception>
    /// <param name="value">The value.</param>
    /// <param name="decoder">What is done with it.</param>
    /// <param name="context">What goes along with it.</param>
    /// <param name="toEnd">Whether it has to be read to its end.</param>
    public abstract void Decode(ReadOnlyMemory<byte> value, ISectionDecoder decoder, ReadContext? context = null, bool toEnd = true);

    /// <summary>
    /// Where the entries of a map are, which can be decoded by themselves then; null if the form keeps them otherwise, and the map has
    /// to be read as a whole. What an entry holds is not looked at more than is needed to find its end.
    /// </summary>
    /// <param name="map">One value, which should be a map.</param>
    /// <exception cref="ContentException">It is not one.</exception>
    /// <exception cref="JsonException">It is not well-formed.</exception>
    /// <exception cref="XmlException">It is not well-formed.</exception>
    public abstract IEnumerable<SectionSlice>? FindEntries(ReadOnlyMemory<byte> map);

    /// <summary>A file of another program, which is one value of this form, as a tree.</summary>
    /// <exception cref="SaveException">It is not well-formed.</exception>
    public SaveValue ReadForeign(ReadOnlyMemory<byte> file)
    {
        var decoder = new TreeDecoder();
        try
        {
            Decode(file, decoder);
        }
        catch (Exception exception) when (IsBadContent(exception))
        {
            throw Misfit(exception, file, new SectionSlice("", 0, file.Length), default);
        }
        return decoder.Tree;
    }

    /// <summary>
    /// Decodes with a reader that is there. The game's own setters run meanwhile; whatever they refuse is a value that could not be taken.
    /// </summary>
    protected static void Run<TReader>(ref TReader reader, ISectionDecoder decoder, Func<TReader, ContentPlace> placeOf)
        where TReader : IStateReader, allows ref struct
    {
        try
        {
            decoder.Decode(ref reader);
        }
        catch (Exception exception) when (exception
            is not (ContentException or JsonException or XmlException or SaveException or OutOfMemoryException))
        {
            throw new ContentException(
                SaveErrorCode.WrongContent, $"The value was rejected: {exception.Message}", placeOf(reader), exception);
        }
    }

    /// <summary>The pointer (RFC 6901) of the value at a place.</summary>
    protected abstract string PointerAt(ReadOnlyMemory<byte> value, ContentPlace place);

    /// <summary>The place that an exception of this form's reader names.</summary>
    protected abstract ContentPlace PlaceOf(Exception exception, ReadOnlySpan<byte> bytes);

    /// <summary>
    /// The line and the column of a place in a value that begins at an offset of the file; neither where the form has no lines.
    /// </summary>
    protected abstract SaveLocation LineOf(ReadOnlySpan<byte> file, int offset, ContentPlace place);

    /// <summary>A file's own layout cannot be made out.</summary>
    public SaveException Damaged(Exception exception, ReadOnlyMemory<byte> file, SaveLocation location)
    {
        var place = PlaceOf(exception, file.Span);
        location = InFile(file, place).Within(location);
        return exception is ContentException content
            ? new DamagedSaveException(content.Code == SaveErrorCode.WrongContent ? SaveErrorCode.Damaged : content.Code, content.Message,
                location, OlderGeneration)
            : new DamagedSaveException(SaveErrorCode.Damaged, NotWellFormed, location, OlderGeneration, exception);
    }

    /// <summary>A section's content does not fit.</summary>
    /// <param name="exception">What a reader says.</param>
    /// <param name="file">The file.</param>
    /// <param name="slice">Where in it the content is.</param>
    /// <param name="location">Where the file comes from.</param>
    /// <param name="within">The path to the content, if it is a part of its section only.</param>
    public SaveException Misfit(
        Exception exception, ReadOnlyMemory<byte> file, SectionSlice slice, SaveLocation location, string within = "")
    {
        var bytes = file.Slice(slice.Offset, slice.Length);
        var place = PlaceOf(exception, bytes.Span);
        var path = within + PointerAt(bytes, place);
        var found = new SaveLocation
        {
            Section = slice.Name.Length == 0 ? null : slice.Name,
            Path = path.Length == 0 ? null : path,
        };
        location = found.Within(location);
        location = LineOf(file.Span, slice.Offset, place).Within(location);
        return exception switch
        {
            ContentException { Code: SaveErrorCode.WrongContent or SaveErrorCode.Invalid } content =>
                new SaveContentException(
                    content.Code, content.Message, location, "Fix the value, or load an older generation or a copy.",
                        content.InnerException),
            ContentException content => new DamagedSaveException(content.Code, content.Message, location, OlderGeneration),
            _ => new DamagedSaveException(SaveErrorCode.Damaged, NotWellFormed, location, OlderGeneration, exception),
        };
    }

    /// <summary>Whether this is how a reader says that bytes are not what they should be.</summary>
    public static bool IsBadContent(Exception exception) =>
        exception is ContentException or JsonException or XmlException or InvalidOperationException;

    /// <summary>The line and the column of an offset in a text file.</summary>
    public static SaveLocation LineAt(ReadOnlySpan<byte> file, long offset)
    {
        var before = file[..(int)Math.Clamp(offset, 0, file.Length)];
        var lineStart = before.LastIndexOf((byte)'\n') + 1;
        return new SaveLocation { Line = 1 + before.Count((byte)'\n'), Column = 1 + Encoding.UTF8.GetCharCount(before[lineStart..]) };
    }

    protected abstract SaveLocation InFile(ReadOnlyMemory<byte> file, ContentPlace place);

    /// <summary>Only what can be read can be mended by hand.</summary>
    private string OlderGeneration =>
        IsText ? "Load an older generation or a copy, or fix the file by hand at this place." : "Load an older generation or a copy.";

    private string NotWellFormed => $"The file is not well-formed {DisplayName} from here on.";

    // Writing.

    /// <summary>Writes the sections of a state one after the other.</summary>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is.</exception>
    public abstract void Write<T>(T state, SectionBatch batch) where T : IStateRoot<T>;

    /// <summary>Writes sections whose content is packed.</summary>
    public abstract void Write(IReadOnlyList<IPackedContent> sections, SectionBatch batch);

    /// <summary>Makes a file of sections that are written: the header, the table, the sections, the seal.</summary>
    public abstract void Assemble(FileAssembly assembly);

    /// <summary>How many bytes a value takes alone.</summary>
    public abstract long Measure(SaveValue value);

    // Finding what is whole in a damaged file.

    /// <summary>The parts of a file as far as they can be found: a header, a table, and whatever sections come before the damage.</summary>
    /// <exception cref="SaveException">The header cannot be read.</exception>
    /// <exception cref="ContentException">The header cannot be read.</exception>
    public abstract FileParts FindWhatIsWhole(ReadOnlyMemory<byte> file);

    /// <summary>Takes header, section table and seal out of the parts of a readable file that may be damaged.</summary>
    protected void TakeOutWhatIsWhole(FileParts parts, ReadOnlyMemory<byte> file)
    {
        if (parts.TakeOut(FileWords.Header) is not { } header)
            return;
        parts.Header = ReadHeader(file.Slice(header.Offset, header.Length));
        parts.TakeOut(FileWords.HeaderDigest);
        try
        {
            if (parts.TakeOut(FileWords.Contents) is { } contents)
                parts.Table = ReadTable(file.Slice(contents.Offset, contents.Length));
        }
        catch (Exception exception) when (IsBadContent(exception))
        {
            // Without the table, what is well-formed is taken as it is.
        }
        parts.TakeOut(FileWords.Seal);
    }

    /// <summary>What comes right before a section in a file.</summary>
    public abstract SectionMark MarkOf(SectionEntry section);

    /// <summary>The offset of the last seal in the bytes, or what looks like one; -1 where there is none.</summary>
    public abstract int LastSealIn(ReadOnlySpan<byte> file);

    /// <summary>Opens the seal that begins at the start of the bytes; null if it does not end.</summary>
    /// <exception cref="TamperedSaveException">It does not fit, or is not written as seals are.</exception>
    public abstract OpenedSeal? OpenSealAt(ReadOnlySpan<byte> bytes, KeyRing keys, SaveLocation location);

    private protected static ReadOnlySpan<byte> SkipMark(ReadOnlySpan<byte> bytes) =>
        bytes.StartsWith(Encoding.UTF8.Preamble) ? bytes[Encoding.UTF8.Preamble.Length..] : bytes;

    private sealed class HeaderDecoder : ISectionDecoder
    {
        public SaveHeader? Header { get; private set; }

        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            var header = new SaveHeader { Format = 0 };
            SaveHeader.StateCodec.Read(ref reader, ref header);
            // The codec takes null for whatever may be a reference; a header without these says nothing.
            if (header is null or { Game: null } or { ContentsDigest: null } or { Slot: { Title: null } or { Summary: null } })
                throw reader.Wrong("The header has null where a value belongs.");
            if (!Enum.IsDefined(header.Content))
                throw reader.Wrong($"The header says that the content has the form {(int)header.Content}, and there is none.");
            Header = header;
        }
    }

    private sealed class TextDecoder : ISectionDecoder
    {
        public string? Text { get; private set; }

        public void Decode<TReader>(ref TReader reader)
            where TReader : IStateReader, allows ref struct => Text = reader.ReadText();
    }

    private sealed class TableDecoder : ISectionDecoder
    {
        public List<SectionEntry> Entries { get; private set; } = [];

        public void Decode<TReader>(ref TReader reader)
            where TReader : IStateReader, allows ref struct => Entries = SectionTable.ReadReadable(ref reader);
    }
}

/// <summary>What comes right before a section in a file, by which it is found.</summary>
/// <param name="Bytes">The bytes.</param>
/// <param name="IsPartOf">Whether they are the section's own first ones.</param>
/// <param name="MayHaveBlanks">Whether blanks may come between.</param>
internal readonly record struct SectionMark(byte[] Bytes, bool IsPartOf = false, bool MayHaveBlanks = false);
