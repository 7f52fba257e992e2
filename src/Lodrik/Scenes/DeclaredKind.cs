namespace Lodrik.Scenes;

/// <summary>A declared kind, whatever the class of its objects.</summary>
internal interface IDeclaredKind<TScene>
{
    SceneKind<TScene> Kind { get; }

    /// <summary>The collections of an entity that others are found in.</summary>
    IReadOnlyList<EntityChildren> Children { get; }

    bool IsGone(object entity);

    /// <summary>Refuses an entity with components that nothing would be saved of.</summary>
    /// <exception cref="SceneException">There is one of an unknown class, or two are of one.</exception>
    void CheckComponents(object entity);

    EntityId IdOf(object entity);

    /// <summary>Adds an entity to those of its kind.</summary>
    /// <param name="objects">Those of its kind.</param>
    /// <param name="entity">The entity.</param>
    /// <param name="parent">What it was found in; null for the scene.</param>
    int Add(KindObjects<TScene> objects, object entity, object? parent);
}

/// <summary>A kind that is declared by attributes.</summary>
/// <param name="name">Its name in the save.</param>
/// <param name="kinds">All declared kinds of the scene.</param>
/// <param name="members">What its entities consist of.</param>
internal sealed class DeclaredKind<TScene, TEntity, TPlace>(
    string name, DeclaredKinds<TScene> kinds, MemberCollector<TScene, TEntity> members)
    : EntityKind<TScene, TEntity>(name), IDeclaredKind<TScene>
    where TEntity : class, IEntityType<TEntity>
    where TPlace : IEntityPlace<TScene, TEntity>
{
    public SceneKind<TScene> Kind => this;

    public IReadOnlyList<EntityChildren> Children => members.Collections;

    public override bool CanSpawn => TPlace.CanSpawn;

    public override bool OmitsUnchanged { get; } =
        TEntity.OnlyIfChanged
            || (members.Parts.Count > 0 && members.References.Count == 0 && members.Parts.TrueForAll(part => part.OnlyIfChanged));

    // Asked for every entity, and known as soon as one is: then all kinds have been described.
    private bool? _isFoundInParent;

    public override bool HasParent => members.Owner is not null || IsFoundInParent;

    public override bool HasSettled => TEntity.HasSettled || members.Settled.Count > 0;

    public override bool NamesParent => false;

    public override bool IsFoundInParent => _isFoundInParent ?? kinds.IsChild(typeof(TEntity));

    public override bool MayReplace { get; } = members.Parts.Exists(part => part.MayReplace);

    public override IReadOnlyList<EntityMember> Members { get; } = [.. members.Parts, .. members.References];

    public override int PartCount => members.Parts.Count;

    public override IReadOnlyList<EntityPart<TScene, TEntity>> Parts => members.Parts;

    public override IReadOnlyList<EntityLink<TScene, TEntity>> Links => members.References;

    public override KindObjects<TScene> Gather(TScene scene)
    {
        _isFoundInParent = kinds.IsChild(typeof(TEntity));
        return new LiveObjects<TScene, TEntity>(this, scene);
    }

    public bool IsGone(object entity) => TEntity.IsGone((TEntity)entity);

    public void CheckComponents(object entity)
    {
        foreach (var list in members.Lists)
            list.Check((TEntity)entity, TEntity.IdOf((TEntity)entity));
    }

    public EntityId IdOf(object entity) => TEntity.IdOf((TEntity)entity);

    public int Add(KindObjects<TScene> objects, object entity, object? parent) =>
        ((LiveObjects<TScene, TEntity>)objects).Add((TEntity)entity, parent);

    public override EntityId IdOf(TScene scene, TEntity entity) => TEntity.IdOf(entity);

    public override object? ParentOf(TScene scene, TEntity entity) => members.Owner?.Take(entity);

    public override EntityId? ParentIdOf(TScene scene, TEntity entity) => null;

    public override void PutParent(TScene scene, TEntity entity, EntityId? id, object? parent) =>
        members.Owner?.Put(entity, parent, scene!);

    public override TEntity Spawn(TScene scene, in EntityCreation creation)
    {
        if (creation.Parent is { } parent && kinds.ChildrenOf(parent, typeof(TEntity)) is { } children)
        {
            var entity = TEntity.Create(creation);
            children.Add(parent, entity);
            return entity;
        }
        return TPlace.Spawn(scene, creation);
    }

    public override void Remove(TScene scene, TEntity entity, object? parent)
    {
        if (parent is not null && kinds.ChildrenOf(parent, typeof(TEntity)) is { } children)
            children.Remove(parent, entity);
        else
            TPlace.Remove(scene, entity);
    }

    public override void MoveTo(TEntity entity, object? from, object? to)
    {
        if (ReferenceEquals(from, to))
            return;
        if (from is not null)
            kinds.ChildrenOf(from, typeof(TEntity))?.Remove(from, entity);
        if (to is not null)
            kinds.ChildrenOf(to, typeof(TEntity))?.Add(to, entity);
    }

    public override void Settle(TScene scene, TEntity entity)
    {
        TEntity.Settle(entity, scene!);
        foreach (var settle in members.Settled)
            settle(entity, scene!);
    }
}

/// <summary>The kinds of a scene that are declared by attributes, by the classes of their objects.</summary>
internal sealed class DeclaredKinds<TScene>
{
    private readonly Dictionary<Type, IDeclaredKind<TScene>> _byType = [];
    private readonly List<(Type Base, Func<object, IDeclaredKind<TScene>> Of)> _bySelf = [];
    private readonly HashSet<Type> _children = [];
    private readonly Dictionary<(Type Parent, Type Child), EntityChildren?> _childrenOf = [];

    public void Add(Type type, IDeclaredKind<TScene> kind)
    {
        _byType.Add(type, kind);
        Note(kind);
    }

    /// <summary>Kinds of one class, of which each object says its own.</summary>
    public void Add(Type type, IReadOnlyList<IDeclaredKind<TScene>> kinds, Func<object, IDeclaredKind<TScene>> kindOf)
    {
        _bySelf.Add((type, kindOf));
        foreach (var kind in kinds)
            Note(kind);
    }

    private void Note(IDeclaredKind<TScene> kind)
    {
        foreach (var children in kind.Children)
            _children.Add(children.Type);
    }

    /// <summary>Whether objects of a class may be found in others.</summary>
    public bool IsChild(Type type)
    {
        foreach (var children in _children)
        {
            if (children.IsAssignableFrom(type))
                return true;
        }
        return false;
    }

    /// <summary>The kind of an object; null if its class is none.</summary>
    public IDeclaredKind<TScene>? KindOf(object entity)
    {
        if (_byType.TryGetValue(entity.GetType(), out var kind))
            return kind;
        foreach (var (type, kindOf) in _bySelf)
        {
            if (type.IsInstanceOfType(entity))
                return kindOf(entity);
        }
        return null;
    }

    /// <summary>Whether objects of one class are all of one kind.</summary>
    public bool IsOneKind(Type type) => _byType.ContainsKey(type);

    /// <summary>The collection of an entity that objects of a class are found in; null if there is none.</summary>
    public EntityChildren? ChildrenOf(object parent, Type child)
    {
        var key = (parent.GetType(), child);
        if (!_childrenOf.TryGetValue(key, out var found))
        {
            found = KindOf(parent)?.Children.FirstOrDefault(children => children.Type.IsAssignableFrom(child));
            _childrenOf.Add(key, found);
        }
        return found;
    }
}

/// <summary>Kinds that are declared by attributes, and the member of the scene that their objects are found in.</summary>
internal sealed class DeclaredFamily<TScene, TBase>(DeclaredKinds<TScene> kinds, Func<TScene, IEnumerable<TBase>?> entities)
    : IEntityFamily<TScene> where TBase : class
{
    public IEnumerable<int> Visit(TScene scene, ILiveSink<TScene> sink)
    {
        var visit = new EntityVisit<TScene>(kinds, sink);
        var all = entities(scene);
        if (all is List<TBase> list)
        {
            for (var i = 0; i < list.Count; i++)
            {
                visit.Found(list[i], null);
                if (i % 16 == 0)
                    yield return 0;
            }
            yield break;
        }
        var count = 0;
        foreach (var entity in all ?? [])
        {
            visit.Found(entity, null);
            if (++count % 16 == 0)
                yield return 0;
        }
    }

    public bool Has(Type type) => typeof(TBase).IsAssignableFrom(type) || kinds.IsChild(type);

    public EntityId IdOf(TScene scene, object entity)
    {
        try
        {
            return kinds.KindOf(entity)?.IdOf(entity) ?? default;
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            // An object that is not in the scene need not have one.
            return default;
        }
    }
}

/// <summary>Hands out what is found in a scene, and what is found in that.</summary>
internal sealed class EntityVisit<TScene>(DeclaredKinds<TScene> kinds, ILiveSink<TScene> sink)
{
    private Type? _lastType;
    private IDeclaredKind<TScene>? _lastKind;
    private KindObjects<TScene>? _lastObjects;

    public void Found(object? entity, object? parent)
    {
        // A place in an array that is free.
        if (entity is null)
            return;
        var type = entity.GetType();
        if (type != _lastType)
            Look(entity, type);
        var (kind, objects) = (_lastKind!, _lastObjects!);
        if (kind.IsGone(entity))
            return;
        var id = default(EntityId);
        Exception? failure = null;
        try
        {
            id = kind.IdOf(entity);
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            failure = exception;
        }
        kind.CheckComponents(entity);
        sink.Found(id, objects, kind.Add(objects, entity, parent), failure);
        var all = kind.Children;
        for (var i = 0; i < all.Count; i++)
        {
            System.Runtime.CompilerServices.RuntimeHelpers.EnsureSufficientExecutionStack();
            foreach (var child in all[i].Of(entity) ?? [])
                Found(child, entity);
        }
    }

    private void Look(object entity, Type type)
    {
        _lastKind = kinds.KindOf(entity) ?? throw new SceneException(
            SaveErrorCode.SceneConflict, $"A {type.Name} is among the entities of the scene but is not an entity type.",
            remedy: $"Mark the class with [EntityType(\"…\")]; the scene has to be built with it.");
        _lastObjects = sink.ObjectsOf(_lastKind.Kind);
        // If objects of one class are of several kinds, each is asked.
        _lastType = kinds.IsOneKind(type) ? type : null;
    }
}
