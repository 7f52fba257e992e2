
namespace Lodrik.Scenes;

/// <summary>A scene that is being played: captures it, and puts a captured one back.</summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <remarks>It is used from one thread: the one on which the game changes the scene.</remarks>
public sealed class LiveScene<TScene>
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly Dictionary<EntityId, string> _manifest = [];
    private readonly SceneRecord _authored;
    private readonly KeptState _kept = new();
    private SceneRestoration<TScene>? _restoring;
    private int _lastCount;

    internal LiveScene(SceneBindings<TScene> bindings, TScene scene, SceneManifest? manifest)
    {
        _bindings = bindings;
        Scene = scene;
        var live = LookAround();
        foreach (var entry in manifest?.Entries ?? [])
        {
            if (!entry.IsRetired)
                _manifest[entry.Id] = entry.Kind;
        }
        foreach (var entity in live.All)
        {
            if (!entity.Id.IsSpawned && manifest is null)
                _manifest.Add(entity.Id, entity.Kind.Kind);
        }
        _authored = TakeAll(live);
    }

    /// <summary>The game's own scene.</summary>
    public TScene Scene { get; }

    /// <summary>The placed entities of the scene as the designer left it, and their kinds.</summary>
    public IReadOnlyDictionary<EntityId, string> Manifest => _manifest;

    /// <summary>Whether a restoration is under way, step by step.</summary>
    public bool IsRestoring => _restoring is { IsDone: false };

    /// <summary>Takes the scene as it is now.</summary>
    /// <exception cref="SceneException">
    /// Two objects have one id, or a spawned one is of a kind that cannot be spawned, or something is referred to that is not there; or a
    /// restoration is under way.
    /// </exception>
    /// <exception cref="UnsavableStateException">A part cannot be saved as it is.</exception>
    public SceneRecord Capture()
    {
        RefuseWhileRestoring();
        var live = LookAround();
        var record = new SceneRecord { NextSpawn = _bindings.Numbers?.Invoke(Scene).Upcoming ?? 0 };
        foreach (var entity in live.InOrder)
        {
            if (entity.Id.IsSpawned && !entity.Kind.CanSpawn)
            {
                throw new SceneException(
                    SaveErrorCode.SceneConflict,
                    $"The {entity.Kind.Kind} {entity.Id} was spawned, and its kind does not say how to spawn one: it could not be "
                        + "restored.",
                    remedy: "Give the kind Spawn and Remove, or the object an authored name.");
            }
            Take(entity, live, record);
        }
        _kept.AddEntities(record);
        foreach (var id in _manifest.Keys.Where(id => !live.Contains(id)).Order())
            record.AddGone(id);
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

    /// <summary>
    /// A record of which only a little is said, such as what a transfer code carries: restored, the scene is as the designer left it but
    /// for that.
    /// </summary>
    /// <param name="draw">Says which placed entities are gone, and what single parts are.</param>
    /// <exception cref="SceneException">The designer placed no such entity.</exception>
    /// <exception cref="SaveContentException">A part is not of the type that the bindings give it.</exception>
    public SceneRecord Sketch(Action<SceneSketch> draw)
    {
        ArgumentNullException.ThrowIfNull(draw);
        var sketch = new SceneSketch(_authored);
        draw(sketch);
        return sketch.ToRecord(_bindings.Types);
    }

    /// <summary>The object of an entity that is in the scene now; null where there is none.</summary>
    public object? Find(EntityId id) => LookAround().Find(id)?.Object;

    /// <summary>The entity that an object of the scene is; null where it is none.</summary>
    public EntityId? IdOf(object entity)
    {
        ArgumentNullException.ThrowIfNull(entity);
        return LookAround().IdOf(entity);
    }

    /// <summary>What restoring a captured scene would do. Nothing is touched.</summary>
    /// <exception cref="SceneException">
    /// Two objects have one id, or entities of the record are each other's parents in a circle.
    /// </exception>
    public RestorePlan Plan(SceneRecord record)
    {
        ArgumentNullException.ThrowIfNull(record);
        return MakePlan(LookAround(), TypedScene.Of(record, _bindings.Types)).Plan;
    }

    /// <summary>
    /// Puts a captured scene back: the plan is made and checked before anything is touched, then it is carried out phase by phase. If
    /// a callback of the game throws, the scene is put back as it was before.
    /// </summary>
    /// <exception cref="SaveContentException">A part does not fit its type; the live scene is untouched.</exception>
    /// <exception cref="SceneException">The plan cannot be made, or a callback of the game threw; its error is inside.</exception>
    public RestoreReport Restore(SceneRecord record) => BeginRestore(record).Finish();

    /// <summary>
    /// Puts a captured scene back step by step, so that a loading screen can go on moving. Nothing is touched before the first step.
    /// </summary>
    /// <exception cref="SaveContentException">A part does not fit its type; the live scene is untouched.</exception>
    /// <exception cref="SceneException">The plan cannot be made, or a restoration is under way.</exception>
    public SceneRestoration<TScene> BeginRestore(SceneRecord record)
    {
        ArgumentNullException.ThrowIfNull(record);
        RefuseWhileRestoring();
        return _restoring = new SceneRestoration<TScene>(
            _bindings, Scene, TypedScene.Of(record, _bindings.Types), _authored, _kept, LookAround, MakePlan);
    }

    /// <summary>Puts the scene of that name back; null, and nothing is touched, where the archive has none: it was never visited.</summary>
    /// <exception cref="SaveException">The scene's content does not fit; the live scene is untouched.</exception>
    /// <inheritdoc cref="Restore"/>
    public RestoreReport? RestoreFrom(SceneArchive archive, string name)
    {
        ArgumentNullException.ThrowIfNull(archive);
        return archive.Get(name, _bindings.Types) is { } record ? Restore(record) : null;
    }

    /// <summary>Puts the scene back as the designer left it: what a new game or a level that starts anew needs.</summary>
    /// <inheritdoc cref="Restore"/>
    public RestoreReport RestoreAuthored() => BeginRestoreAuthored().Finish();

    /// <summary>Puts the scene back as the designer left it, step by step.</summary>
    /// <inheritdoc cref="BeginRestore"/>
    public SceneRestoration<TScene> BeginRestoreAuthored() => BeginRestore(_authored);

    private LiveSet<TScene> LookAround()
    {
        var live = new LiveSet<TScene>(_bindings, Scene, _lastCount);
        _lastCount = live.Count;
        return live;
    }

    private RestorePlanner<TScene> MakePlan(LiveSet<TScene> live, SceneRecord record) => new(_bindings, live, record, _manifest, _authored);

    private void Take(LiveEntity<TScene> entity, LiveSet<TScene> live, SceneRecord record)
    {
        var isPlacedHere = !entity.Id.IsSpawned && _manifest.ContainsKey(entity.Id);
        var parent = live.ParentOf(entity) ?? _kept.LostParent(entity.Id);
        var taken = new EntityRecord(entity.Id, entity.Kind.Kind, parent, IsCarried: !entity.Id.IsSpawned && !isPlacedHere);
        record.Add(taken);
        entity.Kind.TakeParts(entity, record, isPlacedHere ? _authored : null);
        var index = record.Entities.Count - 1;
        _kept.AddParts(record, taken, index);
        SceneTaking.TakeReferences(entity, live, record, _kept);
        if (isPlacedHere && entity.Kind.OmitsUnchanged && _authored.Find(entity.Id) is { } was && was.Kind == taken.Kind
            && was.Parent == taken.Parent
            && !record.ColumnsOf(taken.Kind).Exists(column => column.Has(index)))
        {
            record.RemoveLast();
        }
    }

    /// <summary>Everything of every entity, whatever a save leaves out: what the designer made.</summary>
    private SceneRecord TakeAll(LiveSet<TScene> live)
    {
        var record = new SceneRecord { NextSpawn = _bindings.Numbers?.Invoke(Scene).Upcoming ?? 0 };
        foreach (var entity in live.InOrder)
            SceneTaking.TakeWhole(entity, live, record);
        return record;
    }

    private void RefuseWhileRestoring()
    {
        if (IsRestoring)
        {
            throw new SceneException(
                SaveErrorCode.NotReady, "The scene is being restored, and is not whole before that is done.",
                remedy: "Call Step until it says so, or Finish, or Cancel.");
        }
    }
}
