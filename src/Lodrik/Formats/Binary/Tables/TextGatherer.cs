using System.Buffers;
using System.IO.Hashing;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Text;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>
/// Texts of one column. Each different one is kept once, and the rows refer to it by number, until a sample shows that there are hardly
/// two alike: from then on they go out one after the other.
/// </summary>
internal sealed class TextGatherer
{
    private const int Sample = TableFormat.Chunk;

    /// <summary>So many different ones of a sample mean that looking for equal ones is not worth it.</summary>
    private const int NearlyAll = Sample * 15 / 16;

    [ThreadStatic]
    private static Stack<TextGatherer>? _spare;

    private readonly IntegerPacker _packedRows = new();
    private readonly TextBlob _texts = new();
    private Entry[] _entries = [];
    private int[] _slots = [];
    private long[] _rows = [];
    private int _rowCount;
    private int _flushedRows;
    private int _distinct;
    private bool _looksForEqual = true;

    /// <summary>How many texts there are.</summary>
    public int Slots => _looksForEqual ? _flushedRows + _rowCount : _texts.Count;

    /// <param name="expected">How many texts there will be, as far as is known.</param>
    public static TextGatherer Rent(int expected)
    {
        var gatherer = _spare is { Count: > 0 } spare ? spare.Pop() : new TextGatherer();
        gatherer._texts.Expected = expected;
        if (gatherer._slots.Length == 0)
        {
            gatherer._slots = ArrayPool<int>.Shared.Rent(128);
            Array.Clear(gatherer._slots);
            gatherer._entries = ArrayPool<Entry>.Shared.Rent(gatherer._slots.Length / 2);
        }
        return gatherer;
    }

    public void Return()
    {
        _packedRows.Reset();
        _texts.Reset();
        _rowCount = _flushedRows = _distinct = 0;
        _looksForEqual = true;
        if (_slots.Length > 4096)
        {
            ArrayPool<int>.Shared.Return(_slots);
            ArrayPool<Entry>.Shared.Return(_entries);
            (_slots, _entries) = ([], []);
        }
        else
        {
            Array.Clear(_slots);
        }
        _spare ??= new Stack<TextGatherer>();
        if (_spare.Count < 64)
            _spare.Push(this);
    }

    public void Add(ReadOnlySpan<char> text)
    {
        var row = _rowCount;
        if (!_looksForEqual || (uint)row >= (uint)_rows.Length)
        {
            AddSlowly(text);
            return;
        }
        _rows[row] = Find(text);
        _rowCount = row + 1;
    }

    private void AddSlowly(ReadOnlySpan<char> text)
    {
        if (_looksForEqual)
            MakeRoom();
        if (_looksForEqual)
            _rows[_rowCount++] = Find(text);
        else
            _texts.Add(text);
    }

    public void WriteTo(BinaryStateWriter writer, SlotTally tally)
    {
        if (_looksForEqual && _flushedRows == 0 && !SavesSpace())
            StopLooking();
        if (!_looksForEqual)
        {
            _texts.WriteTo(writer);
            return;
        }
        writer.WriteHead(Cbor.Array, 4);
        writer.WriteInteger((int)ColumnKind.Dictionary);
        _packedRows.WriteTo(writer, _rows.AsSpan(0, _rowCount));
        writer.WriteInteger(_distinct);
        tally.Note(_distinct);
        _texts.WriteTo(writer);
    }

    /// <summary>Whether each text once, and a number in each row, is less than the texts row by row.</summary>
    private bool SavesSpace()
    {
        var all = 0L;
        foreach (var row in _rows.AsSpan(0, _rowCount))
            all += _entries[row].Length;
        return _distinct + _texts.Chars < all;
    }

    private int Find(ReadOnlySpan<char> text)
    {
        var hash = Hash(text);
        var mask = _slots.Length - 1;
        for (var at = (int)hash & mask; ; at = (at + 1) & mask)
        {
            var number = _slots[at] - 1;
            if (number < 0)
                return AddDistinct(text, hash, at);
            ref var entry = ref _entries[number];
            if (entry.Hash == hash && entry.Length == text.Length && AreEqual(text, _texts.Span(entry.Start, entry.Length)))
                return number;
        }
    }

    private int AddDistinct(ReadOnlySpan<char> text, uint hash, int at)
    {
        _slots[at] = _distinct + 1;
        _entries[_distinct] = new Entry(hash, _texts.AddKept(text), text.Length);
        if (2 * ++_distinct >= _slots.Length)
            Rehash();
        return _distinct - 1;
    }

    private void MakeRoom()
    {
        if (_rows.Length == 0)
        {
            _rows = new long[64];
            return;
        }
        if (_rows.Length < TableFormat.Chunk)
        {
            Array.Resize(ref _rows, 2 * _rows.Length);
            return;
        }
        if (_flushedRows == 0 && _distinct >= NearlyAll)
        {
            StopLooking();
            return;
        }
        _packedRows.Pack(_rows);
        _flushedRows += _rowCount;
        _rowCount = 0;
    }

    private void Rehash()
    {
        var (slots, entries) = (_slots, _entries);
        _slots = ArrayPool<int>.Shared.Rent(4 * slots.Length);
        Array.Clear(_slots);
        _entries = ArrayPool<Entry>.Shared.Rent(_slots.Length / 2);
        entries.AsSpan(0, _distinct).CopyTo(_entries);
        var mask = _slots.Length - 1;
        for (var number = 0; number < _distinct; number++)
        {
            var at = (int)_entries[number].Hash & mask;
            while (_slots[at] != 0)
                at = (at + 1) & mask;
            _slots[at] = number + 1;
        }
        ArrayPool<int>.Shared.Return(slots);
        ArrayPool<Entry>.Shared.Return(entries);
    }

    /// <summary>Writes out the rows of the sample in full, in their order.</summary>
    private void StopLooking()
    {
        _looksForEqual = false;
        if (_distinct == _rowCount)
        {
            _texts.ForgetKept();
            return;
        }
        var kept = _texts.TakeKept();
        foreach (var row in _rows.AsSpan(0, _rowCount))
        {
            var entry = _entries[row];
            _texts.Add(kept.AsSpan(entry.Start, entry.Length));
        }
        ArrayPool<char>.Shared.Return(kept);
    }

    /// <summary>
    /// Mixes all characters of a short text, in as few steps as its length allows. Longer ones need a real hash: names often differ
    /// somewhere in the middle only.
    /// </summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static uint Hash(ReadOnlySpan<char> text)
    {
        ref var start = ref Unsafe.As<char, byte>(ref MemoryMarshal.GetReference(text));
        var mixed = (ulong)text.Length;
        switch (text.Length)
        {
            case > 16:
                mixed = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(text));
                break;
            case > 8:
                mixed ^= Eight(ref start, 0) * 0x9E3779B97F4A7C15UL;
                mixed ^= BitOperations.RotateLeft(Eight(ref start, 8) * 0xC2B2AE3D27D4EB4FUL, 17);
                mixed ^= BitOperations.RotateLeft(Eight(ref start, (2 * text.Length) - 16) * 0x94D049BB133111EBUL, 31);
                mixed ^= BitOperations.RotateLeft(Eight(ref start, (2 * text.Length) - 8) * 0xD6E8FEB86659FD93UL, 47);
                break;
            case >= 4:
                mixed ^= Eight(ref start, 0) * 0x9E3779B97F4A7C15UL;
                mixed ^= BitOperations.RotateLeft(Eight(ref start, (2 * text.Length) - 8) * 0xC2B2AE3D27D4EB4FUL, 29);
                break;
            default:
                for (var i = 0; i < text.Length; i++)
                    mixed = (mixed << 16) | text[i];
                break;
        }
        mixed = (mixed ^ (mixed >> 32)) * 0xBF58476D1CE4E5B9UL;
        return (uint)(mixed >> 32);
    }

    /// <summary>Whether two texts of one length are equal: short ones in two steps that may overlap.</summary>
    private static bool AreEqual(ReadOnlySpan<char> one, ReadOnlySpan<char> other)
    {
        if (one.Length is < 4 or > 8)
            return one.SequenceEqual(other);
        ref var a = ref Unsafe.As<char, byte>(ref MemoryMarshal.GetReference(one));
        ref var b = ref Unsafe.As<char, byte>(ref MemoryMarshal.GetReference(other));
        var tail = (2 * one.Length) - 8;
        return Eight(ref a, 0) == Eight(ref b, 0) && Eight(ref a, tail) == Eight(ref b, tail);
    }

    private static ulong Eight(ref byte start, int offset) => Unsafe.ReadUnaligned<ulong>(ref Unsafe.Add(ref start, offset));

    private readonly record struct Entry(uint Hash, int Start, int Length);
}

/// <summary>Texts one after the other: their characters are gathered and turned into UTF-8 many at a time.</summary>
internal sealed class TextBlob
{
    private const int Gathered = 16 * 1024;
    private const int TypicalText = 16;

    private readonly IntegerPacker _packedLengths = new();
    private char[] _chars = [];
    private long[] _lengths = [];
    private int _count;
    private int _flushed;
    private PooledBuffer? _utf8;
    private bool _hasReplaced;

    /// <summary>How many texts there will be, as far as is known; only for choosing the size of buffers.</summary>
    public int Expected { get; set; }

    /// <summary>How many texts there are.</summary>
    public int Count => _flushed + _count;

    /// <summary>How many characters are gathered.</summary>
    public int Chars { get; private set; }

    public void Reset()
    {
        _packedLengths.Reset();
        _utf8?.Dispose();
        _utf8 = null;
        _hasReplaced = false;
        _count = _flushed = Chars = 0;
        if (_chars.Length > Gathered)
        {
            ArrayPool<char>.Shared.Return(_chars);
            _chars = [];
        }
    }

    /// <summary>Adds a text and gives where it stands; texts added so stay in place.</summary>
    public int AddKept(ReadOnlySpan<char> text)
    {
        if (_count == _lengths.Length)
            Array.Resize(ref _lengths, Math.Max(64, 2 * _lengths.Length));
        if (_chars.Length - Chars < text.Length)
            Grow(text.Length);
        text.CopyTo(_chars.AsSpan(Chars));
        _lengths[_count++] = text.Length;
        Chars += text.Length;
        return Chars - text.Length;
    }

    public ReadOnlySpan<char> Span(int start, int length) => _chars.AsSpan(start, length);

    /// <summary>From now on what was added need not stay.</summary>
    public void ForgetKept()
    {
        if (_count > TableFormat.Chunk || Chars > Gathered)
            Flush();
    }

    /// <summary>Takes out all characters; the texts are added anew by the caller, who returns the array to the pool.</summary>
    public char[] TakeKept()
    {
        var chars = _chars;
        _chars = ArrayPool<char>.Shared.Rent(Math.Max(256, chars.Length));
        _count = Chars = 0;
        return chars;
    }

    public void Add(ReadOnlySpan<char> text)
    {
        if (_count >= TableFormat.Chunk || Chars > Gathered)
            Flush();
        AddKept(text);
    }

    public void WriteTo(BinaryStateWriter writer)
    {
        // Whatever is still gathered: most small tables are written from here, without a buffer between.
        writer.WriteHead(Cbor.Array, 3);
        writer.WriteInteger((int)ColumnKind.Text);
        if (_utf8 is not null || !Ascii.IsValid(_chars.AsSpan(0, Chars)))
        {
            Flush();
            if (_hasReplaced)
                writer.Context?.HasReplacedText = true;
            _packedLengths.WriteTo(writer, default);
            writer.WriteBytes(_utf8!.Written);
            return;
        }
        _packedLengths.WriteTo(writer, _lengths.AsSpan(0, _count));
        writer.WriteText(_chars.AsSpan(0, Chars), Cbor.ByteString);
    }

    private void Flush()
    {
        _utf8 ??= new PooledBuffer(Math.Clamp(Expected, Gathered / TypicalText, 1 << 18) * TypicalText);
        var chars = _chars.AsSpan(0, Chars);
        var before = _utf8.Length;
        var room = _utf8.GetSpan(Math.Max(1, 3 * chars.Length));
        if (Ascii.IsValid(chars))
        {
            Ascii.FromUtf16(chars, room, out var length);
            _utf8.Advance(length);
        }
        else
        {
            // Text by text, so that half a pair at the end of one never meets its half in the next.
            var at = 0;
            var written = 0;
            for (var i = 0; i < _count; i++)
            {
                var count = (int)_lengths[i];
                _hasReplaced |= LoneSurrogates.AreIn(chars.Slice(at, count));
                var length = Encoding.UTF8.GetBytes(chars.Slice(at, count), room[written..]);
                _lengths[i] = length;
                at += count;
                written += length;
            }
            _utf8.Advance(written);
        }
        if (_count > 0)
            _packedLengths.Pack(_lengths.AsSpan(0, _count));
        _flushed += _count;
        _count = Chars = 0;
    }

    private void Grow(int room)
    {
        var larger = ArrayPool<char>.Shared.Rent(Math.Max(2 * _chars.Length, Math.Max(256, Chars + room)));
        _chars.AsSpan(0, Chars).CopyTo(larger);
        if (_chars.Length > 0)
            ArrayPool<char>.Shared.Return(_chars);
        _chars = larger;
    }
}
