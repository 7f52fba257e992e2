using System.ComponentModel;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Lodrik.State;

// Rectangular arrays: the lengths of their dimensions, and all items row by row, as an array of the same items is written.

#pragma warning disable CS1591 // Named by generated code only.

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct Array2Codec<T, TArrayCodec> : IStateCodec<T[,]?> where TArrayCodec : IStateCodec<T[]>
{
    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.Visit<T[], TArrayCodec>();

    public static void Write<TWriter>(ref TWriter writer, T[,]? value) where TWriter : IStateWriter, allows ref struct =>
        Rectangle<T, TArrayCodec>.Write(ref writer, value);

    public static void Read<TReader>(ref TReader reader, ref T[,]? value) where TReader : IStateReader, allows ref struct =>
        value = (T[,]?)Rectangle<T, TArrayCodec>.Read(ref reader, 2, lengths => new T[lengths[0], lengths[1]]);

    public static T[,]? Copy(T[,]? value, T[,]? into, CopyContext? context) => (T[,]?)Rectangle<T, TArrayCodec>.Copy(value, into, context);

    public static bool AreEqual(T[,]? one, T[,]? other, CompareContext? context) => Rectangle<T, TArrayCodec>.AreEqual(one, other, context);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct Array3Codec<T, TArrayCodec> : IStateCodec<T[,,]?> where TArrayCodec : IStateCodec<T[]>
{
    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.Visit<T[], TArrayCodec>();

    public static void Write<TWriter>(ref TWriter writer, T[,,]? value) where TWriter : IStateWriter, allows ref struct =>
        Rectangle<T, TArrayCodec>.Write(ref writer, value);

    public static void Read<TReader>(ref TReader reader, ref T[,,]? value) where TReader : IStateReader, allows ref struct =>
        value = (T[,,]?)Rectangle<T, TArrayCodec>.Read(ref reader, 3, lengths => new T[lengths[0], lengths[1], lengths[2]]);

    public static T[,,]? Copy(T[,,]? value, T[,,]? into, CopyContext? context) =>
        (T[,,]?)Rectangle<T, TArrayCodec>.Copy(value, into, context);

    public static bool AreEqual(T[,,]? one, T[,,]? other, CompareContext? context) =>
        Rectangle<T, TArrayCodec>.AreEqual(one, other, context);
}

internal static class Rectangle<T, TArrayCodec> where TArrayCodec : IStateCodec<T[]>
{
    private static readonly KeyTable Keys = new("lengths", "items");

    public static void Write<TWriter>(ref TWriter writer, Array? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
        {
            writer.WriteNull();
            return;
        }
        var lengths = new int[value.Rank];
        for (var i = 0; i < lengths.Length; i++)
            lengths[i] = value.GetLength(i);
        writer.BeginObject(2);
        writer.WriteKey(Keys, 0);
        writer.WriteNumbers<int>(lengths);
        writer.WriteKey(Keys, 1);
        TArrayCodec.Write(ref writer, Items(value).ToArray());
        writer.EndObject();
    }

    public static Array? Read<TReader>(ref TReader reader, int rank, Func<int[], Array> make)
        where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
            return null;
        var lengths = new int[rank];
        T[] items = [];
        reader.BeginObject();
        var key = -1;
        var seen = default(SeenKeys);
        while (reader.ReadKey(Keys, ref key))
        {
            seen.Note(ref reader, Keys, key);
            switch (key)
            {
                case 0:
                    lengths = reader.ReadNumbers<int>();
                    break;
                case 1:
                    TArrayCodec.Read(ref reader, ref items);
                    break;
                default:
                    reader.Skip();
                    break;
            }
        }
        // The lengths are held against the items that are there before anything is made of them.
        if (lengths.Length != rank || lengths.Any(length => length < 0)
            || lengths.Aggregate(1m, (product, length) => product * length) != (items?.Length ?? 0))
            throw reader.Wrong(
                $"The lengths {string.Join(" by ", lengths)} do not make an array of {rank} dimensions with {items?.Length ?? 0} items.");
        var array = make(lengths);
        items.AsSpan().CopyTo(Items(array));
        return array;
    }

    public static Array? Copy(Array? value, Array? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = CopyContext.MayFill(value, into, context) && HaveEqualLengths(value, into) ? into : (Array)value.Clone();
        TArrayCodec.Copy(Items(value).ToArray(), [], context)!.AsSpan().CopyTo(Items(copy));
        return copy;
    }

    public static bool AreEqual(Array? one, Array? other, CompareContext? context)
    {
        if (one is null || other is null || one.Rank != other.Rank)
            return one is null && other is null;
        return HaveEqualLengths(one, other) && TArrayCodec.AreEqual(Items(one).ToArray(), Items(other).ToArray(), context);
    }

    private static bool HaveEqualLengths(Array one, Array other)
    {
        for (var i = 0; i < one.Rank; i++)
        {
            if (one.GetLength(i) != other.GetLength(i))
                return false;
        }
        return true;
    }

    /// <summary>The items row by row, as they lie in memory.</summary>
    private static Span<T> Items(Array array) =>
        array.Length == 0
            ? []
            : MemoryMarshal.CreateSpan(ref Unsafe.As<byte, T>(ref MemoryMarshal.GetArrayDataReference(array)), array.Length);
}
