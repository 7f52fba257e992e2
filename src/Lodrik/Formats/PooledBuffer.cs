using System.Buffers;
using System.Runtime.CompilerServices;

namespace Lodrik.Formats;

/// <summary>
/// A buffer that grows, on rented memory. What was written is valid until the buffer is disposed of or reset. A large one is on memory of
/// its own, which goes back to the system: one save that is large now and then must not keep its size for good.
/// </summary>
internal sealed class PooledBuffer : IBufferWriter<byte>, IDisposable
{
    /// <summary>From here on memory is not rented, and grows by a quarter instead of to its double.</summary>
    private const int Large = 8 << 20;

    private readonly int _most;
    private readonly bool _isKept;
    private byte[] _array;

    /// <param name="capacity">How much there is room for before it grows.</param>
    /// <param name="most">How large it may become.</param>
    /// <param name="isKept">Whether what is written is kept: then it has memory of its own, which fits better than rented memory.</param>
    public PooledBuffer(int capacity = 4096, int most = int.MaxValue, bool isKept = false)
    {
        _isKept = isKept;
        _array = Take(capacity);
        _most = Math.Min(most, Array.MaxLength);
    }

    public int Length { get; private set; }

    public ReadOnlySpan<byte> Written => _array.AsSpan(0, Length);

    public ReadOnlyMemory<byte> WrittenMemory => _array.AsMemory(0, Length);

    /// <summary>Forgets what was written, and lets go of memory that is larger than most need.</summary>
    public void Reset()
    {
        Length = 0;
        if (_array.Length > Large)
            _array = [];
    }

    /// <summary>Makes room for so many bytes at once.</summary>
    public void Reserve(long count)
    {
        if (count > _array.Length - Length)
            Grow((int)Math.Min(count, Array.MaxLength - Length));
    }

    /// <summary>Takes back what was written after that length.</summary>
    public void Truncate(int length) => Length = Math.Min(Length, length);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public void Advance(int count)
    {
        // One comparison for both ends; this runs for every token.
        if ((uint)count > (uint)(_array.Length - Length))
            ThrowNoRoom(count);
        Length += count;
    }

    public Memory<byte> GetMemory(int sizeHint = 0)
    {
        if (_array.Length - Length < Math.Max(sizeHint, 1))
            Grow(sizeHint);
        return _array.AsMemory(Length);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public Span<byte> GetSpan(int sizeHint = 0)
    {
        if (_array.Length - Length < Math.Max(sizeHint, 1))
            Grow(sizeHint);
        return _array.AsSpan(Length);
    }

    public void Write(scoped ReadOnlySpan<byte> bytes)
    {
        bytes.CopyTo(GetSpan(bytes.Length));
        Length += bytes.Length;
    }

    /// <summary>Leaves the memory to whoever has a part of what was written, if little of it is unused.</summary>
    /// <returns>False where too much is unused, and nothing is changed.</returns>
    public bool TryGiveAway()
    {
        if (_array.Length - Length > Length / 4)
            return false;
        _array = [];
        Length = 0;
        return true;
    }

    public void Dispose()
    {
        if (_array.Length == 0)
            return;
        GiveBack(_array);
        _array = [];
        Length = 0;
    }

    private void Grow(int sizeHint)
    {
        var room = Math.Max(sizeHint, 1);
        var more = _array.Length > Large ? _array.Length + (_array.Length / 4L) : 2L * _array.Length;
        var needed = (long)Length + room;
        if (needed > _most)
            throw _most == Array.MaxLength ? TooLarge() : new SaveException(SaveErrorCode.LimitExceeded, State.FileAllowance.TooMuch);
        var larger = Take((int)Math.Min(Math.Max(more, needed), Array.MaxLength));
        Written.CopyTo(larger);
        GiveBack(_array);
        _array = larger;
    }

    private static void ThrowNoRoom(int count) =>
        throw new ArgumentOutOfRangeException(nameof(count), count, "More was written than there was room for.");

    /// <summary>What is said of a save that no array can hold.</summary>
    public static SaveException TooLarge() => new(SaveErrorCode.LimitExceeded, "The save is larger than 2 GB.");

    private byte[] Take(int capacity) =>
        capacity > Large || _isKept ? GC.AllocateUninitializedArray<byte>(capacity) : ArrayPool<byte>.Shared.Rent(capacity);

    private void GiveBack(byte[] array)
    {
        if (array.Length is > 0 and <= Large && !_isKept)
            ArrayPool<byte>.Shared.Return(array);
    }
}
