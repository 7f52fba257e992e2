using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>How references are kept in a record: one as its text, several as a list.</summary>
internal static class ReferenceColumns
{
    public static PartColumn One(string name) => new ScalarPartColumn<EntityReference, EntityReferenceCodec>(name);

    public static PartColumn Many(string name) =>
        new ScalarPartColumn<List<EntityReference>?, ListCodec<EntityReference, EntityReferenceCodec>>(name);

    public static void Add(PartColumn column, int index, List<EntityReference> references)
    {
        if (column is PartColumn<EntityReference> one)
            one.Add(index, references[0]);
        else
            ((PartColumn<List<EntityReference>?>)column).Add(index, [.. references]);
    }

    /// <summary>The references of an entity.</summary>
    /// <param name="column">The column.</param>
    /// <param name="index">The entity's place in the record.</param>
    /// <param name="buffer">What a single reference is handed over in.</param>
    public static List<EntityReference> Get(PartColumn column, int index, List<EntityReference> buffer)
    {
        if (column is PartColumn<List<EntityReference>?> many)
            return many.TryGet(index, out var references) && references is not null ? references : [];
        buffer.Clear();
        if (column is PartColumn<EntityReference> one && one.TryGet(index, out var reference) && reference != default)
            buffer.Add(reference);
        return buffer;
    }

    public static bool AreEqual(List<EntityReference> references, PartColumn authored, int index, List<EntityReference> buffer) =>
        references.SequenceEqual(Get(authored, index, buffer));
}

internal sealed class ObjectReference<TScene, TEntity, TTarget>(
    string name, Func<TScene, TEntity, TTarget?> take, Action<TScene, TEntity, TTarget?> put)
    : EntityLink<TScene, TEntity>(name) where TTarget : class
{
    public override bool IsSingle => true;

    public override bool KeepsReferences => false;

    public override PartColumn MakeColumn() => ReferenceColumns.One(Name);

    public override void Take(TScene scene, TEntity entity, TakenReferences taken)
    {
        if (take(scene, entity) is { } target)
            taken.Add(target);
    }

    public override void Put(TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets) =>
        put(scene, entity, targets.Count > 0 ? targets[0] as TTarget : null);
}

internal sealed class IdReference<TScene, TEntity>(
    string name, Func<TScene, TEntity, EntityReference?> take, Action<TScene, TEntity, EntityReference?, object?> put)
    : EntityLink<TScene, TEntity>(name)
{
    public override bool IsSingle => true;

    public override bool KeepsReferences => true;

    public override PartColumn MakeColumn() => ReferenceColumns.One(Name);

    public override void Take(TScene scene, TEntity entity, TakenReferences taken)
    {
        if (take(scene, entity) is { } reference && reference != default)
            taken.Add(reference);
    }

    public override void Put(TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets)
    {
        if (references.Count > 0)
            put(scene, entity, references[0], targets[0]);
        else
            put(scene, entity, null, null);
    }
}

internal sealed class ObjectReferences<TScene, TEntity, TTarget>(
    string name, Func<TScene, TEntity, IEnumerable<TTarget>> take, Action<TScene, TEntity, IReadOnlyList<TTarget>> put)
    : EntityLink<TScene, TEntity>(name) where TTarget : class
{
    public override bool IsSingle => false;

    public override bool KeepsReferences => false;

    public override PartColumn MakeColumn() => ReferenceColumns.Many(Name);

    public override void Take(TScene scene, TEntity entity, TakenReferences taken)
    {
        foreach (var target in take(scene, entity))
            taken.Add((object)target);
    }

    public override void Put(TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets) =>
        put(scene, entity, [.. targets.OfType<TTarget>()]);
}
