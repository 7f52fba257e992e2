using System.Numerics;
using Lodrik.State;

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
    private NextEntity _nextUnsaved;
    private readonly LiveSet<TScene> _live;
    private readonly IEnumerable<int> _lookAround;
    private bool _isParentUnknown;
    private readonly RestorePlan _plan;
    private readonly PooledList<RestoreTarget<TScene>> _targets = new();

    // Where the objects of the targets are. References lead to any of them, so this is kept small.
    private readonly PooledList<(int Kind, int Slot)> _places = new();
    private readonly List<LiveEntity<TScene>> _removed = [];
    private readonly List<LiveEntity<TScene>> _others = [];
    private readonly List<int> _passedOver = [];
    private readonly PooledList<int> _order = new();
    private readonly PooledList<int> _byRecordIndex = new();
    private readonly PooledList<int> _byAuthoredIndex = new();
    private readonly PooledList<bool> _isRemoved = new();

    // The targets that the references lead to, in the order of the targets; -1 for those that are none.
    private readonly PooledList<int> _referred = new();
    private readonly PooledList<int> _firstReference = new();
    private string? _lastName;
    private SceneKind<TScene>? _lastKind;
    private KindObjects<TScene>? _lastObjects;
    private (EntityId Id, int Target) _lastParent;

    /// <param name="bindings">The game's kinds.</param>
    /// <param name="open">The scene, and how the designer left it.</param>
    /// <param name="record">What it is going to be.</param>
    /// <param name="plan">Gets what is decided.</param>
    public RestorePlanner(SceneBindings<TScene> bindings, OpenScene<TScene> open, SceneRecord record, RestorePlan plan)
    {
        (_bindings, _record, _manifest, _authored, _plan) = (bindings, record, open.Manifest, open.Authored, plan);
        _isManifestAuthored = open.IsManifestAuthored;
        _lookAround = LiveSet<TScene>.LookAround(bindings, open.Scene, open.ExpectedCount, out _live);
    }

    /// <summary>What has to be done to any of the targets.</summary>
    public TargetWork Work { get; private set; }

    /// <summary>Whether anything is created.</summary>
    public bool Spawns => (Work & TargetWork.Spawn) != 0;

    /// <summary>The largest number of a spawned entity that is going to be there.</summary>
    public long LargestNumber { get; private set; }

    /// <summary>How many times something is done to the targets.</summary>
    public int TargetSteps { get; private set; }

    /// <summary>What is in the scene before anything happens.</summary>
    public LiveSet<TScene> Live => _live;

    /// <summary>The entities that are going to be there.</summary>
    public Span<RestoreTarget<TScene>> Targets => _targets.Span;

    /// <summary>The places of the targets, each after the one that it belongs to.</summary>
    public PooledList<int> Order => _order;

    /// <summary>The target at a place in the order, and its slot: -1 until it is created.</summary>
    public ref RestoreTarget<TScene> InOrder(int place, out int slot)
    {
        slot = _places[_order[place]].Slot;
        return ref _targets[_order[place]];
    }

    /// <summary>The target at a place in the order was created.</summary>
    public void Spawned(int place, int slot) => _places[_order[place]].Slot = slot;

    /// <summary>The object of a target as far as the restoration has got; null if it is not there.</summary>
    public object? ObjectOf(int target)
    {
        var (kind, slot) = _places[target];
        return slot >= 0 ? _live.ObjectsAt(kind).ObjectAt(slot) : null;
    }

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
            return ObjectOf(index);
        return _live.IndexOf(id) is >= 0 and var live && !_isRemoved[live] ? _live.All[live].Object : null;
    }

    /// <summary>Where what was found for the references of a target begins.</summary>
    public int FirstReferenceOf(int target) => _firstReference[target];

    /// <summary>The object that a reference leads to; null if it is not there.</summary>
    /// <param name="id">The entity.</param>
    /// <param name="place">The place of the reference among all that the record has for the targets.</param>
    public object? ObjectOf(EntityId id, int place) => _referred[place] is >= 0 and var index ? ObjectOf(index) : ObjectOf(id);

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
        var (saved, placed) = (_record.Count, _authored.Count);
        _targets.EnsureRoom(Math.Max(saved, _live.Count));
        yield return 0;
        _byRecordIndex.Fill(saved, -1);
        yield return 0;
        _byAuthoredIndex.Fill(placed, -1);
        yield return 0;
        _isRemoved.Fill(_live.Count, false);
        yield return 0;

        // Each id is looked up once in each direction; a scene may have a hundred thousand of them.
        var (liveOf, authoredOf, isThere) = (new PooledList<int>(), new PooledList<int>(), new PooledList<bool>());
        liveOf.Fill(saved, -1);
        yield return 0;
        authoredOf.Fill(saved, -1);
        yield return 0;
        isThere.Fill(placed, false);
        var unsaved = new PooledList<int>();
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
        for (var index = 0; index < liveOf.Count; index++)
        {
            if (!DecideSaved(index, liveOf[index], authoredOf[index]))
                unsaved.Add(liveOf[index]);
            if (index % Batch == 0)
                yield return 0;
        }
        for (var i = 0; i < unsaved.Count; i++)
        {
            DecideUnsaved(unsaved[i]);
            yield return 0;
        }
        unsaved.Release();
        foreach (var stray in _live.Strays)
            DecideStray(stray);
        foreach (var step in DecideAbsent(isThere))
            yield return step;
        liveOf.Release();
        authoredOf.Release();
        isThere.Release();
        foreach (var step in PutInOrder())
            yield return step;
        foreach (var step in PutRemovalsInOrder())
            yield return step;
    }

    /// <summary>Reports references to entities that are not going to be there.</summary>
    /// <param name="willBeThere">Whether an entity of another scene is going to be there; null if that is unknown.</param>
    public IEnumerable<int> FindDangling(Func<EntityReference, bool?> willBeThere)
    {
        var buffer = new List<EntityReference>();
        var unknown = new List<(int Target, int Link, EntityReference Reference)>();
        var count = (Work & TargetWork.References) == 0 ? 0 : _targets.Count;
        _firstReference.Fill(count, 0);
        for (var index = 0; index < count; index++)
        {
            Refer(index, buffer, unknown);
            if (index % Batch == 0)
                yield return 0;
        }
        // What the save does not mention may be in the live scene.
        if (_isParentUnknown || unknown.Count > 0)
        {
            foreach (var step in _live.MakeIndex())
                yield return step;
        }
        foreach (var (index, link, reference) in unknown)
        {
            yield return 0;
            if (reference.Scene is null ? WillBeThere(reference.Id) : willBeThere(reference) ?? true)
                continue;
            var (id, kind) = (_targets[index].Id, _targets[index].Kind);
            _plan.AddWarning(
                $"{kind.Name} {id} refers to {reference} as its {kind.Members[link].Name}, which is missing; the reference is empty now");
        }
    }

    private void Refer(int index, List<EntityReference> buffer, List<(int Target, int Link, EntityReference Reference)> unknown)
    {
        ref var target = ref _targets[index];
        _firstReference[index] = _referred.Count;
        if (!target.Kind.HasReferences || target.RecordIndex < 0)
            return;
        var columns = target.Kind.In(_record).Columns;
        for (var link = target.Kind.PartCount; link < columns.Length; link++)
        {
            foreach (var reference in ReferenceColumns.Get(columns[link], target.RecordIndex, buffer))
            {
                var referred = reference.Scene is null ? IndexOf(reference.Id) : -1;
                _referred.Add(referred);
                if (referred < 0)
                    unknown.Add((index, link, reference));
            }
        }
    }

    /// <summary>Gives the room back to the pool, when the restoration is over. Only the steps and the warnings are left.</summary>
    public void Release()
    {
        _live.Release();
        _targets.Release();
        foreach (var list in (PooledList<int>[])[_order, _byRecordIndex, _byAuthoredIndex, _referred, _firstReference])
            list.Release();
        _isRemoved.Release();
        _places.Release();
    }

    /// <summary>Decides for an entity of the record; false if its live namesake has to be decided for by itself.</summary>
    private bool DecideSaved(int index, int liveIndex, int authoredIndex)
    {
        var saved = _record.EntityAt(index);
        var live = liveIndex < 0 ? default : _live.All[liveIndex];
        if (KindNamed(saved.Kind) is not { } kind)
        {
            Step(saved, RestoreAction.UnknownKind, "the game has no such kind; it is kept for the next save");
            _passedOver.Add(index);
            return liveIndex < 0;
        }
        var isOther = liveIndex >= 0 && live.Kind == kind && kind is { MayReplace: true, CanSpawn: true }
            && live.Objects.MustReplace(live.Slot, new PutSource(_record, index, _authored, authoredIndex));
        if (liveIndex >= 0 && live.Kind == kind && !isOther && !(authoredIndex < 0 && LacksMembers(kind, index)))
        {
            Step(saved, RestoreAction.Update, "it is there");
            Target(saved, kind, index, authoredIndex, live.Slot);
        }
        else if (liveIndex < 0 && !saved.Id.IsSpawned && !saved.IsCarried && !_manifest.ContainsKey(saved.Id))
        {
            Step(saved, RestoreAction.TakenOut, "this version of the game no longer places it; it is kept for the next save");
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
                Remove(live, liveIndex, isOther
                    ? "a member that is set only at creation differs from the save, so it is created again"
                    : live.Kind == kind
                    ? "the save is older than a part of it; it is created again, because the part's initial state is unknown"
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
            if (!knows[i] && !kind.Members[i].IsSwitched && !kind.Members[i].HasInitial && !columns[i].Has(index))
                return true;
        }
        return false;
    }

    private void DecideUnsaved(int liveIndex)
    {
        var live = _live.All[liveIndex];
        var authored = live.Id.IsSpawned ? -1 : _authored.TryIndexOf(live.Id, ref _nextUnsaved);
        string? authoredKind = null;
        if (live.Id.IsSpawned)
            Remove(live, liveIndex, "it was spawned since the save");
        else if (_record.IsGone(live.Id))
            Remove(live, liveIndex, "it is gone in the save");
        else if ((authoredKind = KindOf(live.Id, authored)) is null)
            Remove(live, liveIndex, "it was brought into the scene since the save");
        else if (live.Kind.Name != authoredKind)
        {
            if (Remove(live, liveIndex, $"the designer placed a {authoredKind}"))
                BringBackAuthored(live.Id, authoredKind, "the save does not mention it, so it is as authored");
        }
        else if (IsOtherThanAuthored(live, authored))
        {
            Remove(live, liveIndex,
                "a member that is set only at creation differs from the authored one, so it is created again");
            BringBackAuthored(live.Id, authoredKind, "the save does not mention it, so it is as authored");
        }
        else
        {
            if (live.Kind.OmitsUnchanged)
                _plan.CountUnchanged();
            else
                _plan.Add(live.Id, live.Kind.Name, RestoreAction.AsAuthored,
                    "the save does not know it: it was placed by a later version of the game");
            if (authored >= 0)
                Target(_authored.EntityAt(authored), live.Kind, -1, authored, live.Slot);
            else
                _others.Add(live);
        }
    }

    /// <summary>The kind of what the designer placed in this scene; null for what he did not.</summary>
    private string? KindOf(EntityId id, int authored) =>
        _isManifestAuthored && authored >= 0 ? _authored.EntityAt(authored).Kind : _manifest.GetValueOrDefault(id);

    private bool IsOtherThanAuthored(LiveEntity<TScene> live, int authored) => live.Kind is { MayReplace: true, CanSpawn: true }
        && authored >= 0 && live.Objects.MustReplace(live.Slot, new PutSource(_record, -1, _authored, authored));

    private void DecideStray(StrayEntity<TScene> stray) =>
        Remove(stray.Entity, -1, stray.Other is null ? "it has no id" : "another object has its id");

    /// <summary>Decides for what was placed, is neither in the scene nor in the record, and is not gone in the record.</summary>
    private IEnumerable<int> DecideAbsent(PooledList<bool> isThere)
    {
        var placed = 0;
        for (var index = 0; index < isThere.Count; index++)
        {
            var id = _authored.EntityAt(index).Id;
            if (index % Batch == 0)
                yield return 0;
            if (_isManifestAuthored ? id.IsSpawned : !_manifest.ContainsKey(id))
                continue;
            placed++;
            if (!isThere[index] && !_record.IsGone(id) && !IsInRecord(id))
                BringBackAuthored(id, _manifest[id], "it was removed since the save, and the save has it as authored");
        }
        if (placed == _manifest.Count)
            yield break;
        // A stored manifest may name what was not in the scene when it began.
        foreach (var (id, kind) in _manifest)
        {
            if (_authored.TryIndexOf(id) < 0 && !_record.IsGone(id) && _record.TryIndexOf(id) < 0)
                _plan.Add(id, kind, RestoreAction.Stuck, "it was not in the scene at the start, so its authored state is unknown");
        }
    }

    /// <summary>Whether the record has an entity for this version of the game to show.</summary>
    private bool IsInRecord(EntityId id) =>
        _record.TryIndexOf(id) is >= 0 and var index && _bindings.Find(_record.EntityAt(index).Kind) is not null;

    private void BringBackAuthored(EntityId id, string kindName, string reason)
    {
        if (_bindings.Find(kindName) is not { CanSpawn: true } kind || _authored.TryIndexOf(id) is not (>= 0 and var index))
        {
            _plan.Add(id, kindName, RestoreAction.Stuck, "it is not in the scene, and its kind does not say how to spawn one");
            return;
        }
        _plan.Add(id, kindName, RestoreAction.BringBack, reason);
        Target(_authored.EntityAt(index), kind, -1, index, -1);
    }

    private bool Remove(LiveEntity<TScene> live, int liveIndex, string reason)
    {
        if (!live.Kind.CanSpawn)
        {
            _plan.Add(live.Id, live.Kind.Name, RestoreAction.Stuck, $"{reason}, and its kind does not say how to remove one");
            _others.Add(live);
            return false;
        }
        _plan.Add(live.Id, live.Kind.Name, RestoreAction.Remove, reason);
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
        _plan.Add(saved.Id, saved.Kind, action, reason);

    private void Target(EntityRecord saved, SceneKind<TScene> kind, int index, int authoredIndex, int slot)
    {
        var target = new RestoreTarget<TScene>
        {
            Id = saved.Id,
            Objects = ObjectsOf(kind),
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
        _places.Add((target.Objects.Number, slot));
        var work = target.Work;
        Work |= work;
        if (SpawnNumbers.IsInReach(target.Id.Number))
            LargestNumber = Math.Max(LargestNumber, target.Id.Number);
        TargetSteps += BitOperations.PopCount((uint)work);
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

    private void FindParent(ref RestoreTarget<TScene> target, EntityRecord saved)
    {
        target.ParentId = saved.Parent.GetValueOrDefault();
        target.SaysParent = target.RecordIndex >= 0 && (saved.Parent is not null || saved.IsSetFree);
        if (target.SaysParent || target.RecordIndex < 0)
            return;
        var isKnown = _record.KnowsParent(target.Kind.Name);
        var hasAuthored = target.AuthoredIndex >= 0 && _authored.EntityAt(target.AuthoredIndex).Kind == target.Kind.Name;
        if (hasAuthored && (target.Kind.OmitsUnchanged || !isKnown))
            target.ParentId = _authored.EntityAt(target.AuthoredIndex).Parent.GetValueOrDefault();
        else if (isKnown)
            target.SaysParent = true;
        else
            target.LeavesParent = target.IsSpawned;
    }
}
