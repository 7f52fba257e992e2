using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>What belongs to what in a live scene, and how deep.</summary>
internal sealed class LiveTree<TScene>
{
    private readonly LiveSet<TScene> _live;
    private readonly PooledList<int> _parents = new();
    private readonly PooledList<int> _depths = new();
    private Dictionary<int, EntityId>? _outside;
    private Dictionary<int, object>? _strangers;

    public LiveTree(LiveSet<TScene> live)
    {
        _live = live;
        _parents.Fill(live.Count, -1);
        _depths.Fill(live.Count, 0);
    }

    public int ParentOf(int index) => _parents[index];

    /// <summary>The id of a parent that is named and not in the scene; null if there is none.</summary>
    public EntityId? OutsideOf(int index) => _outside is not null && _outside.TryGetValue(index, out var id) ? id : default(EntityId?);

    /// <summary>A parent that is not an entity of the scene; null if there is none.</summary>
    public object? StrangerOf(int index) => _strangers?.GetValueOrDefault(index);

    public int DepthOf(int index) => _depths[index];

    /// <summary>The entities of a circle, if there is one: each belongs to the next, and the last to the first.</summary>
    public IReadOnlyList<int>? Circle { get; private set; }

    /// <summary>Gives the room back to the pool, when nobody needs it any more.</summary>
    public void Release()
    {
        _parents.Release();
        _depths.Release();
    }

    /// <summary>Looks at all entities, and gives a value after each.</summary>
    public IEnumerable<int> Climb()
    {
        for (var index = 0; index < _parents.Count; index++)
        {
            (_parents[index], var outside, var stranger) = _live.ParentOf(index);
            if (_parents[index] < 0 && outside is { } id)
                (_outside ??= []).Add(index, id);
            if (stranger is not null)
                (_strangers ??= []).Add(index, stranger);
            if (index % 16 == 0)
                yield return 0;
        }
        // 0 is unknown, -1 is on the line that is being climbed; a root has the depth 1.
        var line = new List<int>();
        for (var index = 0; index < _parents.Count; index++)
        {
            line.Clear();
            var at = index;
            for (; at >= 0 && _depths[at] == 0; at = _parents[at])
            {
                _depths[at] = -1;
                line.Add(at);
            }
            if (at >= 0 && _depths[at] < 0)
                Circle ??= line[line.IndexOf(at)..];
            var depth = at >= 0 && _depths[at] > 0 ? _depths[at] : 0;
            for (var i = line.Count - 1; i >= 0; i--)
                _depths[line[i]] = ++depth;
            if (index % 16 == 0)
                yield return 0;
        }
    }
}
