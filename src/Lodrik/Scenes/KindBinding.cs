using Lodrik.State;

namespace Lodrik;

/// <summary>
/// Says what the objects of one kind are: how to get an id, which parts there are and how to take and put each, how to spawn and
/// how to remove. The objects need no base class; they may be objects, or the numbers by which a world knows its entities.
/// </summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <typeparam name="TEntity">The game's own object.</typeparam>
public sealed class KindBinding<TScene, TEntity> where TEntity : notnull
{
    private readonly Dictionary<string, IPartBinding> _parts = new(StringComparer.Ordinal);

    internal KindBinding(string kind, Func<TScene, IEnumerable<TEntity>> entities)
    {
        Kind = kind;
        Entities = entities;
    }

    internal string Kind { get; }

    internal Func<TScene, IEnumerable<TEntity>> Entities { get; }

    internal IReadOnlyCollection<IPartBinding> Parts => _parts.Values;

    internal Func<TEntity, EntityId>? TakeId { get; private set; }

    internal Func<TEntity, object?>? TakeParent { get; private set; }

    internal Action<TEntity, object?>? PutParent { get; private set; }

    internal Func<TScene, EntityId, TEntity>? SpawnEntity { get; private set; }

    internal Action<TScene, TEntity>? RemoveEntity { get; private set; }

    internal Action<TScene, TEntity>? EntitySettled { get; private set; }

    /// <summary>How to get an object's id: the authored name of a placed one, the number of a spawned one.</summary>
    public KindBinding<TScene, TEntity> Id(Func<TEntity, EntityId> take)
    {
        ArgumentNullException.ThrowIfNull(take);
        TakeId = take;
        return this;
    }

    /// <summary>A piece of an object's state.</summary>
    /// <param name="name">The part's name in the save.</param>
    /// <param name="take">Gets the part of an object; null leaves it out for this one. It is copied.</param>
    /// <param name="put">Puts a part back into an object. It gets a copy of its own.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public KindBinding<TScene, TEntity> Part<TPart>(string name, Func<TEntity, TPart?> take, Action<TEntity, TPart> put) where TPart : IStateType<TPart>
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        if (!_parts.TryAdd(name, new PartBinding<TPart>(name, take, put)))
            throw new SceneException(SaveErrorCode.BadBinding, $"The kind \"{Kind}\" has two parts named \"{name}\".");
        return this;
    }

    /// <summary>What an object belongs to, in games whose objects know each other.</summary>
    /// <param name="take">Gets the object that this one belongs to, which has to be in the scene as well; null where it belongs to none.</param>
    /// <param name="put">Makes an object belong to another, or to none where that is null. It runs before the parts are put.</param>
    public KindBinding<TScene, TEntity> Parent<TParent>(Func<TEntity, TParent?> take, Action<TEntity, TParent?> put) where TParent : class
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        TakeParent = take;
        PutParent = (entity, parent) => put(entity, parent as TParent);
        return this;
    }

    /// <summary>What an object belongs to, in games that go by ids.</summary>
    /// <param name="take">Gets the id of the entity that an object belongs to; null where it belongs to none.</param>
    /// <param name="put">Makes an object belong to another (as its kind's binding knows it), or to none where that is null.</param>
    public KindBinding<TScene, TEntity> ParentId(Func<TEntity, EntityId?> take, Action<TEntity, object?> put)
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        TakeParent = entity => take(entity);
        PutParent = put;
        return this;
    }

    /// <summary>How to create an object of this kind under an id: one that was spawned, or a placed one that has to come back.</summary>
    public KindBinding<TScene, TEntity> Spawn(Func<TScene, EntityId, TEntity> spawn)
    {
        ArgumentNullException.ThrowIfNull(spawn);
        SpawnEntity = spawn;
        return this;
    }

    /// <summary>How to take an object out of the scene.</summary>
    public KindBinding<TScene, TEntity> Remove(Action<TScene, TEntity> remove)
    {
        ArgumentNullException.ThrowIfNull(remove);
        RemoveEntity = remove;
        return this;
    }

    /// <summary>What to do for an object once the whole scene is there, with all its parts.</summary>
    public KindBinding<TScene, TEntity> Settled(Action<TScene, TEntity> settled)
    {
        ArgumentNullException.ThrowIfNull(settled);
        EntitySettled = settled;
        return this;
    }

    internal void Check()
    {
        if (TakeId is null)
            throw new SceneException(SaveErrorCode.BadBinding, $"The kind \"{Kind}\" does not say how to get an object's id.", remedy: "Call Id.");
        if (SpawnEntity is null != RemoveEntity is null)
        {
            throw new SceneException(
                SaveErrorCode.BadBinding,
                $"The kind \"{Kind}\" says how to {(SpawnEntity is null ? "remove" : "spawn")} an object and not how to {(SpawnEntity is null ? "spawn" : "remove")} one.",
                remedy: "Restoring a scene needs both; leave both out for objects that are always there.");
        }
    }

    /// <summary>A part of this kind, whatever its type.</summary>
    internal interface IPartBinding
    {
        string Name { get; }

        PartColumn MakeColumn();

        void Take(TEntity entity, SceneRecord scene, string kind, int index);

        void Put(TEntity entity, SceneRecord scene, EntityId id);
    }

    private sealed class PartBinding<TPart>(string name, Func<TEntity, TPart?> take, Action<TEntity, TPart> put) : IPartBinding
        where TPart : IStateType<TPart>
    {
        public string Name => name;

        public PartColumn MakeColumn() => new StatePartColumn<TPart>(name);

        public void Take(TEntity entity, SceneRecord scene, string kind, int index)
        {
            if (take(entity) is { } part)
                ((StatePartColumn<TPart>)scene.Column(kind, name, MakeColumn)).Add(index, StateContent.Copy(part));
        }

        public void Put(TEntity entity, SceneRecord scene, EntityId id)
        {
            if (scene.TryGetPart<TPart>(id, name, out var part) && part is not null)
                put(entity, StateContent.Copy(part));
        }
    }
}
