using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>Where a section's bytes are in a file.</summary>
internal readonly record struct SectionSlice(string Name, int Offset, int Length);

/// <summary>The parts of a save file, found without decoding any section.</summary>
internal sealed class FileParts
{
    private readonly OrderedDictionary<string, SectionSlice> _sections = new(StringComparer.Ordinal);

    /// <summary>The form of the sections' content, where a packed file says so; null if it is the file's own.</summary>
    public SaveForm? ContentForm { get; set; }

    /// <summary>The header, or null in a file that was written entirely by hand.</summary>
    public SaveHeader? Header { get; set; }

    /// <summary>
    /// Whether header and section table are as they were written. Only readable files can say no: a packed one is damaged then.
    /// </summary>
    public bool IsHeadIntact { get; set; } = true;

    /// <summary>What the table says the sections are; empty without a header.</summary>
    public List<SectionEntry> Table { get; set; } = [];

    /// <summary>The sections, in the order of the file.</summary>
    public IReadOnlyList<SectionSlice> Sections => _sections.Values;

    /// <summary>The one value that a readable file consists of.</summary>
    public SectionSlice Whole { get; set; }

    /// <summary>Where the seal is, with all that belongs to its item; null if there is none.</summary>
    public SectionSlice? Seal { get; set; }

    /// <summary>Adds a part that was found.</summary>
    /// <exception cref="ContentException">There is one of that name already.</exception>
    public void Add(SectionSlice part, long at)
    {
        if (!_sections.TryAdd(part.Name, part))
            throw new ContentException(
                SaveErrorCode.Damaged, $"The key \"{Shorten.Text(part.Name)}\" appears twice.", new ContentPlace(at));
    }

    /// <summary>Adds a part that was found, unless there is one of that name already.</summary>
    public void TryAdd(SectionSlice part) => _sections.TryAdd(part.Name, part);

    /// <summary>
    /// Takes a part of the file itself out of the sections. Only a save with a header has such parts: in one written entirely by
    /// hand, "contents" is what the game calls so.
    /// </summary>
    public SectionSlice? TakeOut(string name)
    {
        if (!_sections.TryGetValue(name, out var part))
            return null;
        _sections.Remove(name);
        return part;
    }

    public SectionSlice? Find(string name) => _sections.TryGetValue(name, out var part) ? part : null;
}
