using Lodrik.Formats;
using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik.Inspection;

/// <summary>An entity of a saved scene.</summary>
/// <param name="Id">The entity.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Parent">The id of what it is below, as text; null for none.</param>
/// <param name="Parts">Its parts by their names.</param>
public sealed record SceneEntity(EntityId Id, string Kind, string? Parent, SaveMap Parts)
{
    /// <summary>
    /// Where it is, two or three coordinates in the game's own units: a vector, or members x, y and z, named position, place, placement or
    /// at. Null if it has none.
    /// </summary>
    public IReadOnlyList<double>? Position => EntityPosition.Of(Parts);
}

/// <summary>Entities of one kind as a table.</summary>
/// <param name="Kind">The kind.</param>
/// <param name="Columns">The values that they have, by their paths below the parts, in the order in which they come.</param>
/// <param name="Entities">The entities, one a row.</param>
public sealed record EntityTable(string Kind, IReadOnlyList<string> Columns, IReadOnlyList<SceneEntity> Entities)
{
    /// <summary>The value of an entity in a column; null if it has none.</summary>
    public static SaveValue? Value(SceneEntity entity, string column)
    {
        ArgumentNullException.ThrowIfNull(entity);
        ArgumentNullException.ThrowIfNull(column);
        SaveValue? value = entity.Parts;
        foreach (var step in column.Split('/'))
            value = value is SaveMap map && map.TryGet(PointerBuilder.Unescape(step), out var inner) ? inner : null;
        return value;
    }
}

/// <summary>A scene as a save has it, without the game's types.</summary>
/// <param name="Section">The section that it is in.</param>
/// <param name="Entities">The entities, in the order of the save.</param>
/// <param name="Gone">The placed entities that are gone.</param>
public sealed record SceneContent(string Section, IReadOnlyList<SceneEntity> Entities, IReadOnlyList<EntityId> Gone)
{
    /// <summary>The scene's name: the section's without its group.</summary>
    public string Name => Section[(Section.IndexOf('/', StringComparison.Ordinal) + 1)..];

    /// <summary>The scene in a section; null if the section is none.</summary>
    /// <param name="section">The section's name.</param>
    /// <param name="content">Its content.</param>
    public static SceneContent? Of(string section, SaveValue content)
    {
        ArgumentNullException.ThrowIfNull(section);
        ArgumentNullException.ThrowIfNull(content);
        if (EntitiesOf(content) is not { } entities)
            return null;
        var found = new List<SceneEntity>();
        foreach (var (key, value) in entities)
        {
            if (value is SaveMap entity && EntityId.TryParse(key, out var id))
                found.Add(new SceneEntity(id, Text(entity, "kind") ?? "", Text(entity, "parent"),
                    entity.TryGet("parts", out var parts) && parts is SaveMap map ? map : []));
        }
        return new SceneContent(section, found,
            [.. GoneOf(content).Select(text => EntityId.TryParse(text, out var id) ? id : default).Where(id => id != default)]);
    }

    /// <summary>The number of entities, without the one that a declared scene's own state is saved as.</summary>
    public int EntityCount => Entities.Count(entity => entity.Kind != DeclaredScene.OwnKind || entity.Id.Name != DeclaredScene.OwnKind);

    /// <summary>Whether the content of a section is a scene.</summary>
    public static bool IsScene(SaveValue content) => EntitiesOf(content) is not null;

    /// <summary>The entities kind by kind, the most numerous kind first.</summary>
    public IReadOnlyList<EntityTable> Tables() =>
    [
        .. Entities.GroupBy(entity => entity.Kind).OrderByDescending(kind => kind.Count()).Select(kind =>
        {
            var columns = new List<string>();
            var known = new HashSet<string>(StringComparer.Ordinal);
            foreach (var entity in kind)
                AddColumns(columns, known, "", entity.Parts);
            return new EntityTable(kind.Key, columns, [.. kind]);
        }),
    ];

    /// <summary>The entities of a section that is a scene, by their ids; null if it is none.</summary>
    internal static SaveMap? EntitiesOf(SaveValue? section) =>
        section is SaveMap scene && scene.TryGet("entities", out var entities) && entities is SaveMap map
            && scene.TryGet("gone", out var gone) && gone is SaveList ? map : null;

    internal static IEnumerable<string> GoneOf(SaveValue scene) =>
        ((SaveList)((SaveMap)scene)["gone"]).Select(id => id.TextIfSingle() ?? "");

    /// <summary>A column for each value: what is a map in it is taken apart, lists are one value.</summary>
    private static void AddColumns(List<string> columns, HashSet<string> known, string path, SaveMap map)
    {
        foreach (var (key, value) in map)
        {
            var inner = path.Length == 0 ? PointerBuilder.Escape(key) : $"{path}/{PointerBuilder.Escape(key)}";
            if (value is SaveMap { Count: > 0 } below)
                AddColumns(columns, known, inner, below);
            else if (known.Add(inner))
                columns.Add(inner);
        }
    }

    private static string? Text(SaveMap map, string key) => map.TryGet(key, out var value) ? value.TextIfSingle() : null;
}
