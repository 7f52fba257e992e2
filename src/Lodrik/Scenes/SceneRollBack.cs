namespace Lodrik.Scenes;

/// <summary>
/// Puts a scene back as it was before a restoration that came to nothing. It looks at what is there, whatever the restoration got to, and
/// goes on where the game's own code fails.
/// </summary>
internal sealed class SceneRollBack<TScene>(SceneBindings<TScene> bindings, TScene scene, SceneRecord before, List<Exception> failures)
    : IEntityLookup
{
    private readonly Dictionary<EntityId, LiveEntity<TScene>> _there = [];

    /// <summary>Whether everything in the scene is as it was; what follows from it is the game's.</summary>
    public bool IsWhole { get; private set; }

    public static void Try(List<Exception> failures, Action act)
    {
        try
        {
            act();
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            failures.Add(exception);
        }
    }

    public void Act(bool wasSettling)
    {
        LiveSet<TScene>? now = null;
        Try(failures, () => now = new LiveSet<TScene>(bindings, scene));
        if (now is null)
            return;
        foreach (var live in now.All)
        {
            if (before.Find(live.Id) is { } was && was.Kind == live.Kind.Kind)
                _there.Add(live.Id, live);
        }
        // What stays is let go of, so that nothing is taken along by what goes; it gets its parent back below.
        foreach (var live in _there.Values.Where(live => live.Parent is not null))
            Try(failures, () => live.Kind.PutParent(live.Object, null));
        foreach (var live in now.All.Where(live => !_there.ContainsKey(live.Id)).OrderBy(live => live.Parent is null))
            Try(failures, () => live.Kind.Remove(scene, live.Object));
        foreach (var entity in before.Entities)
        {
            if (_there.ContainsKey(entity.Id) || bindings.Find(entity.Kind) is not { CanSpawn: true } kind)
                continue;
            Try(failures, () => _there.Add(entity.Id, new LiveEntity<TScene>(entity.Id, kind, null, kind.Spawn(scene, entity.Id))));
        }
        foreach (var entity in before.Entities)
        {
            if (_there.TryGetValue(entity.Id, out var live))
                Try(failures,
                    () => live.Kind.PutParent(live.Object, entity.Parent is { } parent ? _there.GetValueOrDefault(parent)?.Object : null));
        }
        foreach (var live in _there.Values)
            Try(failures, () => live.Kind.PutParts(live.Object, before, before.IndexOf(live.Id), before, authoredIndex: -1));
        foreach (var live in _there.Values.Where(live => live.Kind.HasReferences))
            Try(failures, () => live.Kind.PutReferences(live.Object, before, before.IndexOf(live.Id), this));
        if (before.NextSpawn > 0)
            Try(failures, () => bindings.Numbers?.Invoke(scene).ContinueFrom(before.NextSpawn));
        IsWhole = failures.Count == 0;
        if (wasSettling)
            Settle();
    }

    /// <summary>What had settled on the way has to settle again: what follows from the scene follows from the old one now.</summary>
    private void Settle()
    {
        foreach (var live in _there.Values)
            Try(failures, () => live.Kind.Settle(scene, live.Object));
        Try(failures, () => bindings.SceneSettled?.Invoke(scene));
    }

    object? IEntityLookup.Find(EntityReference reference) =>
        reference.Scene is null ? _there.GetValueOrDefault(reference.Id)?.Object : bindings.ResolveElsewhere?.Invoke(reference);

    EntityReference? IEntityLookup.ReferenceTo(object entity) => throw new NotSupportedException("Putting back takes no references.");
}
