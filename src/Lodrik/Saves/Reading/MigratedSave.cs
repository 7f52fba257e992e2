using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Saves.Reading;

/// <summary>What has become of a section of a save.</summary>
/// <param name="Name">Its name now.</param>
/// <param name="Origin">Its name in the file; null if it was made again.</param>
/// <param name="Tree">Its content; null if nobody looked at it, so that the file's own bytes are its content.</param>
internal sealed record MigratedSection(string Name, string? Origin, SaveValue? Tree);

/// <summary>
/// A save whose sections are those of another version. What nobody looked at shares the bytes of the save that it comes from.
/// </summary>
internal sealed class MigratedSave : ISectionSource
{
    private readonly OrderedDictionary<string, MigratedSection> _sections = new(StringComparer.Ordinal);
    private readonly Dictionary<string, SectionContent> _contents = new(StringComparer.Ordinal);
    private readonly ISectionSource _origin;

    /// <param name="origin">The save that it comes from.</param>
    /// <param name="header">The header in the new version.</param>
    /// <param name="sections">What has become of the sections.</param>
    public MigratedSave(ISectionSource origin, SaveHeader header, IReadOnlyList<MigratedSection> sections)
    {
        (_origin, Header) = (origin, header);
        foreach (var section in sections)
            _sections.Add(section.Name, section);
    }

    public SaveHeader Header { get; }

    public SaveLocation Location => _origin.Location;

    public IReadOnlyList<string> Names => _sections.Keys;

    /// <summary>The section of the save that a section was; null if it was made again.</summary>
    public string? OriginOf(string name) => _sections[name].Origin;

    public SectionContent? Find(string name)
    {
        if (_contents.TryGetValue(name, out var known))
            return known;
        if (!_sections.TryGetValue(name, out var section))
            return null;
        var shared = name.EndsWith(SharedTree.Suffix, StringComparison.Ordinal) ? null : Find(name + SharedTree.Suffix);
        var content = section.Tree is { } tree
            ? PackedSection.Of<SaveValue?, SaveValueCodec>(name, tree, Location)
            : _origin.Find(section.Origin!)!;
        var named = new NamedSection(content, name, name, shared);
        _contents.Add(name, named);
        return named;
    }
}
