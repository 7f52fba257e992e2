namespace Lodrik.Scenes;

/// <summary>Compares a captured scene with the live one and decides, entity by entity, what has to happen.</summary>
internal sealed class RestorePlanner<TScene>
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly SceneRecord _record;
    private readonly SceneRecord _authored;
    private readonly IReadOnlyDictionary<EntityId, string> _manifest;
    private readonly List<RestoreStep> _steps = [];
    private readonly List<string> _warnings = [];
    private readonly List<EntityRecord> _targets = [];
    private readonly Dictionary<EntityId, EntityRecord> _targetsById = [];
    private readonly HashSet<EntityId> _spawned = [];
    private readonly List<LiveEntity<TScene>> _removed = [];
    private readonly HashSet<EntityId> _removedIds = [];

    /// <exception cref="SceneException">Entities of the record are each other's parents in a circle.</exception>
    public RestorePlanner(
        SceneBindings<TScene> bindings, LiveSet<TScene> live, SceneRecord record, IReadOnlyDictionary<EntityId, string> manifest, SceneRecord authored)
    {
        (_bindings, _record, _manifest, _authored) = (bindings, record, manifest, authored);
        Live = live;
        foreach (var entity in record.Entities)
            DecideSaved(entity);
        foreach (var entity in live.InOrder)
        {
            if (record.Find(entity.Id) is null)
                DecideUnsaved(entity);
        }
        foreach (var (id, kind) in manifest)
        {
            if (!live.Contains(id) && record.Find(id) is null && !record.IsGone(id))
                BringBackAuthored(id, kind, "it was removed since the save, and is there in it as the designer left it");
        }
        Order = ParentsFirst();
        Removals = ChildrenFirst();
        FindDangling();
        Plan = new RestorePlan(_steps, _warnings);
    }

    public RestorePlan Plan { get; }

    /// <summary>What is in the scene before anything happens.</summary>
    public LiveSet<TScene> Live { get; }

    /// <summary>The entities that are going to be there, each behind the one that it belongs to.</summary>
    public IReadOnlyList<EntityRecord> Order { get; }

    /// <summary>What is removed, each before the one that it belongs to.</summary>
    public IReadOnlyList<LiveEntity<TScene>> Removals { get; }

    public bool IsRemoved(EntityId id) => _removedIds.Contains(id);

    public bool IsSpawned(EntityId id) => _spawned.Contains(id);

    private void DecideSaved(EntityRecord saved)
    {
        if (_bindings.Find(saved.Kind) is not { } kind)
        {
            Step(saved, RestoreAction.UnknownKind, "the game has no such kind; it is kept for the next save");
            return;
        }
        var live = Live.Find(saved.Id);
        if (live?.Kind.Kind == saved.Kind)
        {
            Step(saved, RestoreAction.Update, "it is there");
            Target(saved);
        }
        else if (live is null && !saved.Id.IsSpawned && !saved.IsCarried && !_manifest.ContainsKey(saved.Id))
            Step(saved, RestoreAction.TakenOut, "this version of the game does not place it any more; it is kept for the next save");
        else if (!kind.CanSpawn)
            Step(saved, RestoreAction.Stuck, "it is not in the scene, and its kind does not say how to spawn one");
        else if (live is { Kind.CanSpawn: false })
            Step(saved, RestoreAction.Stuck, $"a {live.Kind.Kind} that cannot be removed has its id");
        else
        {
            if (live is not null)
                Remove(live, $"it is a {saved.Kind} in the save");
            if (saved.Id.IsSpawned || saved.IsCarried)
                Step(saved, RestoreAction.Spawn, saved.IsCarried ? "it had been brought into the scene before the save" : "it was spawned before the save");
            else
                Step(saved, RestoreAction.BringBack, "it was removed since the save");
            _spawned.Add(saved.Id);
            Target(saved);
        }
    }

    private void DecideUnsaved(LiveEntity<TScene> live)
    {
        var isPlaced = _manifest.TryGetValue(live.Id, out var authoredKind);
        if (live.Id.IsSpawned)
            Remove(live, "it was spawned since the save");
        else if (_record.IsGone(live.Id))
            Remove(live, "it is gone in the save");
        else if (!isPlaced)
            Remove(live, "it was brought into the scene since the save");
        else if (live.Kind.Kind != authoredKind)
        {
            if (Remove(live, $"the designer placed a {authoredKind}"))
                BringBackAuthored(live.Id, authoredKind!, "the save does not mention it: it is as the designer left it");
        }
        else
        {
            _steps.Add(new RestoreStep(live.Id, live.Kind.Kind, RestoreAction.AsAuthored, live.Kind.OmitsUnchanged
                ? "it is in the save as the designer left it"
                : "the save does not know it: it was placed by a later version of the game"));
            if (_authored.Find(live.Id) is { } authored)
                Target(authored);
        }
    }

    private void BringBackAuthored(EntityId id, string kind, string reason)
    {
        if (_bindings.Find(kind) is not { CanSpawn: true } || _authored.Find(id) is not { } authored)
        {
            _steps.Add(new RestoreStep(id, kind, RestoreAction.Stuck, "it is not in the scene, and its kind does not say how to spawn one"));
            return;
        }
        _steps.Add(new RestoreStep(id, kind, RestoreAction.BringBack, reason));
        _spawned.Add(id);
        Target(authored);
    }

    private bool Remove(LiveEntity<TScene> live, string reason)
    {
        if (!live.Kind.CanSpawn)
        {
            _steps.Add(new RestoreStep(live.Id, live.Kind.Kind, RestoreAction.Stuck, $"{reason}, and its kind does not say how to remove one"));
            return false;
        }
        _steps.Add(new RestoreStep(live.Id, live.Kind.Kind, RestoreAction.Remove, reason));
        _removed.Add(live);
        _removedIds.Add(live.Id);
        return true;
    }

    private void Step(EntityRecord saved, RestoreAction action, string reason) => _steps.Add(new RestoreStep(saved.Id, saved.Kind, action, reason));

    private void Target(EntityRecord entity)
    {
        if (_targetsById.TryAdd(entity.Id, entity))
            _targets.Add(entity);
    }

    private List<EntityRecord> ParentsFirst()
    {
        var order = new List<EntityRecord>(_targets.Count);
        var done = new HashSet<EntityId>();
        var line = new List<EntityRecord>();
        var onLine = new HashSet<EntityId>();
        foreach (var entity in _targets)
        {
            if (entity.Parent is null)
            {
                if (done.Add(entity.Id))
                    order.Add(entity);
                continue;
            }
            // Up to the first ancestor that is done, then down again; no recursion, a line of parents may be long.
            line.Clear();
            onLine.Clear();
            for (EntityRecord? at = entity; at is { } one && !done.Contains(one.Id); at = ParentOf(one))
            {
                if (!onLine.Add(one.Id))
                {
                    throw new SceneException(
                        SaveErrorCode.SceneConflict,
                        $"In the save, {one.Id} belongs to itself: {string.Join(" in ", line.Select(step => step.Id).Append(one.Id))}.",
                        remedy: "Nothing was changed. Load an older generation.");
                }
                line.Add(one);
            }
            for (var i = line.Count - 1; i >= 0; i--)
            {
                done.Add(line[i].Id);
                order.Add(line[i]);
            }
        }
        return order;
    }

    private EntityRecord? ParentOf(EntityRecord entity)
    {
        if (entity.Parent is not { } parent)
            return null;
        if (_targetsById.TryGetValue(parent, out var found))
            return found;
        _warnings.Add($"{entity.Kind} {entity.Id} belongs to {parent}, which is not there; it belongs to nothing now");
        return null;
    }

    private List<LiveEntity<TScene>> ChildrenFirst()
    {
        var depths = new Dictionary<EntityId, int>();
        foreach (var entity in _removed)
        {
            if (entity.Parent is not null)
                depths[entity.Id] = DepthOf(entity);
        }
        return depths.Count == 0 ? _removed : [.. _removed.OrderByDescending(entity => depths.GetValueOrDefault(entity.Id))];
    }

    private int DepthOf(LiveEntity<TScene> entity)
    {
        var depth = 0;
        for (var at = entity; at?.Parent is { } parent && depth <= Live.Count; depth++)
            at = (parent is EntityId id ? id : Live.IdOf(parent)) is { } known ? Live.Find(known) : null;
        return depth;
    }

    /// <summary>Reports references to entities of this scene that are not going to be there.</summary>
    private void FindDangling()
    {
        foreach (var entity in _targets)
        {
            if (_bindings.Find(entity.Kind) is not { HasReferences: true } kind || _record.TryIndexOf(entity.Id) < 0)
                continue;
            foreach (var (name, reference) in kind.ReferencesOf(entity.Id, _record))
            {
                if (reference.Scene is null && !_targetsById.ContainsKey(reference.Id))
                    _warnings.Add($"{entity.Kind} {entity.Id} refers to {reference.Id} as its {name}, which is not there; it refers to nothing now");
            }
        }
    }
}
