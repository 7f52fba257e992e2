using Lodrik.Formats;
using Lodrik.Inspection;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Reading;
using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>The sections of a save, or of a checkpoint within one, as migration steps see them.</summary>
internal abstract class SectionStore
{
    /// <summary>The names of all sections, in order.</summary>
    public abstract IReadOnlyList<string> Names { get; }

    public abstract SaveValue Read(string name);

    /// <summary>Gives a section its content; a new one comes last.</summary>
    public abstract void Write(string name, SaveValue tree);

    public abstract void Remove(string name);

    public abstract void Rename(string name, string newName);

    /// <summary>The section of the file that a section is in or is, and where within it.</summary>
    public abstract (string Section, string Pointer) Locate(string name);

    public bool Has(string name) => Names.Contains(name, StringComparer.Ordinal);

    /// <summary>A section by its steps: its name, or the group's name and the name within it.</summary>
    public static string NameOf(string group, string name) => $"{group}/{name}";
}

/// <summary>The sections of a file: one that no step looks at is neither decoded nor encoded.</summary>
internal sealed class FileSections : SectionStore
{
    private readonly OrderedDictionary<string, MigratedSection> _sections = new(StringComparer.Ordinal);
    private readonly SavedFile _file;

    public FileSections(SavedFile file)
    {
        _file = file;
        foreach (var section in file.Sections)
            _sections.Add(section.Name, new MigratedSection(section.Name, section.Name, null));
    }

    public override IReadOnlyList<string> Names => _sections.Keys;

    /// <summary>What has become of the sections.</summary>
    public IReadOnlyList<MigratedSection> Sections => _sections.Values;

    public override SaveValue Read(string name)
    {
        var section = _sections[name];
        if (section.Tree is { } known)
            return known;
        var tree = _file.ReadSection(section.Origin!);
        _sections[name] = section with { Tree = tree };
        return tree;
    }

    public override void Write(string name, SaveValue tree) => _sections[name] = new MigratedSection(name, null, tree);

    public override void Remove(string name) => _sections.Remove(name);

    public override void Rename(string name, string newName)
    {
        var index = _sections.IndexOf(name);
        var section = _sections.GetAt(index).Value;
        _sections.RemoveAt(index);
        _sections.Insert(index, newName, section with { Name = newName });
    }

    public override (string, string) Locate(string name) => (name, "");
}

/// <summary>Sections that are the entries of a map: those of a checkpoint, and those of an imported file.</summary>
/// <param name="sections">The map, which is changed in place.</param>
/// <param name="outer">The section that the map is in; null if it is its own file.</param>
/// <param name="pointer">Where in it.</param>
internal sealed class MapSections(SaveMap sections, string? outer = null, string pointer = "") : SectionStore
{
    public override IReadOnlyList<string> Names => [.. sections.Keys];

    public override SaveValue Read(string name) => sections[name];

    public override void Write(string name, SaveValue tree) => sections[name] = tree;

    public override void Remove(string name) => sections.Remove(name);

    public override void Rename(string name, string newName) => sections.TryRename(name, newName);

    public override (string, string) Locate(string name) =>
        outer is null ? (name, "") : (outer, $"{pointer}/{PointerBuilder.Escape(name)}");
}

/// <summary>A section as a place that a step works on.</summary>
internal sealed class SectionPlace(SectionStore store, string fullName)
{
    public string FullName => fullName;

    /// <summary>The name within its group, or its only one.</summary>
    public string Name => fullName[(fullName.IndexOf('/', StringComparison.Ordinal) + 1)..];

    private string Group => fullName[..(fullName.IndexOf('/', StringComparison.Ordinal) + 1)];

    public string Pointer => $"/{Group}{PointerBuilder.Escape(Name)}";

    public string Outer => store.Locate(fullName).Section;

    public string OuterPointer => store.Locate(fullName).Pointer;

    public SaveValue Tree
    {
        get => store.Read(fullName);
        set => store.Write(fullName, value);
    }

    public string SharedName => fullName + SharedTree.Suffix;

    /// <summary>Takes the section out, with the contents of its shared objects.</summary>
    public void Remove()
    {
        store.Remove(fullName);
        if (store.Has(SharedName))
            store.Remove(SharedName);
    }

    public bool TryRename(string name)
    {
        if (Group.Length == 0 && name.Contains('/', StringComparison.Ordinal))
            throw new OperationException(
                $"\"{name}\" cannot be the name of a section: it has a slash.", new SaveLocation { Section = fullName });
        var newName = Group + name;
        if (store.Has(newName))
            return false;
        store.Rename(fullName, newName);
        if (store.Has(SharedName))
            store.Rename(SharedName, newName + SharedTree.Suffix);
        return true;
    }
}
