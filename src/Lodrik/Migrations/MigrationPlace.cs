using System.Globalization;
using Lodrik.Formats;
using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>One place in a save that is being migrated: a section, an entry of a map, or an item of a list.</summary>
public sealed class MigrationPlace
{
    private readonly MigrationPlace? _parent;
    private readonly SaveValue? _container;
    private readonly string? _key;
    private readonly int _index;
    private readonly Migrations.SectionPlace? _section;

    internal MigrationPlace(Migrations.SectionPlace section) => _section = section;

    internal MigrationPlace(MigrationPlace parent, SaveMap map, string key)
    {
        (_parent, _container, _key) = (parent, map, key);
    }

    internal MigrationPlace(MigrationPlace parent, SaveList list, int index)
    {
        (_parent, _container, _index) = (parent, list, index);
    }

    /// <summary>Where this is, as a JSON Pointer (RFC 6901) from the section's name on.</summary>
    public string Path => _section is { } section
        ? section.Pointer
        : $"{_parent!.Path}/{(_key is null ? _index.ToString(CultureInfo.InvariantCulture) : PointerBuilder.Escape(_key))}";

    /// <summary>The name of the entry, the section, or the item's index.</summary>
    public string Name => _section?.Name ?? _key ?? _index.ToString(CultureInfo.InvariantCulture);

    /// <summary>What is there.</summary>
    public SaveValue Value
    {
        get => _section is { } section ? section.Tree : _container switch
        {
            SaveMap map => map[_key!],
            var list => ((SaveList)list!)[_index],
        };
        set
        {
            ArgumentNullException.ThrowIfNull(value);
            if (_section is { } section)
                section.Tree = value;
            else if (_container is SaveMap map)
                map[_key!] = value;
            else
                ((SaveList)_container!)[_index] = value;
        }
    }

    /// <summary>Takes it out. Of several items of one list, take the last one out first.</summary>
    public void Remove()
    {
        if (_section is { } section)
            section.Remove();
        else if (_container is SaveMap map)
            map.Remove(_key!);
        else
            ((SaveList)_container!).RemoveAt(_index);
    }

    /// <summary>Gives it another name, in its place.</summary>
    internal bool TryRename(string name) => _section is { } section
        ? section.TryRename(name)
        : _container is SaveMap map && map.TryRename(_key!, name);

    /// <summary>The name of the section that has the shared objects of this one; null if this is not a section.</summary>
    internal string? SharedName => _section?.SharedName;

    internal bool IsItem => _container is SaveList;

    internal SaveLocation Locate()
    {
        var place = this;
        while (place._section is null)
            place = place._parent!;
        var (section, prefix) = (place._section.Outer, place._section.OuterPointer);
        var path = prefix + Path[place.Path.Length..];
        return new SaveLocation { Section = section, Path = path.Length == 0 ? null : path };
    }

    /// <summary>The path and what is there, for a log.</summary>
    public override string ToString() => $"{Path}: {Value}";
}
