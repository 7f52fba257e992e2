using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>Says which entity an object is, and which object an entity is.</summary>
internal interface IEntityLookup
{
    /// <summary>The reference to an object; null where nobody knows it.</summary>
    EntityReference? ReferenceTo(object entity);

    /// <summary>The object of a reference; null where it is not there.</summary>
    object? Find(EntityReference reference);
}

/// <summary>A reference of a kind, or a list of them.</summary>
internal interface IReferenceBinding<TEntity>
{
    string Name { get; }

    PartColumn MakeColumn();

    /// <summary>Gets what the entity refers to.</summary>
    /// <exception cref="SceneException">It refers to something that nobody knows.</exception>
    IReadOnlyList<EntityReference> Take(TEntity entity, IEntityLookup lookup);

    void Put(TEntity entity, IReadOnlyList<EntityReference> references, IEntityLookup lookup);

    /// <summary>Whether there is at most one.</summary>
    bool IsSingle { get; }

    /// <summary>Whether the object has the reference itself, whether or not there is something behind it.</summary>
    bool KeepsReferences { get; }
}

/// <summary>How references stand in a record: one as its text, several as a list.</summary>
internal static class ReferenceColumns
{
    public static PartColumn One(string name) => new ScalarPartColumn<EntityReference, EntityReferenceCodec>(name);

    public static PartColumn Many(string name) =>
        new ScalarPartColumn<List<EntityReference>?, ListCodec<EntityReference, EntityReferenceCodec>>(name);

    public static void Add(PartColumn column, int index, IReadOnlyList<EntityReference> references)
    {
        if (column is PartColumn<EntityReference> one)
            one.Add(index, references[0]);
        else
            ((PartColumn<List<EntityReference>?>)column).Add(index, [.. references]);
    }

    public static IReadOnlyList<EntityReference> Get(PartColumn column, int index) => column switch
    {
        PartColumn<EntityReference> one => one.TryGet(index, out var reference) && reference != default ? [reference] : [],
        PartColumn<List<EntityReference>?> many => many.TryGet(index, out var references) ? references ?? [] : [],
        _ => [],
    };

    /// <exception cref="SceneException">Nobody knows the object.</exception>
    public static EntityReference ReferenceTo(object target, string name, IEntityLookup lookup) =>
        lookup.ReferenceTo(target) ?? throw new SceneException(
        SaveErrorCode.SceneConflict,
        $"The reference \"{name}\" leads to a {target.GetType().Name} that is not in the scene.",
        remedy: "Bind the kind of that object, say with Elsewhere where it is, or let go of it before the scene is captured.");
}

internal sealed class ObjectReference<TEntity, TTarget>(string name, Func<TEntity, TTarget?> take, Action<TEntity, TTarget?> put)
    : IReferenceBinding<TEntity> where TTarget : class
{
    public string Name => name;

    public bool IsSingle => true;

    public bool KeepsReferences => false;

    public PartColumn MakeColumn() => ReferenceColumns.One(name);

    public IReadOnlyList<EntityReference> Take(TEntity entity, IEntityLookup lookup) =>
        take(entity) is { } target ? [ReferenceColumns.ReferenceTo(target, name, lookup)] : [];

    public void Put(TEntity entity, IReadOnlyList<EntityReference> references, IEntityLookup lookup) =>
        put(entity, references.Count > 0 ? lookup.Find(references[0]) as TTarget : null);
}

internal sealed class IdReference<TEntity>(
    string name, Func<TEntity, EntityReference?> take, Action<TEntity, EntityReference?, object?> put) : IReferenceBinding<TEntity>
{
    public string Name => name;

    public bool IsSingle => true;

    public bool KeepsReferences => true;

    public PartColumn MakeColumn() => ReferenceColumns.One(name);

    public IReadOnlyList<EntityReference> Take(TEntity entity, IEntityLookup lookup) =>
        take(entity) is { } reference && reference != default ? [reference] : [];

    public void Put(TEntity entity, IReadOnlyList<EntityReference> references, IEntityLookup lookup)
    {
        if (references.Count > 0)
            put(entity, references[0], lookup.Find(references[0]));
        else
            put(entity, null, null);
    }
}

internal sealed class ObjectReferences<TEntity, TTarget>(
    string name, Func<TEntity, IEnumerable<TTarget>> take, Action<TEntity, IReadOnlyList<TTarget>> put) : IReferenceBinding<TEntity>
    where TTarget : class
{
    public string Name => name;

    public bool IsSingle => false;

    public bool KeepsReferences => false;

    public PartColumn MakeColumn() => ReferenceColumns.Many(name);

    public IReadOnlyList<EntityReference> Take(TEntity entity, IEntityLookup lookup) =>
        [.. take(entity).Select(target => ReferenceColumns.ReferenceTo(target, name, lookup))];

    public void Put(TEntity entity, IReadOnlyList<EntityReference> references, IEntityLookup lookup) =>
        put(entity, [.. references.Select(lookup.Find).OfType<TTarget>()]);
}
