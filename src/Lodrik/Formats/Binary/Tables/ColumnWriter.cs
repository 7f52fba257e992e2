using System.Buffers;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>
/// One column of a table while it is being gathered: a value for each slot. It becomes whatever its first value is; where a later one
/// is of another sort, it turns into a choice between columns of one sort each.
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

    /// <summary>The column of this sort in which the next value goes: this one, or one of those that it chooses from.</summary>
    public ColumnWriter For(ColumnKind kind, TableTally tally, KeyTable? shape = null)
    {
        if (Kind == kind && ReferenceEquals(Shape, shape))
            return this;
        if (Kind == ColumnKind.Empty)
        {
            Become(kind, shape, tally);
            return this;
        }
        if (Kind != ColumnKind.Choice)
            Split(tally);
        return Choose(kind, shape, tally);
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

    /// <summary>Whether so many values of that sort can be put here one after the other; makes room for them if so.</summary>
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

    /// <summary>So many slots whose content stands elsewhere.</summary>
    public void AddSlots(int count) => Count += count;

    /// <summary>A slot whose content stands elsewhere or nowhere: an object, a null, a plain item.</summary>
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

    /// <summary>Writes the column and notes how many slots it has.</summary>
    public void WriteTo(BinaryStateWriter writer, TableTally tally)
    {
        tally.Note(Slots);
        switch (Kind)
        {
            case ColumnKind.Integer:
                _integers.WriteTo(writer, Longs.AsSpan(0, Count));
                break;
            case ColumnKind.Single:
                WriteArray(writer, Cbor.TypedArrayTag<float>(), MemoryMarshal.AsBytes(Singles.AsSpan(0, Count)));
                break;
            case ColumnKind.Double:
                WriteArray(writer, Cbor.TypedArrayTag<double>(), MemoryMarshal.AsBytes(Doubles.AsSpan(0, Count)));
                break;
            case ColumnKind.Bool:
                WriteHead(writer, 2);
                WriteFlags(writer);
                break;
            case ColumnKind.Text:
                Text!.WriteTo(writer, tally);
                break;
            case ColumnKind.Bytes:
                WriteHead(writer, 3);
                _lengths!.WriteTo(writer, tally);
                writer.WriteBytes(_bytes!.Written);
                break;
            case ColumnKind.List or ColumnKind.Map:
                WriteHead(writer, 2 + Children.Count);
                _lengths!.WriteTo(writer, tally);
                WriteChildren(writer, tally);
                break;
            case ColumnKind.Object:
                WriteHead(writer, 1 + (2 * Children.Count));
                for (var i = 0; i < Children.Count; i++)
                {
                    writer.WriteKey(Shape!, i);
                    Children[i].WriteTo(writer, tally);
                }
                break;
            case ColumnKind.Choice:
                WriteHead(writer, 2 + Children.Count);
                WriteChoices(writer);
                WriteChildren(writer, tally);
                break;
            case ColumnKind.Items:
                WriteHead(writer, 1 + Slots);
                writer.WriteRaw(_bytes!.Written);
                break;
            default:
                // Without values there is no sort; any will do.
                writer.WriteHead(Cbor.Array, 1);
                writer.WriteInteger((int)ColumnKind.Null);
                break;
        }
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

    /// <summary>Turns into a choice, the first column of which is what this has been.</summary>
    private void Split(TableTally tally)
    {
        var slots = Slots;
        var first = Rent(tally, Nesting + 1);
        first.TakeOver(this);
        Kind = ColumnKind.Choice;
        Children.Add(first);
        _integers.Reset();
        _flushed = 0;
        Longs = [];
        AddLengths(tally);
        for (var i = 0; i < slots; i++)
            _lengths!.AddInteger(0);
        Count = slots;
    }

    private ColumnWriter Choose(ColumnKind kind, KeyTable? shape, TableTally tally)
    {
        // Sorts mostly come in turns or in the order in which they came first.
        for (var step = 0; step < Children.Count; step++)
        {
            var index = _lastChoice + step;
            if (index >= Children.Count)
                index -= Children.Count;
            var child = Children[index];
            if (child.Kind == kind && ReferenceEquals(child.Shape, shape))
            {
                _lastChoice = index;
                AddLength(index);
                return child;
            }
        }
        _lastChoice = Children.Count;
        AddLength(_lastChoice);
        var added = Rent(tally, Nesting + 1);
        added.Become(kind, shape, tally);
        Children.Add(added);
        return added;
    }

    /// <summary>Whether one more sort of objects would be too many.</summary>
    public bool HasTooManyChoices => Kind == ColumnKind.Choice && Children.Count >= TableFormat.MaxChoices;

    private void TakeOver(ColumnWriter other)
    {
        Kind = other.Kind;
        Longs = other.Longs;
        Singles = other.Singles;
        Doubles = other.Doubles;
        Flags = other.Flags;
        Count = other.Count;
        Text = other.Text;
        Shape = other.Shape;
        Children.AddRange(other.Children);
        FirstChild = other.FirstChild;
        _integers.TakeOver(other._integers);
        _bytes = other._bytes;
        _lengths = other._lengths;
        _flushed = other._flushed;
        _lastChoice = other._lastChoice;
        other.Children.Clear();
        other.Longs = [];
        other.Singles = [];
        other.Doubles = [];
        other.Flags = [];
        other.Text = null;
        other.Shape = null;
        other._bytes = null;
        other._lengths = null;
        other.Count = 0;
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

    private void WriteFlags(BinaryStateWriter writer)
    {
        writer.WriteHead(Cbor.ByteString, (uint)((Slots + 7) / 8));
        if (_bytes is not null)
            writer.WriteRaw(_bytes.Written);
        PackFlags(writer.Buffer);
    }

    private void WriteArray(BinaryStateWriter writer, ulong tag, ReadOnlySpan<byte> chunk)
    {
        var before = _bytes is null ? default : _bytes.Written;
        writer.WriteTag(tag);
        writer.WriteHead(Cbor.ByteString, (uint)(before.Length + chunk.Length));
        writer.WriteRaw(before);
        writer.WriteRaw(chunk);
    }

    /// <summary>Which of the columns each slot is in: a bit where there are two.</summary>
    private void WriteChoices(BinaryStateWriter writer)
    {
        _lengths!._integers.WriteTo(writer, _lengths.Longs.AsSpan(0, _lengths.Count), asBits: Children.Count == 2);
    }

    private void WriteChildren(BinaryStateWriter writer, TableTally tally)
    {
        foreach (var child in Children)
            child.WriteTo(writer, tally);
    }

    private void WriteHead(BinaryStateWriter writer, int parts)
    {
        writer.WriteHead(Cbor.Array, (uint)parts);
        writer.WriteInteger((int)Kind);
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
