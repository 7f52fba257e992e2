using System.Runtime.InteropServices;

namespace Lodrik.State;

/// <summary>What a list in a row is: a List, or an array.</summary>
internal interface IListRows<TList, T>
{
    /// <summary>The items of a list; none of null.</summary>
    static abstract Span<T> Items(TList? list);

    /// <summary>The items of a list that has room for so many.</summary>
    static abstract Span<T> Room(ref TList? list, int count);
}

internal readonly struct ListRows<T> : IListRows<List<T>, T>
{
    public static Span<T> Items(List<T>? list) => CollectionsMarshal.AsSpan(list);

    public static Span<T> Room(ref List<T>? list, int count) => RowLists.Room(ref list, count);
}

internal readonly struct ArrayRows<T> : IListRows<T[], T>
{
    public static Span<T> Items(T[]? list) => list;

    public static Span<T> Room(ref T[]? list, int count) => list = count == 0 ? [] : new T[count];
}

/// <summary>The lists of many rows.</summary>
internal static class RowLists
{
    /// <summary>How many items they have together.</summary>
    public static long Sum(ReadOnlySpan<long> lengths)
    {
        var sum = 0L;
        foreach (var length in lengths)
            sum += length;
        return sum;
    }

    /// <summary>The items of a list that has room for so many: the list itself, if there is one, emptied first.</summary>
    public static Span<T> Room<T>(ref List<T>? list, int count)
    {
        list ??= new List<T>(count);
        list.Clear();
        CollectionsMarshal.SetCount(list, count);
        return CollectionsMarshal.AsSpan(list);
    }
}

/// <summary>The lists of many rows, written and read with their items one after the other, some at a time.</summary>
internal static class RowLists<TList, T, TCodec, TListRows>
    where TList : class where TCodec : IStateCodec<T> where TListRows : struct, IListRows<TList, T>
{
    /// <summary>How many items are gone through at a time.</summary>
    private const int Block = 256;

    public static bool TryWrite<TRows>(ref TRows rows, ReadOnlySpan<TList?> lists) where TRows : IRowWriter, allows ref struct
    {
        if (NumberItems.Are<T>())
            return false;
        var lengths = rows.RentValues<int>(lists.Length);
        var isWritten = true;
        for (var i = 0; i < lists.Length && isWritten; i++)
        {
            lengths[i] = TListRows.Items(lists[i]).Length;
            isWritten = lists[i] is not null;
        }
        if (!isWritten || !rows.TryBeginLists(lengths))
        {
            rows.ReturnValues(lengths);
            return false;
        }
        var block = rows.RentValues<T>(Block);
        var count = 0;
        for (var i = 0; i < lists.Length; i++)
        {
            var rest = TListRows.Items(lists[i]);
            // Writing the items of another list may have run code of the game that changed this one.
            ChangingCollection.Refuse(lengths[i], rest.Length);
            while (!rest.IsEmpty)
            {
                var part = rest[..Math.Min(rest.Length, block.Length - count)];
                part.CopyTo(block[count..]);
                count += part.Length;
                rest = rest[part.Length..];
                if (count < block.Length)
                    continue;
                rows.WriteListItems<T, TCodec>(block);
                count = 0;
            }
        }
        rows.WriteListItems<T, TCodec>(block[..count]);
        rows.ReturnValues(block);
        rows.ReturnValues(lengths);
        rows.EndLists();
        return true;
    }

    public static bool TryRead<TRows>(ref TRows rows, Span<TList?> lists) where TRows : IRowReader, allows ref struct
    {
        if (!rows.TryBeginLists(lists.Length, out var lengths))
            return false;
        var left = RowLists.Sum(lengths);
        CollectionSize.Count<T>(rows.Context, lengths);
        var block = rows.RentValues<T>((int)Math.Min(left, Block));
        var ready = default(Span<T>);
        for (var i = 0; i < lists.Length; i++)
        {
            for (var rest = TListRows.Room(ref lists[i], (int)lengths[i]); !rest.IsEmpty;)
            {
                if (ready.IsEmpty)
                {
                    ready = block[..(int)Math.Min(left, block.Length)];
                    ready.Fill(TCodec.Initial);
                    rows.ReadListItems<T, TCodec>(ready);
                    left -= ready.Length;
                }
                var part = ready[..Math.Min(rest.Length, ready.Length)];
                part.CopyTo(rest);
                rest = rest[part.Length..];
                ready = ready[part.Length..];
            }
        }
        rows.ReturnValues(block);
        rows.EndLists();
        return true;
    }
}
