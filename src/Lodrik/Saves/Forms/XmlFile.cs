using System.Text;
using System.Xml;
using Lodrik.Formats;
using Lodrik.Formats.Xml;
using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>
/// A save as one XML 1.0 document: the header, the section table, the sections and the seal are the children of the root element.
/// </summary>
internal sealed class XmlFile : FileForm
{
    private static readonly byte[] Root = Encoding.UTF8.GetBytes(XmlWords.Root);

    private const string SealStart = "<seal>";
    private const string SealEnd = "</seal>";

    public override SaveForm Form => SaveForm.Xml;

    public override string DisplayName => "XML";

    public override string Extension => ".xml";

    public override bool IsText => true;

    protected override long MostItems(ReadOnlySpan<byte> content) => content.Count((byte)'<');

    public override bool IsBeginning(ReadOnlySpan<byte> bytes)
    {
        var text = SkipMark(bytes).TrimStart(" \t\r\n"u8);
        return text.Length > 0 && text[0] == '<';
    }

    protected override FileParts FindParts(ReadOnlyMemory<byte> file)
    {
        var parts = new FileParts();
        var slices = new XmlSlices(file);
        foreach (var (name, offset, length) in slices.All())
            parts.Add(new SectionSlice(name, offset, length), offset);
        parts.Whole = new SectionSlice("", slices.RootOffset, slices.RootLength);
        TakeOutHead(parts, file);
        return parts;
    }

    protected override SaveHeader? TryFindHeader(ReadOnlyMemory<byte> start) =>
        new XmlSlices(start).First() is (FileWords.Header, var offset, var length) ? ReadHeader(start.Slice(offset, length)) : null;

    public override SectionSlice? SealValueOf(ReadOnlySpan<byte> file, SectionSlice seal)
    {
        var raw = file.Slice(seal.Offset, seal.Length);
        return raw.Length >= SealStart.Length + SealEnd.Length && raw.StartsWith("<seal>"u8) && raw.EndsWith("</seal>"u8)
            ? seal with { Offset = seal.Offset + SealStart.Length, Length = seal.Length - SealStart.Length - SealEnd.Length }
            : null;
    }

    public override OpenedSeal OpenSeal(ReadOnlySpan<byte> seal, KeyRing keys, SaveLocation location) =>
        SealEnvelope.OpenJws(Encoding.ASCII.GetString(seal), keys, location);

    public override void Decode(ReadOnlyMemory<byte> value, ISectionDecoder decoder, ReadContext? context = null, bool toEnd = true)
    {
        using var xml = XmlReader.Create(new MemoryStream(value.ToArray()), XmlStateReader.Settings);
        var reader = new XmlStateReader(xml) { Context = context };
        Run(ref reader, decoder, static one => one.Place);
        if (toEnd)
            reader.End();
    }

    public override IEnumerable<SectionSlice> FindEntries(ReadOnlyMemory<byte> map) =>
        new XmlSlices(map).All().Select(child => new SectionSlice(child.Name, child.Offset, child.Length));

    protected override string PointerAt(ReadOnlyMemory<byte> value, ContentPlace place) =>
        XmlPlace.PointerAt(value, place.Line, place.Column);

    protected override ContentPlace PlaceOf(Exception exception, ReadOnlySpan<byte> bytes) => exception switch
    {
        ContentException content => content.Place,
        XmlException xml => new ContentPlace(0, xml.LineNumber, xml.LinePosition),
        _ => new ContentPlace(0, int.MaxValue, int.MaxValue),
    };

    protected override SaveLocation LineOf(ReadOnlySpan<byte> file, int offset, ContentPlace place)
    {
        if (place.Line is 0 or int.MaxValue)
            return default;
        var start = LineAt(file, offset);
        return new SaveLocation
        {
            Line = start.Line + place.Line - 1,
            Column = place.Line == 1 ? start.Column + place.Column - 1 : place.Column,
        };
    }

    protected override SaveLocation InFile(ReadOnlyMemory<byte> file, ContentPlace place) =>
        place.Line > 0 ? new SaveLocation { Line = place.Line, Column = place.Column } : LineAt(file.Span, place.Offset);

    public override void Write<T>(T state, SectionBatch batch)
    {
        FormedSections<Sink, XmlStateWriter>.WriteAll(state, new Sink(Begin(batch), batch), batch);
    }

    public override void Write(IReadOnlyList<IPackedContent> sections, SectionBatch batch)
    {
        FormedSections<Sink, XmlStateWriter>.WriteAll(sections, new Sink(Begin(batch), batch), batch);
    }

    /// <summary>The element around the sections is begun for their indentation only; it is not part of any of them.</summary>
    private static XmlOutput Begin(SectionBatch batch)
    {
        var xml = new XmlOutput(batch.Body, batch.IsIndented);
        xml.Start(Root);
        return xml;
    }

    public override void Assemble(FileAssembly assembly)
    {
        var (file, isIndented) = (assembly.File, assembly.IsIndented);
        var xml = new XmlOutput(assembly.Table, isIndented);
        xml.Start(Root);
        var tokens = new XmlStateWriter(xml);
        tokens.Name(FileWords.Contents);
        SectionTable.WriteReadable(ref tokens, assembly.Entries);
        xml.End();
        var table = InsideOf(assembly.Table.Written);
        assembly.Describe(table.TrimStart(" \n"u8));

        assembly.Head.Write("<?xml version=\"1.0\" encoding=\"utf-8\"?>"u8);
        if (isIndented)
            assembly.Head.Write("\n"u8);
        xml = new XmlOutput(assembly.Head, isIndented);
        xml.Start(Root);
        tokens = new XmlStateWriter(xml);
        tokens.Name(FileWords.Header);
        SaveHeader.StateCodec.Write(ref tokens, assembly.Header);
        xml.End();
        var head = assembly.Head.Written[..EndOf(assembly.Head.Written)];
        file.Write(head);
        if (isIndented)
            file.Write("\n  "u8);
        var digest = SectionDigest.ToText(SectionDigest.Of(HeaderIn(head)));
        file.Write(Encoding.ASCII.GetBytes($"<{FileWords.HeaderDigest}>{digest}</{FileWords.HeaderDigest}>"));
        file.Write(table);
        foreach (var section in assembly.Sections)
        {
            if (isIndented)
                file.Write("\n  "u8);
            assembly.Add(section);
        }
        if (assembly.Seal is not null)
            assembly.WriteJws(isIndented ? "\n  <seal>"u8 : "<seal>"u8, isIndented ? "</seal>\n</save>\n"u8 : "</seal></save>"u8);
        else
            file.Write(isIndented ? "\n</save>\n"u8 : "</save>"u8);
    }

    /// <summary>The element of the header, which is the last thing in these bytes.</summary>
    private static ReadOnlySpan<byte> HeaderIn(ReadOnlySpan<byte> head) =>
        head[head.LastIndexOf(Encoding.ASCII.GetBytes($"<{FileWords.Header}"))..].TrimEnd(" \r\n"u8);

    private static ReadOnlySpan<byte> InsideOf(ReadOnlySpan<byte> document)
    {
        var start = document.IndexOf((byte)'>') + 1;
        return document[start..EndOf(document)];
    }

    /// <summary>Where the root element's end tag begins, with the line break before it.</summary>
    private static int EndOf(ReadOnlySpan<byte> document)
    {
        var end = document.LastIndexOf("</"u8);
        return end > 0 && document[end - 1] == '\n' ? end - 1 : end;
    }

    public override long Measure(SaveValue value)
    {
        using var buffer = new PooledBuffer();
        var tokens = new XmlStateWriter(new XmlOutput(buffer, isIndented: true));
        tokens.Name("v");
        SaveValueCodec.Write(ref tokens, value);
        return buffer.Length;
    }

    public override FileParts FindWhatIsWhole(ReadOnlyMemory<byte> file)
    {
        var parts = new FileParts();
        try
        {
            foreach (var (name, offset, length) in new XmlSlices(file).All())
                parts.TryAdd(new SectionSlice(name, offset, length));
        }
        catch (Exception exception) when (IsBadContent(exception))
        {
            // What comes after this place is found by its digest.
        }
        TakeOutWhatIsWhole(parts, file);
        return parts;
    }

    public override SectionMark MarkOf(SectionEntry section) =>
        new(Encoding.UTF8.GetBytes($"<{(XmlWords.IsName(section.Name) ? section.Name : XmlWords.Entry)}"), IsPartOf: true);

    public override int LastSealIn(ReadOnlySpan<byte> file) => file.LastIndexOf(Encoding.ASCII.GetBytes(SealStart));

    public override OpenedSeal? OpenSealAt(ReadOnlySpan<byte> bytes, KeyRing keys, SaveLocation location)
    {
        var text = Encoding.ASCII.GetString(bytes[SealStart.Length..]).TrimStart(' ');
        var length = text.IndexOf(SealEnd, StringComparison.Ordinal);
        return length < 0 ? null : SealEnvelope.OpenJws(text[..length], keys, location);
    }

    /// <summary>Sections as the child elements of one XML element.</summary>
    private sealed class Sink(XmlOutput xml, SectionBatch batch) : ISectionSink<XmlStateWriter>
    {
        private int _start;

        public XmlStateWriter Begin(string name)
        {
            _start = batch.Body.Length;
            var tokens = new XmlStateWriter(xml, batch.Context);
            tokens.WriteKey(name);
            return tokens;
        }

        /// <summary>The section's element: what was written since, without the end of the tag before and the white space.</summary>
        public ReadOnlySpan<byte> Written()
        {
            var written = batch.Body.Written[_start..];
            var start = written.IndexOf((byte)'<');
            return start < 0 ? default : written[start..];
        }

        public string PointerToEnd() => XmlPlace.PointerAt(Written().ToArray(), int.MaxValue, int.MaxValue);
    }
}
