using System.Collections.Concurrent;
using System.ComponentModel;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Lodrik.State;

// Collections: lists of anything, maps under keys that have a text form, and tuples. A collection that the object already
// holds is emptied and filled again, so that reading into a live object never doubles anything.

#pragma warning disable CS1591 // Named by generated code only.

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ListCodec<T, TCodec> : IStateCodec<List<T>?> where TCodec : IStateCodec<T>
{
    /// <summary>How many items room is made for at once, 8 MB: a damaged file may say any number.</summary>
    private static int MostRoom => (8 << 20) / Unsafe.SizeOf<T>();

    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T, TCodec>();
        visitor.VisitEmpty<List<T>?, ListCodec<T, TCodec>>([]);
    }

    public static void Write<TWriter>(ref TWriter writer, List<T>? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
        {
            writer.WriteNull();
            return;
        }
        if (TCodec.HasColumns && writer.TryWriteTable<List<T>?, ListCodec<T, TCodec>>(value, value.Count))
            return;
        var items = CollectionsMarshal.AsSpan(value);
        if (NumberItems.TryWrite<TWriter, T>(ref writer, items))
            return;
        writer.BeginList(items.Length);
        if (!writer.TryWriteItems<T, TCodec>(items))
        {
            foreach (var item in items)
                TCodec.Write(ref writer, item);
        }
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref List<T>? value) where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
        {
            value = null;
            return;
        }
        if (reader.TryReadTable<List<T>?, ListCodec<T, TCodec>>(ref value) || reader.TryReadParts<T, TCodec>(ref value))
            return;
        var items = reader.BeginList();
        if (value is null)
            value = [];
        else
            value.Clear();
        value.EnsureCapacity(Math.Min(items, MostRoom));
        reader.ReadItems<T, TCodec>(value);
        while (reader.NextItem())
        {
            var item = TCodec.Initial;
            TCodec.Read(ref reader, ref item);
            value.Add(item);
            if ((value.Count & (CollectionSize.AtOnce - 1)) == 0)
                reader.Context?.Allowance?.Take(CollectionSize.AtOnce * CollectionSize.Of<T>());
        }
    }

    public static bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<List<T>?> items) where TRows : IRowWriter, allows ref struct
    {
        if (NumberItems.Are<T>())
            return false;
        var lengths = rows.RentValues<int>(items.Length);
        var isWritten = true;
        for (var i = 0; i < items.Length && isWritten; i++)
        {
            lengths[i] = items[i]?.Count ?? 0;
            isWritten = items[i] is not null;
        }
        isWritten = isWritten && rows.TryBeginLists(lengths);
        rows.ReturnValues(lengths);
        if (!isWritten)
            return false;
        var block = rows.RentValues<T>(RowLists.Block);
        var count = 0;
        foreach (var item in items)
        {
            for (var rest = CollectionsMarshal.AsSpan(item); !rest.IsEmpty;)
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
        rows.EndLists();
        return true;
    }

    public static bool TryReadRows<TRows>(ref TRows rows, Span<List<T>?> items) where TRows : IRowReader, allows ref struct
    {
        if (!rows.TryBeginLists(items.Length, out var lengths))
            return false;
        var left = RowLists.Sum(lengths);
        CollectionSize.Count<T>(rows.Context, lengths);
        var block = rows.RentValues<T>((int)Math.Min(left, RowLists.Block));
        var ready = default(Span<T>);
        for (var i = 0; i < items.Length; i++)
        {
            for (var rest = RowLists.Room(ref items[i], (int)lengths[i]); !rest.IsEmpty;)
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

    public static List<T>? Copy(List<T>? value, List<T>? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = ReferenceEquals(into, value) ? [] : into ?? [];
        copy.Clear();
        copy.EnsureCapacity(value.Count);
        foreach (var item in value)
            copy.Add(TCodec.Copy(item, TCodec.Initial, context));
        return copy;
    }

    public static bool AreEqual(List<T>? one, List<T>? other, CompareContext? context) =>
        one is null || other is null
            ? one == other
            : Items.AreEqual<T, TCodec>(CollectionsMarshal.AsSpan(one), CollectionsMarshal.AsSpan(other), context);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ArrayCodec<T, TCodec> : IStateCodec<T[]?> where TCodec : IStateCodec<T>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<List<T>?, ListCodec<T, TCodec>>();
        visitor.VisitEmpty<T[]?, ArrayCodec<T, TCodec>>([]);
    }

    public static void Write<TWriter>(ref TWriter writer, T[]? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
        {
            writer.WriteNull();
            return;
        }
        if (TCodec.HasColumns && writer.TryWriteTable<T[]?, ArrayCodec<T, TCodec>>(value, value.Length))
            return;
        if (NumberItems.TryWrite<TWriter, T>(ref writer, value))
            return;
        writer.BeginList(value.Length);
        if (!writer.TryWriteItems<T, TCodec>(value))
        {
            foreach (var item in value)
                TCodec.Write(ref writer, item);
        }
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref T[]? value) where TReader : IStateReader, allows ref struct
    {
        List<T>? items = null;
        ListCodec<T, TCodec>.Read(ref reader, ref items);
        value = items?.ToArray();
    }

    public static bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<T[]?> items) where TRows : IRowWriter, allows ref struct
    {
        if (NumberItems.Are<T>())
            return false;
        var lengths = rows.RentValues<int>(items.Length);
        var isWritten = true;
        for (var i = 0; i < items.Length && isWritten; i++)
        {
            lengths[i] = items[i]?.Length ?? 0;
            isWritten = items[i] is not null;
        }
        isWritten = isWritten && rows.TryBeginLists(lengths);
        rows.ReturnValues(lengths);
        if (!isWritten)
            return false;
        var block = rows.RentValues<T>(RowLists.Block);
        var count = 0;
        foreach (var item in items)
        {
            for (var rest = item.AsSpan(); !rest.IsEmpty;)
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
        rows.EndLists();
        return true;
    }

    public static bool TryReadRows<TRows>(ref TRows rows, Span<T[]?> items) where TRows : IRowReader, allows ref struct
    {
        if (!rows.TryBeginLists(items.Length, out var lengths))
            return false;
        var left = RowLists.Sum(lengths);
        CollectionSize.Count<T>(rows.Context, lengths);
        var block = rows.RentValues<T>((int)Math.Min(left, RowLists.Block));
        var ready = default(Span<T>);
        for (var i = 0; i < items.Length; i++)
        {
            for (var rest = (items[i] = lengths[i] == 0 ? [] : new T[lengths[i]]).AsSpan(); !rest.IsEmpty;)
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

    public static T[]? Copy(T[]? value, T[]? into, CopyContext? context) =>
        value is null ? null
        : CopyContext.MayFill(value, into, context) ? Fill(value, into, context)
        : Array.ConvertAll(value, item => TCodec.Copy(item, TCodec.Initial, context));

    private static T[] Fill(T[] value, T[] into, CopyContext? context)
    {
        for (var i = 0; i < value.Length; i++)
            into[i] = TCodec.Copy(value[i], TCodec.Initial, context);
        return into;
    }

    public static bool AreEqual(T[]? one, T[]? other, CompareContext? context) =>
        one is null == other is null && Items.AreEqual<T, TCodec>(one, other, context);
}

/// <summary>HashSet, SortedSet, LinkedList and any other collection that can be made empty and added to.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct CollectionCodec<TCollection, T, TCodec> : IStateCodec<TCollection?>
    where TCollection : class, ICollection<T>, new() where TCodec : IStateCodec<T>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T, TCodec>();
        if (CollectionTypes.IsOfPlatform<TCollection>())
            visitor.VisitEmpty<TCollection?, CollectionCodec<TCollection, T, TCodec>>(new TCollection());
    }

    public static void Write<TWriter>(ref TWriter writer, TCollection? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
        {
            writer.WriteNull();
            return;
        }
        if (TCodec.HasColumns && writer.TryWriteTable<TCollection?, CollectionCodec<TCollection, T, TCodec>>(value, value.Count))
            return;
        if (NumberItems.Are<T>() && NumberItems.TryWrite<TWriter, T>(ref writer, value.ToArray()))
            return;
        writer.BeginList(value.Count);
        foreach (var item in value)
            TCodec.Write(ref writer, item);
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref TCollection? value) where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
        {
            value = null;
            return;
        }
        if (reader.TryReadTable<TCollection?, CollectionCodec<TCollection, T, TCodec>>(ref value))
            return;
        value ??= new TCollection();
        value.Clear();
        reader.BeginList();
        while (reader.NextItem())
        {
            var item = TCodec.Initial;
            TCodec.Read(ref reader, ref item);
            value.Add(item);
            if ((value.Count & (CollectionSize.AtOnce - 1)) == 0)
                reader.Context?.Allowance?.Take(CollectionSize.AtOnce * CollectionSize.Of<T>());
        }
    }

    public static TCollection? Copy(TCollection? value, TCollection? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = into is null || ReferenceEquals(into, value) ? Collections.NewLike<TCollection, T>(value) : into;
        copy.Clear();
        foreach (var item in value)
            copy.Add(TCodec.Copy(item, TCodec.Initial, context));
        return copy;
    }

    public static TCollection? MoveInto(TCollection? read, TCollection? initial)
    {
        if (read is null || initial is null || ReferenceEquals(read, initial))
            return read;
        initial.Clear();
        foreach (var item in read)
            initial.Add(item);
        return initial;
    }

    public static bool AreEqual(TCollection? one, TCollection? other, CompareContext? context)
    {
        if (one is null || other is null || one.Count != other.Count)
            return ReferenceEquals(one, other);
        // The order of a set carries no meaning.
        return one is ISet<T> set ? set.SetEquals(other) : Items.AreEqual<T, TCodec>(one.ToArray(), other.ToArray(), context);
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct QueueCodec<T, TCodec> : IStateCodec<Queue<T>?> where TCodec : IStateCodec<T>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T[]?, ArrayCodec<T, TCodec>>();
        visitor.VisitEmpty<Queue<T>?, QueueCodec<T, TCodec>>(new Queue<T>());
    }

    public static void Write<TWriter>(ref TWriter writer, Queue<T>? value) where TWriter : IStateWriter, allows ref struct =>
        ArrayCodec<T, TCodec>.Write(ref writer, value?.ToArray());

    public static void Read<TReader>(ref TReader reader, ref Queue<T>? value) where TReader : IStateReader, allows ref struct
    {
        List<T>? items = null;
        ListCodec<T, TCodec>.Read(ref reader, ref items);
        if (items is null)
        {
            value = null;
            return;
        }
        value ??= new Queue<T>();
        value.Clear();
        foreach (var item in items)
            value.Enqueue(item);
    }

    public static Queue<T>? Copy(Queue<T>? value, Queue<T>? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = ReferenceEquals(into, value) ? new Queue<T>() : into ?? new Queue<T>();
        copy.Clear();
        foreach (var item in value)
            copy.Enqueue(TCodec.Copy(item, TCodec.Initial, context));
        return copy;
    }

    public static bool AreEqual(Queue<T>? one, Queue<T>? other, CompareContext? context) =>
        ArrayCodec<T, TCodec>.AreEqual(one?.ToArray(), other?.ToArray(), context);
}

/// <summary>A stack from its bottom to its top.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct StackCodec<T, TCodec> : IStateCodec<Stack<T>?> where TCodec : IStateCodec<T>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T[]?, ArrayCodec<T, TCodec>>();
        visitor.VisitEmpty<Stack<T>?, StackCodec<T, TCodec>>(new Stack<T>());
    }

    public static void Write<TWriter>(ref TWriter writer, Stack<T>? value) where TWriter : IStateWriter, allows ref struct
    {
        var items = value?.ToArray();
        items?.AsSpan().Reverse();
        ArrayCodec<T, TCodec>.Write(ref writer, items);
    }

    public static void Read<TReader>(ref TReader reader, ref Stack<T>? value) where TReader : IStateReader, allows ref struct
    {
        List<T>? items = null;
        ListCodec<T, TCodec>.Read(ref reader, ref items);
        if (items is null)
        {
            value = null;
            return;
        }
        value ??= new Stack<T>();
        value.Clear();
        foreach (var item in items)
            value.Push(item);
    }

    public static Stack<T>? Copy(Stack<T>? value, Stack<T>? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = ReferenceEquals(into, value) ? new Stack<T>() : into ?? new Stack<T>();
        copy.Clear();
        foreach (var item in value.Reverse())
            copy.Push(TCodec.Copy(item, TCodec.Initial, context));
        return copy;
    }

    public static bool AreEqual(Stack<T>? one, Stack<T>? other, CompareContext? context) =>
        ArrayCodec<T, TCodec>.AreEqual(one?.ToArray(), other?.ToArray(), context);
}

/// <summary>Dictionary, SortedDictionary, SortedList, OrderedDictionary.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct DictionaryCodec<TDictionary, TKey, TValue, TKeyCodec, TCodec> : IStateCodec<TDictionary?>
    where TDictionary : class, IDictionary<TKey, TValue>, new()
    where TKey : notnull
    where TKeyCodec : IKeyCodec<TKey>
    where TCodec : IStateCodec<TValue>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<TValue, TCodec>();
        if (CollectionTypes.IsOfPlatform<TDictionary>())
            visitor.VisitEmpty<TDictionary?, DictionaryCodec<TDictionary, TKey, TValue, TKeyCodec, TCodec>>(new TDictionary());
    }

    public static void Write<TWriter>(ref TWriter writer, TDictionary? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
        {
            writer.WriteNull();
            return;
        }
        KeyTexts.Check<TKey, TKeyCodec>(value.Keys);
        if (TCodec.HasColumns
            && writer.TryWriteTable<TDictionary?, DictionaryCodec<TDictionary, TKey, TValue, TKeyCodec, TCodec>>(value, value.Count))
            return;
        writer.BeginObject(value.Count);
        foreach (var (key, entry) in value)
        {
            writer.WriteKey(TKeyCodec.ToText(key));
            TCodec.Write(ref writer, entry);
        }
        writer.EndObject();
    }

    public static void Read<TReader>(ref TReader reader, ref TDictionary? value) where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
        {
            value = null;
            return;
        }
        if (reader.TryReadTable<TDictionary?, DictionaryCodec<TDictionary, TKey, TValue, TKeyCodec, TCodec>>(ref value))
            return;
        value ??= new TDictionary();
        value.Clear();
        reader.BeginObject();
        while (reader.ReadKey(out var text))
        {
            if (!TKeyCodec.TryParse(text, out var key))
                throw reader.Wrong($"The key \"{Shorten.Text(text)}\" is no {typeof(TKey).Name}.");
            if (value.ContainsKey(key))
                throw reader.Wrong($"The key \"{Shorten.Text(text)}\" stands twice.");
            var entry = TCodec.Initial;
            TCodec.Read(ref reader, ref entry);
            value.Add(key, entry);
            if ((value.Count & (CollectionSize.AtOnce - 1)) == 0)
                reader.Context?.Allowance?.Take(CollectionSize.AtOnce * CollectionSize.Of<TValue>());
        }
    }

    public static TDictionary? Copy(TDictionary? value, TDictionary? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = into is null || ReferenceEquals(into, value) ? Collections.NewLike<TDictionary, TKey, TValue>(value) : into;
        copy.Clear();
        foreach (var (key, entry) in value)
            copy.Add(key, TCodec.Copy(entry, TCodec.Initial, context));
        return copy;
    }

    public static TDictionary? MoveInto(TDictionary? read, TDictionary? initial)
    {
        if (read is null || initial is null || ReferenceEquals(read, initial))
            return read;
        initial.Clear();
        foreach (var (key, entry) in read)
        {
            if (!initial.TryAdd(key, entry))
                throw new ArgumentException($"The key \"{Shorten.Text(TKeyCodec.ToText(key))}\" stands twice.");
        }
        return initial;
    }

    public static bool AreEqual(TDictionary? one, TDictionary? other, CompareContext? context)
    {
        if (one is null || other is null || one.Count != other.Count)
            return ReferenceEquals(one, other);
        foreach (var (key, entry) in one)
        {
            if (!other.TryGetValue(key, out var theirs) || !TCodec.AreEqual(entry, theirs, context))
                return false;
        }
        return true;
    }
}

/// <summary>
/// An array that the object keeps, so that its length is fixed: a shorter saved one leaves the rest as it is, a longer one does not
/// fit and is refused.
/// </summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct FixedArrayCodec<T, TArrayCodec> : IStateCodec<T[]?> where TArrayCodec : IStateCodec<T[]?>
{
    public static bool HasColumns => TArrayCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.Visit<T[]?, TArrayCodec>();

    public static void Write<TWriter>(ref TWriter writer, T[]? value) where TWriter : IStateWriter, allows ref struct =>
        TArrayCodec.Write(ref writer, value);

    public static void Read<TReader>(ref TReader reader, ref T[]? value) where TReader : IStateReader, allows ref struct
    {
        T[]? saved = null;
        TArrayCodec.Read(ref reader, ref saved);
        if (saved is null || value is null)
            value = saved;
        else if (saved.Length > value.Length)
            throw reader.Wrong(NoRoom(value, saved));
        else
            saved.CopyTo(value, 0);
    }

    public static T[]? Copy(T[]? value, T[]? into, CopyContext? context)
    {
        var copy = TArrayCodec.Copy(value, null, context);
        // One that is too short for them is the game's own new length, not a stranger's.
        if (copy is null || into is null || ReferenceEquals(into, value) || copy.Length > into.Length)
            return copy;
        copy.CopyTo(into, 0);
        return into;
    }

    public static T[]? MoveInto(T[]? read, T[]? initial)
    {
        if (read is null || initial is null)
            return read;
        if (read.Length > initial.Length)
            throw new ArgumentException(NoRoom(initial, read));
        read.CopyTo(initial, 0);
        return initial;
    }

    public static bool AreEqual(T[]? one, T[]? other, CompareContext? context) => TArrayCodec.AreEqual(one, other, context);

    private static string NoRoom(T[] array, T[] saved) => $"There is room for {array.Length} items here, and the save has {saved.Length}.";
}

/// <summary>Whose a collection is.</summary>
file static class CollectionTypes
{
    /// <summary>Whether a type is the platform's own, so that none of the game's constructors runs when one is made.</summary>
    public static bool IsOfPlatform<T>() => typeof(T).Namespace is { } name
        && (name == "System" || name.StartsWith("System.", StringComparison.Ordinal)) && typeof(T).Assembly != typeof(StateTypes).Assembly;
}

/// <summary>Items of two collections, compared one by one.</summary>
internal static class Items
{
    public static bool AreEqual<T, TCodec>(ReadOnlySpan<T> one, ReadOnlySpan<T> other, CompareContext? context)
        where TCodec : IStateCodec<T>
    {
        if (one.Length != other.Length)
            return false;
        for (var i = 0; i < one.Length; i++)
        {
            if (!TCodec.AreEqual(one[i], other[i], context))
                return false;
        }
        return true;
    }

    /// <summary>Whether numbers are the same bit for bit: 0.0 and -0.0 are not.</summary>
    public static bool AreBitwiseEqual<T>(ReadOnlySpan<T> one, ReadOnlySpan<T> other) where T : unmanaged =>
        MemoryMarshal.AsBytes(one).SequenceEqual(MemoryMarshal.AsBytes(other));
}

/// <summary>Collections with the comparer of others.</summary>
file static class Collections
{
    /// <summary>An empty collection that compares its items as another does.</summary>
    public static TCollection NewLike<TCollection, T>(TCollection other) where TCollection : ICollection<T>, new() => other switch
    {
        HashSet<T> set => (TCollection)(object)new HashSet<T>(set.Comparer),
        SortedSet<T> set => (TCollection)(object)new SortedSet<T>(set.Comparer),
        _ => new TCollection(),
    };

    /// <summary>An empty map that compares its keys as another does.</summary>
    public static TDictionary NewLike<TDictionary, TKey, TValue>(TDictionary other)
        where TDictionary : IDictionary<TKey, TValue>, new() where TKey : notnull => other switch
        {
            Dictionary<TKey, TValue> map => (TDictionary)(object)new Dictionary<TKey, TValue>(map.Comparer),
            SortedDictionary<TKey, TValue> map => (TDictionary)(object)new SortedDictionary<TKey, TValue>(map.Comparer),
            SortedList<TKey, TValue> map => (TDictionary)(object)new SortedList<TKey, TValue>(map.Comparer),
            OrderedDictionary<TKey, TValue> map => (TDictionary)(object)new OrderedDictionary<TKey, TValue>(map.Comparer),
            ConcurrentDictionary<TKey, TValue> map => (TDictionary)(object)new ConcurrentDictionary<TKey, TValue>(map.Comparer),
            _ => new TDictionary(),
        };
}

/// <summary>How often the growth of a collection is counted while it is read.</summary>
file static class CollectionSize
{
    /// <summary>A power of two: so many items are counted at once.</summary>
    public const int AtOnce = 4096;

    /// <summary>Counts the items of many lists.</summary>
    public static void Count<T>(ReadContext? context, ReadOnlySpan<long> lengths)
    {
        if (context?.Allowance is not { } allowance)
            return;
        foreach (var length in lengths)
        {
            if (length >= AtOnce)
                allowance.Take(length / AtOnce * AtOnce * Of<T>());
        }
    }

    /// <summary>About what an item takes: a value is in the collection itself, an object is beside it.</summary>
    public static int Of<T>() => typeof(T).IsValueType ? Unsafe.SizeOf<T>() : Allowance.Value;
}
