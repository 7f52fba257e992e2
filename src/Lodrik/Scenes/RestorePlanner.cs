namespace Lodrik.Scenes;

/// <summary>Compares a captured scene with the live one and decides, entity by entity, what has to happen.</summary>
internal sealed class RestorePlanner<TScene>
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly SceneRecord _record;
    private readonly List<RestoreStep> _steps = [];
    private readonly List<string> _warnings = [];

    public RestorePlanner(SceneBindings<TScene> bindings, IReadOnlyDictionary<EntityId, LiveEntity<TScene>> live, SceneRecord record)
    {
        _bindings = bindings;
        _record = record;
        Live = live;
        foreach (var entity in record.Entities)
            DecideSaved(entity);
        foreach (var (id, entity) in live)
        {
            if (record.Find(id) is null)
                DecideUnsaved(id, entity);
        }
        Order = ParentsFirst();
        Plan = new RestorePlan(_steps, _warnings);
    }

    public RestorePlan Plan { get; }

    /// <summary>What is in the scene before anything happens.</summary>
    public IReadOnlyDictionary<EntityId, LiveEntity<TScene>> Live { get; }

    /// <summary>The entities of the record, each behind the one that it belongs to.</summary>
    public IReadOnlyList<EntityRecord> Order { get; }

    private void DecideSaved(EntityRecord saved)
    {
        if (_bindings.Find(saved.Kind) is not { } kind)
        {
            Step(saved, RestoreAction.UnknownKind, "the game has no such kind; it is kept for the next save");
            return;
        }
        if (Live.TryGetValue(saved.Id, out var live) && live.Kind.Kind == saved.Kind)
            Step(saved, RestoreAction.Update, "it is there");
        else if (!kind.CanSpawn)
            Step(saved, RestoreAction.Stuck, "it is not in the scene, and its kind does not say how to spawn one");
        else if (live.Kind is { CanSpawn: false })
            Step(saved, RestoreAction.Stuck, $"a {live.Kind.Kind} that cannot be removed has its id");
        else
        {
            if (live.Kind is not null)
                _steps.Add(new RestoreStep(saved.Id, live.Kind.Kind, RestoreAction.Remove, $"it is a {saved.Kind} in the save"));
            if (saved.Id.IsSpawned)
                Step(saved, RestoreAction.Spawn, "it was spawned before the save");
            else
                Step(saved, RestoreAction.BringBack, "it was removed since the save");
        }
    }

    private void DecideUnsaved(EntityId id, LiveEntity<TScene> live)
    {
        if (!id.IsSpawned && !_record.IsGone(id))
            _steps.Add(new RestoreStep(id, live.Kind.Kind, RestoreAction.LeaveAlone, "the save does not know it: it was placed by a later version of the game"));
        else if (!live.Kind.CanSpawn)
            _steps.Add(new RestoreStep(id, live.Kind.Kind, RestoreAction.Stuck, "it is not in the save, and its kind does not say how to remove one"));
        else
            _steps.Add(new RestoreStep(id, live.Kind.Kind, RestoreAction.Remove, id.IsSpawned ? "it was spawned since the save" : "it is gone in the save"));
    }

    private void Step(EntityRecord saved, RestoreAction action, string reason) => _steps.Add(new RestoreStep(saved.Id, saved.Kind, action, reason));

    private List<EntityRecord> ParentsFirst()
    {
        var order = new List<EntityRecord>(_record.Entities.Count);
        var done = new HashSet<EntityId>();
        var line = new List<EntityRecord>();
        foreach (var entity in _record.Entities)
        {
            // Up to the first ancestor that is done, then down again; no recursion, a line of parents may be long.
            line.Clear();
            var onLine = new HashSet<EntityId>();
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
        var found = _record.Find(parent);
        if (found is null && !Live.ContainsKey(parent))
            _warnings.Add($"{entity.Kind} {entity.Id} belongs to {parent}, which is not there; it belongs to nothing now");
        return found;
    }
}
