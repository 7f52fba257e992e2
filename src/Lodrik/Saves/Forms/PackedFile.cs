using System.Buffers.Binary;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>
/// A save as one CBOR data item (RFC 8949) after the self-described tag: a list of the format, the header's digest, the header, the section
/// table, each section as a byte string, and the seal. Binary content is always in such a file, and so is content of any form that is
/// compressed or encrypted.
/// </summary>
internal sealed class PackedFile : FileForm
{
    /// <summary>The items beside the sections: format, header digest, header, section table, and the seal's place.</summary>
    private const int PartsBesideSections = 5;

    /// <summary>How the seal of a packed save begins: the tag of a COSE_Mac0 or a COSE_Sign1, and a list of four.</summary>
    private static ReadOnlySpan<byte> Mac0 => [0xD1, 0x84];

    private static ReadOnlySpan<byte> Sign1 => [0xD2, 0x84];

    public override SaveForm Form => SaveForm.Binary;

    public override string DisplayName => "binary";

    public override string Extension => ".lodrik";

    public override bool IsText => false;

    /// <summary>Every CBOR item: its head, then the bytes of a string (RFC 8949, section 3).</summary>
    protected override long MostItems(ReadOnlySpan<byte> content)
    {
        long items = 0;
        for (long at = 0; at < content.Length; items++)
        {
            var initial = content[(int)at++];
            var left = content[(int)at..];
            // The argument is in the initial byte or in the 1, 2, 4 or 8 bytes after it.
            var (argument, size) = (initial & 0x1F) switch
            {
                24 => (left[0], 1),
                25 => (BinaryPrimitives.ReadUInt16BigEndian(left), 2),
                26 => (BinaryPrimitives.ReadUInt32BigEndian(left), 4),
                27 => ((long)BinaryPrimitives.ReadUInt64BigEndian(left), 8),
                // 31 is a length that is not known yet: the pieces that follow are items of their own.
                31 => (0, 0),
                var small => (small, 0),
            };
            at += size + ((initial & 0xE0) is Cbor.ByteString or Cbor.TextString ? argument : 0);
        }
        return items;
    }

    public override bool IsBeginning(ReadOnlySpan<byte> bytes) => bytes.StartsWith(Cbor.Signature);

    /// <summary>Whether these few bytes may be the start of a packed save that was cut off.</summary>
    public bool IsBeginningOf(ReadOnlySpan<byte> bytes) => bytes.Length < Cbor.Signature.Length && Cbor.Signature.StartsWith(bytes);

    protected override FileParts FindParts(ReadOnlyMemory<byte> file)
    {
        var reader = new BinaryStateReader(file.Span);
        var (header, count) = ReadStart(ref reader, file);
        var parts = new FileParts { Header = header, ContentForm = header.Content };
        reader.NextItem();
        var (offset, length) = reader.ReadBlock();
        var table = file.Slice(offset, length);
        if (SectionDigest.ToText(SectionDigest.Of(table.Span)) != header.ContentsDigest)
            throw new ContentException(SaveErrorCode.Damaged, "The section table does not match its digest.", new ContentPlace(offset));
        parts.Table = ReadPackedTable(table);
        if (count != PartsBesideSections + parts.Table.Count)
            throw new ContentException(SaveErrorCode.Damaged,
                $"The save lists {parts.Table.Count} sections and has {count - PartsBesideSections}.", new ContentPlace(offset));
        foreach (var entry in parts.Table)
            parts.Add(ReadSection(ref reader, entry), offset);
        reader.NextItem();
        var rest = reader.Rest;
        if (!reader.TryReadNull())
        {
            reader.Skip();
            parts.Seal = new SectionSlice(FileWords.Seal, file.Length - rest.Length, rest.Length - reader.Rest.Length);
        }
        reader.End();
        return parts;
    }

    private static SectionSlice ReadSection(ref BinaryStateReader reader, SectionEntry entry)
    {
        reader.NextItem();
        try
        {
            var (offset, length) = reader.ReadBlock();
            return new SectionSlice(entry.Name, offset, length);
        }
        catch (ContentException content)
        {
            throw new DamagedSaveException(
                SaveErrorCode.Damaged, content.Message, new SaveLocation { Section = entry.Name },
                    "Load an older generation or a copy.", content);
        }
    }

    protected override SaveHeader? TryFindHeader(ReadOnlyMemory<byte> start)
    {
        var reader = new BinaryStateReader(start.Span);
        return ReadStart(ref reader, start).Header;
    }

    /// <summary>Reads up to the header, and how many parts there are in all.</summary>
    private (SaveHeader Header, int Parts) ReadStart(ref BinaryStateReader reader, ReadOnlyMemory<byte> file, bool isChecked = true)
    {
        reader.TryReadTag();
        var parts = reader.BeginCountedList(clipped: true);
        if (parts < PartsBesideSections && isChecked)
            throw new ContentException(
                SaveErrorCode.Damaged, $"A packed save has {PartsBesideSections} parts and its sections, and this has {parts}.", default);
        reader.NextItem();
        CheckFormat(reader.ReadInteger(0, int.MaxValue));
        reader.NextItem();
        var digest = reader.ReadBytes();
        reader.NextItem();
        var (offset, length) = reader.ReadBlock();
        var bytes = file.Slice(offset, length);
        Span<byte> actual = stackalloc byte[SectionDigest.Size];
        BinaryPrimitives.WriteUInt128BigEndian(actual, SectionDigest.Of(bytes.Span));
        if (isChecked && !actual.SequenceEqual(digest))
            throw new ContentException(SaveErrorCode.Damaged, "The header does not match its digest.", new ContentPlace(offset));
        return (ReadHeader(bytes), parts);
    }

    private static List<SectionEntry> ReadPackedTable(ReadOnlyMemory<byte> bytes)
    {
        var tokens = new BinaryStateReader(bytes.Span);
        return SectionTable.ReadPacked(ref tokens);
    }

    public override SectionSlice? SealValueOf(ReadOnlySpan<byte> file, SectionSlice seal) => seal;

    public override OpenedSeal OpenSeal(ReadOnlySpan<byte> seal, KeyRing keys, SaveLocation location) =>
        SealEnvelope.OpenCose(seal, keys, location);

    public override void Decode(ReadOnlyMemory<byte> value, ISectionDecoder decoder, ReadContext? context = null, bool toEnd = true)
    {
        var reader = new BinaryStateReader(value.Span) { Context = context };
        Run(ref reader, decoder, static one => one.Place);
        if (toEnd)
            reader.End();
    }

    public override IEnumerable<SectionSlice>? FindEntries(ReadOnlyMemory<byte> map)
    {
        var reader = new BinaryStateReader(map.Span);
        // A map of the same keys over and over is kept as a table.
        if (reader.IsTable)
            return null;
        var entries = new List<SectionSlice>();
        reader.BeginObject();
        while (reader.ReadKey(out var key))
        {
            var start = reader.Position;
            reader.Skip();
            entries.Add(new SectionSlice(key, start, reader.Position - start));
        }
        reader.End();
        return entries;
    }

    protected override string PointerAt(ReadOnlyMemory<byte> value, ContentPlace place) => BinaryPlace.PointerAt(value.Span, place);

    protected override ContentPlace PlaceOf(Exception exception, ReadOnlySpan<byte> bytes) =>
        exception is ContentException content ? content.Place : new ContentPlace(long.MaxValue);

    protected override SaveLocation LineOf(ReadOnlySpan<byte> file, int offset, ContentPlace place) => default;

    protected override SaveLocation InFile(ReadOnlyMemory<byte> file, ContentPlace place) => default;

    public override void Write<T>(T state, SectionBatch batch) =>
        FormedSections<Sink, BinaryStateWriter>.WriteAll(state, new Sink(batch), batch);

    public override void Write(IReadOnlyList<IPackedContent> sections, SectionBatch batch) =>
        FormedSections<Sink, BinaryStateWriter>.WriteAll(sections, new Sink(batch), batch);

    public override void Assemble(FileAssembly assembly)
    {
        var file = assembly.File;
        var tokens = new BinaryStateWriter(assembly.Table);
        SectionTable.WritePacked(ref tokens, assembly.Entries);
        assembly.Describe(assembly.Table.Written);
        tokens = new BinaryStateWriter(assembly.Head);
        SaveHeader.StateCodec.Write(ref tokens, assembly.Header);

        Span<byte> digest = stackalloc byte[SectionDigest.Size];
        BinaryPrimitives.WriteUInt128BigEndian(digest, SectionDigest.Of(assembly.Head.Written));
        tokens = new BinaryStateWriter(file);
        tokens.WriteTag(Cbor.SelfDescribed);
        tokens.BeginList(PartsBesideSections + assembly.Sections.Count);
        tokens.WriteInteger(SaveHeader.CurrentFormat);
        tokens.WriteBytes(digest);
        tokens.WriteBytes(assembly.Head.Written);
        tokens.WriteBytes(assembly.Table.Written);
        foreach (var section in assembly.Sections)
        {
            tokens.WriteBlockHead(section.Bytes.Length);
            assembly.Add(section);
        }
        if (assembly.Seal is { } seal)
            file.Write(SealEnvelope.WriteCose(seal.Protection.Keys.Current, seal.Making, assembly.ContentOfSeal(file.Length)));
        else
            tokens.WriteNull();
        tokens.EndList();
    }

    public override long Measure(SaveValue value)
    {
        using var buffer = new PooledBuffer();
        var binary = new BinaryStateWriter(buffer);
        SaveValueCodec.Write(ref binary, value);
        return buffer.Length;
    }

    /// <summary>Header and table may not match their digests and still be readable; each section has its own digest.</summary>
    public override FileParts FindWhatIsWhole(ReadOnlyMemory<byte> file)
    {
        var reader = new BinaryStateReader(file.Span);
        var (header, _) = ReadStart(ref reader, file, isChecked: false);
        reader.NextItem();
        var (offset, length) = reader.ReadBlock();
        return new FileParts { Header = header, ContentForm = header.Content, Table = ReadPackedTable(file.Slice(offset, length)) };
    }

    public override SectionMark MarkOf(SectionEntry section)
    {
        using var head = new PooledBuffer(16);
        new BinaryStateWriter(head).WriteBlockHead(section.Size);
        return new SectionMark(head.Written.ToArray());
    }

    public override int LastSealIn(ReadOnlySpan<byte> file) => Math.Max(file.LastIndexOf(Mac0), file.LastIndexOf(Sign1));

    public override OpenedSeal? OpenSealAt(ReadOnlySpan<byte> bytes, KeyRing keys, SaveLocation location) =>
        SealEnvelope.OpenCose(bytes, keys, location);

    /// <summary>Sections one after the other, as CBOR.</summary>
    private sealed class Sink(SectionBatch batch) : ISectionSink<BinaryStateWriter>
    {
        private int _start;

        public BinaryStateWriter Begin(string name)
        {
            _start = batch.Body.Length;
            return new BinaryStateWriter(batch.Body, batch.Context);
        }

        public ReadOnlySpan<byte> Written() => batch.Body.Written[_start..];

        public string PointerToEnd() => BinaryPlace.PointerAt(Written(), BinaryPlace.End);
    }
}
