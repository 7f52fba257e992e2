using System.Buffers;
using Lodrik.Formats;
using Lodrik.Protection;

namespace Lodrik.Saves.Forms;

/// <summary>A section in the bytes that go into a file.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Bytes">Its bytes: in the form of its content, or compressed, or encrypted.</param>
/// <param name="Digest">Their digest.</param>
/// <param name="Decompressed">Its size once decompressed; 0 if it is not compressed.</param>
/// <param name="IsEncrypted">Whether it is encrypted.</param>
internal readonly record struct EncodedSection(
    string Name, ReadOnlyMemory<byte> Bytes, UInt128 Digest, int Decompressed = 0, bool IsEncrypted = false)
{
    /// <summary>A section of these bytes.</summary>
    public static EncodedSection Of(string name, ReadOnlyMemory<byte> bytes, int decompressed = 0) =>
        new(name, bytes, SectionDigest.Of(bytes.Span), decompressed);

    /// <summary>What the section table says of it.</summary>
    public SectionEntry Entry => new(Name, Bytes.Length, Digest, Decompressed, IsEncrypted);
}

/// <summary>How a file is sealed.</summary>
/// <param name="Protection">The key, and what the save is bound to.</param>
/// <param name="Making">How the key is made.</param>
/// <param name="Salt">What the key of encrypted sections was made with; null if they are not encrypted.</param>
internal sealed record FileSeal(SaveProtection Protection, KeyMaking Making, byte[]? Salt);

/// <summary>
/// A file that is being put together: what it is made of, and the buffers for it. Large sections are not copied: the file is a sequence
/// with their bytes in it, as a save would be in memory twice otherwise.
/// </summary>
internal sealed class FileAssembly : IDisposable
{
    /// <summary>From here on a section is its own segment.</summary>
    private const int LargeSection = 64 << 10;

    /// <summary>The small sections, which are in the buffer.</summary>
    private readonly List<(string Name, int Offset, int Length)> _places = [];

    /// <summary>The large ones, and before what in the buffer they come.</summary>
    private readonly List<(int Offset, ReadOnlyMemory<byte> Bytes)> _large = [];

    private readonly List<SectionEntry> _entries = [];

    /// <summary>The file, without its large sections.</summary>
    public PooledBuffer File { get; } = new(16 * 1024);

    /// <summary>Room for the header.</summary>
    public PooledBuffer Head { get; } = new(1024);

    /// <summary>Room for the section table.</summary>
    public PooledBuffer Table { get; } = new(512);

    /// <summary>What the save says of itself.</summary>
    public SaveHeader Header { get; private set; } = new();

    /// <summary>The sections in their order.</summary>
    public IReadOnlyList<EncodedSection> Sections { get; private set; } = [];

    /// <summary>The section table.</summary>
    public IReadOnlyList<SectionEntry> Entries => _entries;

    /// <summary>Whether a readable file is laid out for people.</summary>
    public bool IsIndented { get; private set; }

    /// <summary>How the file is sealed; null for not at all.</summary>
    public FileSeal? Seal { get; private set; }

    public void Begin(SaveHeader header, IReadOnlyList<EncodedSection> sections, bool isIndented, FileSeal? seal)
    {
        (Header, Sections, IsIndented, Seal) = (header, sections, isIndented, seal);
        File.Reset();
        Head.Reset();
        Table.Reset();
        _places.Clear();
        _large.Clear();
        _entries.Clear();
        long small = 0;
        foreach (var section in sections)
        {
            _entries.Add(section.Entry);
            small += section.Bytes.Length < LargeSection ? section.Bytes.Length : 0;
        }
        File.Reserve(small + 4096);
    }

    /// <summary>Fills in what the header says of the section table.</summary>
    public void Describe(ReadOnlySpan<byte> table)
    {
        Header.SectionCount = Sections.Count;
        Header.ContentsDigest = SectionDigest.ToText(SectionDigest.Of(table));
    }

    /// <summary>Writes a section's bytes into the file.</summary>
    public void Add(EncodedSection section)
    {
        if (section.Bytes.Length >= LargeSection)
        {
            _large.Add((File.Length, section.Bytes));
            return;
        }
        if (Seal is not null)
            _places.Add((section.Name, File.Length, section.Bytes.Length));
        File.Write(section.Bytes.Span);
    }

    /// <summary>What the seal of the file as far as it is written has to say.</summary>
    /// <param name="offset">Where in the buffer the seal's own value will be.</param>
    public SealContent ContentOfSeal(int offset) => new(
        SealContent.FrameOf(File.Written, _places, offset, 0, Seal!.Protection.Context),
        [.. Sections.Select(section => new SealedSection(section.Name, SealContent.DigestOf(section.Bytes.Span, Seal.Salt is not null)))],
        Seal.Salt);

    /// <summary>The whole file. It is valid as long as this buffer and the sections are.</summary>
    /// <exception cref="SaveException">It is larger than a file can be that is read again.</exception>
    public ReadOnlySequence<byte> ToSequence()
    {
        if (_large.Count == 0)
            return new ReadOnlySequence<byte>(File.WrittenMemory);
        var first = new Segment(File.WrittenMemory[.._large[0].Offset]);
        var last = first;
        for (var i = 0; i < _large.Count; i++)
        {
            var (offset, bytes) = _large[i];
            last = last.Then(bytes).Then(File.WrittenMemory[offset..(i + 1 < _large.Count ? _large[i + 1].Offset : File.Length)]);
        }
        var file = new ReadOnlySequence<byte>(first, 0, last, last.Memory.Length);
        return file.Length <= Array.MaxLength ? file : throw PooledBuffer.TooLarge();
    }

    /// <summary>Writes the seal of a readable file as the last thing in it.</summary>
    /// <param name="before">What comes before the seal's own value.</param>
    /// <param name="after">What comes after it.</param>
    public void WriteJws(ReadOnlySpan<byte> before, ReadOnlySpan<byte> after)
    {
        File.Write(before);
        var offset = File.Length;
        // The end belongs to the frame as well: it is written, digested, and written again after the seal.
        File.Write(after);
        var content = ContentOfSeal(offset);
        File.Truncate(offset);
        File.Write(System.Text.Encoding.ASCII.GetBytes(SealEnvelope.WriteJws(Seal!.Protection.Keys.Current, content)));
        File.Write(after);
    }

    /// <summary>Lets go of a large file once it is written.</summary>
    public void Release()
    {
        Sections = [];
        _large.Clear();
        File.Reset();
    }

    public void Dispose()
    {
        File.Dispose();
        Head.Dispose();
        Table.Dispose();
    }

    private sealed class Segment : ReadOnlySequenceSegment<byte>
    {
        public Segment(ReadOnlyMemory<byte> bytes) => Memory = bytes;

        public Segment Then(ReadOnlyMemory<byte> bytes)
        {
            var next = new Segment(bytes) { RunningIndex = RunningIndex + Memory.Length };
            Next = next;
            return next;
        }
    }
}
