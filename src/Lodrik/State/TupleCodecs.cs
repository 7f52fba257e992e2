using System.ComponentModel;

namespace Lodrik.State;

// Tuples: a list of as many items, whatever the items are called in C#.

#pragma warning disable CS1591 // Named by generated code only.

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, TCodec1, TCodec2> : IStateCodec<(T1, T2)>
    where TCodec1 : IStateCodec<T1> where TCodec2 : IStateCodec<T2>
{
    public static void Write<TWriter>(ref TWriter writer, (T1, T2) value) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginList(2);
        TCodec1.Write(ref writer, value.Item1);
        TCodec2.Write(ref writer, value.Item2);
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref (T1, T2) value) where TReader : IStateReader, allows ref struct
    {
        reader.BeginList();
        TupleItems.Next<TReader, T1, TCodec1>(ref reader, 2, ref value.Item1);
        TupleItems.Next<TReader, T2, TCodec2>(ref reader, 2, ref value.Item2);
        TupleItems.End(ref reader, 2);
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, T3, TCodec1, TCodec2, TCodec3> : IStateCodec<(T1, T2, T3)>
    where TCodec1 : IStateCodec<T1> where TCodec2 : IStateCodec<T2> where TCodec3 : IStateCodec<T3>
{
    public static void Write<TWriter>(ref TWriter writer, (T1, T2, T3) value) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginList(3);
        TCodec1.Write(ref writer, value.Item1);
        TCodec2.Write(ref writer, value.Item2);
        TCodec3.Write(ref writer, value.Item3);
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref (T1, T2, T3) value) where TReader : IStateReader, allows ref struct
    {
        reader.BeginList();
        TupleItems.Next<TReader, T1, TCodec1>(ref reader, 3, ref value.Item1);
        TupleItems.Next<TReader, T2, TCodec2>(ref reader, 3, ref value.Item2);
        TupleItems.Next<TReader, T3, TCodec3>(ref reader, 3, ref value.Item3);
        TupleItems.End(ref reader, 3);
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, T3, T4, TCodec1, TCodec2, TCodec3, TCodec4> : IStateCodec<(T1, T2, T3, T4)>
    where TCodec1 : IStateCodec<T1> where TCodec2 : IStateCodec<T2> where TCodec3 : IStateCodec<T3> where TCodec4 : IStateCodec<T4>
{
    public static void Write<TWriter>(ref TWriter writer, (T1, T2, T3, T4) value) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginList(4);
        TCodec1.Write(ref writer, value.Item1);
        TCodec2.Write(ref writer, value.Item2);
        TCodec3.Write(ref writer, value.Item3);
        TCodec4.Write(ref writer, value.Item4);
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref (T1, T2, T3, T4) value) where TReader : IStateReader, allows ref struct
    {
        reader.BeginList();
        TupleItems.Next<TReader, T1, TCodec1>(ref reader, 4, ref value.Item1);
        TupleItems.Next<TReader, T2, TCodec2>(ref reader, 4, ref value.Item2);
        TupleItems.Next<TReader, T3, TCodec3>(ref reader, 4, ref value.Item3);
        TupleItems.Next<TReader, T4, TCodec4>(ref reader, 4, ref value.Item4);
        TupleItems.End(ref reader, 4);
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, T3, T4, T5, TCodec1, TCodec2, TCodec3, TCodec4, TCodec5> : IStateCodec<(T1, T2, T3, T4, T5)>
    where TCodec1 : IStateCodec<T1> where TCodec2 : IStateCodec<T2> where TCodec3 : IStateCodec<T3> where TCodec4 : IStateCodec<T4> where TCodec5 : IStateCodec<T5>
{
    public static void Write<TWriter>(ref TWriter writer, (T1, T2, T3, T4, T5) value) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginList(5);
        TCodec1.Write(ref writer, value.Item1);
        TCodec2.Write(ref writer, value.Item2);
        TCodec3.Write(ref writer, value.Item3);
        TCodec4.Write(ref writer, value.Item4);
        TCodec5.Write(ref writer, value.Item5);
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref (T1, T2, T3, T4, T5) value) where TReader : IStateReader, allows ref struct
    {
        reader.BeginList();
        TupleItems.Next<TReader, T1, TCodec1>(ref reader, 5, ref value.Item1);
        TupleItems.Next<TReader, T2, TCodec2>(ref reader, 5, ref value.Item2);
        TupleItems.Next<TReader, T3, TCodec3>(ref reader, 5, ref value.Item3);
        TupleItems.Next<TReader, T4, TCodec4>(ref reader, 5, ref value.Item4);
        TupleItems.Next<TReader, T5, TCodec5>(ref reader, 5, ref value.Item5);
        TupleItems.End(ref reader, 5);
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct PairCodec<TKey, TValue, TKeyCodec, TCodec> : IStateCodec<KeyValuePair<TKey, TValue>>
    where TKeyCodec : IStateCodec<TKey> where TCodec : IStateCodec<TValue>
{
    public static void Write<TWriter>(ref TWriter writer, KeyValuePair<TKey, TValue> value) where TWriter : IStateWriter, allows ref struct =>
        TupleCodec<TKey, TValue, TKeyCodec, TCodec>.Write(ref writer, (value.Key, value.Value));

    public static void Read<TReader>(ref TReader reader, ref KeyValuePair<TKey, TValue> value) where TReader : IStateReader, allows ref struct
    {
        var pair = (value.Key, value.Value);
        TupleCodec<TKey, TValue, TKeyCodec, TCodec>.Read(ref reader, ref pair);
        value = new KeyValuePair<TKey, TValue>(pair.Key, pair.Value);
    }
}

/// <summary>The items of a tuple, one after the other.</summary>
internal static class TupleItems
{
    public static void Next<TReader, T, TCodec>(ref TReader reader, int count, ref T item)
        where TReader : IStateReader, allows ref struct where TCodec : IStateCodec<T>
    {
        if (!reader.NextItem())
            throw reader.Wrong($"{count} values are expected here, and there are fewer.");
        TCodec.Read(ref reader, ref item);
    }

    public static void End<TReader>(ref TReader reader, int count) where TReader : IStateReader, allows ref struct
    {
        if (reader.NextItem())
            throw reader.Wrong($"{count} values are expected here, and there are more.");
    }
}
