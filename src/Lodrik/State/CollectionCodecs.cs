using System.ComponentModel;

namespace Lodrik.State;

// Collections: lists of anything, maps under keys that have a text form, and tuples. A collection that the object already
// holds is emptied and filled again, so that reading into a live object never doubles anything.

#pragma warning disable CS1591 // Named by generated code only.

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
        var (count, written) = (value.Count, 0);
        writer.BeginList(count);
        foreach (var item in value)
        {
            TCodec.Write(ref writer, item);
            written++;
        }
        ChangingCollection.Refuse(count, written);
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
        var copy = into is null || ReferenceEquals(into, value) ? EmptyCollections.NewLike<TCollection, T>(value) : into;
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
