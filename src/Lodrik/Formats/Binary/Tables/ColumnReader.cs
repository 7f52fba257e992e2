using System.Buffers.Binary;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.Unicode;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>
/// One column of a table that is being read. Nothing of it is decoded before it is asked for, and then a chunk at a time; passing over a
/// value costs a count.
/// </summary>
internal sealed partial class ColumnReader
{
    private static readonly UTF8Encoding StrictUtf8 = new(false, throwOnInvalidBytes: true);

    // The chunk that is decoded. Values are at the end of their array, so that comparing the index with its length tells in one step
    // whether one is ready; an array is empty unless this is the column's sort.
    public long[] Longs = [];
    public string[] Texts = [];
    public int Index;

    /// <summary>An object's members, a list's items, a map's keys and values, a choice's columns, a dictionary's texts.</summary>
    public ColumnReader[] Children = [];

    /// <summary>The names of an object's members.</summary>
    public string[] Names = [];

    private int[] _keys = [];
    private int[] _memberColumns = [];
    private KeyTable? _memberColumnsFor;
    private KeyTable? _keysFor;
    private ColumnReader? _lengths;
    private string[]? _dictionary;
    private int _base;
    private int _offset;
    private int _length;
    private ulong _tag;
    private long _same;
    private int _decoded;
    private int _blobPosition;
    private int _blobNext;

    /// <param name="id">The column's number in the table, from 1.</param>
    /// <param name="kind">What it holds.</param>
    /// <param name="slots">How many values it has.</param>
    public ColumnReader(int id, ColumnKind kind, int slots) => (Id, Kind, Slots) = (id, kind, slots);

    public int Id { get; }

    public ColumnKind Kind { get; }

    public int Slots { get; }

    /// <summary>The number of the first child; those of the others follow.</summary>
    public int FirstChild => Children[0].Id;

    /// <summary>The number of the value that is read next.</summary>
    public int Position => _base + Index;

    /// <summary>Where the column's block of bytes is, and what typed array it is.</summary>
    public void SetBlock(int offset, int length, ulong tag = 0) => (_offset, _length, _tag) = (offset, length, tag);

    public void SetSame(long value) => (_same, _tag) = (value, 0);

    public void SetLengths(ColumnReader lengths) => _lengths = lengths;

    /// <summary>The numbers in the given table of this object's members, -1 for those it does not know.</summary>
    public int[] KeysIn(KeyTable keys)
    {
        if (ReferenceEquals(_keysFor, keys))
            return _keys;
        _keys = new int[Names.Length];
        for (var i = 0; i < _keys.Length; i++)
            _keys[i] = keys.Find(Names[i], i);
        _keysFor = keys;
        return _keys;
    }

    /// <summary>Whether a member has a column under its name of today and one under a former name.</summary>
    public bool HasTwins { get; private set; }

    /// <summary>For each key of the table the child that has it, -1 where there is none.</summary>
    public int[] ColumnsOf(KeyTable keys)
    {
        if (ReferenceEquals(_memberColumnsFor, keys))
            return _memberColumns;
        _memberColumns = new int[keys.Count];
        HasTwins = false;
        Array.Fill(_memberColumns, -1);
        var numbers = KeysIn(keys);
        for (var i = 0; i < numbers.Length; i++)
        {
            if (numbers[i] < 0)
                continue;
            HasTwins |= _memberColumns[numbers[i]] >= 0;
            _memberColumns[numbers[i]] = i;
        }
        _memberColumnsFor = keys;
        return _memberColumns;
    }

    /// <summary>The next whole numbers, decoded; they are not passed over.</summary>
    public ReadOnlySpan<long> PeekLongs(ReadOnlySpan<byte> bytes, int count)
    {
        if (Longs.Length - Index < count)
            FillLongs(bytes);
        return Longs.AsSpan(Index, count);
    }

    /// <summary>The next texts, decoded; they are not passed over.</summary>
    public ReadOnlySpan<string> PeekTexts(ReadOnlySpan<byte> bytes, int count)
    {
        // What is decoded already is kept: a blob is gone through in one direction only.
        if (Texts.Length - Index < count)
            FillTexts(bytes, Math.Max(Texts.Length - Index, 0));
        return Texts.AsSpan(Index, count);
    }

    /// <summary>The column that has the next value: this one, or the one that it chooses.</summary>
    public ColumnReader Chosen(ReadOnlySpan<byte> bytes)
    {
        var column = this;
        while (column.Kind == ColumnKind.Choice)
            column = column.Children[column.NextLength(bytes)];
        return column;
    }

    /// <summary>The length of the next list, map or byte string; the number of the next choice.</summary>
    public int NextLength(ReadOnlySpan<byte> bytes)
    {
        Index++;
        return (int)_lengths!.NextLong(bytes);
    }

    public long NextLong(ReadOnlySpan<byte> bytes)
    {
        if ((uint)Index >= (uint)Longs.Length)
            FillLongs(bytes);
        return Longs[Index++];
    }

    public float NextSingle(ReadOnlySpan<byte> bytes)
    {
        var at = Take();
        return BinaryPrimitives.ReadSingleLittleEndian(bytes[(_offset + (4 * at))..]);
    }

    public double NextDouble(ReadOnlySpan<byte> bytes)
    {
        var at = Take();
        return BinaryPrimitives.ReadDoubleLittleEndian(bytes[(_offset + (8 * at))..]);
    }

    public bool NextFlag(ReadOnlySpan<byte> bytes)
    {
        var at = Take();
        return (bytes[_offset + (at >> 3)] & (1 << (at & 7))) != 0;
    }

    public string NextText(ReadOnlySpan<byte> bytes)
    {
        if ((uint)Index >= (uint)Texts.Length)
            FillTexts(bytes);
        return Texts[Index++];
    }

    public ReadOnlySpan<byte> NextBytes(ReadOnlySpan<byte> bytes)
    {
        SeekBlob(bytes, Position);
        var length = NextLength(bytes);
        _blobNext++;
        _blobPosition += length;
        return bytes.Slice(_offset + _blobPosition - length, length);
    }

    /// <summary>Where the next of the plain items stands.</summary>
    public int NextItem(ReadOnlySpan<byte> bytes)
    {
        var at = Take();
        for (; _blobNext < at; _blobNext++)
            _blobPosition += ItemLength(bytes);
        var start = _offset + _blobPosition;
        _blobPosition += ItemLength(bytes);
        _blobNext++;
        return start;
    }

    /// <summary>Passes over so many values.</summary>
    public void Skip(ReadOnlySpan<byte> bytes, int count)
    {
        if (count == 0)
            return;
        switch (Kind)
        {
            case ColumnKind.Object:
                Index += count;
                foreach (var child in Children)
                    child.Skip(bytes, count);
                break;
            case ColumnKind.List or ColumnKind.Map:
                var items = 0L;
                for (var i = 0; i < count; i++)
                    items += NextLength(bytes);
                foreach (var child in Children)
                    child.Skip(bytes, (int)items);
                break;
            case ColumnKind.Choice:
                for (var i = 0; i < count; i++)
                    Children[NextLength(bytes)].Skip(bytes, 1);
                break;
            default:
                Index += count;
                break;
        }
    }

    /// <summary>Copies the next numbers as they are, where they are in the file as an array of this type.</summary>
    public bool TryCopy<T>(ReadOnlySpan<byte> bytes, Span<T> numbers) where T : unmanaged
    {
        if (!BitConverter.IsLittleEndian || _tag == 0 || _tag != Cbor.TypedArrayTag<T>())
            return false;
        var target = MemoryMarshal.AsBytes(numbers);
        var size = Cbor.ElementSize(_tag);
        bytes.Slice(_offset + (Position * size), target.Length).CopyTo(target);
        Index += numbers.Length;
        return true;
    }

    /// <summary>Makes sure that everything in this column can be decoded.</summary>
    /// <exception cref="ContentException">Something cannot.</exception>
    public void Validate(ReadOnlySpan<byte> bytes)
    {
        switch (Kind)
        {
            case ColumnKind.Text:
                var at = _offset;
                for (var i = 0; i < Slots; i++)
                {
                    var length = (int)_lengths!.NextLong(bytes);
                    if (!Utf8.IsValid(bytes.Slice(at, length)))
                        throw new ContentException(SaveErrorCode.WrongContent, "The text is not valid UTF-8.", new ContentPlace(0, Id, i));
                    at += length;
                }
                _lengths?.Rewind();
                break;
            case ColumnKind.Dictionary when _lengths!.Histogram(bytes, Children[0].Slots) is null:
                throw new ContentException(
                    SaveErrorCode.WrongContent, "A row refers to a missing text.", new ContentPlace(0, Id, 0));
            case ColumnKind.Items:
                for (var i = 0; i < Slots; i++)
                {
                    var item = new BinaryStateReader(bytes, NextItem(bytes));
                    SaveValueCodec.ReadTree(ref item);
                }
                break;
        }
    }

    /// <summary>All lengths added up, each checked.</summary>
    public long SumOfLengths(ReadOnlySpan<byte> bytes)
    {
        var sum = 0L;
        for (var i = 0; i < Slots; i++)
        {
            var length = NextLong(bytes);
            if (length is < 0 or > int.MaxValue)
                return -1;
            sum += length;
        }
        Rewind();
        return sum;
    }

    /// <summary>How often each number below the count occurs; null if there is another.</summary>
    public int[]? Histogram(ReadOnlySpan<byte> bytes, int count)
    {
        var counts = new int[count];
        for (var i = 0; i < Slots; i++)
        {
            var number = NextLong(bytes);
            if ((ulong)number >= (ulong)count)
                return null;
            counts[(int)number]++;
        }
        Rewind();
        return counts;
    }

    public void Rewind()
    {
        Longs = [];
        _base = Index = 0;
    }

    /// <summary>Goes to the number of a row, which may be one that was passed over.</summary>
    private void MoveTo(ReadOnlySpan<byte> bytes, int position)
    {
        Index = position - _base;
        if (Index < Longs.Length - _decoded)
            FillLongs(bytes);
    }

    private int Take()
    {
        var at = Position;
        if (at >= Slots)
            throw new InvalidOperationException("A column was read beyond its end.");
        Index++;
        return at;
    }

    private void FillLongs(ReadOnlySpan<byte> bytes)
    {
        var count = MakeRoom(ref Longs);
        var target = Longs.AsSpan(Longs.Length - count);
        if (Kind == ColumnKind.Bool)
        {
            for (var i = 0; i < count; i++)
            {
                var at = Position + i;
                target[i] = (bytes[_offset + (at >> 3)] >> (at & 7)) & 1;
            }
            return;
        }
        if (_tag == 0)
        {
            target.Fill(_same);
            return;
        }
        var size = Cbor.ElementSize(_tag);
        IntegerPacker.Unpack(_tag, bytes.Slice(_offset + (Position * size), count * size), target);
    }

    private void FillTexts(ReadOnlySpan<byte> bytes, int kept = 0)
    {
        var first = Position + kept;
        var old = Texts.AsSpan(Texts.Length - kept);
        var count = MakeRoom(ref Texts);
        old.CopyTo(Texts.AsSpan(Texts.Length - count));
        count -= kept;
        var target = Texts.AsSpan(Texts.Length - count);
        if (Kind == ColumnKind.Dictionary)
        {
            _dictionary ??= Children[0].AllTexts(bytes);
            var numbers = _lengths!;
            numbers.MoveTo(bytes, first);
            foreach (ref var text in target)
            {
                var number = numbers.NextLong(bytes);
                text = (ulong)number < (ulong)_dictionary.Length
                    ? _dictionary[number]
                    : throw new InvalidDataException("A row refers to a missing text.");
            }
            return;
        }
        SeekBlob(bytes, first);
        var lengths = _lengths!;
        try
        {
            // Most texts are ASCII, and then each byte is a character: Latin-1 is the platform's name for that.
            var sizes = lengths.PeekLongs(bytes, count);
            var size = 0;
            foreach (var length in sizes)
                size += (int)length;
            var encoding = Ascii.IsValid(bytes.Slice(_offset + _blobPosition, size)) ? Encoding.Latin1 : StrictUtf8;
            for (var i = 0; i < target.Length; i++)
            {
                var length = (int)sizes[i];
                target[i] = length == 0 ? "" : encoding.GetString(bytes.Slice(_offset + _blobPosition, length));
                _blobPosition += length;
            }
            lengths.Skip(bytes, count);
        }
        catch (DecoderFallbackException)
        {
            throw new InvalidDataException("The text is not valid UTF-8.");
        }
        _blobNext = first + count;
    }

    private string[] AllTexts(ReadOnlySpan<byte> bytes)
    {
        var texts = new string[Slots];
        for (var i = 0; i < texts.Length; i++)
            texts[i] = NextText(bytes);
        return texts;
    }

    /// <summary>Passes over the content of values that were skipped.</summary>
    private void SeekBlob(ReadOnlySpan<byte> bytes, int position)
    {
        for (; _blobNext < position; _blobNext++)
            _blobPosition += (int)_lengths!.NextLong(bytes);
    }

    private int ItemLength(ReadOnlySpan<byte> bytes)
    {
        var reader = new BinaryStateReader(bytes[..(_offset + _length)], _offset + _blobPosition);
        reader.Skip();
        return reader.Position - _offset - _blobPosition;
    }

    /// <summary>Makes room for the next values at the end of the chunk and moves to the first of them.</summary>
    private int MakeRoom<T>(ref T[] chunk)
    {
        var position = Position;
        if (position >= Slots)
            throw new InvalidOperationException("A column was read beyond its end.");
        var count = Math.Min(TableFormat.Chunk, Slots - position);
        if (chunk.Length < count)
            chunk = new T[count];
        Index = chunk.Length - count;
        _base = position - Index;
        _decoded = count;
        return count;
    }
}
