using Lodrik.Scenes;

namespace Lodrik.State;

/// <summary>
/// Numbers under entity ids. The numbers of spawned entities are mostly dense, and are looked up in an array; a scene may have a hundred
/// thousand of them, and each is looked up several times in a restoration.
/// </summary>
internal sealed class EntityIndex
{
    // As long as the array is at least this full, it takes less room than a dictionary.
    private const int MostRoomForEach = 6;
    private const int SmallestRoom = 256;

    private readonly Dictionary<EntityId, int> _others;
    private int[] _spawned = [];
    private int _spawnedCount;

    /// <param name="placed">How many placed entities there are likely to be.</param>
    public EntityIndex(int placed = 0) => _others = new Dictionary<EntityId, int>(placed);

    /// <summary>Adds an entity; false if it is there already.</summary>
    public bool TryAdd(EntityId id, int index)
    {
        var number = id.Number;
        if (number > 0 && HasRoom(number))
        {
            if (_spawned[number] != 0)
                return false;
            if (_others.Count > 0 && _others.ContainsKey(id))
                return false;
            _spawned[number] = index + 1;
            _spawnedCount++;
            return true;
        }
        return _others.TryAdd(id, index);
    }

    /// <summary>What was added for an entity; -1 if nothing was.</summary>
    public int IndexOf(EntityId id)
    {
        var number = id.Number;
        if (number > 0 && number < _spawned.Length && _spawned[number] is > 0 and var found)
            return found - 1;
        return _others.TryGetValue(id, out var index) ? index : -1;
    }

    public void Remove(EntityId id)
    {
        if (id.Number is > 0 and var number && number < _spawned.Length && _spawned[number] > 0)
        {
            _spawned[number] = 0;
            _spawnedCount--;
        }
        else
            _others.Remove(id);
    }

    public void Clear()
    {
        _others.Clear();
        Array.Clear(_spawned);
        _spawnedCount = 0;
    }

    private bool HasRoom(long number)
    {
        if (number < _spawned.Length)
            return true;
        if (number > SmallestRoom + ((long)MostRoomForEach * _spawnedCount))
            return false;
        Array.Resize(ref _spawned, (int)Math.Min(number * 2, int.MaxValue / 8));
        return number < _spawned.Length;
    }
}
