using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>A kind's binding with the type of its objects out of sight, as the capture and the plan go through all kinds alike.</summary>
internal interface IBoundKind<TScene>
{
    string Kind { get; }

    bool CanSpawn { get; }

    bool OmitsUnchanged { get; }

    /// <summary>Takes the parts of an entity into a record; those that may be left out and are as authored are.</summary>
    /// <param name="live">The entity.</param>
    /// <param name="record">The record, which has the entity as its last.</param>
    /// <param name="authored">The authored scene; null to take everything.</param>
    void TakeParts(LiveEntity<TScene> live, SceneRecord record, SceneRecord? authored);

    /// <summary>Takes what an entity refers to.</summary>
    IEnumerable<(string Name, bool IsSingle, IReadOnlyList<EntityReference> References)> TakeReferences(
        object entity, IEntityLookup lookup);

    /// <summary>Puts what the record has of an entity, and of the authored scene what may be left out of a record.</summary>
    /// <param name="entity">The entity.</param>
    /// <param name="record">The record.</param>
    /// <param name="index">The entity's place in the record; -1 where it is as authored.</param>
    /// <param name="authored">The authored scene.</param>
    /// <param name="authoredIndex">The entity's place in that; -1 where it was not placed.</param>
    void PutParts(object entity, SceneRecord record, int index, SceneRecord authored, int authoredIndex);

    void PutReferences(object entity, SceneRecord record, int index, IEntityLookup lookup);

    /// <summary>What a record has of an entity's references.</summary>
    IEnumerable<(string Name, EntityReference Reference)> ReferencesOf(SceneRecord record, int index);

    /// <summary>
    /// The references that lead nowhere and that the entity does not keep by itself, each with its place among those of its name.
    /// </summary>
    IEnumerable<(string Name, IReadOnlyList<(int Place, EntityReference Reference)> Lost)> FindLost(
        SceneRecord record, int index, IEntityLookup lookup);

    object Spawn(TScene scene, EntityId id);

    void Remove(TScene scene, object entity);

    bool HasParent { get; }

    void PutParent(object entity, object? parent);

    void Settle(TScene scene, object entity);

    bool HasSettled { get; }

    bool HasReferences { get; }

    PartColumn? MakeColumn(string part);

    PartColumn MakeReferenceColumn(string name);
}

/// <summary>Kinds that share a description, and where their objects are found.</summary>
internal interface IBoundFamily<TScene>
{
    /// <summary>The objects that are in the scene now.</summary>
    /// <exception cref="SceneException">One of them is of a kind that was not named.</exception>
    IEnumerable<LiveEntity<TScene>> Live(TScene scene);
}

internal sealed class BoundFamily<TScene, TEntity>(
    KindBinding<TScene, TEntity> binding, IReadOnlyDictionary<string, BoundKind<TScene, TEntity>> kinds,
    Func<TScene, IEnumerable<TEntity>> entities, Func<TEntity, string>? kindOf)
    : IBoundFamily<TScene> where TEntity : notnull
{
    private readonly BoundKind<TScene, TEntity>? _only = kindOf is null ? kinds.Values.Single() : null;

    public IEnumerable<LiveEntity<TScene>> Live(TScene scene)
    {
        foreach (var entity in entities(scene))
            yield return new LiveEntity<TScene>(
                binding.TakeId!(entity), _only ?? Find(kindOf!(entity)), binding.TakeParent?.Invoke(entity), entity);
    }

    private BoundKind<TScene, TEntity> Find(string kind) => kinds.GetValueOrDefault(kind) ?? throw new SceneException(
        SaveErrorCode.SceneConflict, $"An object of the scene is of the kind \"{kind}\", which is not bound.",
        remedy: $"Bound with it are: {string.Join(", ", kinds.Keys)}.");
}

internal sealed class BoundKind<TScene, TEntity>(string kind, KindBinding<TScene, TEntity> binding) : IBoundKind<TScene>
    where TEntity : notnull
{
    private readonly IPartBinding<TEntity>[] _parts = [.. binding.Parts];

    public string Kind => kind;

    public bool CanSpawn => binding.SpawnEntity is not null;

    public bool OmitsUnchanged => binding.OmitsUnchanged;

    public bool HasParent => binding.PutParent is not null;

    public bool HasSettled => binding.EntitySettled is not null;

    public bool HasReferences => binding.References.Count > 0;

    public void TakeParts(LiveEntity<TScene> live, SceneRecord record, SceneRecord? authored)
    {
        var entity = (TEntity)live.Object;
        var index = record.Entities.Count - 1;
        var columns = ColumnsIn(record);
        var authoredIndex = authored?.TryIndexOf(live.Id) ?? -1;
        if (authoredIndex >= 0 && authored!.Entities[authoredIndex].Kind != kind)
            authoredIndex = -1;
        var authoredColumns = authoredIndex >= 0 ? ColumnsIn(authored!) : [];
        for (var i = 0; i < columns.Length; i++)
        {
            var part = _parts[i];
            if (!part.AppliesTo(entity))
                continue;
            var mayOmit = authoredIndex >= 0 && (part.OnlyIfChanged || binding.OmitsUnchanged);
            part.Take(entity, columns[i], index, mayOmit ? (authoredColumns[i], authoredIndex) : null);
        }
    }

    public IEnumerable<(string Name, bool IsSingle, IReadOnlyList<EntityReference> References)> TakeReferences(
        object entity, IEntityLookup lookup)
    {
        foreach (var reference in binding.References)
            yield return (reference.Name, reference.IsSingle, reference.Take((TEntity)entity, lookup));
    }

    public void PutParts(object entity, SceneRecord record, int index, SceneRecord authored, int authoredIndex)
    {
        var live = (TEntity)entity;
        var columns = ColumnsIn(record);
        var authoredColumns = authoredIndex >= 0 && authored.Entities[authoredIndex].Kind == kind ? ColumnsIn(authored) : [];
        for (var i = 0; i < columns.Length; i++)
        {
            var part = _parts[i];
            if (!part.AppliesTo(live) || (index >= 0 && part.Put(live, columns[i], index)))
                continue;
            var isAuthored = authoredColumns.Length > 0 && (index < 0 || part.OnlyIfChanged || binding.OmitsUnchanged);
            if (!isAuthored || !part.Put(live, authoredColumns[i], authoredIndex))
                part.Clear(live);
        }
    }

    private PartColumn[] ColumnsIn(SceneRecord record) => record.Bound(
        this, static (record, self) => [.. self._parts.Select(part => record.Column(self.Kind, part.Name, part.MakeColumn))]);

    public void PutReferences(object entity, SceneRecord record, int index, IEntityLookup lookup)
    {
        foreach (var reference in binding.References)
            reference.Put((TEntity)entity, In(record, index, reference), lookup);
    }

    public IEnumerable<(string Name, EntityReference Reference)> ReferencesOf(SceneRecord record, int index) =>
        binding.References.SelectMany(reference => In(record, index, reference).Select(one => (reference.Name, one)));

    public IEnumerable<(string Name, IReadOnlyList<(int Place, EntityReference Reference)> Lost)> FindLost(
        SceneRecord record, int index, IEntityLookup lookup)
    {
        foreach (var reference in binding.References)
        {
            if (reference.KeepsReferences)
                continue;
            var lost = In(record, index, reference).Select((one, place) => (place, one)).Where(one => lookup.Find(one.one) is null)
                .ToList();
            if (lost.Count > 0)
                yield return (reference.Name, lost);
        }
    }

    private IReadOnlyList<EntityReference> In(SceneRecord record, int index, IReferenceBinding<TEntity> reference) =>
        ReferenceColumns.Get(record.Column(kind, reference.Name, reference.MakeColumn), index);

    public object Spawn(TScene scene, EntityId id)
    {
        var entity = binding.SpawnEntity!(scene, id, kind) ?? throw new SceneException(
            SaveErrorCode.SceneConflict, $"Spawning the {kind} {id} gave nothing.", remedy: "Give the new object from Spawn.");
        // Otherwise the scene could not be captured any more, and the next save would be refused.
        var actual = binding.TakeId!(entity);
        return actual == id ? entity : throw new SceneException(
            SaveErrorCode.SceneConflict, $"The {kind} that was spawned as {id} says that its id is {actual}.",
            remedy: "Spawn has to give the object the whole id that it gets, name or number.");
    }

    public void Remove(TScene scene, object entity) => binding.RemoveEntity!(scene, (TEntity)entity);

    public void PutParent(object entity, object? parent) => binding.PutParent?.Invoke((TEntity)entity, parent);

    public void Settle(TScene scene, object entity) => binding.EntitySettled?.Invoke(scene, (TEntity)entity);

    public PartColumn? MakeColumn(string part) => binding.Parts.FirstOrDefault(one => one.Name == part)?.MakeColumn()
        ?? binding.References.FirstOrDefault(one => one.Name == part)?.MakeColumn();

    public PartColumn MakeReferenceColumn(string name) => binding.References.First(one => one.Name == name).MakeColumn();
}

/// <summary>An object of the live scene.</summary>
internal sealed record LiveEntity<TScene>(EntityId Id, IBoundKind<TScene> Kind, object? Parent, object Object);
