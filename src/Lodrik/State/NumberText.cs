using System.Globalization;
using System.Runtime.CompilerServices;

namespace Lodrik.State;

/// <summary>
/// Numbers as every text form writes them: the shortest digits that give the same bits again, and always a point or an
/// exponent in a float, so that 1.0 never comes back as the whole number 1.
/// </summary>
internal static class NumberText
{
    /// <summary>Room for any number of up to 64 bits, and for a decimal.</summary>
    public const int MaxLength = 40;

    public const string NaN = "NaN";
    public const string Infinity = "Infinity";
    public const string NegativeInfinity = "-Infinity";

    public static string Of<T>(T value) where T : IUtf8SpanFormattable
    {
        Span<byte> digits = stackalloc byte[MaxLength];
        return System.Text.Encoding.ASCII.GetString(digits[..Format(value, digits)]);
    }

    /// <summary>Writes a number's digits and gives their count; a float that is not a number is one of the three words above.</summary>
    public static int Format<T>(T value, Span<byte> digits) where T : IUtf8SpanFormattable
    {
        if (!value.TryFormat(digits, out var length, default, CultureInfo.InvariantCulture))
            throw new ArgumentException("The number has too many digits to be saved.", nameof(value));
        if (typeof(T) != typeof(float) && typeof(T) != typeof(double) && typeof(T) != typeof(Half))
            return length;
        return digits[..length].IndexOfAnyExcept("-0123456789"u8) < 0 ? WithPoint(digits, length) : length;
    }

    /// <summary>Whether a float has to be as a word, because no number says it.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static bool IsWord<T>(T value) where T : System.Numerics.INumberBase<T> => !T.IsFinite(value);

    /// <summary>Whether a number type holds whole numbers only.</summary>
    public static bool IsWholeType<T>() where T : System.Numerics.INumber<T> => T.One / (T.One + T.One) == T.Zero;

    /// <summary>Whether a number became infinite only because the type that takes it has no room for it.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static bool IsTooLarge<T>(T taken, double from)
        where T : System.Numerics.INumberBase<T> => T.IsInfinity(taken) && double.IsFinite(from);

    /// <summary>What is said of a number that has no room in a float.</summary>
    public static string TooLargeFor<T>(string number) =>
        $"{Shorten.Text(number)} is too large for a "
            + $"{(typeof(T) == typeof(float) ? "float" : typeof(T) == typeof(double) ? "double" : typeof(T).Name)}.";

    /// <summary>What is said of numbers of another kind than the one that is wanted.</summary>
    public static string NotAll<T>() => $"Not all of the numbers are of the type {typeof(T).Name}.";

    public static double ParseWord(ReadOnlySpan<char> word) => word switch
    {
        NaN => double.NaN,
        Infinity => double.PositiveInfinity,
        NegativeInfinity => double.NegativeInfinity,
        _ => throw new FormatException(),
    };

    public static bool IsFloatWord(ReadOnlySpan<char> word) => word is NaN or Infinity or NegativeInfinity;

    private static int WithPoint(Span<byte> digits, int length)
    {
        ".0"u8.CopyTo(digits[length..]);
        return length + 2;
    }
}
