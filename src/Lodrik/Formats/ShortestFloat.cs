using System.Buffers.Text;

namespace Lodrik.Formats;

/// <summary>
/// The shortest digits that give the same single-precision number again, for magnitudes that are written without an exponent. The
/// platform's own routine covers everything and takes three times as long; what this one cannot say for certain is left to it.
/// </summary>
internal static class ShortestFloat
{
    private const double Least = 0.001;
    private const double Most = 1e7;
    private const int MostDecimals = 12;

    /// <summary>How many bytes it writes at most.</summary>
    public const int MaxLength = 24;

    private static ReadOnlySpan<double> Tens => [1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12];

    /// <summary>Writes a number that has a fraction.</summary>
    /// <param name="value">The number.</param>
    /// <param name="to">Room for <see cref="MaxLength"/> bytes.</param>
    /// <param name="length">How many were written.</param>
    /// <returns>False, and nothing is written, where the platform has to do it.</returns>
    public static bool TryFormat(float value, Span<byte> to, out int length)
    {
        length = 0;
        // A float times a power of ten is exact in a double where the digits matter, and each result is checked by rounding back.
        var magnitude = Math.Abs((double)value);
        if (!(magnitude is >= Least and < Most))
            return false;
        var wanted = (float)magnitude;
        // Eight digits in all are mostly enough; then fewer as long as they still say the same, or more until they do.
        var decimals = Math.Max(1, 7 - WholeDigits(magnitude));
        var digits = Math.Round(magnitude * Tens[decimals]);
        if ((float)(digits / Tens[decimals]) == wanted)
        {
            for (; decimals > 1; decimals--)
            {
                var fewer = Math.Round(magnitude * Tens[decimals - 1]);
                if ((float)(fewer / Tens[decimals - 1]) != wanted)
                    break;
                digits = fewer;
            }
        }
        else
        {
            do
            {
                if (++decimals > MostDecimals)
                    return false;
                digits = Math.Round(magnitude * Tens[decimals]);
            }
            while ((float)(digits / Tens[decimals]) != wanted);
        }
        var at = 0;
        if (value < 0)
            to[at++] = (byte)'-';
        at = PutPoint((ulong)digits, decimals, to, at);
        while (to[at - 1] == (byte)'0')
            at--;
        if (to[at - 1] == (byte)'.')
            return false;
        length = at;
        return true;
    }

    /// <summary>Writes the digits with a point before the last few, and tells where they end.</summary>
    private static int PutPoint(ulong digits, int decimals, Span<byte> to, int at)
    {
        // One place further than they belong, so that those before the point can move out of its way.
        Utf8Formatter.TryFormat(digits, to[(at + 1)..], out var count);
        var whole = count - decimals;
        if (whole > 0)
        {
            for (var end = at + whole; at < end; at++)
                to[at] = to[at + 1];
            to[at] = (byte)'.';
            return at + 1 + decimals;
        }
        to.Slice(at + 1, count).CopyTo(to[(at + 2 - whole)..]);
        to.Slice(at, 2 - whole).Fill((byte)'0');
        to[at + 1] = (byte)'.';
        return at + 2 + decimals;
    }

    /// <summary>How many digits precede the point; below zero if the fraction begins with noughts.</summary>
    private static int WholeDigits(double magnitude) => magnitude switch
    {
        >= 1e6 => 7,
        >= 1e5 => 6,
        >= 1e4 => 5,
        >= 1e3 => 4,
        >= 1e2 => 3,
        >= 1e1 => 2,
        >= 1 => 1,
        >= 0.1 => 0,
        >= 0.01 => -1,
        _ => -2,
    };
}
