namespace Lodrik.Scenes;

/// <summary>Carries out a plan, phase by phase.</summary>
internal sealed class RestoreRun<TScene>(SceneBindings<TScene> bindings, TScene scene, RestorePlanner<TScene> planner, SceneRecord record)
{
    private readonly Dictionary<EntityId, (IBoundKind<TScene> Kind, object Object)> _there = [];

    public void Act()
    {
        Remove();
        Spawn();
        PutParents();
        PutParts();
        Settle();
    }

    private void Remove()
    {
        var removed = planner.Plan.Steps.Where(step => step.Action == RestoreAction.Remove).Select(step => step.Id).ToHashSet();
        var removedObjects = removed.Select(id => planner.Live[id].Object).ToHashSet(SameObject.Comparer);
        // In some games what goes takes along what belongs to it: what stays is let go of first, and children go before parents.
        foreach (var (id, live) in planner.Live)
        {
            var isOrphan = live.Parent is EntityId parent ? removed.Contains(parent) : live.Parent is not null && removedObjects.Contains(live.Parent);
            if (isOrphan && !removed.Contains(id))
                Call("parenting", id, live.Kind.Kind, () => live.Kind.PutParent(live.Object, null));
        }
        foreach (var id in planner.Live.Where(live => removed.Contains(live.Key)).OrderBy(live => live.Value.Parent is null).Select(live => live.Key).ToList())
        {
            var live = planner.Live[id];
            Call("removing", id, live.Kind.Kind, () => live.Kind.Remove(scene, live.Object));
        }
        foreach (var (id, live) in planner.Live)
        {
            if (!removed.Contains(id))
                _there.Add(id, (live.Kind, live.Object));
        }
    }

    private void Spawn()
    {
        var toSpawn = planner.Plan.Steps
            .Where(step => step.Action is RestoreAction.Spawn or RestoreAction.BringBack)
            .Select(step => step.Id)
            .ToHashSet();
        foreach (var entity in planner.Order)
        {
            if (!toSpawn.Contains(entity.Id))
                continue;
            var kind = bindings.Find(entity.Kind)!;
            Call("spawning", entity.Id, entity.Kind, () => _there[entity.Id] = (kind, kind.Spawn(scene, entity.Id)));
        }
    }

    private void PutParents()
    {
        foreach (var entity in Present())
        {
            var parent = entity.Parent is { } id && _there.TryGetValue(id, out var found) ? found.Object : null;
            var (kind, live) = _there[entity.Id];
            Call("parenting", entity.Id, entity.Kind, () => kind.PutParent(live, parent));
        }
    }

    private void PutParts()
    {
        foreach (var entity in Present())
        {
            var (kind, live) = _there[entity.Id];
            Call("putting the parts of", entity.Id, entity.Kind, () => kind.PutParts(live, record, entity.Id));
        }
        if (record.NextSpawn > 0)
            bindings.Numbers?.Invoke(scene).ContinueFrom(record.NextSpawn);
    }

    private void Settle()
    {
        foreach (var (id, (kind, live)) in _there)
            Call("settling", id, kind.Kind, () => kind.Settle(scene, live));
        bindings.SceneSettled?.Invoke(scene);
    }

    /// <summary>The entities of the record that are in the scene by now, parents first.</summary>
    private IEnumerable<EntityRecord> Present() =>
        planner.Order.Where(entity => _there.TryGetValue(entity.Id, out var there) && there.Kind.Kind == entity.Kind);

    private static void Call(string doing, EntityId id, string kind, Action act)
    {
        try
        {
            act();
        }
        catch (Exception exception) when (exception is not (SaveException or OutOfMemoryException))
        {
            throw new SceneException(
                SaveErrorCode.SceneConflict,
                $"The game's own code failed while {doing} the {kind} {id}: {exception.Message}",
                remedy: "The scene is restored in part; begin it anew and restore it again.",
                innerException: exception);
        }
    }
}
