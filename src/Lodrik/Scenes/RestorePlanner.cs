using System.Runtime.InteropServices;

namespace Lodrik.Scenes;

/// <summary>
/// Compares a captured scene with the live one and decides, entity by entity, what has to happen. It works in steps: <see cref="Decide"/>
/// gives a value after each, when it may be left for a while.
/// </summary>
internal sealed partial class RestorePlanner<TScene>
{
    // How many entities are decided for between two looks at the clock.
    private const int Batch = 16;

    private readonly SceneBindings<TScene> _bindings;
    private readonly SceneRecord _record;
    private readonly SceneRecord _authored;
    private readonly Dictionary<EntityId, string> _manifest;
    private readonly bool _isManifestAuthored;
    private readonly LiveSet<TScene> _live;
    private readonly IEnumerable<int> _lookAround;
    private readonly List<RestoreStep> _steps = [];
    private readonly List<string> _warnings = [];
    private readonly List<RestoreTarget<TScene>> _targets = [];
    private readonly List<LiveEntity<TScene>> _removed = [];
    private readonly List<LiveEntity<TScene>> _others = [];
    private readonly List<int> _passedOver = [];
    private readonly List<int> _order = [];
    private int[] _byRecordIndex = [];
    private int[] _byAuthoredIndex = [];
    private bool[] _isRemoved = [];

    // The targets that the references lead to, in the order of the targets; -1 for those that are none.
    private readonly List<int> _referred = [];
    private int[] _firstReference = [];
    private string? _lastName;
    private SceneKind<TScene>? _lastKind;
    private KindObjects<TScene>? _lastObjects;

    /// <param name="bindings">The game's kinds.</param>
    /// <param name="open">The scene, and how the designer left it.</param>
    /// <param name="record">What it is going to be.</param>
    public RestorePlanner(SceneBindings<TScene> bindings, OpenScene<TScene> open, SceneRecord record)
    {
        (_bindings, _record, _manifest, _authored) = (bindings, record, open.Manifest, open.Authored);
        _isManifestAuthored = open.IsManifestAuthored;
        _lookAround = LiveSet<TScene>.LookAround(bindings, open.Scene, open.ExpectedCount, out _live);
    }

    /// <summary>Whether anything is created.</summary>
    public bool Spawns { get; private set; }

    /// <summary>The largest number of a spawned entity that is going to be there.</summary>
    public long LargestNumber { get; private set; }

    /// <summary>How many times something is done to the targets.</summary>
    public int TargetSteps { get; private set; }

    /// <summary>What happens to each entity.</summary>
    public IReadOnlyList<RestoreStep> Steps => _steps;

    public List<string> Warnings => _warnings;

    /// <summary>What is in the scene before anything happens.</summary>
    public LiveSet<TScene> Live => _live;

    /// <summary>The entities that are going to be there.</summary>
    public Span<RestoreTarget<TScene>> Targets => CollectionsMarshal.AsSpan(_targets);

    /// <summary>The places of the targets, each after the one that it belongs to.</summary>
    public IReadOnlyList<int> Order => _order;

    /// <summary>What is removed, each before the one that it belongs to.</summary>
    public IReadOnlyList<LiveEntity<TScene>> Removals => _removed;

    /// <summary>What stays and has to lose its parent first, as that goes.</summary>
    public IReadOnlyList<LiveEntity<TScene>> Orphans { get; private set; } = [];

    /// <summary>What stays although it should not, as its kind does not say how to remove it.</summary>
    public IReadOnlyList<LiveEntity<TScene>> Others => _others;

    /// <summary>The places in the record of the entities that cannot be in the scene now.</summary>
    public IReadOnlyList<int> PassedOver => _passedOver;

    /// <summary>The place of an entity among the targets; -1 if the plan does nothing for it.</summary>
    public int IndexOf(EntityId id)
    {
        if (_record.TryIndexOf(id) is >= 0 and var index && _byRecordIndex[index] is >= 0 and var target)
            return target;
        return _authored.TryIndexOf(id) is >= 0 and var authored ? _byAuthoredIndex[authored] : -1;
    }

    /// <summary>The object of an entity as far as the restoration has got; null if it is not there.</summary>
    public object? ObjectOf(EntityId id)
    {
        if (IndexOf(id) is >= 0 and var index)
            return Targets[index] is { Slot: >= 0 } target ? target.Objects.ObjectAt(target.Slot) : null;
        return _live.IndexOf(id) is >= 0 and var live && !_isRemoved[live] ? _live.All[live].Object : null;
    }

    /// <summary>Where what was found for the references of a target begins.</summary>
    public int FirstReferenceOf(int target) => target < _firstReference.Length ? _firstReference[target] : 0;

    /// <summary>
    /// The object that a reference leads to, which is likely to be what was found for it before; null if it is not there.
    /// </summary>
    /// <param name="id">The entity.</param>
    /// <param name="place">The place of the reference among all of them. It is checked whether it is the one.</param>
    public object? ObjectOf(EntityId id, int place) =>
        place < _referred.Count && _referred[place] is >= 0 and var index && Targets[index] is { Slot: >= 0 } target && target.Id == id
            ? target.Objects.ObjectAt(target.Slot)
            : ObjectOf(id);

    /// <summary>Whether an entity is going to be there.</summary>
    public bool WillBeThere(EntityId id) => IndexOf(id) >= 0 || (_live.IndexOf(id) is >= 0 and var live && !_isRemoved[live]);

    /// <summary>Makes the plan.</summary>
    /// <exception cref="SceneException">Entities of the record are each other's parents in a circle.</exception>
    public IEnumerable<int> Decide()
    {
        foreach (var step in _record.MakeIndex())
            yield return step;
        foreach (var step in _authored.MakeIndex())
            yield return step;
        foreach (var step in _lookAround)
            yield return step;
        // What refers to something that the save does not mention looks for it in the live scene.
        if (_live.Kinds.Any(objects => objects.Kind.HasParent || objects.Kind.HasReferences))
        {
            foreach (var step in _live.MakeIndex())
                yield return step;
        }
        _steps.EnsureCapacity(Math.Max(_record.Entities.Count, _live.Count));
        _targets.EnsureCapacity(Math.Max(_record.Entities.Count, _live.Count));
        _byRecordIndex = NewIndex(_record.Entities.Count);
        _byAuthoredIndex = NewIndex(_authored.Entities.Count);
        _isRemoved = new bool[_live.Count];

        // Each id is looked up once in each direction; a scene may have a hundred thousand of them.
        var liveOf = NewIndex(_record.Entities.Count);
        var authoredOf = NewIndex(_record.Entities.Count);
        var isThere = new bool[_authored.Entities.Count];
        var unsaved = new List<int>();
        var (nextSaved, nextAuthored) = (default(NextEntity), default(NextEntity));
        for (var live = 0; live < _live.Count; live++)
        {
            var id = _live.All[live].Id;
            var index = _record.TryIndexOf(id, ref nextSaved);
            var authored = id.IsSpawned ? -1 : _authored.TryIndexOf(id, ref nextAuthored);
            if (authored >= 0)
                isThere[authored] = true;
            if (index < 0)
                unsaved.Add(live);
            else
                (liveOf[index], authoredOf[index]) = (live, authored);
            if (live % Batch == 0)
                yield return 0;
        }
        for (var index = 0; index < liveOf.Length; index++)
        {
            if (!DecideSaved(index, liveOf[index], authoredOf[index]))
                unsaved.Add(liveOf[index]);
            if (index % Batch == 0)
                yield return 0;
        }
        foreach (var live in unsaved)
        {
            DecideUnsaved(live);
            yield return 0;
        }
        foreach (var stray in _live.Strays)
            DecideStray(stray);
        foreach (var step in DecideAbsent(isThere))
            yield return step;
        foreach (var step in PutInOrder())
            yield return step;
        foreach (var step in PutRemovalsInOrder())
            yield return step;
    }

    /// <summary>Reports references to entities that are not going to be there.</summary>
    /// <param name="willBeThere">Whether an entity of another scene is going to be there; null if nobody knows.</param>
    public IEnumerable<int> FindDangling(Func<EntityReference, bool?> willBeThere)
    {
        var buffer = new List<EntityReference>();
        _firstReference = new int[_targets.Count];
        for (var index = 0; index < _targets.Count; index++)
        {
            var target = _targets[index];
            _firstReference[index] = _referred.Count;
            if (index % Batch == 0)
                yield return 0;
            if (!target.Kind.HasReferences || target.RecordIndex < 0)
                continue;
            var columns = target.Kind.In(_record).Columns;
            for (var link = target.Kind.PartCount; link < columns.Length; link++)
            {
                foreach (var reference in ReferenceColumns.Get(columns[link], target.RecordIndex, buffer))
                {
                    var referred = reference.Scene is null ? IndexOf(reference.Id) : -1;
                    _referred.Add(referred);
                    if (referred >= 0 || (reference.Scene is null ? WillBeThere(reference.Id) : willBeThere(reference) ?? true))
                        continue;
                    _warnings.Add(
                        $"{target.Kind.Name} {target.Id} refers to {reference} as its {target.Kind.Members[link].Name}, which is not "
                            + "there; it refers to nothing now");
                }
            }
        }
    }

    /// <summary>Decides for an entity of the record; false if its live namesake has to be decided for by itself.</summary>
    private bool DecideSaved(int index, int liveIndex, int authoredIndex)
    {
        var saved = _record.Entities[index];
        var live = liveIndex < 0 ? default : _live.All[liveIndex];
        if (KindNamed(saved.Kind) is not { } kind)
        {
            Step(saved, RestoreAction.UnknownKind, "the game has no such kind; it is kept for the next save");
            _passedOver.Add(index);
            return liveIndex < 0;
        }
        if (liveIndex >= 0 && live.Kind == kind && !(authoredIndex < 0 && LacksMembers(kind, index)))
        {
            Step(saved, RestoreAction.Update, "it is there");
            Target(saved, kind, index, authoredIndex, live.Slot);
        }
        else if (liveIndex < 0 && !saved.Id.IsSpawned && !saved.IsCarried && !_manifest.ContainsKey(saved.Id))
        {
            Step(saved, RestoreAction.TakenOut, "this version of the game does not place it any more; it is kept for the next save");
            _passedOver.Add(index);
        }
        else if (!kind.CanSpawn)
        {
            Stuck(saved, index, "it is not in the scene, and its kind does not say how to spawn one");
            return liveIndex < 0;
        }
        else if (liveIndex >= 0 && !live.Kind.CanSpawn)
        {
            Stuck(saved, index, $"a {live.Kind.Name} that cannot be removed has its id");
            _others.Add(live);
        }
        else
        {
            if (liveIndex >= 0)
                Remove(live, liveIndex, live.Kind == kind
                    ? "the save is older than a part of it; it is created again, as nobody knows how that part began"
                    : $"it is a {saved.Kind} in the save");
            if (saved.Id.IsSpawned || saved.IsCarried)
                Step(saved, RestoreAction.Spawn,
                    saved.IsCarried ? "it had been brought into the scene before the save" : "it was spawned before the save");
            else
                Step(saved, RestoreAction.BringBack, "it was removed since the save");
            Target(saved, kind, index, saved.Id.IsSpawned ? -1 : _authored.TryIndexOf(saved.Id), -1);
        }
        return true;
    }

    /// <summary>
    /// Whether the save is older than a part that every entity of the kind has. One that is there has in it what the running game made of
    /// it, which is not what it is to have.
    /// </summary>
    private bool LacksMembers(SceneKind<TScene> kind, int index)
    {
        if (!kind.CanSpawn)
            return false;
        var (columns, knows) = kind.In(_record);
        for (var i = 0; i < columns.Length; i++)
        {
            if (!knows[i] && !kind.Members[i].IsSwitched && !columns[i].Has(index))
                return true;
        }
        return false;
    }

    private void DecideUnsaved(int liveIndex)
    {
        var live = _live.All[liveIndex];
        string? authoredKind = null;
        if (live.Id.IsSpawned)
            Remove(live, liveIndex, "it was spawned since the save");
        else if (_record.IsGone(live.Id))
            Remove(live, liveIndex, "it is gone in the save");
        else if (!_manifest.TryGetValue(live.Id, out authoredKind))
            Remove(live, liveIndex, "it was brought into the scene since the save");
        else if (live.Kind.Name != authoredKind)
        {
            if (Remove(live, liveIndex, $"the designer placed a {authoredKind}"))
                BringBackAuthored(live.Id, authoredKind, "the save does not mention it: it is as the designer left it");
        }
        else
        {
            _steps.Add(new RestoreStep(live.Id, live.Kind.Name, RestoreAction.AsAuthored, live.Kind.OmitsUnchanged
                ? "it is in the save as the designer left it"
                : "the save does not know it: it was placed by a later version of the game"));
            if (_authored.TryIndexOf(live.Id) is >= 0 and var index)
                Target(_authored.Entities[index], live.Kind, -1, index, live.Slot);
            else
                _others.Add(live);
        }
    }

    private void DecideStray(StrayEntity<TScene> stray) =>
        Remove(stray.Entity, -1, stray.Other is null ? "it has no id" : "another object has its id");

    /// <summary>Decides for what was placed, is neither in the scene nor in the record, and is not gone in the record.</summary>
    private IEnumerable<int> DecideAbsent(bool[] isThere)
    {
        var placed = 0;
        for (var index = 0; index < isThere.Length; index++)
        {
            var id = _authored.Entities[index].Id;
            if (index % Batch == 0)
                yield return 0;
            if (_isManifestAuthored ? id.IsSpawned : !_manifest.ContainsKey(id))
                continue;
            placed++;
            if (!isThere[index] && !_record.IsGone(id) && !IsInRecord(id))
                BringBackAuthored(id, _manifest[id], "it was removed since the save, and is there in it as the designer left it");
        }
        if (placed == _manifest.Count)
            yield break;
        // A stored manifest may name what was not in the scene when it began.
        foreach (var (id, kind) in _manifest)
        {
            if (_authored.TryIndexOf(id) < 0 && !_record.IsGone(id) && _record.TryIndexOf(id) < 0)
                _steps.Add(new RestoreStep(
                    id, kind, RestoreAction.Stuck, "it was not in the scene at the start, so its authored state is unknown"));
        }
    }

    /// <summary>Whether the record has an entity for this version of the game to show.</summary>
    private bool IsInRecord(EntityId id) =>
        _record.TryIndexOf(id) is >= 0 and var index && _bindings.Find(_record.Entities[index].Kind) is not null;

    private void BringBackAuthored(EntityId id, string kindName, string reason)
    {
        if (_bindings.Find(kindName) is not { CanSpawn: true } kind || _authored.TryIndexOf(id) is not (>= 0 and var index))
        {
            _steps.Add(
                new RestoreStep(id, kindName, RestoreAction.Stuck, "it is not in the scene, and its kind does not say how to spawn one"));
            return;
        }
        _steps.Add(new RestoreStep(id, kindName, RestoreAction.BringBack, reason));
        Target(_authored.Entities[index], kind, -1, index, -1);
    }

    private bool Remove(LiveEntity<TScene> live, int liveIndex, string reason)
    {
        if (!live.Kind.CanSpawn)
        {
            _steps.Add(
                new RestoreStep(live.Id, live.Kind.Name, RestoreAction.Stuck, $"{reason}, and its kind does not say how to remove one"));
            _others.Add(live);
            return false;
        }
        _steps.Add(new RestoreStep(live.Id, live.Kind.Name, RestoreAction.Remove, reason));
        _removed.Add(live);
        if (liveIndex >= 0)
            _isRemoved[liveIndex] = true;
        return true;
    }

    private void Stuck(EntityRecord saved, int index, string reason)
    {
        Step(saved, RestoreAction.Stuck, reason);
        _passedOver.Add(index);
    }

    private void Step(EntityRecord saved, RestoreAction action, string reason) =>
        _steps.Add(new RestoreStep(saved.Id, saved.Kind, action, reason));

    private void Target(EntityRecord saved, SceneKind<TScene> kind, int index, int authoredIndex, int slot)
    {
        var target = new RestoreTarget<TScene>
        {
            Id = saved.Id,
            Objects = ObjectsOf(kind),
            Slot = slot,
            IsSpawned = slot < 0,
            RecordIndex = index,
            AuthoredIndex = authoredIndex,
            Parent = -1,
        };
        if (kind.HasParent)
            FindParent(ref target, saved);
        if (index >= 0)
            _byRecordIndex[index] = _targets.Count;
        else
            _byAuthoredIndex[authoredIndex] = _targets.Count;
        _targets.Add(target);
        Spawns |= target.IsSpawned;
        if (SpawnNumbers.IsInReach(target.Id.Number))
            LargestNumber = Math.Max(LargestNumber, target.Id.Number);
        TargetSteps += 1 + One(target.IsSpawned) + One(kind.HasParent && !target.LeavesParent) + One(kind.HasReferences)
            + One(kind.HasSettled);
    }

    // Entities of a kind mostly come one after the other.
    private SceneKind<TScene>? KindNamed(string name)
    {
        if (!ReferenceEquals(name, _lastName))
            (_lastName, _lastKind) = (name, _bindings.Find(name));
        return _lastKind;
    }

    private KindObjects<TScene> ObjectsOf(SceneKind<TScene> kind) =>
        _lastObjects is { } last && last.Kind == kind ? last : _lastObjects = _live.ObjectsOf(kind);

    private static int One(bool isDone) => isDone ? 1 : 0;

    private void FindParent(ref RestoreTarget<TScene> target, EntityRecord saved)
    {
        target.ParentId = saved.Parent.GetValueOrDefault();
        target.SaysParent = target.RecordIndex >= 0 && (saved.Parent is not null || saved.IsSetFree);
        if (target.SaysParent || target.RecordIndex < 0)
            return;
        var isKnown = _record.KnowsParent(target.Kind.Name);
        var hasAuthored = target.AuthoredIndex >= 0 && _authored.Entities[target.AuthoredIndex].Kind == target.Kind.Name;
        if (hasAuthored && (target.Kind.OmitsUnchanged || !isKnown))
            target.ParentId = _authored.Entities[target.AuthoredIndex].Parent.GetValueOrDefault();
        else if (isKnown)
            target.SaysParent = true;
        else
            target.LeavesParent = target.IsSpawned;
    }

    private static int[] NewIndex(int count)
    {
        var index = new int[count];
        Array.Fill(index, -1);
        return index;
    }
}
