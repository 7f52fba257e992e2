using System.ComponentModel;
using System.Numerics;
using System.Runtime.InteropServices;

namespace Lodrik.State;

// Arrays and lists of numbers, which binary has as one block.

#pragma warning disable CS1591 // Named by generated code only.

/// <summary>A number array: one block of numbers in binary.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct NumberArrayCodec<T> : IStateCodec<T[]?> where T : unmanaged, INumber<T>, IMinMaxValue<T>
{
    public static bool HasColumns => true;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.VisitEmpty<T[]?, NumberArrayCodec<T>>([]);

    public static void Write<TWriter>(ref TWriter writer, T[]? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
            writer.WriteNull();
        else
            writer.WriteNumbers<T>(value);
    }

    public static void Read<TReader>(ref TReader reader, ref T[]? value) where TReader : IStateReader, allows ref struct =>
        value = reader.TryReadNull() ? null : reader.ReadNumbers<T>();

    public static bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<T[]?> items) where TRows : IRowWriter, allows ref struct =>
        rows.TryWriteNumberArrays(items);

    public static bool TryReadRows<TRows>(ref TRows rows, Span<T[]?> items) where TRows : IRowReader, allows ref struct
    {
        if (!rows.TryReadNumberLists<T>(items.Length, -1, out var lengths))
            return false;
        var total = RowLists.Sum(lengths);
        if (!NumberRows.Has(total))
        {
            for (var i = 0; i < items.Length; i++)
                rows.TakeNumbers(items[i] = new T[lengths[i]]);
            return true;
        }
        var numbers = rows.RentValues<T>((int)total);
        rows.TakeNumbers(numbers);
        var rest = numbers;
        for (var i = 0; i < items.Length; i++)
        {
            items[i] = rest[..(int)lengths[i]].ToArray();
            rest = rest[(int)lengths[i]..];
        }
        rows.ReturnValues(numbers);
        return true;
    }

    public static T[]? Copy(T[]? value, T[]? into, CopyContext? context)
    {
        if (value is null || !CopyContext.MayFill(value, into, context))
            return value?.AsSpan().ToArray();
        value.CopyTo(into, 0);
        return into;
    }

    public static bool AreEqual(T[]? one, T[]? other, CompareContext? context) =>
        one is null == other is null && Items.AreBitwiseEqual<T>(one, other);
}

/// <summary>A list of numbers: one block of numbers in binary.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct NumberListCodec<T> : IStateCodec<List<T>?> where T : unmanaged, INumber<T>, IMinMaxValue<T>
{
    public static bool HasColumns => true;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.VisitEmpty<List<T>?, NumberListCodec<T>>([]);

    public static void Write<TWriter>(ref TWriter writer, List<T>? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
            writer.WriteNull();
        else
            writer.WriteNumbers<T>(CollectionsMarshal.AsSpan(value));
    }

    public static void Read<TReader>(ref TReader reader, ref List<T>? value) where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
        {
            value = null;
            return;
        }
        value ??= [];
        value.Clear();
        value.AddRange(reader.ReadNumbers<T>());
    }

    public static bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<List<T>?> items) where TRows : IRowWriter, allows ref struct
    {
        var lengths = rows.RentValues<int>(items.Length);
        var total = 0L;
        for (var i = 0; i < items.Length && total >= 0; i++)
        {
            lengths[i] = items[i]?.Count ?? -1;
            total = lengths[i] < 0 ? -1 : total + lengths[i];
        }
        var isWritten = false;
        if (NumberRows.Has(total))
        {
            var numbers = rows.RentValues<T>((int)total);
            var rest = numbers;
            foreach (var item in items)
            {
                CollectionsMarshal.AsSpan(item).CopyTo(rest);
                rest = rest[item!.Count..];
            }
            isWritten = rows.TryWriteNumberLists<T>(lengths, numbers);
            rows.ReturnValues(numbers);
        }
        rows.ReturnValues(lengths);
        return isWritten;
    }

    public static bool TryReadRows<TRows>(ref TRows rows, Span<List<T>?> items) where TRows : IRowReader, allows ref struct
    {
        if (!rows.TryReadNumberLists<T>(items.Length, -1, out var lengths))
            return false;
        var total = RowLists.Sum(lengths);
        if (!NumberRows.Has(total))
        {
            for (var i = 0; i < items.Length; i++)
                rows.TakeNumbers(RowLists.Room(ref items[i], (int)lengths[i]));
            return true;
        }
        var numbers = rows.RentValues<T>((int)total);
        rows.TakeNumbers(numbers);
        var rest = numbers;
        for (var i = 0; i < items.Length; i++)
        {
            rest[..(int)lengths[i]].CopyTo(RowLists.Room(ref items[i], (int)lengths[i]));
            rest = rest[(int)lengths[i]..];
        }
        rows.ReturnValues(numbers);
        return true;
    }

    public static List<T>? Copy(List<T>? value, List<T>? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = ReferenceEquals(into, value) ? [] : into ?? [];
        copy.Clear();
        copy.AddRange(value);
        return copy;
    }

    public static bool AreEqual(List<T>? one, List<T>? other, CompareContext? context) =>
        one is null == other is null && Items.AreBitwiseEqual<T>(CollectionsMarshal.AsSpan(one), CollectionsMarshal.AsSpan(other));
}

/// <summary>Lists of numbers of many rows, their numbers one after the other.</summary>
file static class NumberRows
{
    /// <summary>So many numbers of a block are put together; where there are more, copying them costs more than it saves.</summary>
    private const int Most = 1 << 14;

    /// <summary>Whether so many are put together.</summary>
    public static bool Has(long total) => total is >= 0 and <= Most;
}
