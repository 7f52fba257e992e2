using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>An entity of the live scene.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Objects">The objects of its kind.</param>
/// <param name="Slot">Its place among them.</param>
internal readonly record struct LiveEntity<TScene>(EntityId Id, KindObjects<TScene> Objects, int Slot)
{
    public SceneKind<TScene> Kind => Objects.Kind;

    public object Object => Objects.ObjectAt(Slot);
}

/// <summary>An object of the live scene that no id leads to.</summary>
/// <param name="Entity">The object.</param>
/// <param name="Other">The one that has its id as well; null if it has no id.</param>
/// <param name="Failure">What the game's code threw when it was asked for the id.</param>
internal sealed record StrayEntity<TScene>(LiveEntity<TScene> Entity, LiveEntity<TScene>? Other, Exception? Failure);

/// <summary>What is in a live scene at one moment, by id and by object.</summary>
internal sealed class LiveSet<TScene> : ILiveSink<TScene>
{
    // How many entities are looked at between two looks at the clock.
    private const int Batch = 32;

    private readonly SceneBindings<TScene> _bindings;
    private readonly PooledList<LiveEntity<TScene>> _all;
    private readonly List<StrayEntity<TScene>> _strays = [];
    private readonly Dictionary<SceneKind<TScene>, KindObjects<TScene>> _objects = [];
    private readonly List<KindObjects<TScene>> _kinds = [];
    private EntityIndex? _byId;
    private Dictionary<object, int>? _byObject;
    private string? _lastName;
    private long _lastNumber;
    private int _placed;
    private bool _isPlacedInOrder = true;
    private bool _isSpawnedInOrder = true;
    private (object? Object, int Index) _lastFound;

    private LiveSet(SceneBindings<TScene> bindings, TScene scene, int expected)
    {
        Scene = scene;
        _bindings = bindings;
        _all = new PooledList<LiveEntity<TScene>>(expected);
    }

    /// <summary>Looks at what is in a scene.</summary>
    /// <param name="bindings">The game's kinds.</param>
    /// <param name="scene">The scene.</param>
    /// <param name="expected">How many entities there were last time.</param>
    public static LiveSet<TScene> Of(SceneBindings<TScene> bindings, TScene scene, int expected = 0)
    {
        var steps = LookAround(bindings, scene, expected, out var live);
        foreach (var _ in steps)
        {
        }
        return live;
    }

    /// <summary>Looks at what is in a scene, and gives a value after some objects, when it may be left for a while.</summary>
    public static IEnumerable<int> LookAround(SceneBindings<TScene> bindings, TScene scene, int expected, out LiveSet<TScene> live)
    {
        live = new LiveSet<TScene>(bindings, scene, expected);
        return live.Visit();
    }

    private IEnumerable<int> Visit()
    {
        foreach (var family in _bindings.Families)
        {
            foreach (var step in family.Visit(Scene, this))
                yield return step;
        }
        // If each comes after all before it, there are no doubles, and nothing has to be found by an index yet.
        if (_isPlacedInOrder && _isSpawnedInOrder)
            yield break;
        var index = new EntityIndex(_placed);
        var kept = 0;
        for (var i = 0; i < _all.Count; i++)
        {
            var entity = _all[i];
            if (index.TryAdd(entity.Id, kept))
                _all[kept++] = entity;
            else
            {
                _strays.Add(new StrayEntity<TScene>(entity, _all[index.IndexOf(entity.Id)], null));
                _placed -= entity.Id.IsSpawned ? 0 : 1;
            }
            if (i % Batch == 0)
                yield return 0;
        }
        while (_all.Count > kept)
            _all.RemoveLast();
        _byId = index;
    }

    public TScene Scene { get; }

    /// <summary>All of them, in the order in which the game has them.</summary>
    public PooledList<LiveEntity<TScene>> All => _all;

    /// <summary>Objects without an id, and those whose id another has.</summary>
    public IReadOnlyList<StrayEntity<TScene>> Strays => _strays;

    /// <summary>The kinds that have been found.</summary>
    public IReadOnlyList<KindObjects<TScene>> Kinds => _kinds;

    /// <summary>The objects of a kind by the number of that.</summary>
    public KindObjects<TScene> ObjectsAt(int number) => _kinds[number];

    public int Count => _all.Count;

    public KindObjects<TScene> ObjectsOf(SceneKind<TScene> kind)
    {
        if (!_objects.TryGetValue(kind, out var objects))
        {
            _objects.Add(kind, objects = kind.Gather(Scene));
            objects.Number = _kinds.Count;
            _kinds.Add(objects);
        }
        return objects;
    }

    public void Found(EntityId id, KindObjects<TScene> objects, int slot, Exception? failure)
    {
        var entity = new LiveEntity<TScene>(id, objects, slot);
        if (id == default)
        {
            _strays.Add(new StrayEntity<TScene>(entity, null, failure));
            return;
        }
        if (id.Name is { } name)
        {
            _isPlacedInOrder &= _lastName is null || string.CompareOrdinal(_lastName, name) < 0;
            _lastName = name;
            _placed++;
        }
        else
        {
            _isSpawnedInOrder &= _lastNumber < id.Number;
            _lastNumber = id.Number;
        }
        _all.Add(entity);
    }

    private EntityIndex Index
    {
        get
        {
            if (_byId is null)
                FinishIndex();
            return _byId!;
        }
    }

    private void FinishIndex()
    {
        foreach (var _ in MakeIndex())
        {
        }
    }

    /// <summary>Makes the index that entities are found by, if there is none yet, and gives a value after every few of them.</summary>
    public IEnumerable<int> MakeIndex()
    {
        if (_byId is not null)
            yield break;
        var index = new EntityIndex(_placed);
        for (var i = 0; i < _all.Count; i++)
        {
            index.TryAdd(_all[i].Id, i);
            if (i % Batch == 0)
                yield return 0;
        }
        _byId = index;
    }

    /// <summary>Refuses a scene in which an object has no id or two have the same.</summary>
    /// <exception cref="SceneException">There is one.</exception>
    public void RequireIds()
    {
        if (_strays.Count == 0)
            return;
        var (entity, other, failure) = _strays.Find(stray => stray.Other is not null) ?? _strays[0];
        if (other is { } first)
        {
            throw new SceneException(
                SaveErrorCode.SceneConflict,
                $"Two objects of the scene have the id {entity.Id}: a {first.Kind.Name} and a {entity.Kind.Name}.",
                remedy: "Give each object its own id.");
        }
        throw new SceneException(
            SaveErrorCode.SceneConflict,
            $"The {entity.Kind.Name} number {entity.Slot + 1} of its kind has no id ({Shorten.Text(entity.Object.ToString() ?? "")})"
                + $"{(failure is null ? "" : $": {failure.Message}")}.",
            remedy: "Give it an id before the scene is captured. If an engine gives it later, say with Alive that the object is not "
                + "there yet.",
            innerException: failure);
    }

    /// <summary>The entities' places in the order of their ids: placed ones by name, then spawned ones by number.</summary>
    public PooledList<int> InOrder()
    {
        // Most scenes have each kind in order already.
        var order = new PooledList<int>();
        order.Fill(_all.Count, 0);
        var (placed, spawned) = (0, _placed);
        for (var i = 0; i < _all.Count; i++)
            order[_all[i].Id.IsSpawned ? spawned++ : placed++] = i;
        if (!_isPlacedInOrder)
            Sort(order.Span[.._placed], id => id.Name!, StringComparer.Ordinal);
        if (!_isSpawnedInOrder)
            Sort(order.Span[_placed..], id => id.Number, Comparer<long>.Default);
        return order;
    }

    // Comparing names or numbers that lie side by side is much faster than comparing ids.
    private void Sort<TKey>(Span<int> order, Func<EntityId, TKey> keyOf, IComparer<TKey> comparer)
    {
        var keys = new PooledList<TKey>(order.Length);
        foreach (var index in order)
            keys.Add(keyOf(_all[index].Id));
        keys.Span.Sort(order, comparer);
        keys.Release();
    }

    public bool Contains(EntityId id) => Index.IndexOf(id) >= 0;

    /// <summary>The place of an entity; -1 if it is not there.</summary>
    public int IndexOf(EntityId id) => Index.IndexOf(id);

    /// <summary>The object of an entity; null if it is not there.</summary>
    public object? ObjectOf(EntityId id) => Index.IndexOf(id) is >= 0 and var index ? _all[index].Object : null;

    /// <summary>The place of the entity that an object is; -1 if it is none.</summary>
    public int IndexOf(object entity)
    {
        // Neighbours in a scene often belong to the same object.
        if (_lastFound.Object is not null && ReferenceEquals(_lastFound.Object, entity))
            return _lastFound.Index;
        var index = Search(entity);
        _lastFound = (entity, index);
        return index;
    }

    private int Search(object entity)
    {
        // The object is asked for its id first, which the scene has it under in all but odd cases.
        foreach (var family in _bindings.FamiliesOf(entity.GetType()))
        {
            if (Index.IndexOf(family.IdOf(Scene, entity)) is >= 0 and var known && SameObject.Comparer.Equals(_all[known].Object, entity))
                return known;
        }
        if (_byObject is null)
        {
            _byObject = new Dictionary<object, int>(_all.Count, SameObject.Comparer);
            for (var i = 0; i < _all.Count; i++)
                _byObject.TryAdd(_all[i].Object, i);
        }
        return _byObject.TryGetValue(entity, out var index) ? index : -1;
    }

    /// <summary>Gives the room back to the pool, when nobody needs it any more. It is empty then.</summary>
    public void Release()
    {
        _all.Release();
        foreach (var objects in _kinds)
            objects.Release();
        (_byId, _byObject, _lastFound) = (null, null, default);
    }

    /// <summary>The entity that an object is; null if it is none.</summary>
    public EntityId? IdOf(object entity) => IndexOf(entity) is >= 0 and var index ? _all[index].Id : default(EntityId?);

    /// <summary>What an entity belongs to: its place, or -1 for nothing; and, if that is not in the scene, its id or its object.</summary>
    public (int Index, EntityId? Id, object? Stranger) ParentOf(int index)
    {
        ref var entity = ref _all[index];
        var (objects, slot) = (entity.Objects, entity.Slot);
        if (!objects.Kind.HasParent)
            return (-1, null, null);
        if (objects.NamesParent)
        {
            var id = objects.ParentIdAt(slot);
            return id is { } named && named != default ? (IndexOf(named), named, null) : (-1, null, null);
        }
        if (objects.ParentAt(slot) is not { } parent)
            return (-1, null, null);
        return IndexOf(parent) is >= 0 and var at ? (at, _all[at].Id, null) : (-1, null, parent);
    }
}

/// <summary>Whether two are the same object, whatever they think of equality; the numbers of entities compare as numbers.</summary>
internal sealed class SameObject : IEqualityComparer<object>
{
    public static SameObject Comparer { get; } = new();

    public new bool Equals(object? x, object? y) => x is ValueType ? x.Equals(y) : ReferenceEquals(x, y);

    public int GetHashCode(object obj) =>
        obj is ValueType ? obj.GetHashCode() : System.Runtime.CompilerServices.RuntimeHelpers.GetHashCode(obj);
}
