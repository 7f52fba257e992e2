using System.ComponentModel;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Lodrik.State;

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

    public static bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<List<T>?> items) where TRows : IRowWriter, allows ref struct =>
        RowLists<List<T>, T, TCodec, ListRows<T>>.TryWrite(ref rows, items);

    public static bool TryReadRows<TRows>(ref TRows rows, Span<List<T>?> items) where TRows : IRowReader, allows ref struct =>
        RowLists<List<T>, T, TCodec, ListRows<T>>.TryRead(ref rows, items);

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

    public static bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<T[]?> items) where TRows : IRowWriter, allows ref struct =>
        RowLists<T[], T, TCodec, ArrayRows<T>>.TryWrite(ref rows, items);

    public static bool TryReadRows<TRows>(ref TRows rows, Span<T[]?> items) where TRows : IRowReader, allows ref struct =>
        RowLists<T[], T, TCodec, ArrayRows<T>>.TryRead(ref rows, items);

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
