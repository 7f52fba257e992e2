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
    private readonly List<RestoreTarget<TScene>> _targets = [];
    private readonly RestoreTarget<TScene>?[] _byRecordIndex;
    private readonly Dictionary<EntityId, RestoreTarget<TScene>> _asAuthored = [];
    private readonly List<LiveEntity<TScene>> _removed = [];
    private readonly HashSet<EntityId> _removedIds = [];
    private readonly List<LiveEntity<TScene>> _others = [];

    /// <exception cref="SceneException">Entities of the record are each other's parents in a circle.</exception>
    public RestorePlanner(
        SceneBindings<TScene> bindings, LiveSet<TScene> live, SceneRecord record, IReadOnlyDictionary<EntityId, string> manifest,
        SceneRecord authored)
    {
        (_bindings, _record, _manifest, _authored) = (bindings, record, manifest, authored);
        Live = live;
        _byRecordIndex = new RestoreTarget<TScene>?[record.Entities.Count];
        _steps.EnsureCapacity(record.Entities.Count);
        _targets.EnsureCapacity(record.Entities.Count);

        // Each id is looked up once in each direction; a scene may have a hundred thousand of them.
        var liveOf = new LiveEntity<TScene>?[record.Entities.Count];
        var unsaved = new List<LiveEntity<TScene>>();
        var isThere = new bool[authored.Entities.Count];
        var authoredOf = new int[record.Entities.Count];
        Array.Fill(authoredOf, -1);
        foreach (var entity in live.All)
        {
            var index = record.TryIndexOf(entity.Id);
            var authoredIndex = entity.Id.IsSpawned ? -1 : authored.TryIndexOf(entity.Id);
            if (authoredIndex >= 0)
                isThere[authoredIndex] = true;
            if (index < 0)
                unsaved.Add(entity);
            else
                (liveOf[index], authoredOf[index]) = (entity, authoredIndex);
        }
        for (var index = 0; index < liveOf.Length; index++)
            DecideSaved(index, liveOf[index], authoredOf[index]);
        foreach (var entity in unsaved)
            DecideUnsaved(entity);
        FindAbsent(isThere);

        Order = ParentsFirst();
        Removals = ChildrenFirst();
        FindDangling();
        Plan = new RestorePlan(_steps, _warnings);
    }

    public RestorePlan Plan { get; }

    /// <summary>What is in the scene before anything happens.</summary>
    public LiveSet<TScene> Live { get; }

    /// <summary>The entities that are going to be there, each behind the one that it belongs to.</summary>
    public IReadOnlyList<RestoreTarget<TScene>> Order { get; }

    /// <summary>What is removed, each before the one that it belongs to.</summary>
    public IReadOnlyList<LiveEntity<TScene>> Removals { get; }

    /// <summary>What stays although it should not, as its kind does not say how to remove it.</summary>
    public IReadOnlyList<LiveEntity<TScene>> Others => _others;

    public bool IsRemoved(EntityId id) => _removedIds.Contains(id);

    /// <summary>An entity that is going to be there; null where the plan does nothing for it.</summary>
    public RestoreTarget<TScene>? Find(EntityId id) =>
        _record.TryIndexOf(id) is >= 0 and var index ? _byRecordIndex[index] : _asAuthored.GetValueOrDefault(id);

    private void DecideSaved(int index, LiveEntity<TScene>? live, int authoredIndex)
    {
        var saved = _record.Entities[index];
        if (_bindings.Find(saved.Kind) is not { } kind)
        {
            Step(saved, RestoreAction.UnknownKind, "the game has no such kind; it is kept for the next save");
            if (live is not null)
                _others.Add(live);
            return;
        }
        if (live?.Kind == kind)
        {
            Step(saved, RestoreAction.Update, "it is there");
            Target(saved, kind, index, authoredIndex, live.Object);
        }
        else if (live is null && !saved.Id.IsSpawned && !saved.IsCarried && !_manifest.ContainsKey(saved.Id))
            Step(saved, RestoreAction.TakenOut, "this version of the game does not place it any more; it is kept for the next save");
        else if (!kind.CanSpawn)
            Stuck(saved, live, "it is not in the scene, and its kind does not say how to spawn one");
        else if (live is { Kind.CanSpawn: false })
            Stuck(saved, live, $"a {live.Kind.Kind} that cannot be removed has its id");
        else
        {
            if (live is not null)
                Remove(live, $"it is a {saved.Kind} in the save");
            if (saved.Id.IsSpawned || saved.IsCarried)
                Step(saved, RestoreAction.Spawn,
                    saved.IsCarried ? "it had been brought into the scene before the save" : "it was spawned before the save");
            else
                Step(saved, RestoreAction.BringBack, "it was removed since the save");
            Target(saved, kind, index, saved.Id.IsSpawned ? -1 : _authored.TryIndexOf(saved.Id), null);
        }
    }

    private void DecideUnsaved(LiveEntity<TScene> live)
    {
        string? authoredKind = null;
        if (live.Id.IsSpawned)
            Remove(live, "it was spawned since the save");
        else if (_record.IsGone(live.Id))
            Remove(live, "it is gone in the save");
        else if (!_manifest.TryGetValue(live.Id, out authoredKind))
            Remove(live, "it was brought into the scene since the save");
        else if (live.Kind.Kind != authoredKind)
        {
            if (Remove(live, $"the designer placed a {authoredKind}"))
                BringBackAuthored(live.Id, authoredKind, "the save does not mention it: it is as the designer left it");
        }
        else
        {
            _steps.Add(new RestoreStep(live.Id, live.Kind.Kind, RestoreAction.AsAuthored, live.Kind.OmitsUnchanged
                ? "it is in the save as the designer left it"
                : "the save does not know it: it was placed by a later version of the game"));
            if (_authored.TryIndexOf(live.Id) is >= 0 and var index)
                Target(_authored.Entities[index], live.Kind, -1, index, live.Object);
            else
                _others.Add(live);
        }
    }

    /// <summary>Decides for what was placed, is neither in the scene nor in the record, and is not gone in the record.</summary>
    private void FindAbsent(bool[] isThere)
    {
        var placed = 0;
        for (var index = 0; index < isThere.Length; index++)
        {
            var authored = _authored.Entities[index];
            if (!_manifest.ContainsKey(authored.Id))
                continue;
            placed++;
            if (!isThere[index] && !_record.IsGone(authored.Id) && _record.TryIndexOf(authored.Id) < 0)
                BringBackAuthored(
                    authored.Id, _manifest[authored.Id], "it was removed since the save, and is there in it as the designer left it");
        }
        if (placed == _manifest.Count)
            return;
        // A stored manifest may name what was not in the scene when it began.
        foreach (var (id, kind) in _manifest)
        {
            if (_authored.TryIndexOf(id) < 0 && !_record.IsGone(id) && _record.TryIndexOf(id) < 0)
                _steps.Add(new RestoreStep(
                    id, kind, RestoreAction.Stuck, "it was not in the scene when that began, so that nobody knows what it was like"));
        }
    }

    private void BringBackAuthored(EntityId id, string kindName, string reason)
    {
        if (_bindings.Find(kindName) is not { CanSpawn: true } kind || _authored.TryIndexOf(id) is not (>= 0 and var index))
        {
            _steps.Add(
                new RestoreStep(id, kindName, RestoreAction.Stuck, "it is not in the scene, and its kind does not say how to spawn one"));
            return;
        }
        _steps.Add(new RestoreStep(id, kindName, RestoreAction.BringBack, reason));
        Target(_authored.Entities[index], kind, -1, index, null);
    }

    private bool Remove(LiveEntity<TScene> live, string reason)
    {
        if (!live.Kind.CanSpawn)
        {
            _steps.Add(
                new RestoreStep(live.Id, live.Kind.Kind, RestoreAction.Stuck, $"{reason}, and its kind does not say how to remove one"));
            _others.Add(live);
            return false;
        }
        _steps.Add(new RestoreStep(live.Id, live.Kind.Kind, RestoreAction.Remove, reason));
        _removed.Add(live);
        _removedIds.Add(live.Id);
        return true;
    }

    private void Stuck(EntityRecord saved, LiveEntity<TScene>? live, string reason)
    {
        Step(saved, RestoreAction.Stuck, reason);
        if (live is not null)
            _others.Add(live);
    }

    private void Step(EntityRecord saved, RestoreAction action, string reason) =>
        _steps.Add(new RestoreStep(saved.Id, saved.Kind, action, reason));

    private void Target(EntityRecord saved, IBoundKind<TScene> kind, int index, int authoredIndex, object? live)
    {
        var target = new RestoreTarget<TScene>(saved, kind, index, authoredIndex, live);
        _targets.Add(target);
        if (index >= 0)
            _byRecordIndex[index] = target;
        else
            _asAuthored.Add(saved.Id, target);
    }

    private List<RestoreTarget<TScene>> ParentsFirst()
    {
        var order = new List<RestoreTarget<TScene>>(_targets.Count);
        var children = new List<RestoreTarget<TScene>>();
        foreach (var target in _targets)
        {
            if (target.Saved.Parent is null)
                order.Add(target);
            else
                children.Add(target);
        }
        if (children.Count == 0)
            return order;
        foreach (var child in children)
        {
            child.Parent = Find(child.Saved.Parent!.Value);
            if (child.Parent is null)
                _warnings.Add(
                    $"{child.Kind.Kind} {child.Id} belongs to {child.Saved.Parent}, which is not there; it belongs to nothing now");
        }
        var done = new HashSet<RestoreTarget<TScene>>(order);
        var line = new List<RestoreTarget<TScene>>();
        var onLine = new HashSet<RestoreTarget<TScene>>();
        foreach (var child in children)
        {
            // Up to the first ancestor that is done, then down again; no recursion, a line of parents may be long.
            line.Clear();
            onLine.Clear();
            for (var at = child; at is not null && !done.Contains(at); at = at.Parent)
            {
                if (!onLine.Add(at))
                {
                    throw new SceneException(
                        SaveErrorCode.SceneConflict,
                        $"In the save, {at.Id} belongs to itself: {string.Join(" in ", line.Select(step => step.Id).Append(at.Id))}.",
                        remedy: "Nothing was changed. Load an older generation or a copy.");
                }
                line.Add(at);
            }
            for (var i = line.Count - 1; i >= 0; i--)
            {
                done.Add(line[i]);
                order.Add(line[i]);
            }
        }
        return order;
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
        foreach (var target in _targets)
        {
            if (!target.Kind.HasReferences || target.RecordIndex < 0)
                continue;
            foreach (var (name, reference) in target.Kind.ReferencesOf(_record, target.RecordIndex))
            {
                if (reference.Scene is null && Find(reference.Id) is null && !_others.Exists(other => other.Id == reference.Id))
                    _warnings.Add(
                        $"{target.Kind.Kind} {target.Id} refers to {reference.Id} as its {name}, which is not there; it refers to nothing "
                            + "now");
            }
        }
    }
}
