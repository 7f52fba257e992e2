using Lodrik.Saves.Forms;

namespace Lodrik.Saves.Reading;

/// <summary>Sections that may be decoded, by name: those of a checked save, of a migrated one, or of a snapshot.</summary>
internal interface ISectionSource
{
    /// <summary>What to call it in errors.</summary>
    SaveLocation Location { get; }

    /// <summary>The names of the sections, in their order.</summary>
    IReadOnlyList<string> Names { get; }

    /// <summary>A section; null if there is none of that name.</summary>
    /// <exception cref="SaveException">It is damaged, or was tampered with, or is encrypted and there is no key.</exception>
    SectionContent? Find(string name);
}

/// <summary>Packed sections in memory: a snapshot, or what a checkpoint keeps.</summary>
internal sealed class PackedSource(IReadOnlyList<PackedSection> sections) : ISectionSource
{
    private readonly Dictionary<string, PackedSection> _sections = sections.ToDictionary(section => section.Name, StringComparer.Ordinal);

    public SaveLocation Location => default;

    public IReadOnlyList<string> Names { get; } = [.. sections.Select(section => section.Name)];

    public SectionContent? Find(string name) => _sections.TryGetValue(name, out var section)
        ? new NamedSection(section, name, name, _sections.GetValueOrDefault(name + SharedTree.Suffix))
        : null;
}
