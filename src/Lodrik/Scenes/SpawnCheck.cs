namespace Lodrik.Scenes;

/// <summary>
/// Looks at a scene after what was to go was removed and what was to come was spawned. What the game's callbacks created beside that would
/// be there twice: it is removed again. What is still there although it was removed would go later, and with it what was put into its
/// place.
/// </summary>
internal sealed class SpawnCheck<TScene>(SceneBindings<TScene> bindings, SceneAtWork<TScene> scene, RestorePlan plan)
{
    private readonly RestorePlanner<TScene> _planner = scene.Planner;

    /// <exception cref="SceneException">Something is still there after its removal.</exception>
    public IEnumerable<int> Act()
    {
        if (_planner.Removals.Count == 0 && !_planner.Spawns)
            yield break;
        var steps = LiveSet<TScene>.LookAround(bindings, scene.Scene, _planner.Targets.Length, out var now);
        foreach (var step in steps)
            yield return step;
        var removed = new HashSet<object>(_planner.Removals.Count, SameObject.Comparer);
        foreach (var one in _planner.Removals)
        {
            removed.Add(one.Object);
            yield return 0;
        }
        var extra = new List<LiveEntity<TScene>>();
        foreach (var live in now.All)
        {
            if (!IsExpected(live, removed))
                extra.Add(live);
            yield return 0;
        }
        HashSet<object>? spawned = null;
        foreach (var stray in now.Strays)
        {
            if (stray.Other is not null || !(spawned ??= SpawnedObjects()).Contains(stray.Entity.Object))
                extra.Add(IsExpected(stray.Entity, removed) ? stray.Other!.Value : stray.Entity);
        }
        foreach (var live in extra)
        {
            if (!live.Kind.CanSpawn)
                continue;
            plan.AddWarning(
                $"{live.Kind.Name} {live.Id} was created by the game's code while the scene was being restored; it is not in the "
                    + "save and was removed again");
            live.Objects.Remove(live.Slot);
            yield return 0;
        }
        now.Release();
    }

    /// <summary>Whether an object is one that the plan wants there.</summary>
    private bool IsExpected(LiveEntity<TScene> live, HashSet<object> removed)
    {
        if (_planner.IndexOf(live.Id) is >= 0 and var index && _planner.ObjectOf(index) is { } expected
            && SameObject.Comparer.Equals(expected, live.Object))
            return true;
        if (removed.Contains(live.Object) && live.Object is not ValueType)
        {
            throw new SceneException(
                SaveErrorCode.SceneConflict, $"The {live.Kind.Name} {live.Id} is still in the scene after it was removed.",
                remedy: "Remove has to take the object out of the collection that the kind's entities are found in. If the engine "
                    + "destroys it at the end of the frame, say with Alive that it is gone.");
        }
        return _planner.IndexOf(live.Id) < 0 && _planner.WillBeThere(live.Id);
    }

    /// <summary>What was spawned, which may get its id later.</summary>
    private HashSet<object> SpawnedObjects()
    {
        var spawned = new HashSet<object>(SameObject.Comparer);
        for (var index = 0; index < _planner.Targets.Length; index++)
        {
            if (_planner.Targets[index].IsSpawned && _planner.ObjectOf(index) is { } one)
                spawned.Add(one);
        }
        return spawned;
    }
}
