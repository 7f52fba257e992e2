using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// Describes a kind whose entities are numbers and whose components are in arrays, lists or dictionaries, as in an entity–component
/// world.
/// </summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
public sealed class TableBinding<TScene>
{
    private readonly KindBinding<TScene, int> _kind;
    private readonly Func<TScene, int, EntityId> _idOf;

    internal TableBinding(KindBinding<TScene, int> kind, Func<TScene, int, EntityId> idOf)
    {
        (_kind, _idOf) = (kind, idOf);
        kind.Id(idOf);
    }

    /// <summary>A component that all entities of the kind have.</summary>
    /// <param name="name">The part's name in the save.</param>
    /// <param name="column">
    /// Gets the array, in which an entity's number is its place. It is asked for each time, and may be replaced.
    /// </param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public TableBinding<TScene> Column<TPart>(string name, Func<TScene, TPart[]> column) where TPart : IStateType<TPart>
    {
        ArgumentNullException.ThrowIfNull(column);
        _kind.Part<TPart>(name, (scene, number) => column(scene)[number], (scene, number, part) => column(scene)[number] = part);
        return this;
    }

    /// <inheritdoc cref="Column{TPart}(string, Func{TScene, TPart[]})"/>
    public TableBinding<TScene> Column<TPart>(string name, Func<TScene, List<TPart>> column) where TPart : IStateType<TPart>
    {
        ArgumentNullException.ThrowIfNull(column);
        _kind.Part<TPart>(name, (scene, number) => column(scene)[number], (scene, number, part) => column(scene)[number] = part);
        return this;
    }

    /// <summary>A component that an entity has or not: after loading those have it that had it.</summary>
    /// <param name="name">The part's name in the save.</param>
    /// <param name="column">Gets the dictionary, by the numbers of the entities.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public TableBinding<TScene> Column<TPart>(string name, Func<TScene, Dictionary<int, TPart>> column) where TPart : IStateType<TPart>
    {
        ArgumentNullException.ThrowIfNull(column);
        _kind.OptionalPart<TPart>(
            name, (scene, number) => column(scene).ContainsKey(number), (scene, number) => column(scene)[number],
            (scene, number, part) => column(scene)[number] = part, (scene, number) => column(scene).Remove(number));
        return this;
    }

    /// <summary>Another entity of the kind that an entity refers to: its number is in the dictionary, or there is none.</summary>
    /// <param name="name">The reference's name in the save, among the parts.</param>
    /// <param name="column">Gets the dictionary, by the numbers of the entities that refer.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public TableBinding<TScene> Reference(string name, Func<TScene, Dictionary<int, int>> column)
    {
        ArgumentNullException.ThrowIfNull(column);
        _kind.ReferenceId(
            name,
            (scene, number) => Get(column(scene), scene, number) is { } id ? (EntityReference?)id : null,
            (scene, number, _, target) => Put(column(scene), number, target));
        return this;
    }

    /// <summary>The entity of the kind that an entity belongs to: its number is in the dictionary, or there is none.</summary>
    /// <param name="column">Gets the dictionary, by the numbers of the entities that belong to others.</param>
    public TableBinding<TScene> Parent(Func<TScene, Dictionary<int, int>> column)
    {
        ArgumentNullException.ThrowIfNull(column);
        _kind.ParentId(
            (scene, number) => Get(column(scene), scene, number),
            (scene, number, _, parent) => Put(column(scene), number, parent));
        return this;
    }

    /// <summary>How to create an entity under an id; gives its number.</summary>
    public TableBinding<TScene> Spawn(Func<TScene, EntityId, int> spawn)
    {
        _kind.Spawn(spawn);
        return this;
    }

    /// <summary>How to remove an entity, with whatever it has.</summary>
    public TableBinding<TScene> Remove(Action<TScene, int> remove)
    {
        _kind.Remove(remove);
        return this;
    }

    /// <summary>Placed entities that are as the designer left them are not in the save.</summary>
    public TableBinding<TScene> OnlyIfChanged()
    {
        _kind.OnlyIfChanged();
        return this;
    }

    /// <summary>The id of the entity that a number leads to; null if there is none, or where the number is free.</summary>
    private EntityId? Get(Dictionary<int, int> column, TScene scene, int number) =>
        column.TryGetValue(number, out var other) && _idOf(scene, other) is var id && id != default ? (EntityId?)id : null;

    private static void Put(Dictionary<int, int> column, int number, object? target)
    {
        if (target is int other)
            column[number] = other;
        else
            column.Remove(number);
    }
}
