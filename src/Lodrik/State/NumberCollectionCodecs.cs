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

    public static void Write<TWriter>(ref TWriter writer, T[]? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
            writer.WriteNull();
        else
            writer.WriteNumbers<T>(value);
    }

    public static void Read<TReader>(ref TReader reader, ref T[]? value) where TReader : IStateReader, allows ref struct =>
        value = reader.TryReadNull() ? null : reader.ReadNumbers<T>();

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
