using System.Text;

namespace Lodrik.Slots;

/// <summary>Unicode text in the letters, digits and dashes that any file system has (RFC 3492).</summary>
/// <remarks>The platform's IdnMapping refuses some texts, and which ones depends on the data that a game ships with.</remarks>
internal static class Punycode
{
    // The parameters of RFC 3492, section 5.
    private const int Base = 36;
    private const int SmallestThreshold = 1;
    private const int LargestThreshold = 26;
    private const int Skew = 38;
    private const int Damp = 700;
    private const int FirstBias = 72;
    private const int FirstCodePoint = 128;

    /// <summary>Encodes a text (section 6.3). Its ASCII characters come first, then a dash, then where the others belong.</summary>
    public static string Encode(IReadOnlyList<Rune> text)
    {
        var encoded = new StringBuilder();
        foreach (var rune in text)
        {
            if (rune.IsAscii)
                encoded.Append((char)rune.Value);
        }
        var basic = encoded.Length;
        if (basic > 0)
            encoded.Append('-');
        var (codePoint, delta, bias) = (FirstCodePoint, 0L, FirstBias);
        for (var handled = basic; handled < text.Count; codePoint++)
        {
            var next = text.Where(rune => rune.Value >= codePoint).Min(rune => rune.Value);
            delta += (next - codePoint) * (long)(handled + 1);
            codePoint = next;
            foreach (var rune in text)
            {
                if (rune.Value < codePoint)
                    delta++;
                if (rune.Value != codePoint)
                    continue;
                AppendNumber(encoded, delta, bias);
                bias = Adapt(delta, handled + 1, isFirst: handled == basic);
                (delta, handled) = (0, handled + 1);
            }
            delta++;
        }
        return encoded.ToString();
    }

    /// <summary>A number of variable length (section 3.3).</summary>
    private static void AppendNumber(StringBuilder encoded, long number, int bias)
    {
        for (var place = Base; ; place += Base)
        {
            var threshold = Math.Clamp(place - bias, SmallestThreshold, LargestThreshold);
            if (number < threshold)
            {
                encoded.Append(Digit(number));
                return;
            }
            encoded.Append(Digit(threshold + ((number - threshold) % (Base - threshold))));
            number = (number - threshold) / (Base - threshold);
        }
    }

    /// <summary>What is expected of the next number (section 6.1).</summary>
    private static int Adapt(long delta, int count, bool isFirst)
    {
        delta = isFirst ? delta / Damp : delta / 2;
        delta += delta / count;
        var steps = 0;
        for (; delta > (Base - SmallestThreshold) * LargestThreshold / 2; steps += Base)
            delta /= Base - SmallestThreshold;
        return steps + (int)((Base - SmallestThreshold + 1) * delta / (delta + Skew));
    }

    private static char Digit(long digit) => (char)(digit < 26 ? 'a' + digit : '0' + digit - 26);
}
