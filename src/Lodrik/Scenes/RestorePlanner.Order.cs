using Lodrik.State;

namespace Lodrik.Scenes;

// In which order things come and go: what belongs to something comes after it, and goes before it.
internal sealed partial class RestorePlanner<TScene>
{
    /// <summary>Puts the targets in an order in which each comes after the one that it belongs to.</summary>
    private IEnumerable<int> PutInOrder()
    {
        _order.EnsureRoom(_targets.Count);
        var children = new PooledList<int>();
        for (var index = 0; index < _targets.Count; index++)
        {
            if (_targets[index].ParentId == default)
                _order.Add(index);
            else
                children.Add(index);
            if (index % Batch == 0)
                yield return 0;
        }
        // 0 for those that have not been looked at, 1 for those on the line of the child that is being looked at, 2 for those in order.
        var states = new PooledList<byte>();
        states.Fill(_targets.Count, 2);
        foreach (var child in children)
        {
            FindParentTarget(child);
            states[child] = 0;
            if (child % Batch == 0)
                yield return 0;
        }
        var line = new List<int>();
        foreach (var child in children)
        {
            // Up to the first ancestor that is done, then down again; no recursion, a line of parents may be long.
            line.Clear();
            for (var at = child; at >= 0 && states[at] != 2; at = _targets[at].Parent)
            {
                if (states[at] == 1)
                {
                    OpenCircle(line, at);
                    foreach (var again in line)
                        states[again] = 0;
                    line.Clear();
                    at = child;
                }
                states[at] = 1;
                line.Add(at);
                if (line.Count % Batch == 0)
                    yield return 0;
            }
            for (var i = line.Count - 1; i >= 0; i--)
            {
                states[line[i]] = 2;
                _order.Add(line[i]);
            }
            if (child % Batch == 0)
                yield return 0;
        }
        children.Release();
        states.Release();
    }

    private void FindParentTarget(int child)
    {
        ref var target = ref Targets[child];
        // Neighbours often belong to the same.
        if (target.ParentId != _lastParent.Id)
            _lastParent = (target.ParentId, IndexOf(target.ParentId));
        target.Parent = _lastParent.Target;
        _isParentUnknown |= target.Parent < 0;
        if (target.Parent < 0 && !target.Objects.NamesParent)
            _plan.AddWarning(
                $"{target.Kind.Name} {target.Id} belongs to {target.ParentId}, which is missing; it has no parent now");
    }

    /// <summary>
    /// Opens a circle of parents at an entity whose parent the designer changed since the save: what the save says is kept.
    /// </summary>
    private void OpenCircle(List<int> line, int from)
    {
        var circle = line[line.IndexOf(from)..];
        var free = circle.FindIndex(at => !_targets[at].SaysParent);
        if (free < 0)
        {
            throw new SceneException(
                SaveErrorCode.SceneConflict,
                $"In the save, {_targets[from].Id} belongs to itself: "
                    + $"{string.Join(" in ", circle.Append(from).Select(at => _targets[at].Id))}.",
                remedy: "Nothing was changed. Load an older generation or a copy.");
        }
        ref var target = ref Targets[circle[free]];
        _plan.AddWarning(
            $"{target.Kind.Name} {target.Id} belongs to {target.ParentId} in this version of the game, which belongs to it in the save; it "
                + "has no parent now");
        (target.Parent, target.ParentId) = (-1, default);
    }

    /// <summary>
    /// Puts what is removed in an order in which each comes before the one that it belongs to: in some engines what goes takes along what
    /// belongs to it. What stays loses such a parent first.
    /// </summary>
    private IEnumerable<int> PutRemovalsInOrder()
    {
        if (_removed.Count == 0 || !_live.Kinds.Any(objects => objects.Kind.HasParent))
            yield break;
        foreach (var step in _live.MakeIndex())
            yield return step;
        var tree = new LiveTree<TScene>(_live);
        foreach (var step in tree.Climb())
            yield return step;
        var orphans = new List<LiveEntity<TScene>>();
        for (var index = 0; index < _live.Count; index++)
        {
            if (!_isRemoved[index] && tree.ParentOf(index) is >= 0 and var parent && _isRemoved[parent])
                orphans.Add(_live.All[index]);
        }
        Orphans = orphans;
        var byDepth = new List<List<LiveEntity<TScene>>>();
        foreach (var entity in _removed)
        {
            var index = _live.IndexOf(entity.Id);
            var depth = index >= 0 && _live.All[index] == entity ? tree.DepthOf(index) : 0;
            while (byDepth.Count <= depth)
                byDepth.Add([]);
            byDepth[depth].Add(entity);
            if (index % Batch == 0)
                yield return 0;
        }
        tree.Release();
        _removed.Clear();
        for (var depth = byDepth.Count - 1; depth >= 0; depth--)
            _removed.AddRange(byDepth[depth]);
    }
}
