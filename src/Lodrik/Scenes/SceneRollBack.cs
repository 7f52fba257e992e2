namespace Lodrik.Scenes;

/// <summary>
/// Puts scenes back as they were before a restoration that came to nothing. It looks at what is there, whatever the restoration got to, and
/// goes on if the game's own code fails.
/// </summary>
internal sealed class SceneRollBack<TScene>(
    SceneBindings<TScene> bindings, IReadOnlyList<SceneAtWork<TScene>> scenes, List<Exception> failures)
{
    private readonly List<RolledScene> _scenes = [];

    /// <summary>Whether everything in the scenes is as it was; what follows from it is the game's.</summary>
    public bool IsWhole { get; private set; }

    public static void Try(List<Exception> failures, Action act)
    {
        try
        {
            act();
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            failures.Add(exception);
        }
    }

    public void Act(bool wasSettling)
    {
        foreach (var scene in scenes)
        {
            // The last that was put first: a condition that holds because of another part holds until that is restored.
            for (var i = scene.Undo.Count - 1; i >= 0; i--)
                Try(failures, scene.Undo[i]);
            Try(failures, () => _scenes.Add(new RolledScene(this, scene, LiveSet<TScene>.Of(bindings, scene.Scene))));
        }
        foreach (var scene in _scenes)
            scene.Remove();
        foreach (var scene in _scenes)
            scene.Spawn();
        foreach (var scene in _scenes)
            Try(() => scene.RemoveExtra(() => LiveSet<TScene>.Of(bindings, scene.Of.Scene)));
        foreach (var scene in _scenes)
            scene.PutParents();
        foreach (var scene in _scenes)
            scene.PutParts();
        foreach (var scene in _scenes)
            scene.PutReferences();
        IsWhole = failures.Count == 0;
        if (!wasSettling)
            return;
        // What had settled on the way has to settle again: what follows from the scene follows from the old one now.
        foreach (var scene in _scenes)
            scene.Settle();
    }

    private void Try(Action act) => Try(failures, act);

    /// <summary>One of the scenes.</summary>
    private sealed class RolledScene(SceneRollBack<TScene> owner, SceneAtWork<TScene> scene, LiveSet<TScene> now) : IEntityLookup
    {
        private readonly Dictionary<EntityId, LiveEntity<TScene>> _there = [];
        private readonly HashSet<object> _removed = new(SameObject.Comparer);
        private bool _hasSpawned;

        public void Remove()
        {
            var tree = new LiveTree<TScene>(now);
            owner.Try(() =>
            {
                foreach (var _ in tree.Climb())
                {
                }
            });
            var removed = new List<(int Depth, LiveEntity<TScene> Entity)>();
            for (var index = 0; index < now.Count; index++)
            {
                var live = now.All[index];
                if (WasThere(live))
                    _there.Add(live.Id, live);
                else
                    removed.Add((tree.DepthOf(index), live));
            }
            // What stays is set free first, so that nothing is taken along by what goes; it gets its parent back below.
            for (var index = 0; index < now.Count; index++)
            {
                var live = now.All[index];
                if (_there.ContainsKey(live.Id) && tree.ParentOf(index) is >= 0 and var parent && !_there.ContainsKey(now.All[parent].Id))
                    owner.Try(() => live.Objects.PutParent(live.Slot, null, null));
            }
            foreach (var stray in now.Strays)
                Remove(stray.Entity);
            foreach (var (_, live) in removed.OrderByDescending(one => one.Depth))
                Remove(live);
        }

        private void Remove(LiveEntity<TScene> live)
        {
            _removed.Add(live.Object);
            owner.Try(() => live.Objects.Remove(live.Slot));
        }

        private bool WasThere(LiveEntity<TScene> live) => scene.Before.Find(live.Id) is { } was && was.Kind == live.Kind.Name;

        public void Spawn()
        {
            var depths = FindDepths();
            var order = Enumerable.Range(0, depths.Length).OrderBy(index => depths[index]);
            foreach (var index in order)
            {
                var entity = scene.Before.EntityAt(index);
                if (_there.ContainsKey(entity.Id) || scene.KindNamed(entity.Kind) is not { CanSpawn: true } kind)
                    continue;
                var objects = now.ObjectsOf(kind);
                _hasSpawned = true;
                owner.Try(() => _there.Add(
                    entity.Id, new LiveEntity<TScene>(entity.Id, objects, objects.Spawn(entity.Id, SourceOf(index), ParentNow(index)))));
            }
        }

        /// <summary>Removes what the spawn callbacks created beside what they were asked for.</summary>
        /// <param name="lookAround">Looks at what is there after the spawning.</param>
        public void RemoveExtra(Func<LiveSet<TScene>> lookAround)
        {
            if (!_hasSpawned)
                return;
            var after = lookAround();
            var known = _there.Values.Select(live => live.Object).ToHashSet(SameObject.Comparer);
            foreach (var live in after.All.Concat(after.Strays.Select(stray => stray.Entity)))
            {
                // What is destroyed at the end of the frame may still be there.
                if (live.Kind.CanSpawn && !known.Contains(live.Object) && !_removed.Contains(live.Object))
                    Remove(live);
            }
        }

        /// <summary>How deep each entity was: each is looked at once, since a line of parents may be long.</summary>
        private int[] FindDepths()
        {
            // 0 is unknown, -1 is on the line that is being climbed; a root has the depth 1.
            var depths = new int[scene.Before.Count];
            var line = new List<int>();
            for (var index = 0; index < depths.Length; index++)
            {
                line.Clear();
                var at = index;
                for (; at >= 0 && depths[at] == 0; at = ParentOf(at))
                {
                    depths[at] = -1;
                    line.Add(at);
                }
                var depth = at >= 0 ? Math.Max(0, depths[at]) : 0;
                for (var i = line.Count - 1; i >= 0; i--)
                    depths[line[i]] = ++depth;
            }
            return depths;
        }

        private int ParentOf(int index)
        {
            var id = index < scene.Parents.Count && scene.Parents[index].Object is { } remembered
                ? scene.Planner.Live.IdOf(remembered)
                : scene.Before.EntityAt(index).Parent;
            return id is { } parent ? scene.Before.TryIndexOf(parent) : -1;
        }

        private object? ParentNow(int index) =>
            ParentOf(index) is >= 0 and var parent ? ObjectOf(scene.Before.EntityAt(parent).Id) : null;

        public SceneAtWork<TScene> Of => scene;

        public object? ObjectOf(EntityId id) => _there.TryGetValue(id, out var live) ? live.Object : null;

        public void PutParents() => ForEach(kind => kind.HasParent, (live, index) =>
        {
            if (scene.Parents[index].Object is { } remembered)
                live.Objects.PutParent(live.Slot, null, owner.RolledBack(scene, remembered));
            else if (scene.Before.EntityAt(index).Parent is { } parent)
                live.Objects.PutParent(live.Slot, parent, Find(parent));
            else
                live.Objects.PutParent(live.Slot, null, null);
        });

        public void PutParts() => ForEach(_ => true, (live, index) => live.Objects.PutParts(live.Slot, SourceOf(index), null));

        public void PutReferences() =>
            ForEach(
                kind => kind.HasReferences,
                (live, index) => live.Objects.PutReferences(live.Slot, SourceOf(index), this, live.Id, null));

        public void Settle()
        {
            ForEach(kind => kind.HasSettled, (live, _) => live.Objects.Settle(live.Slot));
            owner.Try(() => owner.Settle(scene.Scene));
        }

        private PutSource SourceOf(int index) => new(scene.Before, index, scene.Before, -1);

        private void ForEach(Func<SceneKind<TScene>, bool> applies, Action<LiveEntity<TScene>, int> act)
        {
            for (var index = 0; index < scene.Before.Count; index++)
            {
                var place = index;
                if (_there.TryGetValue(scene.Before.EntityAt(index).Id, out var live) && applies(live.Kind))
                    owner.Try(() => act(live, place));
            }
        }

        public object? Find(EntityReference reference)
        {
            if (reference.Scene is null)
                return _there.TryGetValue(reference.Id, out var live) ? live.Object : null;
            if (scene.RememberedAs(reference) is { } remembered)
                return owner.RolledBack(scene, remembered);
            return owner._scenes.FirstOrDefault(other => other.Name == reference.Scene) is { } found
                ? found.Find(reference.Id)
                : scene.FindElsewhere(reference);
        }

        private string? Name => scene.Of.Name;

        public EntityReference? ReferenceTo(object entity) => null;
    }

    /// <summary>What an object of the scenes that were left is now: it may have been created again, in this scene or another.</summary>
    private object RolledBack(SceneAtWork<TScene> from, object remembered)
    {
        foreach (var scene in _scenes.OrderBy(scene => scene.Of == from ? 0 : 1))
        {
            if (scene.Of.Planner.Live.IdOf(remembered) is { } id && scene.ObjectOf(id) is { } now)
                return now;
        }
        return remembered;
    }

    private void Settle(TScene scene) => bindings.SceneSettled?.Invoke(scene);
}
