using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>
/// Room for the values of a member of many rows, kept from one block to the next. What was taken last is given back first.
/// </summary>
internal sealed class RowScratch
{
    // Arrays of structs that have references. They are kept for one table: whatever lives longer would keep the game's types from being
    // unloaded.
    private readonly Stack<Array> _others = [];
    private readonly List<Array> _free = [];
    // Most tables are small, and most need only one of the two.
    private object?[] _references = [];
    private byte[] _bytes = [];
    private int _referenceCount;
    private int _byteCount;

    /// <summary>Makes everything free again.</summary>
    public void Reset()
    {
        // Something is left only where an error ended the work.
        if (_referenceCount > 0)
            Array.Clear(_references);
        _others.Clear();
        _free.Clear();
        _referenceCount = _byteCount = 0;
        if (_bytes.Length > 1 << 20)
            _bytes = [];
    }

    public Span<T> Take<T>(int count)
    {
        if (!typeof(T).IsValueType)
        {
            if (_references.Length - _referenceCount <= count)
                // Whoever has a part of the old array keeps that.
                _references = new object?[Math.Max(2 * _references.Length, _referenceCount + (2 * count) + 1)];
            ref var first = ref _references[_referenceCount];
            _referenceCount += count;
            return MemoryMarshal.CreateSpan(ref Unsafe.As<object?, T>(ref first), count);
        }
        if (RuntimeHelpers.IsReferenceOrContainsReferences<T>())
        {
            var place = _free.FindIndex(one => one is T[] free && free.Length >= count);
            var array = place < 0 ? new T[Math.Max(count, TableFormat.LeastItems)] : (T[])_free[place];
            if (place >= 0)
                _free.RemoveAt(place);
            _others.Push(array);
            return array.AsSpan(0, count);
        }
        var size = checked(count * Unsafe.SizeOf<T>()) + 15 & ~15;
        if (_bytes.Length - _byteCount <= size)
            _bytes = new byte[Math.Max(2 * _bytes.Length, _byteCount + (2 * size) + 1)];
        ref var start = ref _bytes[_byteCount];
        _byteCount += size;
        return MemoryMarshal.CreateSpan(ref Unsafe.As<byte, T>(ref start), count);
    }

    public void GiveBack<T>(Span<T> values)
    {
        if (!typeof(T).IsValueType)
        {
            // The game's objects are not kept alive from here.
            values.Clear();
            _referenceCount -= values.Length;
        }
        else if (RuntimeHelpers.IsReferenceOrContainsReferences<T>())
        {
            values.Clear();
            _free.Add(_others.Pop());
        }
        else
        {
            _byteCount -= (values.Length * Unsafe.SizeOf<T>()) + 15 & ~15;
        }
    }
}
