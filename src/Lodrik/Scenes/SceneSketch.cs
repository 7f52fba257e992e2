using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// A scene of which only a little is said: which placed entities are gone, and what single parts of others are. Everything else is as the
/// designer left it. It is what a transfer code can carry of a scene (<see cref="LiveScene{TScene}.Sketch"/>).
/// </summary>
public sealed class SceneSketch
{
    private readonly SceneRecord _authored;
    private readonly SaveMap _entities;
    private readonly SaveMap _mentioned = new();
    private readonly List<EntityId> _gone = [];

    internal SceneSketch(SceneRecord authored)
    {
        _authored = authored;
        _entities = (SaveMap)((SaveMap)BinaryEncoding.ToTree(authored))["entities"];
    }

    /// <summary>These are gone.</summary>
    /// <exception cref="SceneException">The designer placed none of that name.</exception>
    public SceneSketch Gone(params IEnumerable<EntityId> ids)
    {
        ArgumentNullException.ThrowIfNull(ids);
        foreach (var id in ids)
        {
            Require(id);
            _gone.Add(id);
            _mentioned.Remove(id.ToString());
        }
        return this;
    }

    /// <summary>A part of an entity is this.</summary>
    /// <param name="id">The entity.</param>
    /// <param name="part">The part, by the name that the bindings give it.</param>
    /// <param name="value">What it is.</param>
    /// <exception cref="SceneException">The designer placed none of that name.</exception>
    public SceneSketch Part<T>(EntityId id, string part, T value) where T : IStateType<T>
    {
        ArgumentException.ThrowIfNullOrEmpty(part);
        PartsOf(id)[part] = BinaryEncoding.ToTreeOf(value);
        return this;
    }

    /// <summary>One member of a part of an entity is this. The part's other members are as the designer left them.</summary>
    /// <param name="id">The entity.</param>
    /// <param name="part">The part, by the name that it has in the save.</param>
    /// <param name="member">The member, by the key that it has in the save.</param>
    /// <param name="value">What it is.</param>
    /// <exception cref="SceneException">
    /// The designer placed none of that name, or the entity has no such part, or the part no such member.
    /// </exception>
    public SceneSketch Set(EntityId id, string part, string member, SaveValue value)
    {
        ArgumentException.ThrowIfNullOrEmpty(part);
        ArgumentException.ThrowIfNullOrEmpty(member);
        ArgumentNullException.ThrowIfNull(value);
        var parts = PartsOf(id);
        if (!parts.TryGet(part, out var members) || members is not SaveMap map)
            throw Unknown($"The entity {id} has no part \"{part}\" with members.", part, parts);
        if (!map.TryGet(member, out _))
            throw Unknown($"The part \"{part}\" of the entity {id} has no member \"{member}\".", member, map);
        map[member] = value;
        return this;
    }

    private static SceneException Unknown(string what, string name, SaveMap known) => new(
        SaveErrorCode.SceneConflict, what,
        remedy: Spelling.Nearest(name, known.Keys) is { } meant
            ? $"Did you mean \"{meant}\"?"
            : $"There are: {string.Join(", ", known.Keys)}.");

    /// <summary>The parts of an entity, as they were authored but for what was said of them; what is changed there is said.</summary>
    private SaveMap PartsOf(EntityId id)
    {
        Require(id);
        var name = id.ToString();
        // The rest of the entity is as it was authored: an entity of a record is all there.
        var entity = (SaveMap)(_mentioned.TryGet(name, out var mentioned) ? mentioned : _entities[name]);
        if (!entity.TryGet("parts", out var parts))
            entity["parts"] = parts = new SaveMap();
        _mentioned[name] = entity;
        return (SaveMap)parts;
    }

    internal SceneRecord ToRecord(SceneTypes types)
    {
        var gone = new SaveList();
        foreach (var id in _gone.Distinct().Order())
            gone.Add(id.ToString());
        var scene = new SaveMap { ["nextSpawn"] = _authored.NextSpawn, ["gone"] = gone, ["entities"] = _mentioned };
        return TypedScene.Read(BinaryEncoding.Of<SaveValue?, SaveValueCodec>(scene), types);
    }

    private void Require(EntityId id)
    {
        if (_authored.TryIndexOf(id) < 0)
            throw new SceneException(SaveErrorCode.SceneConflict, $"This scene has no placed entity {id}.",
                remedy: "A sketch can mention only placed entities.");
    }
}
