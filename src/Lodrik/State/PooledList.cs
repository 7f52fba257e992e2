using System.Buffers;
using System.Collections;
using System.Runtime.CompilerServices;

namespace Lodrik.State;

/// <summary>
/// A list that takes its array from the shared pool and gives it back. A scene of a hundred thousand entities needs dozens of large arrays
/// for a moment: made again each time, they would make the garbage collector look at the whole game.
/// </summary>
/// <param name="expected">How many items there are likely to be.</param>
/// <param name="isPooled">Whether the array comes from the pool; for a list that is kept for long it should not.</param>
/// <remarks>A list that is not released is garbage like any other; only the reuse is lost.</remarks>
internal sealed class PooledList<T>(int expected = 0, bool isPooled = true) : IReadOnlyList<T>
{
    private const int SmallestRoom = 8;

    private T[] _items = expected <= 0 ? [] : isPooled ? ArrayPool<T>.Shared.Rent(expected) : new T[expected];

    public int Count { get; private set; }

    /// <summary>The items; valid until something is added or the list is released.</summary>
    public Span<T> Span => _items.AsSpan(0, Count);

    public ref T this[int index] => ref _items.AsSpan(0, Count)[index];

    public ref T Last => ref this[Count - 1];

    T IReadOnlyList<T>.this[int index] => this[index];

    public void Add(T item)
    {
        if (Count == _items.Length)
            EnsureRoom(Math.Max(SmallestRoom, Count * 2));
        _items[Count++] = item;
    }

    public void AddRange(IEnumerable<T> items)
    {
        foreach (var item in items)
            Add(item);
    }

    /// <summary>Makes room for so many items.</summary>
    public void EnsureRoom(int items)
    {
        if (items <= _items.Length)
            return;
        var larger = isPooled ? ArrayPool<T>.Shared.Rent(items) : new T[items];
        Span.CopyTo(larger);
        GiveBack();
        _items = larger;
    }

    /// <summary>Makes it as many times the same item.</summary>
    public void Fill(int count, T item)
    {
        EnsureRoom(count);
        Count = count;
        Span.Fill(item);
    }

    public void RemoveLast() => _items[--Count] = default!;

    public void Clear()
    {
        if (RuntimeHelpers.IsReferenceOrContainsReferences<T>())
            Span.Clear();
        Count = 0;
    }

    /// <summary>Gives the array back to the pool. The list is empty then, and may be used again.</summary>
    public void Release()
    {
        GiveBack();
        (_items, Count) = ([], 0);
    }

    public IEnumerator<T> GetEnumerator()
    {
        for (var index = 0; index < Count; index++)
            yield return _items[index];
    }

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();

    private void GiveBack()
    {
        if (_items.Length == 0 || !isPooled)
            return;
        // What is left in the pool must not keep the game's objects alive.
        if (RuntimeHelpers.IsReferenceOrContainsReferences<T>())
            Span.Clear();
        ArrayPool<T>.Shared.Return(_items);
    }
}
