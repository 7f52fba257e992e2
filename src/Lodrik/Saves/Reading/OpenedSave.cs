using Lodrik.Inspection;
using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Saves.Reading;

/// <summary>
/// A save of which the header, the sections and their health are known. Nothing in it can be decoded: that takes a
/// <see cref="CheckedSave"/>.
/// </summary>
internal sealed class OpenedSave
{
    private readonly FileParts _parts;
    private readonly OrderedDictionary<string, OpenedSection> _sections = new(StringComparer.Ordinal);
    private List<string>? _missing;

    private OpenedSave(ReadOnlyMemory<byte> bytes, SaveLocation location, ReadAllowance? allowance)
    {
        (Bytes, Location) = (bytes, location);
        Allowance = new FileAllowance((allowance ?? ReadAllowance.Default).For(bytes.Length));
        File = FileForms.Recognise(bytes.Span, location);
        _parts = File.Find(bytes, location);
        var table = new Dictionary<string, SectionEntry>(StringComparer.Ordinal);
        foreach (var entry in _parts.Table)
        {
            table.TryAdd(entry.Name, entry);
            IsCompressed |= entry.Decompressed > 0;
            IsEncrypted |= entry.IsEncrypted;
        }
        foreach (var slice in _parts.Sections)
            _sections.Add(slice.Name, new OpenedSection(this, slice, table.TryGetValue(slice.Name, out var entry) ? entry : null));
    }

    /// <summary>The whole file.</summary>
    public ReadOnlyMemory<byte> Bytes { get; }

    /// <summary>What to call the save in errors.</summary>
    public SaveLocation Location { get; }

    /// <summary>What may still become of it in memory.</summary>
    public FileAllowance Allowance { get; }

    /// <summary>The form of the file.</summary>
    public FileForm File { get; }

    /// <summary>The form of the sections' content.</summary>
    public FileForm Content => FileForms.ContentOf(File, _parts);

    /// <summary>The header as it is in the file; null in one that was written entirely by hand.</summary>
    public SaveHeader? Header => _parts.Header;

    public bool HasSeal => _parts.Seal is not null;

    public bool IsCompressed { get; }

    public bool IsEncrypted { get; }

    /// <summary>The sections, in the order of the file.</summary>
    public IReadOnlyList<OpenedSection> Sections => _sections.Values;

    /// <summary>The one value that a file written entirely by hand consists of.</summary>
    public SectionSlice Whole => _parts.Whole;

    /// <summary>The names of sections that the table lists and the file does not have; a readable file can lose them by editing.</summary>
    public IReadOnlyList<string> MissingSections =>
        _missing ??= [.. _parts.Table.Select(entry => entry.Name).Where(name => !_sections.ContainsKey(name))];

    /// <summary>How the header and the section table compare to what was written.</summary>
    public SectionHealth HeaderHealth => Header is null ? SectionHealth.Unchecked
        : _parts.IsHeadIntact ? SectionHealth.Intact : SectionHealth.EditedByHand;

    /// <summary>How the save as a whole compares to what was written: as its worst section.</summary>
    public SectionHealth Health
    {
        get
        {
            if (Sections.Any(section => section.Health == SectionHealth.Damaged))
                return SectionHealth.Damaged;
            if (Header is null)
                return SectionHealth.Unchecked;
            return HeaderHealth == SectionHealth.Intact && MissingSections.Count == 0
                && Sections.All(section => section.Health == SectionHealth.Intact)
                ? SectionHealth.Intact
                : SectionHealth.EditedByHand;
        }
    }

    /// <summary>
    /// Whether a person changed the save since it was written, or wrote it. A packed save is never edited but damaged, so its sections are
    /// not looked at for this.
    /// </summary>
    public bool IsEdited => File.IsText && Health is SectionHealth.EditedByHand or SectionHealth.Unchecked;

    /// <summary>The sections that a person changed.</summary>
    public IEnumerable<string> EditedSections =>
        File.IsText ? Sections.Where(section => section.Health == SectionHealth.EditedByHand).Select(section => section.Name) : [];

    /// <summary>Opens the bytes of a save.</summary>
    /// <param name="bytes">The whole save.</param>
    /// <param name="location">What to call it in errors.</param>
    /// <param name="allowance">What it may become; null for what is usual.</param>
    /// <exception cref="SaveException">They are not a save, or damaged, or of a newer format.</exception>
    public static OpenedSave Open(ReadOnlyMemory<byte> bytes, SaveLocation location = default, ReadAllowance? allowance = null) =>
        Untrusted.Read(location, () => new OpenedSave(bytes, location, allowance));

    public OpenedSection? Find(string name) => _sections.GetValueOrDefault(name);

    /// <summary>What the file says its sections are; empty without a header.</summary>
    public IReadOnlyList<SectionEntry> Table => _parts.Table;

    /// <summary>Where the seal is, with all that belongs to its item; null if there is none.</summary>
    public SectionSlice? Seal => _parts.Seal;

    /// <summary>Whether a section is the same in another save byte for byte, and intact: then nothing in it is different.</summary>
    public bool HasSameSection(OpenedSave other, string name) =>
        Content == other.Content && !IsEncrypted && !other.IsEncrypted && IsCompressed == other.IsCompressed && Find(name) is { } mine
            && other.Find(name) is { } theirs
        && mine.Health == SectionHealth.Intact && theirs.Health == SectionHealth.Intact && mine.Raw.Span.SequenceEqual(theirs.Raw.Span);
}

/// <summary>A section as it is in a file.</summary>
/// <param name="save">The file.</param>
/// <param name="slice">Where it is.</param>
/// <param name="entry">What the table says of it; null if it is not listed.</param>
internal sealed class OpenedSection(OpenedSave save, SectionSlice slice, SectionEntry? entry)
{
    private SectionHealth? _health;

    public string Name => slice.Name;

    public SectionSlice Slice => slice;

    /// <summary>What the table says of it.</summary>
    public SectionEntry? Entry => entry;

    /// <summary>Its bytes as they are in the file.</summary>
    public ReadOnlyMemory<byte> Raw => save.Bytes.Slice(slice.Offset, slice.Length);

    /// <summary>The size of its content; of encrypted and compressed content as well.</summary>
    public long ContentByteCount => entry is { Decompressed: > 0 and var size } ? size : slice.Length;

    /// <summary>How the bytes compare to what was written. They are hashed when this is asked for, once.</summary>
    public SectionHealth Health => _health ??= FindHealth();

    private SectionHealth FindHealth()
    {
        if (save.Header is null)
            return SectionHealth.Unchecked;
        if (entry is { } known && known.Size == slice.Length && known.Digest == SectionDigest.Of(Raw.Span))
            return SectionHealth.Intact;
        return save.File.IsText ? SectionHealth.EditedByHand : SectionHealth.Damaged;
    }
}
