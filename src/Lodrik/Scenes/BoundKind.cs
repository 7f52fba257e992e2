using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>A kind's binding with the type of its objects out of sight, as the capture and the plan go through all kinds alike.</summary>
internal interface IBoundKind<TScene>
{
    string Kind { get; }

    bool CanSpawn { get; }

    /// <summary>The objects that are in the scene now, each with what it belongs to: an id, an object, or nothing.</summary>
    IEnumerable<(EntityId Id, object? Parent, object Entity)> Live(TScene scene);

    void Take(object entity, SceneRecord scene, int index);

    object Spawn(TScene scene, EntityId id);

    void Remove(TScene scene, object entity);

    void PutParent(object entity, object? parent);

    void PutParts(object entity, SceneRecord record, EntityId id);

    void Settle(TScene scene, object entity);

    PartColumn? MakeColumn(string part);
}

internal sealed class BoundKind<TScene, TEntity>(KindBinding<TScene, TEntity> binding) : IBoundKind<TScene> where TEntity : notnull
{
    public string Kind => binding.Kind;

    public bool CanSpawn => binding.SpawnEntity is not null;

    public IEnumerable<(EntityId Id, object? Parent, object Entity)> Live(TScene scene)
    {
        foreach (var entity in binding.Entities(scene))
            yield return (binding.TakeId!(entity), binding.TakeParent?.Invoke(entity), entity);
    }

    public void Take(object entity, SceneRecord scene, int index)
    {
        foreach (var part in binding.Parts)
            part.Take((TEntity)entity, scene, Kind, index);
    }

    public object Spawn(TScene scene, EntityId id) => binding.SpawnEntity!(scene, id);

    public void Remove(TScene scene, object entity) => binding.RemoveEntity!(scene, (TEntity)entity);

    public void PutParent(object entity, object? parent) => binding.PutParent?.Invoke((TEntity)entity, parent);

    public void PutParts(object entity, SceneRecord record, EntityId id)
    {
        foreach (var part in binding.Parts)
            part.Put((TEntity)entity, record, id);
    }

    public void Settle(TScene scene, object entity) => binding.EntitySettled?.Invoke(scene, (TEntity)entity);

    public PartColumn? MakeColumn(string part) => binding.Parts.FirstOrDefault(one => one.Name == part)?.MakeColumn();
}
