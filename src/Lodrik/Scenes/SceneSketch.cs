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
        Require(id);
        var name = id.ToString();
        // The rest of the entity is as it was authored: an entity of a record is all there.
        var entity = (SaveMap)(_mentioned.TryGet(name, out var mentioned) ? mentioned : _entities[name]);
        if (!entity.TryGet("parts", out var parts))
            entity["parts"] = parts = new SaveMap();
        ((SaveMap)parts)[part] = BinaryEncoding.ToTreeOf(value);
        _mentioned[name] = entity;
        return this;
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
            throw new SceneException(SaveErrorCode.SceneConflict, $"The designer placed no entity {id} in this scene.",
                remedy: "A sketch speaks of placed entities only.");
    }
}
