using System.Runtime.InteropServices;

namespace Lodrik.State;

/// <summary>
/// Collections of numbers that are neither an array nor a list (sets, queues, stacks …): they are written as number arrays are, so that how
/// a collection looks in a file follows from what is in it and not from its type.
/// </summary>
internal static class NumberItems
{
    /// <summary>Whether items of this type are numbers that a format can write as one block.</summary>
    public static bool Are<T>() =>
        typeof(T) == typeof(int) || typeof(T) == typeof(long) || typeof(T) == typeof(byte) || typeof(T) == typeof(short)
            || typeof(T) == typeof(sbyte)
        || typeof(T) == typeof(ushort) || typeof(T) == typeof(uint) || typeof(T) == typeof(ulong) || typeof(T) == typeof(float)
            || typeof(T) == typeof(double);

    /// <summary>Writes the items as one block of numbers; false if nothing was written.</summary>
    public static bool TryWrite<TWriter, T>(ref TWriter writer, ReadOnlySpan<T> items) where TWriter : IStateWriter, allows ref struct =>
        Are<T>() && items.Length > 0
        && (TryWrite<TWriter, T, int>(ref writer, items) || TryWrite<TWriter, T, long>(ref writer, items)
            || TryWrite<TWriter, T, byte>(ref writer, items)
            || TryWrite<TWriter, T, short>(ref writer, items) || TryWrite<TWriter, T, sbyte>(ref writer, items)
                || TryWrite<TWriter, T, ushort>(ref writer, items)
            || TryWrite<TWriter, T, uint>(ref writer, items) || TryWrite<TWriter, T, ulong>(ref writer, items)
                || TryWrite<TWriter, T, float>(ref writer, items)
            || TryWrite<TWriter, T, double>(ref writer, items));

    private static bool TryWrite<TWriter, T, TNumber>(ref TWriter writer, ReadOnlySpan<T> items)
        where TWriter : IStateWriter, allows ref struct where TNumber : unmanaged, System.Numerics.INumber<TNumber>
    {
        if (typeof(T) != typeof(TNumber))
            return false;
        ref var first = ref System.Runtime.CompilerServices.Unsafe.As<T, TNumber>(ref MemoryMarshal.GetReference(items));
        writer.WriteNumbers(MemoryMarshal.CreateReadOnlySpan(ref first, items.Length));
        return true;
    }

    /// <summary>Whether a type's values are whole numbers of at most 64 bits with a sign.</summary>
    public static bool IsWhole<T>() => Are<T>() && typeof(T) != typeof(ulong) && typeof(T) != typeof(float) && typeof(T) != typeof(double);

    /// <summary>A whole number of such a type.</summary>
    public static long Whole<T>(T number) => number switch
    {
        int value => value,
        long value => value,
        byte value => value,
        short value => value,
        sbyte value => value,
        ushort value => value,
        uint value => value,
        _ => throw new ArgumentException($"A {typeof(T).Name} is not a whole number.", nameof(number)),
    };

    /// <summary>Writes whole numbers in the narrowest type that holds them all.</summary>
    public static void WriteWhole<TWriter>(ref TWriter writer, scoped ReadOnlySpan<long> numbers)
        where TWriter : IStateWriter, allows ref struct
    {
        var (min, max) = (long.MaxValue, long.MinValue);
        foreach (var number in numbers)
            (min, max) = (Math.Min(min, number), Math.Max(max, number));
        if (min >= byte.MinValue && max <= byte.MaxValue)
            WriteAs<TWriter, byte>(ref writer, numbers);
        else if (min >= short.MinValue && max <= short.MaxValue)
            WriteAs<TWriter, short>(ref writer, numbers);
        else if (min >= int.MinValue && max <= int.MaxValue)
            WriteAs<TWriter, int>(ref writer, numbers);
        else
            writer.WriteNumbers(numbers);
    }

    private static void WriteAs<TWriter, TNumber>(ref TWriter writer, scoped ReadOnlySpan<long> numbers)
        where TWriter : IStateWriter, allows ref struct where TNumber : unmanaged, System.Numerics.INumber<TNumber>
    {
        Span<TNumber> narrow = numbers.Length <= 64 ? stackalloc TNumber[numbers.Length] : new TNumber[numbers.Length];
        for (var i = 0; i < narrow.Length; i++)
            narrow[i] = TNumber.CreateTruncating(numbers[i]);
        writer.WriteNumbers<TNumber>(narrow);
    }
}
