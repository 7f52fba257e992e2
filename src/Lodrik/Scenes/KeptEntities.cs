namespace Lodrik.Scenes;

/// <summary>Entities that waited beside others because the game did not know their kind.</summary>
internal static class KeptEntities
{
    /// <summary>
    /// Brings forward those that this version of the game knows: if nothing that it knows has their id, or if the designer placed one of
    /// their kind under it. A record does not change, so that this gives another one.
    /// </summary>
    public static SceneRecord BringForward<TScene>(
        SceneRecord record, SceneBindings<TScene> bindings, IReadOnlyDictionary<EntityId, string> manifest)
    {
        if (record.Kept is not { } kept)
            return record;
        var forward = new Dictionary<EntityId, int>();
        for (var index = 0; index < kept.Count; index++)
        {
            var (id, kind) = (kept.EntityAt(index).Id, kept.EntityAt(index).Kind);
            if (bindings.Find(kind) is null || forward.ContainsKey(id))
                continue;
            var isTaken = record.Find(id) is { } other && bindings.Find(other.Kind) is not null;
            if (!isTaken || (manifest.GetValueOrDefault(id) == kind && record.Find(id)!.Value.Kind != kind))
                forward.Add(id, index);
        }
        if (forward.Count == 0)
            return record;
        var brought = record.CopyHead();
        for (var index = 0; index < record.Count; index++)
        {
            var entity = record.EntityAt(index);
            if (forward.ContainsKey(entity.Id))
                record.CopyEntity(index, brought.KeepBeside(entity));
            else if (brought.TryAdd(entity))
                record.CopyEntity(index, brought);
        }
        for (var index = 0; index < kept.Count; index++)
        {
            var entity = kept.EntityAt(index);
            if (forward.GetValueOrDefault(entity.Id, -1) != index)
                kept.CopyEntity(index, brought.KeepBeside(entity));
            else if (brought.TryAdd(entity))
                kept.CopyEntity(index, brought);
        }
        return brought;
    }
}
