using System.Collections;

namespace Lodrik.Scenes;

/// <summary>
/// A list in blocks of the same size: it grows without copying what is there, and none of its arrays is so large that the garbage collector
/// keeps it apart.
/// </summary>
internal sealed class BlockList<T> : IReadOnlyList<T>
{
    private const int BlockSize = 512;

    private readonly List<T[]> _blocks = [];

    public int Count { get; private set; }

    public T this[int index]
    {
        get
        {
            ArgumentOutOfRangeException.ThrowIfNegative(index);
            ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual(index, Count);
            return _blocks[index / BlockSize][index % BlockSize];
        }
    }

    public void Add(T item)
    {
        if (Count % BlockSize == 0)
            _blocks.Add(new T[BlockSize]);
        _blocks[^1][Count++ % BlockSize] = item;
    }

    public IEnumerator<T> GetEnumerator()
    {
        for (var index = 0; index < Count; index++)
            yield return _blocks[index / BlockSize][index % BlockSize];
    }

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();
}
