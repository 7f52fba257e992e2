using System.ComponentModel;

namespace Lodrik.Scenes;

/// <summary>What an entity is created with.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly ref struct EntityCreation
{
    private readonly ISavedRows _rows;

    internal EntityCreation(EntityId id, string kind, object scene, object? parent, ISavedRows rows)
    {
        (Id, Kind, Scene, Parent) = (id, kind, scene, parent);
        _rows = rows;
    }

    /// <summary>Its id.</summary>
    public EntityId Id { get; }

    /// <summary>The name of one that the designer placed.</summary>
    /// <exception cref="SceneException">It has a number.</exception>
    public string Name => Id.Name ?? throw new SceneException(
        SaveErrorCode.SceneConflict, $"The {Kind} {Id} has a number, but entities of its kind are identified by name.",
        remedy: "Make the member with [EntityId] an EntityId, if entities of this kind are spawned as well.");

    /// <summary>The number of one that was spawned.</summary>
    /// <exception cref="SceneException">It has a name.</exception>
    public long Number => Id.IsSpawned ? Id.Number : throw new SceneException(
        SaveErrorCode.SceneConflict, $"The {Kind} {Id} has a name, but entities of its kind are identified by number.",
        remedy: "Make the member with [EntityId] an EntityId, if entities of this kind are placed as well.");

    /// <summary>Its kind.</summary>
    public string Kind { get; }

    /// <summary>The scene that it is going to be in.</summary>
    public object Scene { get; }

    /// <summary>What it is going to belong to, if that is there.</summary>
    public object? Parent { get; }

    /// <summary>What is saved of a part; nothing is said of its members where nothing is saved.</summary>
    /// <param name="part">The number of the part, in the order in which they are described.</param>
    public TRow Row<TRow>(int part) where TRow : struct => _rows.Row<TRow>(part);
}

/// <summary>The rows that are saved of an entity.</summary>
internal interface ISavedRows
{
    TRow Row<TRow>(int part) where TRow : struct;
}
