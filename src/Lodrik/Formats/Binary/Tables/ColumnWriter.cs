using System.Buffers;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>
/// One column of a table while it is being gathered: a value for each slot. It becomes whatever its first value is; where a later one
/// is of another kind, it turns into a choice between columns of one kind each.
/// </summary>
internal sealed partial class ColumnWriter
{
    private const int FirstChunk = 64;

    [ThreadStatic]
    private static Stack<ColumnWriter>? _spare;

    // Values of the current chunk. An array is empty unless this is the column's sort, so that comparing the count with its length
    // tells in one step whether a value can be put there.
    public long[] Longs = [];
    public float[] Singles = [];
    public double[] Doubles = [];
    public bool[] Flags = [];
    public int Count;

    /// <summary>The texts; null unless this is a column of text.</summary>
    public TextGatherer? Text;

    /// <summary>The keys of an object's members, one child for each; null unless this is a column of such objects.</summary>
    public KeyTable? Shape;

    /// <summary>An object's members; a list's items; a map's keys and values; the columns of a choice.</summary>
    public readonly List<ColumnWriter> Children = [];

    private readonly IntegerPacker _integers = new();
    private PooledBuffer? _bytes;
    private ColumnWriter? _lengths;
    private int _flushed;
    private int _lastChoice;

    public ColumnKind Kind { get; private set; } = ColumnKind.Empty;

    /// <summary>The column's number in its table.</summary>
    public int Id { get; private set; }

    /// <summary>The number of the first child; those of the others follow.</summary>
    public int FirstChild { get; private set; }

    /// <summary>How many values there will be, as far as is known; only for choosing the size of buffers.</summary>
    public int Expected { get; set; }

    /// <summary>How many columns lie around this one.</summary>
    public int Nesting { get; private set; }

    /// <summary>How many values it has.</summary>
    public int Slots => Text is { } text ? text.Slots : _flushed + Count;

    /// <summary>Plain items, one after the other.</summary>
    public PooledBuffer Items => _bytes!;

    public static ColumnWriter Rent(TableTally tally, int nesting)
    {
        var column = _spare is { Count: > 0 } spare ? spare.Pop() : new ColumnWriter();
        column.Nesting = nesting;
        column.Id = tally.Add(column);
        return column;
    }

    /// <summary>Gives everything back, down to the last child.</summary>
    public void Return()
    {
        foreach (var child in Children)
            child.Return();
        _lengths?.Return();
        Forget();
        _spare ??= new Stack<ColumnWriter>();
        if (_spare.Count < 512)
            _spare.Push(this);
    }

    public void AddInteger(long value)
    {
        if (Count == Longs.Length)
            MakeRoom(ref Longs);
        Longs[Count++] = value;
    }

    public void AddSingle(float value)
    {
        if (Count == Singles.Length)
            MakeRoom(ref Singles);
        Singles[Count++] = value;
    }

    public void AddDouble(double value)
    {
        if (Count == Doubles.Length)
            MakeRoom(ref Doubles);
        Doubles[Count++] = value;
    }

    public void AddFlag(bool value)
    {
        if (Count == Flags.Length)
            MakeRoom(ref Flags);
        Flags[Count++] = value;
    }

    public void AddBytes(ReadOnlySpan<byte> value)
    {
        _bytes!.Write(value);
        AddLength(value.Length);
    }

    /// <summary>Whether so many values of that kind can be put here one after the other; makes room for them if so.</summary>
    public bool TryMakeRoom(ColumnKind kind, int count, TableTally tally)
    {
        if (Kind == ColumnKind.Empty)
            Become(kind, null, tally);
        if (Kind != kind)
            return false;
        return kind switch
        {
            ColumnKind.Integer => TryMakeRoom(ref Longs, count),
            ColumnKind.Single => TryMakeRoom(ref Singles, count),
            ColumnKind.Double => TryMakeRoom(ref Doubles, count),
            _ => TryMakeRoom(ref Flags, count),
        };
    }

    private bool TryMakeRoom<T>(ref T[] chunk, int count) where T : unmanaged
    {
        if (count > TableFormat.Block)
            return false;
        while (chunk.Length - Count < count)
        {
            if (chunk.Length < TableFormat.Chunk)
                Enlarge(ref chunk, count);
            else
                Flush(chunk);
        }
        return true;
    }

    /// <summary>So many slots whose content is elsewhere.</summary>
    public void AddSlots(int count) => Count += count;

    /// <summary>A slot whose content is elsewhere or nowhere: an object, a null, a plain item.</summary>
    public void AddSlot() => Count++;

    /// <summary>A list's, a map's or a byte string's slot.</summary>
    public void AddLength(int length)
    {
        var lengths = _lengths!;
        var count = lengths.Count;
        if ((uint)count < (uint)lengths.Longs.Length)
        {
            lengths.Longs[count] = length;
            lengths.Count = count + 1;
        }
        else
        {
            lengths.AddInteger(length);
        }
        Count++;
    }

    private void Become(ColumnKind kind, KeyTable? shape, TableTally tally)
    {
        Kind = kind;
        switch (kind)
        {
            case ColumnKind.Integer:
                Longs = ArrayPool<long>.Shared.Rent(FirstChunk);
                break;
            case ColumnKind.Single:
                Singles = ArrayPool<float>.Shared.Rent(FirstChunk);
                break;
            case ColumnKind.Double:
                Doubles = ArrayPool<double>.Shared.Rent(FirstChunk);
                break;
            case ColumnKind.Bool:
                Flags = ArrayPool<bool>.Shared.Rent(FirstChunk);
                break;
            case ColumnKind.Text:
                Text = TextGatherer.Rent(Expected);
                break;
            case ColumnKind.Bytes:
                _bytes = new PooledBuffer(256);
                AddLengths(tally);
                break;
            case ColumnKind.Items:
                _bytes = new PooledBuffer(256);
                break;
            case ColumnKind.List:
                AddLengths(tally);
                AddChildren(1, tally);
                break;
            case ColumnKind.Map:
                AddLengths(tally);
                AddChildren(2, tally);
                Children[0].Become(ColumnKind.Text, null, tally);
                break;
            case ColumnKind.Object:
                Shape = shape;
                AddChildren(shape!.Count, tally);
                break;
        }
    }

    private void AddChildren(int count, TableTally tally)
    {
        FirstChild = tally.Columns.Count;
        for (var i = 0; i < count; i++)
            Children.Add(Rent(tally, Nesting + 1));
    }

    private void AddLengths(TableTally tally)
    {
        _lengths = Rent(tally, Nesting + 1);
        _lengths.Become(ColumnKind.Integer, null, tally);
    }

    private void Forget()
    {
        Recycle(ref Longs);
        Recycle(ref Singles);
        Recycle(ref Doubles);
        Recycle(ref Flags);
        Text?.Return();
        Text = null;
        Shape = null;
        Children.Clear();
        _integers.Reset();
        _bytes?.Dispose();
        _bytes = null;
        _lengths = null;
        _flushed = _lastChoice = Count = Expected = 0;
        Kind = ColumnKind.Empty;
    }

    /// <summary>Makes the chunk larger, or, once it is of full size, empties it.</summary>
    private void MakeRoom<T>(ref T[] chunk) where T : unmanaged
    {
        if (chunk.Length < TableFormat.Chunk)
            Enlarge(ref chunk);
        else
            Flush(chunk);
    }

    private void Enlarge<T>(ref T[] chunk, int count = 0)
    {
        var larger = ArrayPool<T>.Shared.Rent(Math.Min(Math.Max(4 * chunk.Length, Count + count), TableFormat.Chunk));
        chunk.AsSpan(0, Count).CopyTo(larger);
        ArrayPool<T>.Shared.Return(chunk);
        chunk = larger;
    }

    private void Flush<T>(T[] chunk) where T : unmanaged
    {
        if (typeof(T) == typeof(bool))
        {
            // Bits are packed in whole bytes; what does not fill one stays.
            var (whole, rest) = (Count & ~7, Count & 7);
            Count = whole;
            PackFlags(_bytes ??= new PooledBuffer(256));
            chunk.AsSpan(whole, rest).CopyTo(chunk);
            _flushed += whole;
            Count = rest;
            return;
        }
        if (typeof(T) == typeof(long))
            _integers.Pack(Longs.AsSpan(0, Count), Expected);
        else
            (_bytes ??= new PooledBuffer(Math.Clamp(Expected, 2 * TableFormat.Chunk, 1 << 20) * Unsafe.SizeOf<T>()))
                .Write(MemoryMarshal.AsBytes(chunk.AsSpan(0, Count)));
        _flushed += Count;
        Count = 0;
    }

    private void PackFlags(PooledBuffer target)
    {
        var flags = MemoryMarshal.AsBytes(Flags.AsSpan(0, Count));
        var bits = target.GetSpan((flags.Length + 7) / 8)[..((flags.Length + 7) / 8)];
        var i = 0;
        for (; i + 8 <= flags.Length; i += 8)
        {
            // Eight bytes of 0 or 1 are gathered in the top byte by one multiplication, the first in its lowest bit.
            var eight = System.Buffers.Binary.BinaryPrimitives.ReadUInt64LittleEndian(flags[i..]);
            bits[i / 8] = (byte)((eight * 0x0102040810204080UL) >> 56);
        }
        if (i < flags.Length)
        {
            var rest = 0;
            for (var bit = 0; i + bit < flags.Length; bit++)
                rest |= flags[i + bit] << bit;
            bits[^1] = (byte)rest;
        }
        target.Advance(bits.Length);
    }

    private static void Recycle<T>(ref T[] chunk)
    {
        if (chunk.Length > 0)
            ArrayPool<T>.Shared.Return(chunk);
        chunk = [];
    }
}

/// <summary>All columns of one table, and what is counted over them.</summary>
internal sealed class TableTally : SlotTally
{
    /// <summary>The columns by their numbers.</summary>
    public List<ColumnWriter> Columns { get; } = [];

    public int Add(ColumnWriter column)
    {
        Columns.Add(column);
        return Columns.Count - 1;
    }

    public override void Reset()
    {
        Columns.Clear();
        base.Reset();
    }
}
