using System.Buffers;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

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

    private const int FewSlots = 128;
    private const int KnownTexts = 64;

    [ThreadStatic]
    private static Stack<TextGatherer>? _spare;

    private readonly IntegerPacker _packedRows = new();
    private readonly TextBlob _texts = new();

    // Texts that came lately, by where they are in memory: games use one object for all equal names, and then a text need not be looked at.
    private readonly Known[] _known = new Known[KnownTexts];
    private Slot[] _slots = [];
    private Entry[] _entries = [];
    private long[] _rows = [];
    private int _rowCount;
    private int _flushedRows;
    private int _distinct;
    private int _seen;
    private int _hits;
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
            gatherer._slots = ArrayPool<Slot>.Shared.Rent(FewSlots);
            Array.Clear(gatherer._slots);
            gatherer._entries = ArrayPool<Entry>.Shared.Rent(gatherer._slots.Length / 2);
        }
        return gatherer;
    }

    public void Return()
    {
        _packedRows.Reset();
        _texts.Reset();
        if (_slots.Length > 4096)
        {
            ArrayPool<Slot>.Shared.Return(_slots);
            ArrayPool<Entry>.Shared.Return(_entries);
            (_slots, _entries) = ([], []);
        }
        else if (_distinct > 0)
        {
            Array.Clear(_slots);
        }
        if (_seen > 0)
            Array.Clear(_known);
        _rowCount = _flushedRows = _distinct = _seen = _hits = 0;
        _looksForEqual = true;
        _spare ??= new Stack<TextGatherer>();
        if (_spare.Count < 64)
            _spare.Push(this);
    }

    /// <summary>Adds the texts of many rows, up to the first that is null.</summary>
    /// <returns>How many were added.</returns>
    public int AddRows(ReadOnlySpan<string?> texts)
    {
        var taken = 0;
        while (taken < texts.Length)
        {
            if (!_looksForEqual)
                return taken + _texts.AddRows(texts[taken..]);
            if (_rowCount == _rows.Length)
            {
                MakeRoom();
                continue;
            }
            var count = Math.Min(texts.Length - taken, _rows.Length - _rowCount);
            var found = FindRows(texts.Slice(taken, count), _rows.AsSpan(_rowCount, count));
            _rowCount += found;
            taken += found;
            if (found < count)
                return taken;
        }
        return taken;
    }

    public void Add(ReadOnlySpan<char> text)
    {
        if (_looksForEqual && _rowCount == _rows.Length)
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

    /// <summary>Puts down the number of each text, up to the first that is null.</summary>
    private int FindRows(ReadOnlySpan<string?> texts, Span<long> rows)
    {
        // What hardly ever is one of the known ones is not looked up among them.
        var usesKnown = _seen < 2 * Sample || _hits * 4L > _seen;
        ref var slots = ref MemoryMarshal.GetArrayDataReference(_slots);
        ref var firstKnown = ref MemoryMarshal.GetArrayDataReference(_known);
        ref var known = ref firstKnown;
        var mask = _slots.Length - 1;
        var hits = 0;
        var i = 0;
        for (; i < texts.Length && i < rows.Length; i++)
        {
            if (texts[i] is not { } text)
                break;
            if (usesKnown)
            {
                known = ref Unsafe.Add(ref firstKnown, PlaceOf(text));
                if (ReferenceEquals(known.Text, text))
                {
                    rows[i] = known.Number;
                    hits++;
                    continue;
                }
            }
            var key = Key.Of(text);
            for (var at = key.Place & mask; ; at = (at + 1) & mask)
            {
                ref var slot = ref Unsafe.Add(ref slots, at);
                if (slot.Number == 0)
                {
                    rows[i] = AddNew(ref slot, text, key);
                    mask = _slots.Length - 1;
                    slots = ref MemoryMarshal.GetArrayDataReference(_slots);
                    break;
                }
                if (slot.IsLike(key) && (key.IsWhole || HasMiddle(text, slot.Number - 1)))
                {
                    rows[i] = slot.Number - 1;
                    break;
                }
            }
            if (usesKnown)
            {
                known.Text = text;
                known.Number = (int)rows[i];
            }
        }
        _seen += i;
        _hits += hits;
        return i;
    }

    private int Find(ReadOnlySpan<char> text)
    {
        var key = Key.Of(text);
        var mask = _slots.Length - 1;
        for (var at = key.Place & mask; ; at = (at + 1) & mask)
        {
            ref var slot = ref _slots[at];
            if (slot.Number == 0)
                return AddNew(ref slot, text, key);
            if (slot.IsLike(key) && (key.IsWhole || HasMiddle(text, slot.Number - 1)))
                return slot.Number - 1;
        }
    }

    /// <summary>Whether a text is like the one of that number between its first and its last four characters.</summary>
    private bool HasMiddle(ReadOnlySpan<char> text, int number)
    {
        ref var entry = ref _entries[number];
        return text[4..^4].SequenceEqual(_texts.Span(entry.Start + 4, text.Length - 8));
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private int AddNew(ref Slot slot, ReadOnlySpan<char> text, in Key key)
    {
        slot = new Slot(key, _distinct + 1);
        _entries[_distinct] = new Entry(key.Place, _texts.AddKept(text), text.Length);
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
            Array.Resize(ref _rows, Math.Min(4 * _rows.Length, TableFormat.Chunk));
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
        _slots = ArrayPool<Slot>.Shared.Rent(4 * slots.Length);
        Array.Clear(_slots);
        _entries = ArrayPool<Entry>.Shared.Rent(_slots.Length / 2);
        entries.AsSpan(0, _distinct).CopyTo(_entries);
        var mask = _slots.Length - 1;
        foreach (ref var slot in slots.AsSpan())
        {
            if (slot.Number == 0)
                continue;
            var at = _entries[slot.Number - 1].Place & mask;
            while (_slots[at].Number != 0)
                at = (at + 1) & mask;
            _slots[at] = slot;
        }
        ArrayPool<Slot>.Shared.Return(slots);
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
    /// A place among the known ones, by where a text is in memory. The collector may move it, and then it is looked for as one that is not
    /// known: what counts is that the reference is the same.
    /// </summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static int PlaceOf(string text)
    {
        var address = (uint)Unsafe.As<string, nint>(ref text);
        return (int)(((address >> 3) * 0x9E3779B1u) >> 26);
    }

    private static ulong Eight(ref byte start, int offset) => Unsafe.ReadUnaligned<ulong>(ref Unsafe.Add(ref start, offset));

    /// <summary>
    /// What distinguishes most texts at once: the length with the first and the last four characters, and a hash of all of them.
    /// </summary>
    private readonly struct Key(ulong first, ulong last, int length, int place)
    {
        public ulong First => first;

        public ulong Last => last;

        public int Length => length;

        /// <summary>A number of 31 bits.</summary>
        public int Place => place;

        /// <summary>Whether the first and the last four characters are all there is.</summary>
        public bool IsWhole => length <= 8;

        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        public static Key Of(ReadOnlySpan<char> text)
        {
            ref var start = ref Unsafe.As<char, byte>(ref MemoryMarshal.GetReference(text));
            var (first, last) = (0UL, 0UL);
            ulong mixed;
            if (text.Length >= 4)
            {
                first = Eight(ref start, 0);
                last = Eight(ref start, (2 * text.Length) - 8);
                mixed = ((first ^ (ulong)text.Length) * 0x9E3779B97F4A7C15UL) ^ BitOperations.RotateLeft(last * 0xC2B2AE3D27D4EB4FUL, 29);
                if (text.Length > 8)
                    mixed ^= Middle(ref start, (2 * text.Length) - 8);
            }
            else
            {
                for (var i = 0; i < text.Length; i++)
                    first |= (ulong)text[i] << (16 * i);
                mixed = (first ^ (ulong)text.Length) * 0x9E3779B97F4A7C15UL;
            }
            mixed = (mixed ^ (mixed >> 32)) * 0xBF58476D1CE4E5B9UL;
            return new Key(first, last, text.Length, (int)(mixed >> 33));
        }

        /// <summary>
        /// Mixes what lies between the first and the last four characters: names often differ somewhere in the middle only.
        /// </summary>
        private static ulong Middle(ref byte start, int end)
        {
            var mixed = 0x94D049BB133111EBUL;
            for (var at = 8; at < end; at += 8)
                mixed = BitOperations.RotateLeft((mixed ^ Eight(ref start, at)) * 0xD6E8FEB86659FD93UL, 31);
            return mixed;
        }
    }

    private readonly struct Slot(in Key key, int number)
    {
        private readonly ulong _first = key.First;
        private readonly ulong _last = key.Last;
        private readonly int _length = key.Length;

        /// <summary>The text's number, counted from 1; 0 for none.</summary>
        public readonly int Number = number;

        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        public bool IsLike(in Key key) => _first == key.First && _last == key.Last && _length == key.Length;
    }

    private readonly record struct Entry(int Place, int Start, int Length);

    private struct Known
    {
        public string? Text;
        public int Number;
    }
}
