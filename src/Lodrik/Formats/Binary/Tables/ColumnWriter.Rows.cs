using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Values of many rows at once.</summary>
internal sealed partial class ColumnWriter
{
    /// <summary>An array of so many numbers is put into the chunk at once.</summary>
    private const int Row = 64;

    /// <summary>The lengths of many lists, maps or byte strings.</summary>
    public void AddLengths(ReadOnlySpan<int> lengths)
    {
        _lengths!.AddIntegers(lengths);
        Count += lengths.Length;
    }

    /// <summary>Texts, some of which may be null.</summary>
    public void AddTexts(ReadOnlySpan<string?> texts, TableTally tally)
    {
        if (Kind == ColumnKind.Empty && !texts.IsEmpty && texts[0] is not null)
            Become(ColumnKind.Text, null, tally);
        var taken = Text is { } ours ? ours.AddRows(texts) : 0;
        texts = texts[taken..];
        if (texts.IsEmpty)
            return;
        // From here on there are nulls among them: the texts that stand between two nulls go at once.
        while (!texts.IsEmpty)
        {
            var count = 0;
            while (count < texts.Length && texts[count] is null)
                count++;
            for (var i = 0; i < count; i++)
                For(ColumnKind.Null, tally).AddSlot();
            texts = texts[count..];
            count = texts.IndexOf((string?)null);
            if (count < 0)
                count = texts.Length;
            if (count == 0)
                continue;
            var column = For(ColumnKind.Text, tally);
            if (!ReferenceEquals(column, this))
            {
                for (var i = 1; i < count; i++)
                    For(ColumnKind.Text, tally);
            }
            column.Text!.AddRows(texts[..count]);
            texts = texts[count..];
        }
    }

    /// <summary>Numbers of one type; false, and nothing is added, where they have to come one by one.</summary>
    public bool TryAddNumbers<T>(ReadOnlySpan<T> numbers, TableTally tally) where T : unmanaged, INumber<T>
    {
        if (numbers.IsEmpty)
            return true;
        var kind = typeof(T) == typeof(float) ? ColumnKind.Single
            : typeof(T) == typeof(double) ? ColumnKind.Double
            : typeof(T) == typeof(ulong) || typeof(T) == typeof(decimal) ? ColumnKind.Empty
            : ColumnKind.Integer;
        if (kind == ColumnKind.Empty)
            return false;
        if (Kind == ColumnKind.Empty)
            Become(kind, null, tally);
        if (Kind != kind)
            return false;
        if (typeof(T) == typeof(float))
            Add(ref Singles, MemoryMarshal.Cast<T, float>(numbers));
        else if (typeof(T) == typeof(double))
            Add(ref Doubles, MemoryMarshal.Cast<T, double>(numbers));
        else
            AddIntegers(numbers);
        return true;
    }

    /// <summary>How long arrays are, from the first few of them.</summary>
    private static double AverageLength<T>(ReadOnlySpan<T[]?> arrays)
    {
        var few = arrays[..Math.Min(arrays.Length, 64)];
        var total = 0L;
        foreach (var array in few)
            total += array!.Length;
        return (double)total / few.Length;
    }

    /// <summary>The arrays of many rows, whose numbers go one after the other.</summary>
    /// <returns>How many were added; the others have to come one by one.</returns>
    public int AddArrays<T>(ReadOnlySpan<T[]?> arrays, TableTally tally) where T : unmanaged, INumber<T>
    {
        var (lengths, items) = (_lengths!, Children[0]);
        if (typeof(T) == typeof(float) || typeof(T) == typeof(double) || typeof(T) == typeof(ulong) || typeof(T) == typeof(decimal))
            return 0;
        var taken = 0;
        if (items.Kind == ColumnKind.Empty)
        {
            // Without a single number the items are of no kind.
            while (taken < arrays.Length && arrays[taken]!.Length == 0)
                taken++;
            for (var i = 0; i < taken; i++)
                AddLength(0);
            if (taken == arrays.Length)
                return taken;
            items.Become(ColumnKind.Integer, null, tally);
            lengths.Expected = Expected;
            items.Expected = (int)Math.Min(AverageLength(arrays[taken..]) * Expected, 1 << 30);
        }
        if (items.Kind != ColumnKind.Integer)
            return taken;
        while (taken < arrays.Length)
        {
            if (lengths.Count == lengths.Longs.Length)
                lengths.MakeRoom(ref lengths.Longs);
            if (items.Count + Row > items.Longs.Length)
                items.MakeRoom(ref items.Longs);
            var lengthRoom = lengths.Longs.AsSpan(lengths.Count);
            var part = arrays[taken..Math.Min(arrays.Length, taken + lengthRoom.Length)];
            ref var to = ref MemoryMarshal.GetArrayDataReference(items.Longs);
            var (used, room) = (items.Count, items.Longs.Length);
            var i = 0;
            for (; i < part.Length; i++)
            {
                var array = part[i]!;
                if (array.Length > room - used)
                    break;
                lengthRoom[i] = array.Length;
                ref var from = ref MemoryMarshal.GetArrayDataReference(array);
                for (var k = 0; k < array.Length; k++)
                    Unsafe.Add(ref to, used + k) = long.CreateTruncating(Unsafe.Add(ref from, k));
                used += array.Length;
            }
            lengths.Count += i;
            Count += i;
            items.Count = used;
            taken += i;
            if (i == 0 || (i < part.Length && part[i]!.Length > Row))
            {
                // It fits into no chunk, or only into an empty one.
                AddLength(part[i]!.Length);
                items.AddIntegers<T>(part[i]);
                taken++;
            }
        }
        return taken;
    }

    private void Add<T>(ref T[] chunk, ReadOnlySpan<T> numbers) where T : unmanaged
    {
        while (!numbers.IsEmpty)
        {
            if (Count == chunk.Length)
                MakeRoom(ref chunk);
            var part = numbers[..Math.Min(numbers.Length, chunk.Length - Count)];
            part.CopyTo(chunk.AsSpan(Count));
            Count += part.Length;
            numbers = numbers[part.Length..];
        }
    }

    private void AddIntegers<T>(ReadOnlySpan<T> numbers) where T : unmanaged, INumber<T>
    {
        while (!numbers.IsEmpty)
        {
            if (Count == Longs.Length)
                MakeRoom(ref Longs);
            var room = Longs.AsSpan(Count);
            var part = numbers[..Math.Min(numbers.Length, room.Length)];
            ref var to = ref MemoryMarshal.GetReference(room);
            ref var from = ref MemoryMarshal.GetReference(part);
            for (var i = 0; i < part.Length; i++)
                Unsafe.Add(ref to, i) = long.CreateTruncating(Unsafe.Add(ref from, i));
            Count += part.Length;
            numbers = numbers[part.Length..];
        }
    }
}
