using System.Diagnostics;
using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik;

/// <summary>A scene that is being played: captures it, and puts a captured one back.</summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
public sealed class LiveScene<TScene>
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly TScene _scene;
    private readonly SortedDictionary<EntityId, string> _manifest = [];

    // Entities whose kind the game does not know: they cannot be shown, and must not be lost.
    private readonly List<(EntityRecord Entity, List<(string Part, SaveValue Value)> Parts)> _unknown = [];

    internal LiveScene(SceneBindings<TScene> bindings, TScene scene)
    {
        _bindings = bindings;
        _scene = scene;
        foreach (var (id, entity) in FindLive())
        {
            if (!id.IsSpawned)
                _manifest.Add(id, entity.Kind.Kind);
        }
    }

    /// <summary>The placed entities of the scene as the designer left it, and their kinds.</summary>
    public IReadOnlyDictionary<EntityId, string> Manifest => _manifest;

    /// <summary>Takes the scene as it is now.</summary>
    /// <exception cref="SceneException">Two objects have one id, or a spawned one is of a kind that cannot be spawned.</exception>
    /// <exception cref="UnsavableStateException">A part cannot be saved as it is.</exception>
    public SceneRecord Capture()
    {
        var record = new SceneRecord { NextSpawn = _bindings.Numbers?.Invoke(_scene).Upcoming ?? 0 };
        var live = FindLive();
        var ids = new Dictionary<object, EntityId>(SameObject.Comparer);
        foreach (var (id, entity) in live)
            ids.TryAdd(entity.Object, id);
        foreach (var (id, entity) in live)
        {
            if (id.IsSpawned && !entity.Kind.CanSpawn)
            {
                throw new SceneException(
                    SaveErrorCode.SceneConflict,
                    $"The {entity.Kind.Kind} {id} was spawned, and its kind does not say how to spawn one: it could not be restored.",
                    remedy: "Give the kind Spawn and Remove, or the object an authored name.");
            }
            record.TryAdd(new EntityRecord(id, entity.Kind.Kind, ParentOf(id, entity, ids)));
            entity.Kind.Take(entity.Object, record, record.IndexOf(id));
        }
        foreach (var (entity, parts) in _unknown)
        {
            if (!record.TryAdd(entity))
                continue;
            foreach (var (part, value) in parts)
                ((TreePartColumn)record.Column(entity.Kind, part, () => new TreePartColumn(part))).Add(record.IndexOf(entity.Id), value);
        }
        foreach (var id in _manifest.Keys)
        {
            if (!live.ContainsKey(id))
                record.AddGone(id);
        }
        return record;
    }

    /// <summary>Takes the scene as it is now and keeps it in the archive.</summary>
    /// <inheritdoc cref="Capture"/>
    public SceneRecord CaptureTo(SceneArchive archive, string name)
    {
        ArgumentNullException.ThrowIfNull(archive);
        var record = Capture();
        archive.Put(name, record);
        return record;
    }

    /// <summary>What restoring a captured scene would do. Nothing is touched.</summary>
    /// <exception cref="SceneException">Two objects have one id, or entities of the record are each other's parents in a circle.</exception>
    public RestorePlan Plan(SceneRecord record)
    {
        ArgumentNullException.ThrowIfNull(record);
        return new RestorePlanner<TScene>(_bindings, FindLive(), TypedScene.Of(record, _bindings.MakeColumn)).Plan;
    }

    /// <summary>
    /// Puts a captured scene back: removes, spawns (parents first), puts parents and parts, and then lets everything settle.
    /// The plan is made and checked before anything is touched.
    /// </summary>
    /// <exception cref="SaveContentException">A part does not fit its type; the live scene is untouched.</exception>
    /// <exception cref="SceneException">The plan cannot be made, or a callback of the game threw; its error is inside.</exception>
    public RestoreReport Restore(SceneRecord record)
    {
        ArgumentNullException.ThrowIfNull(record);
        var started = Stopwatch.GetTimestamp();
        record = TypedScene.Of(record, _bindings.MakeColumn);
        var planner = new RestorePlanner<TScene>(_bindings, FindLive(), record);
        var planned = Stopwatch.GetTimestamp();
        new RestoreRun<TScene>(_bindings, _scene, planner, record).Act();
        KeepUnknown(planner.Plan, record);
        return new RestoreReport(planner.Plan, Stopwatch.GetElapsedTime(started, planned), Stopwatch.GetElapsedTime(planned));
    }

    /// <summary>Puts the scene of that name back; null, and nothing is touched, where the archive has none: it was never visited.</summary>
    /// <exception cref="SaveException">The scene's content does not fit; the live scene is untouched.</exception>
    /// <inheritdoc cref="Restore"/>
    public RestoreReport? RestoreFrom(SceneArchive archive, string name)
    {
        ArgumentNullException.ThrowIfNull(archive);
        return archive.Get(name, _bindings.MakeColumn) is { } record ? Restore(record) : null;
    }

    private static EntityId? ParentOf(EntityId id, LiveEntity<TScene> entity, Dictionary<object, EntityId> ids) => entity.Parent switch
    {
        null => default(EntityId?),
        EntityId parent => parent,
        var parent when ids.TryGetValue(parent, out var found) => found,
        var parent => throw new SceneException(
            SaveErrorCode.SceneConflict,
            $"The {entity.Kind.Kind} {id} belongs to a {parent.GetType().Name} that is not in the scene.",
            remedy: "Bind the kind of that object, or let go of it before the scene is captured."),
    };

    private SortedDictionary<EntityId, LiveEntity<TScene>> FindLive()
    {
        var live = new SortedDictionary<EntityId, LiveEntity<TScene>>();
        foreach (var kind in _bindings.Kinds)
        {
            foreach (var (id, parent, entity) in kind.Live(_scene))
            {
                if (!live.TryAdd(id, new LiveEntity<TScene>(kind, parent, entity)))
                {
                    throw new SceneException(
                        SaveErrorCode.SceneConflict,
                        $"Two objects of the scene have the id {id}: a {live[id].Kind.Kind} and a {kind.Kind}.",
                        remedy: "Give each object an id of its own.");
                }
            }
        }
        return live;
    }

    private void KeepUnknown(RestorePlan plan, SceneRecord record)
    {
        _unknown.Clear();
        foreach (var step in plan.Steps.Where(step => step.Action == RestoreAction.UnknownKind))
        {
            var parts = new List<(string, SaveValue)>();
            foreach (var column in record.ColumnsOf(step.Kind))
            {
                if (column is TreePartColumn tree && tree.TryGet(record.IndexOf(step.Id), out var value))
                    parts.Add((column.Name, value));
            }
            _unknown.Add((record.Find(step.Id)!.Value, parts));
        }
    }
}

/// <summary>An object of the live scene.</summary>
internal readonly record struct LiveEntity<TScene>(IBoundKind<TScene> Kind, object? Parent, object Object);

/// <summary>Whether two are the same object, whatever they think of equality; the numbers of entities compare as numbers.</summary>
internal sealed class SameObject : IEqualityComparer<object>
{
    public static SameObject Comparer { get; } = new();

    public new bool Equals(object? x, object? y) => x is ValueType ? x.Equals(y) : ReferenceEquals(x, y);

    public int GetHashCode(object obj) => obj is ValueType ? obj.GetHashCode() : System.Runtime.CompilerServices.RuntimeHelpers.GetHashCode(obj);
}
