using System.ComponentModel;

namespace Lodrik.State;

// Tuples: a list of as many items, whatever the items are called in C#.

#pragma warning disable CS1591 // Named by generated code only.

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, TCodec1, TCodec2> : IStateCodec<(T1, T2)>
    where TCodec1 : IStateCodec<T1>
    where TCodec2 : IStateCodec<T2>
{
    public static bool CallsGame => TCodec1.CallsGame || TCodec2.CallsGame;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T1, TCodec1>();
        visitor.Visit<T2, TCodec2>();
    }

    public static void Write<TWriter>(ref TWriter writer, (T1, T2) value) where TWriter : IStateWriter, allows ref struct
    {
        if (NumberItems.IsWhole<T1>() && NumberItems.IsWhole<T2>())
        {
            NumberItems.WriteWhole(ref writer, [NumberItems.Whole(value.Item1), NumberItems.Whole(value.Item2)]);
            return;
        }
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

    public static (T1, T2) Copy((T1, T2) value, (T1, T2) into, CopyContext? context) =>
        (TCodec1.Copy(value.Item1, into.Item1, context), TCodec2.Copy(value.Item2, into.Item2, context));

    public static bool AreEqual((T1, T2) one, (T1, T2) other, CompareContext? context) =>
        TCodec1.AreEqual(one.Item1, other.Item1, context)
        && TCodec2.AreEqual(one.Item2, other.Item2, context);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, T3, TCodec1, TCodec2, TCodec3> : IStateCodec<(T1, T2, T3)>
    where TCodec1 : IStateCodec<T1>
    where TCodec2 : IStateCodec<T2>
    where TCodec3 : IStateCodec<T3>
{
    public static bool CallsGame => TCodec1.CallsGame || TCodec2.CallsGame || TCodec3.CallsGame;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T1, TCodec1>();
        visitor.Visit<T2, TCodec2>();
        visitor.Visit<T3, TCodec3>();
    }

    public static void Write<TWriter>(ref TWriter writer, (T1, T2, T3) value) where TWriter : IStateWriter, allows ref struct
    {
        if (NumberItems.IsWhole<T1>() && NumberItems.IsWhole<T2>() && NumberItems.IsWhole<T3>())
        {
            NumberItems.WriteWhole(
                ref writer, [NumberItems.Whole(value.Item1), NumberItems.Whole(value.Item2), NumberItems.Whole(value.Item3)]);
            return;
        }
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

    public static (T1, T2, T3) Copy((T1, T2, T3) value, (T1, T2, T3) into, CopyContext? context) =>
        (TCodec1.Copy(value.Item1, into.Item1, context), TCodec2.Copy(value.Item2, into.Item2, context),
            TCodec3.Copy(value.Item3, into.Item3, context));

    public static bool AreEqual((T1, T2, T3) one, (T1, T2, T3) other, CompareContext? context) =>
        TCodec1.AreEqual(one.Item1, other.Item1, context)
        && TCodec2.AreEqual(one.Item2, other.Item2, context)
        && TCodec3.AreEqual(one.Item3, other.Item3, context);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, T3, T4, TCodec1, TCodec2, TCodec3, TCodec4> : IStateCodec<(T1, T2, T3, T4)>
    where TCodec1 : IStateCodec<T1>
    where TCodec2 : IStateCodec<T2>
    where TCodec3 : IStateCodec<T3>
    where TCodec4 : IStateCodec<T4>
{
    public static bool CallsGame => TCodec1.CallsGame || TCodec2.CallsGame || TCodec3.CallsGame || TCodec4.CallsGame;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T1, TCodec1>();
        visitor.Visit<T2, TCodec2>();
        visitor.Visit<T3, TCodec3>();
        visitor.Visit<T4, TCodec4>();
    }

    public static void Write<TWriter>(ref TWriter writer, (T1, T2, T3, T4) value) where TWriter : IStateWriter, allows ref struct
    {
        if (NumberItems.IsWhole<T1>() && NumberItems.IsWhole<T2>() && NumberItems.IsWhole<T3>() && NumberItems.IsWhole<T4>())
        {
            NumberItems.WriteWhole(ref writer, [NumberItems.Whole(value.Item1), NumberItems.Whole(value.Item2),
                NumberItems.Whole(value.Item3), NumberItems.Whole(value.Item4)]);
            return;
        }
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

    public static (T1, T2, T3, T4) Copy((T1, T2, T3, T4) value, (T1, T2, T3, T4) into, CopyContext? context) =>
        (TCodec1.Copy(value.Item1, into.Item1, context), TCodec2.Copy(value.Item2, into.Item2, context),
            TCodec3.Copy(value.Item3, into.Item3, context),
            TCodec4.Copy(value.Item4, into.Item4, context));

    public static bool AreEqual((T1, T2, T3, T4) one, (T1, T2, T3, T4) other, CompareContext? context) =>
        TCodec1.AreEqual(one.Item1, other.Item1, context)
        && TCodec2.AreEqual(one.Item2, other.Item2, context)
        && TCodec3.AreEqual(one.Item3, other.Item3, context)
        && TCodec4.AreEqual(one.Item4, other.Item4, context);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, T3, T4, T5, TCodec1, TCodec2, TCodec3, TCodec4, TCodec5> : IStateCodec<(T1, T2, T3, T4, T5)>
    where TCodec1 : IStateCodec<T1>
    where TCodec2 : IStateCodec<T2>
    where TCodec3 : IStateCodec<T3>
    where TCodec4 : IStateCodec<T4>
    where TCodec5 : IStateCodec<T5>
{
    public static bool CallsGame =>
        TCodec1.CallsGame || TCodec2.CallsGame || TCodec3.CallsGame
            || TCodec4.CallsGame || TCodec5.CallsGame;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T1, TCodec1>();
        visitor.Visit<T2, TCodec2>();
        visitor.Visit<T3, TCodec3>();
        visitor.Visit<T4, TCodec4>();
        visitor.Visit<T5, TCodec5>();
    }

    public static void Write<TWriter>(ref TWriter writer, (T1, T2, T3, T4, T5) value) where TWriter : IStateWriter, allows ref struct
    {
        if (NumberItems.IsWhole<T1>() && NumberItems.IsWhole<T2>() && NumberItems.IsWhole<T3>() && NumberItems.IsWhole<T4>()
            && NumberItems.IsWhole<T5>())
        {
            NumberItems.WriteWhole(ref writer, [NumberItems.Whole(value.Item1), NumberItems.Whole(value.Item2),
                NumberItems.Whole(value.Item3), NumberItems.Whole(value.Item4), NumberItems.Whole(value.Item5)]);
            return;
        }
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

    public static (T1, T2, T3, T4, T5) Copy((T1, T2, T3, T4, T5) value, (T1, T2, T3, T4, T5) into, CopyContext? context) =>
        (TCodec1.Copy(value.Item1, into.Item1, context), TCodec2.Copy(value.Item2, into.Item2, context),
            TCodec3.Copy(value.Item3, into.Item3, context),
            TCodec4.Copy(value.Item4, into.Item4, context), TCodec5.Copy(value.Item5, into.Item5, context));

    public static bool AreEqual((T1, T2, T3, T4, T5) one, (T1, T2, T3, T4, T5) other, CompareContext? context) =>
        TCodec1.AreEqual(one.Item1, other.Item1, context)
        && TCodec2.AreEqual(one.Item2, other.Item2, context)
        && TCodec3.AreEqual(one.Item3, other.Item3, context)
        && TCodec4.AreEqual(one.Item4, other.Item4, context)
        && TCodec5.AreEqual(one.Item5, other.Item5, context);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, T3, T4, T5, T6, TCodec1, TCodec2, TCodec3, TCodec4, TCodec5, TCodec6>
    : IStateCodec<(T1, T2, T3, T4, T5, T6)>
    where TCodec1 : IStateCodec<T1>
    where TCodec2 : IStateCodec<T2>
    where TCodec3 : IStateCodec<T3>
    where TCodec4 : IStateCodec<T4>
    where TCodec5 : IStateCodec<T5>
    where TCodec6 : IStateCodec<T6>
{
    public static bool CallsGame =>
        TCodec1.CallsGame || TCodec2.CallsGame || TCodec3.CallsGame
            || TCodec4.CallsGame || TCodec5.CallsGame || TCodec6.CallsGame;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T1, TCodec1>();
        visitor.Visit<T2, TCodec2>();
        visitor.Visit<T3, TCodec3>();
        visitor.Visit<T4, TCodec4>();
        visitor.Visit<T5, TCodec5>();
        visitor.Visit<T6, TCodec6>();
    }

    public static void Write<TWriter>(ref TWriter writer, (T1, T2, T3, T4, T5, T6) value) where TWriter : IStateWriter, allows ref struct
    {
        if (NumberItems.IsWhole<T1>() && NumberItems.IsWhole<T2>() && NumberItems.IsWhole<T3>() && NumberItems.IsWhole<T4>()
            && NumberItems.IsWhole<T5>() && NumberItems.IsWhole<T6>())
        {
            NumberItems.WriteWhole(ref writer, [NumberItems.Whole(value.Item1), NumberItems.Whole(value.Item2), NumberItems.Whole(
                value.Item3), NumberItems.Whole(value.Item4), NumberItems.Whole(value.Item5), NumberItems.Whole(value.Item6)]);
            return;
        }
        writer.BeginList(6);
        TCodec1.Write(ref writer, value.Item1);
        TCodec2.Write(ref writer, value.Item2);
        TCodec3.Write(ref writer, value.Item3);
        TCodec4.Write(ref writer, value.Item4);
        TCodec5.Write(ref writer, value.Item5);
        TCodec6.Write(ref writer, value.Item6);
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref (T1, T2, T3, T4, T5, T6) value) where TReader : IStateReader, allows ref struct
    {
        reader.BeginList();
        TupleItems.Next<TReader, T1, TCodec1>(ref reader, 6, ref value.Item1);
        TupleItems.Next<TReader, T2, TCodec2>(ref reader, 6, ref value.Item2);
        TupleItems.Next<TReader, T3, TCodec3>(ref reader, 6, ref value.Item3);
        TupleItems.Next<TReader, T4, TCodec4>(ref reader, 6, ref value.Item4);
        TupleItems.Next<TReader, T5, TCodec5>(ref reader, 6, ref value.Item5);
        TupleItems.Next<TReader, T6, TCodec6>(ref reader, 6, ref value.Item6);
        TupleItems.End(ref reader, 6);
    }

    public static (T1, T2, T3, T4, T5, T6) Copy((T1, T2, T3, T4, T5, T6) value, (T1, T2, T3, T4, T5, T6) into, CopyContext? context) =>
        (TCodec1.Copy(value.Item1, into.Item1, context), TCodec2.Copy(value.Item2, into.Item2, context),
            TCodec3.Copy(value.Item3, into.Item3, context),
            TCodec4.Copy(value.Item4, into.Item4, context), TCodec5.Copy(value.Item5, into.Item5, context),
            TCodec6.Copy(value.Item6, into.Item6, context));

    public static bool AreEqual((T1, T2, T3, T4, T5, T6) one, (T1, T2, T3, T4, T5, T6) other, CompareContext? context) =>
        TCodec1.AreEqual(one.Item1, other.Item1, context)
        && TCodec2.AreEqual(one.Item2, other.Item2, context)
        && TCodec3.AreEqual(one.Item3, other.Item3, context)
        && TCodec4.AreEqual(one.Item4, other.Item4, context)
        && TCodec5.AreEqual(one.Item5, other.Item5, context)
        && TCodec6.AreEqual(one.Item6, other.Item6, context);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TupleCodec<T1, T2, T3, T4, T5, T6, T7, TCodec1, TCodec2, TCodec3, TCodec4, TCodec5, TCodec6, TCodec7>
    : IStateCodec<(T1, T2, T3, T4, T5, T6, T7)>
    where TCodec1 : IStateCodec<T1>
    where TCodec2 : IStateCodec<T2>
    where TCodec3 : IStateCodec<T3>
    where TCodec4 : IStateCodec<T4>
    where TCodec5 : IStateCodec<T5>
    where TCodec6 : IStateCodec<T6>
    where TCodec7 : IStateCodec<T7>
{
    public static bool CallsGame =>
        TCodec1.CallsGame || TCodec2.CallsGame || TCodec3.CallsGame
            || TCodec4.CallsGame || TCodec5.CallsGame || TCodec6.CallsGame || TCodec7.CallsGame;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<T1, TCodec1>();
        visitor.Visit<T2, TCodec2>();
        visitor.Visit<T3, TCodec3>();
        visitor.Visit<T4, TCodec4>();
        visitor.Visit<T5, TCodec5>();
        visitor.Visit<T6, TCodec6>();
        visitor.Visit<T7, TCodec7>();
    }

    public static void Write<TWriter>(ref TWriter writer, (T1, T2, T3, T4, T5, T6, T7) value)
        where TWriter : IStateWriter, allows ref struct
    {
        if (NumberItems.IsWhole<T1>() && NumberItems.IsWhole<T2>() && NumberItems.IsWhole<T3>() && NumberItems.IsWhole<T4>()
            && NumberItems.IsWhole<T5>() && NumberItems.IsWhole<T6>() && NumberItems.IsWhole<T7>())
        {
            NumberItems.WriteWhole(
                ref writer,
                [NumberItems.Whole(value.Item1), NumberItems.Whole(value.Item2), NumberItems.Whole(value.Item3), NumberItems.Whole(
                value.Item4), NumberItems.Whole(value.Item5), NumberItems.Whole(value.Item6), NumberItems.Whole(value.Item7)]);
            return;
        }
        writer.BeginList(7);
        TCodec1.Write(ref writer, value.Item1);
        TCodec2.Write(ref writer, value.Item2);
        TCodec3.Write(ref writer, value.Item3);
        TCodec4.Write(ref writer, value.Item4);
        TCodec5.Write(ref writer, value.Item5);
        TCodec6.Write(ref writer, value.Item6);
        TCodec7.Write(ref writer, value.Item7);
        writer.EndList();
    }

    public static void Read<TReader>(ref TReader reader, ref (T1, T2, T3, T4, T5, T6, T7) value)
        where TReader : IStateReader, allows ref struct
    {
        reader.BeginList();
        TupleItems.Next<TReader, T1, TCodec1>(ref reader, 7, ref value.Item1);
        TupleItems.Next<TReader, T2, TCodec2>(ref reader, 7, ref value.Item2);
        TupleItems.Next<TReader, T3, TCodec3>(ref reader, 7, ref value.Item3);
        TupleItems.Next<TReader, T4, TCodec4>(ref reader, 7, ref value.Item4);
        TupleItems.Next<TReader, T5, TCodec5>(ref reader, 7, ref value.Item5);
        TupleItems.Next<TReader, T6, TCodec6>(ref reader, 7, ref value.Item6);
        TupleItems.Next<TReader, T7, TCodec7>(ref reader, 7, ref value.Item7);
        TupleItems.End(ref reader, 7);
    }

    public static (T1, T2, T3, T4, T5, T6, T7) Copy(
        (T1, T2, T3, T4, T5, T6, T7) value, (T1, T2, T3, T4, T5, T6, T7) into, CopyContext? context) =>
        (TCodec1.Copy(value.Item1, into.Item1, context), TCodec2.Copy(value.Item2, into.Item2, context),
            TCodec3.Copy(value.Item3, into.Item3, context),
            TCodec4.Copy(value.Item4, into.Item4, context), TCodec5.Copy(value.Item5, into.Item5, context),
            TCodec6.Copy(value.Item6, into.Item6, context),
            TCodec7.Copy(value.Item7, into.Item7, context));

    public static bool AreEqual((T1, T2, T3, T4, T5, T6, T7) one, (T1, T2, T3, T4, T5, T6, T7) other, CompareContext? context) =>
        TCodec1.AreEqual(one.Item1, other.Item1, context)
        && TCodec2.AreEqual(one.Item2, other.Item2, context)
        && TCodec3.AreEqual(one.Item3, other.Item3, context)
        && TCodec4.AreEqual(one.Item4, other.Item4, context)
        && TCodec5.AreEqual(one.Item5, other.Item5, context)
        && TCodec6.AreEqual(one.Item6, other.Item6, context)
        && TCodec7.AreEqual(one.Item7, other.Item7, context);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct PairCodec<TKey, TValue, TKeyCodec, TCodec> : IStateCodec<KeyValuePair<TKey, TValue>>
    where TKeyCodec : IStateCodec<TKey> where TCodec : IStateCodec<TValue>
{
    public static bool CallsGame => TKeyCodec.CallsGame || TCodec.CallsGame;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<TKey, TKeyCodec>();
        visitor.Visit<TValue, TCodec>();
    }

    public static void Write<TWriter>(ref TWriter writer, KeyValuePair<TKey, TValue> value)
        where TWriter : IStateWriter, allows ref struct =>
        TupleCodec<TKey, TValue, TKeyCodec, TCodec>.Write(ref writer, (value.Key, value.Value));

    public static void Read<TReader>(ref TReader reader, ref KeyValuePair<TKey, TValue> value)
        where TReader : IStateReader, allows ref struct
    {
        var pair = (value.Key, value.Value);
        TupleCodec<TKey, TValue, TKeyCodec, TCodec>.Read(ref reader, ref pair);
        value = new KeyValuePair<TKey, TValue>(pair.Key, pair.Value);
    }

    public static KeyValuePair<TKey, TValue> Copy(
        KeyValuePair<TKey, TValue> value, KeyValuePair<TKey, TValue> into, CopyContext? context) =>
        new(TKeyCodec.Copy(value.Key, into.Key, context), TCodec.Copy(value.Value, into.Value, context));

    public static bool AreEqual(KeyValuePair<TKey, TValue> one, KeyValuePair<TKey, TValue> other, CompareContext? context) =>
        TKeyCodec.AreEqual(one.Key, other.Key, context) && TCodec.AreEqual(one.Value, other.Value, context);
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
