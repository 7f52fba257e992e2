namespace Lodrik.Scenes;

/// <summary>Receives the entities that are found in a scene.</summary>
internal interface ILiveSink<TScene>
{
    /// <summary>The container of a kind's objects.</summary>
    KindObjects<TScene> ObjectsOf(SceneKind<TScene> kind);

    /// <summary>An entity that is in the scene.</summary>
    /// <param name="id">Its id; the default if it has none yet.</param>
    /// <param name="objects">The objects of its kind.</param>
    /// <param name="slot">Its place among them.</param>
    /// <param name="failure">Why its id could not be had; null if it could.</param>
    void Found(EntityId id, KindObjects<TScene> objects, int slot, Exception? failure);
}

/// <summary>Kinds that share a description, and where their objects are found.</summary>
internal interface IEntityFamily<TScene>
{
    /// <summary>
    /// Hands out the objects that are in the scene and alive, and gives a value after some, when it may be left for a while.
    /// </summary>
    /// <exception cref="SceneException">One of them is of a kind that was not named.</exception>
    IEnumerable<int> Visit(TScene scene, ILiveSink<TScene> sink);

    /// <summary>Whether objects of a type may be among its entities.</summary>
    bool Has(Type type);

    /// <summary>The id of an object; the default if it has none.</summary>
    EntityId IdOf(TScene scene, object entity);
}

/// <summary>Kinds that are described by getters and setters.</summary>
internal sealed class BoundFamily<TScene, TEntity>(
    KindBinding<TScene, TEntity> binding, IReadOnlyDictionary<string, BoundKind<TScene, TEntity>> kinds,
    Func<TScene, IEnumerable<TEntity>> entities, Func<TEntity, string>? kindOf)
    : IEntityFamily<TScene> where TEntity : notnull
{
    private readonly BoundKind<TScene, TEntity>? _only = kindOf is null ? kinds.Values.Single() : null;

    public IEnumerable<int> Visit(TScene scene, ILiveSink<TScene> sink)
    {
        var last = _only;
        var count = 0;
        var objects = last is null ? null : (LiveObjects<TScene, TEntity>)sink.ObjectsOf(last);
        foreach (var entity in entities(scene))
        {
            if (binding.IsAlive is { } isAlive && !isAlive(entity))
                continue;
            if (_only is null && Find(kindOf!(entity)) is var kind && kind != last)
            {
                last = kind;
                objects = (LiveObjects<TScene, TEntity>)sink.ObjectsOf(kind);
            }
            var id = default(EntityId);
            Exception? failure = null;
            try
            {
                id = binding.TakeId!(scene, entity);
            }
            catch (Exception exception) when (exception is not OutOfMemoryException)
            {
                failure = exception;
            }
            sink.Found(id, objects!, objects!.Add(entity), failure);
            if (++count % 16 == 0)
                yield return 0;
        }
    }

    public bool Has(Type type) => typeof(TEntity).IsAssignableFrom(type);

    public EntityId IdOf(TScene scene, object entity)
    {
        try
        {
            return binding.TakeId!(scene, (TEntity)entity);
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            // An object that is not in the scene need not have one.
            return default;
        }
    }

    private BoundKind<TScene, TEntity> Find(string kind) => kinds.GetValueOrDefault(kind) ?? throw new SceneException(
        SaveErrorCode.SceneConflict, $"An object of the scene is of the kind \"{kind}\", which is not bound.",
        remedy: $"Bound kinds: {string.Join(", ", kinds.Keys)}.");
}

/// <summary>A kind that is described by getters and setters.</summary>
internal sealed class BoundKind<TScene, TEntity>(string name, KindBinding<TScene, TEntity> binding) : EntityKind<TScene, TEntity>(name)
    where TEntity : notnull
{
    public override bool CanSpawn => binding.SpawnEntity is not null;

    public override bool OmitsUnchanged => binding.OmitsUnchanged;

    public override bool HasParent => binding.PutParentOf is not null;

    public override bool HasSettled => binding.EntitySettled is not null;

    public override bool NamesParent => binding.TakeParentId is not null;

    public override IReadOnlyList<EntityMember> Members { get; } = [.. binding.Parts, .. binding.Links];

    public override int PartCount => binding.Parts.Count;

    public override IReadOnlyList<EntityPart<TScene, TEntity>> Parts => binding.Parts;

    public override IReadOnlyList<EntityLink<TScene, TEntity>> Links => binding.Links;

    public override KindObjects<TScene> Gather(TScene scene) => new LiveObjects<TScene, TEntity>(this, scene);

    public override EntityId IdOf(TScene scene, TEntity entity) => binding.TakeId!(scene, entity);

    public override object? ParentOf(TScene scene, TEntity entity) => binding.TakeParent?.Invoke(scene, entity);

    public override EntityId? ParentIdOf(TScene scene, TEntity entity) => binding.TakeParentId?.Invoke(scene, entity);

    public override void PutParent(TScene scene, TEntity entity, EntityId? id, object? parent) =>
        binding.PutParentOf?.Invoke(scene, entity, id, parent);

    public override TEntity Spawn(TScene scene, in EntityCreation creation) => binding.SpawnEntity!(scene, creation.Id, Name);

    public override void Remove(TScene scene, TEntity entity, object? parent) => binding.RemoveEntity!(scene, entity);

    public override void Settle(TScene scene, TEntity entity) => binding.EntitySettled?.Invoke(scene, entity);
}
