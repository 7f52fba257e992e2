using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>A scene that is being played: captures it, and restores a captured one.</summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <remarks>It is used from one thread: the one on which the game changes the scene.</remarks>
public sealed class LiveScene<TScene> : IEntityLookup, IUnknownTargets
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly SceneTypes _types;
    private SceneRestoration<TScene>? _restoring;
    private LiveSet<TScene>? _captured;
    private SceneRecord? _capture;
    private readonly Dictionary<string, LiveSet<TScene>> _neighbours = [];

    internal LiveScene(SceneBindings<TScene> bindings, TScene scene, SceneManifest? manifest)
    {
        _bindings = bindings;
        Open = new OpenScene<TScene>(scene);
        var live = LookAround();
        live.RequireIds();
        foreach (var entry in manifest?.Entries ?? [])
        {
            if (!entry.IsRetired)
                Open.Manifest[entry.Id] = entry.Kind;
        }
        foreach (var entity in live.All)
        {
            if (!entity.Id.IsSpawned && manifest is null)
                Open.Manifest.Add(entity.Id, entity.Kind.Name);
        }
        Open.IsManifestAuthored = manifest is null;
        Open.Authored = TakeAuthored(live);
        live.Release();
        _types = bindings.TypesFor(Open.Authored);
    }

    /// <summary>The game's own scene.</summary>
    public TScene Scene => Open.Scene;

    /// <summary>The placed entities of the scene as the designer left it, and their kinds.</summary>
    public IReadOnlyDictionary<EntityId, string> Manifest => Open.Manifest;

    /// <summary>Whether a restoration is under way, step by step.</summary>
    public bool IsRestoring => _restoring is { IsAtWork: true };

    internal OpenScene<TScene> Open { get; }

    /// <summary>Captures the scene as it is now.</summary>
    /// <remarks>
    /// What an entity refers or belongs to and no scene knows is not saved, and <see cref="SceneRecord.Warnings"/> says so.
    /// </remarks>
    /// <exception cref="SceneException">
    /// The scene could not be restored as it is: an object has no id, two have the same, entities belong to each other in a circle, or one
    /// was spawned that cannot be spawned again. Or a callback of the game threw, or a restoration is under way.
    /// </exception>
    /// <exception cref="UnsavableStateException">A part cannot be saved as it is.</exception>
    public SceneRecord Capture()
    {
        RefuseWhileRestoring();
        var live = LookAround();
        live.RequireIds();
        var tree = RefuseCircles(live);
        var order = live.InOrder();
        var record = new SceneRecord { NextSpawn = _bindings.Numbers?.Invoke(Scene).Upcoming ?? 0 };
        (_captured, _capture) = (live, record);
        try
        {
            var taking = new SceneTaking<TScene>(live, this, record);
            taking.Declare(isWhole: !_bindings.OmitsUnchanged);
            if (!_bindings.OmitsUnchanged)
                record.MakeRoom(live.Count);
            foreach (var index in order)
            {
                RefuseUnspawnable(live.All[index]);
                Take(taking, live, tree, index);
            }
        }
        finally
        {
            (_captured, _capture) = (null, null);
            _neighbours.Clear();
        }
        Open.Kept.AddEntities(record);
        foreach (var id in Open.IsManifestAuthored ? GoneFrom(live, order) : Open.Manifest.Keys.Where(id => !live.Contains(id)).Order())
            record.AddGone(id);
        order.Release();
        tree?.Release();
        live.Release();
        return record;
    }

    /// <summary>The placed entities that are not there: what was authored and what is there are both in the order of their ids.</summary>
    private IEnumerable<EntityId> GoneFrom(LiveSet<TScene> live, PooledList<int> order)
    {
        var next = 0;
        foreach (var authored in Open.Authored.Entities)
        {
            if (authored.Id.IsSpawned)
                yield break;
            while (next < order.Count && live.All[order[next]].Id.CompareTo(authored.Id) < 0)
                next++;
            if (next == order.Count || live.All[order[next]].Id != authored.Id)
                yield return authored.Id;
        }
    }

    /// <summary>Captures the scene as it is now and keeps it in the archive.</summary>
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
        var sketch = new SceneSketch(Open.Authored);
        draw(sketch);
        return sketch.ToRecord(_types);
    }

    /// <summary>The object of an entity that is in the scene now; null if there is none.</summary>
    public object? Find(EntityId id)
    {
        var live = LookAround();
        var found = live.ObjectOf(id);
        live.Release();
        return found;
    }

    /// <summary>The entity that an object of the scene is; null if it is none.</summary>
    public EntityId? IdOf(object entity)
    {
        ArgumentNullException.ThrowIfNull(entity);
        var live = LookAround();
        var id = live.IdOf(entity);
        live.Release();
        return id;
    }

    /// <summary>What restoring a captured scene would do. Nothing is touched.</summary>
    /// <exception cref="SceneException">Entities of the record are each other's parents in a circle.</exception>
    /// <exception cref="SaveContentException">A part does not fit its type.</exception>
    public RestorePlan Plan(SceneRecord record)
    {
        ArgumentNullException.ThrowIfNull(record);
        var work = AtWork(record, isSliced: false);
        var plan = new RestorePlan();
        foreach (var _ in work.Plan(plan))
        {
        }
        foreach (var _ in work.Planner.FindDangling(_ => null))
        {
        }
        work.Release();
        return plan;
    }

    /// <summary>
    /// Restores a captured scene: the plan is made and checked before anything is touched, then it is carried out phase by phase. If
    /// a callback of the game throws, the scene is rolled back to what it was before.
    /// </summary>
    /// <exception cref="SaveContentException">A part does not fit its type; the live scene is untouched.</exception>
    /// <exception cref="SceneException">The plan cannot be made, or a callback of the game threw; its error is inside.</exception>
    public RestoreReport Restore(SceneRecord record)
    {
        ArgumentNullException.ThrowIfNull(record);
        return Begin(AtWork(record, isSliced: false)).Finish();
    }

    /// <summary>
    /// Restores a captured scene step by step, so that a loading screen can go on moving. The parts are read in the background if they
    /// were not yet; the first steps make the plan, and nothing is touched before that.
    /// </summary>
    /// <exception cref="SceneException">A restoration is under way.</exception>
    public SceneRestoration<TScene> BeginRestore(SceneRecord record)
    {
        ArgumentNullException.ThrowIfNull(record);
        return Begin(AtWork(record, isSliced: true));
    }

    /// <summary>
    /// Restores the scene of that name step by step; null if the archive has none: it was never visited. The scene is read in the
    /// background.
    /// </summary>
    /// <inheritdoc cref="BeginRestore"/>
    public SceneRestoration<TScene>? BeginRestoreFrom(SceneArchive archive, string name)
    {
        ArgumentNullException.ThrowIfNull(archive);
        return archive.Contains(name) ? Begin(AtWork(archive, name, isSliced: true)) : null;
    }

    /// <summary>Restores the scene of that name; null, and nothing is touched, if the archive has none: it was never visited.</summary>
    /// <exception cref="SaveException">The scene's content does not fit; the live scene is untouched.</exception>
    /// <inheritdoc cref="Restore"/>
    public RestoreReport? RestoreFrom(SceneArchive archive, string name)
    {
        ArgumentNullException.ThrowIfNull(archive);
        return archive.Contains(name) ? Begin(AtWork(archive, name, isSliced: false)).Finish() : null;
    }

    /// <summary>Reads the scene of that name now, and begins to restore it.</summary>
    /// <exception cref="SaveException">The scene's content does not fit; nothing has begun.</exception>
    internal SceneRestoration<TScene> BeginReadAndRestore(SceneArchive archive, string name) =>
        Begin(AtWork(archive, name, isSliced: false));

    /// <summary>Puts the scene back as the designer left it: what a new game or a level that starts again needs.</summary>
    /// <inheritdoc cref="Restore"/>
    public RestoreReport RestoreAuthored() => BeginRestoreAuthored().Finish();

    /// <summary>Puts the scene back as the designer left it, step by step.</summary>
    /// <inheritdoc cref="BeginRestore"/>
    public SceneRestoration<TScene> BeginRestoreAuthored() => BeginRestore(Open.Authored);

    internal SceneAtWork<TScene> AtWork(SceneRecord record, bool isSliced) => new(
        _bindings, Open, record.Count,
        isSliced && TypedScene.MayHaveToRead(record, _types)
            ? Task.Run(() => TypedScene.Of(record, _types))
            : Task.FromResult(TypedScene.Of(record, _types)));

    /// <summary>What restores a scene of an archive; as authored, if the archive has none of that name.</summary>
    internal SceneAtWork<TScene> AtWork(SceneArchive archive, string name, bool isSliced)
    {
        if (!archive.Contains(name))
            return AtWork(Open.Authored, isSliced);
        // The archive may change while the scene is read in the background.
        var read = archive.Reader(name);
        SceneRecord Read() => TypedScene.Of(read(_types), _types);
        return new(_bindings, Open, Open.Authored.Count, isSliced ? Task.Run(Read) : Task.FromResult(Read()));
    }

    private SceneRestoration<TScene> Begin(SceneAtWork<TScene> work)
    {
        RefuseWhileRestoring();
        return _restoring = new SceneRestoration<TScene>(_bindings, [work]);
    }

    /// <summary>It is restored together with others.</summary>
    internal void Follow(SceneRestoration<TScene> restoration) => _restoring = restoration;

    internal void RefuseWhileRestoring()
    {
        if (IsRestoring)
        {
            throw new SceneException(
                SaveErrorCode.NotReady, "The scene is still being restored.",
                remedy: "Call Step until it is done, or Finish, or Cancel.");
        }
    }

    internal LiveSet<TScene> LookAround()
    {
        var live = LiveSet<TScene>.Of(_bindings, Scene, Open.ExpectedCount);
        Open.ExpectedCount = live.Count;
        return live;
    }

    private SceneRecord TakeAuthored(LiveSet<TScene> live)
    {
        var record = new SceneRecord { NextSpawn = _bindings.Numbers?.Invoke(Scene).Upcoming ?? 0 };
        (_captured, _capture) = (live, record);
        try
        {
            var taking = new SceneTaking<TScene>(live, this, record);
            taking.Declare(isWhole: true);
            foreach (var index in live.InOrder())
                Guard(live.All[index], () => taking.TakeWhole(index, this, live.ParentOf(index).Id));
        }
        finally
        {
            (_captured, _capture) = (null, null);
        }
        // It is asked for from the background while a save is read, and must not change then.
        foreach (var _ in record.MakeIndex())
        {
        }
        return record;
    }

    private void Take(SceneTaking<TScene> taking, LiveSet<TScene> live, LiveTree<TScene>? tree, int index)
    {
        var entity = live.All[index];
        try
        {
            taking.Take(index, Open.Authored, Open.IsManifestAuthored ? null : Open.Manifest, Open.Kept, this, ParentOf(live, tree, index));
        }
        catch (Exception exception) when (exception is not (OutOfMemoryException or SaveException))
        {
            throw Failed(entity, exception);
        }
    }

    private static void Guard(LiveEntity<TScene> entity, Action take)
    {
        try
        {
            take();
        }
        catch (Exception exception) when (exception is not (OutOfMemoryException or SaveException))
        {
            throw Failed(entity, exception);
        }
    }

    private static SceneException Failed(LiveEntity<TScene> entity, Exception exception) => new(
        SaveErrorCode.SceneConflict,
        entity.Objects.Asked is { } asked
            ? $"The game's code failed while the \"{asked}\" of the {entity.Kind.Name} {entity.Id} was captured: {exception.Message}"
            : $"The game's code failed while the {entity.Kind.Name} {entity.Id} was captured: {exception.Message}",
        remedy: "Nothing was saved. If the object may be without it, give null or say so with when.",
        innerException: exception);

    private void RefuseUnspawnable(LiveEntity<TScene> entity)
    {
        if (!entity.Id.IsSpawned)
            return;
        if (!entity.Kind.CanSpawn)
        {
            throw new SceneException(
                SaveErrorCode.SceneConflict,
                $"The {entity.Kind.Name} {entity.Id} was spawned, but its kind does not say how to spawn one, so it could not be restored.",
                remedy: "Give the kind Spawn and Remove, or the object an authored name.");
        }
        if (!_bindings.KnowsNumbers)
        {
            throw new SceneException(
                SaveErrorCode.SceneConflict,
                $"The {entity.Kind.Name} {entity.Id} was spawned, but the bindings do not say where its number comes from: after a load, "
                    + "numbers would start at 1 again.",
                remedy: "Call SpawnNumbers on the bindings; or OwnNumbers, if the game saves by itself how far it has counted.");
        }
    }

    /// <summary>What an entity is saved as belonging to.</summary>
    private EntityId? ParentOf(LiveSet<TScene> live, LiveTree<TScene>? tree, int index)
    {
        var entity = live.All[index];
        if (tree is null || !entity.Kind.HasParent)
            return null;
        var parent = tree.ParentOf(index) is >= 0 and var at ? live.All[at].Id : tree.OutsideOf(index);
        if (tree.StrangerOf(index) is { } stranger)
        {
            _capture?.AddWarning(
                $"The {entity.Kind.Name} {entity.Id} belongs to a {stranger.GetType().Name} that is not in the scene; "
                    + "it is saved without a parent.");
        }
        else if (parent is null)
            return Open.Kept.LostParent(entity.Id);
        Open.Kept.ForgetParent(entity.Id);
        return parent;
    }

    private static LiveTree<TScene>? RefuseCircles(LiveSet<TScene> live)
    {
        if (!live.Kinds.Any(objects => objects.Kind.HasParent))
            return null;
        var tree = new LiveTree<TScene>(live);
        foreach (var _ in tree.Climb())
        {
        }
        if (tree.Circle is { } circle)
        {
            throw new SceneException(
                SaveErrorCode.SceneConflict,
                $"The {live.All[circle[0]].Kind.Name} {live.All[circle[0]].Id} belongs to itself: "
                    + $"{string.Join(" in ", circle.Append(circle[0]).Select(index => live.All[index].Id))}.",
                remedy: "Such a scene could not be restored. Remove one of these parents before the scene is captured.");
        }
        return tree;
    }

    EntityReference? IEntityLookup.ReferenceTo(object entity) => _captured?.IdOf(entity) is { } id
        ? new EntityReference(id)
        : Open.Neighbours?.NameOf(Open.Name, entity, _neighbours) ?? _bindings.FindElsewhere?.Invoke(Scene, entity);

    object? IEntityLookup.Find(EntityReference reference) => reference.Scene is null
        ? _captured?.ObjectOf(reference.Id)
        : Open.Neighbours?.Find(reference, _neighbours) ?? _bindings.ResolveElsewhere?.Invoke(Scene, reference);

    void IUnknownTargets.Reference(EntityId id, string kind, string name, int place, object target) => _capture?.AddWarning(
        $"The {kind} {id} refers to a {target.GetType().Name} as its {name} that is not in the scene; the reference is not saved.");
}
