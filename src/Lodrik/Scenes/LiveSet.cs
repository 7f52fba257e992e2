namespace Lodrik.Scenes;

/// <summary>What is in a live scene at one moment, by id and by object.</summary>
internal sealed class LiveSet<TScene> : IEntityLookup
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly Dictionary<EntityId, LiveEntity<TScene>> _byId;
    private readonly List<LiveEntity<TScene>> _all;
    private List<LiveEntity<TScene>>? _inOrder;
    private Dictionary<object, EntityId>? _ids;

    /// <exception cref="SceneException">Two objects have one id.</exception>
    /// <param name="bindings">The game's kinds.</param>
    /// <param name="scene">The scene.</param>
    /// <param name="expected">How many there were last time.</param>
    public LiveSet(SceneBindings<TScene> bindings, TScene scene, int expected = 0)
    {
        _bindings = bindings;
        _byId = new Dictionary<EntityId, LiveEntity<TScene>>(expected);
        _all = new List<LiveEntity<TScene>>(expected);
        foreach (var family in bindings.Families)
        {
            foreach (var entity in family.Live(scene))
            {
                if (!_byId.TryAdd(entity.Id, entity))
                {
                    throw new SceneException(
                        SaveErrorCode.SceneConflict,
                        $"Two objects of the scene have the id {entity.Id}: a {_byId[entity.Id].Kind.Kind} and a {entity.Kind.Kind}.",
                        remedy: "Give each object an id of its own.");
                }
                _all.Add(entity);
            }
        }
    }

    /// <summary>All of them, in the order in which the game has them.</summary>
    public IReadOnlyList<LiveEntity<TScene>> All => _all;

    /// <summary>All of them, placed ones by name, then spawned ones by number.</summary>
    public IReadOnlyList<LiveEntity<TScene>> InOrder
    {
        get
        {
            if (_inOrder is null)
            {
                _inOrder = [.. _all];
                if (!IsSorted(_all))
                    _inOrder.Sort(static (a, b) => a.Id.CompareTo(b.Id));
            }
            return _inOrder;
        }
    }

    public int Count => _all.Count;

    private static bool IsSorted(List<LiveEntity<TScene>> entities)
    {
        for (var i = 1; i < entities.Count; i++)
        {
            if (entities[i - 1].Id.CompareTo(entities[i].Id) > 0)
                return false;
        }
        return true;
    }

    public bool Contains(EntityId id) => _byId.ContainsKey(id);

    public LiveEntity<TScene>? Find(EntityId id) => _byId.GetValueOrDefault(id);

    public EntityId? IdOf(object entity)
    {
        if (_ids is null)
        {
            _ids = new Dictionary<object, EntityId>(_all.Count, SameObject.Comparer);
            foreach (var one in _all)
                _ids.TryAdd(one.Object, one.Id);
        }
        return _ids.TryGetValue(entity, out var id) ? id : default(EntityId?);
    }

    /// <summary>What an entity belongs to.</summary>
    /// <exception cref="SceneException">It belongs to an object that is not in the scene.</exception>
    public EntityId? ParentOf(LiveEntity<TScene> entity) => entity.Parent switch
    {
        null => default(EntityId?),
        EntityId parent => parent,
        var parent => IdOf(parent) ?? throw new SceneException(
            SaveErrorCode.SceneConflict,
            $"The {entity.Kind.Kind} {entity.Id} belongs to a {parent.GetType().Name} that is not in the scene.",
            remedy: "Bind the kind of that object, or let go of it before the scene is captured."),
    };

    public EntityReference? ReferenceTo(object entity) =>
        IdOf(entity) is { } id ? new EntityReference(id) : _bindings.FindElsewhere?.Invoke(entity);

    object? IEntityLookup.Find(EntityReference reference) =>
        reference.Scene is null ? Find(reference.Id)?.Object : _bindings.ResolveElsewhere?.Invoke(reference);
}

/// <summary>Whether two are the same object, whatever they think of equality; the numbers of entities compare as numbers.</summary>
internal sealed class SameObject : IEqualityComparer<object>
{
    public static SameObject Comparer { get; } = new();

    public new bool Equals(object? x, object? y) => x is ValueType ? x.Equals(y) : ReferenceEquals(x, y);

    public int GetHashCode(object obj) =>
        obj is ValueType ? obj.GetHashCode() : System.Runtime.CompilerServices.RuntimeHelpers.GetHashCode(obj);
}
