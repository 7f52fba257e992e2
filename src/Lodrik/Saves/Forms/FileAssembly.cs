using Lodrik.Formats;
using Lodrik.Protection;

namespace Lodrik.Saves.Forms;

/// <summary>A section in the bytes that go into a file.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Bytes">Its bytes: in the form of its content, or compressed, or encrypted.</param>
/// <param name="Digest">Their digest.</param>
/// <param name="Decompressed">Its size once decompressed; 0 where it is not compressed.</param>
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
/// <param name="Salt">What the key of encrypted sections was made with; null where they are not encrypted.</param>
internal sealed record FileSeal(SaveProtection Protection, KeyMaking Making, byte[]? Salt);

/// <summary>A file that is being put together: what it is made of, and the buffers for it.</summary>
internal sealed class FileAssembly : IDisposable
{
    private readonly List<(string Name, int Offset, int Length)> _places = [];
    private readonly List<SectionEntry> _entries = [];

    /// <summary>The file.</summary>
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
        _entries.Clear();
        foreach (var section in sections)
            _entries.Add(section.Entry);
        // The file is its sections and little else: a large one need not grow to its size.
        File.Reserve(sections.Sum(section => (long)section.Bytes.Length) + 4096);
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
        if (Seal is not null)
            _places.Add((section.Name, File.Length, section.Bytes.Length));
        File.Write(section.Bytes.Span);
    }

    /// <summary>What the seal of the file as far as it is written has to say.</summary>
    /// <param name="offset">Where the seal's own value will be.</param>
    public SealContent ContentOfSeal(int offset) => SealContent.Of(File.Written, _places, offset, 0, Seal!.Protection.Context, Seal.Salt);

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
        File.Reset();
    }

    public void Dispose()
    {
        File.Dispose();
        Head.Dispose();
        Table.Dispose();
    }
}
