namespace Lodrik.Codes;

/// <summary>
/// Check characters by a Reed–Solomon code over GF(32), the field of the alphabet (x⁵ + x² + 1), with the roots α, α², …. With c of them,
/// up to c wrong characters are found for certain, or up to c/2 corrected.
/// </summary>
/// <remarks>
/// A block of such a code has at most 31 characters. A longer text is dealt out to several blocks like cards, so that neighbours are in
/// different ones.
/// </remarks>
internal static class ReedSolomon
{
    private const int Order = 31;
    private static readonly byte[] Exp = new byte[2 * Order];
    private static readonly byte[] Log = new byte[Order + 1];

    static ReedSolomon()
    {
        var value = 1;
        for (var i = 0; i < Order; i++)
        {
            Exp[i] = Exp[i + Order] = (byte)value;
            Log[value] = (byte)i;
            value <<= 1;
            if (value > Order)
                value ^= 0b100101;
        }
    }

    /// <summary>How many blocks a text of so many characters without its checks is dealt out to.</summary>
    public static int Blocks(int data, int checks)
    {
        var blocks = 1;
        while (((data + blocks - 1) / blocks) + checks > Order)
            blocks++;
        return blocks;
    }

    /// <summary>The characters with the checks of all blocks after them.</summary>
    public static byte[] Append(ReadOnlySpan<byte> data, int checks)
    {
        var blocks = Blocks(data.Length, checks);
        var text = new byte[data.Length + (checks * blocks)];
        data.CopyTo(text);
        var generator = Generator(checks);
        Span<byte> rest = stackalloc byte[checks];
        for (var block = 0; block < blocks && checks > 0; block++)
        {
            rest.Clear();
            for (var at = block; at < data.Length; at += blocks)
            {
                var lead = (byte)(data[at] ^ rest[0]);
                rest[1..].CopyTo(rest);
                rest[^1] = 0;
                for (var i = 0; i < checks; i++)
                    rest[i] ^= Multiply(lead, generator[i + 1]);
            }
            for (var i = 0; i < checks; i++)
                text[data.Length + (i * blocks) + block] = rest[i];
        }
        return text;
    }

    /// <summary>Whether a text fits its checks.</summary>
    public static bool Fits(ReadOnlySpan<byte> text, int checks)
    {
        if (BlocksOf(text.Length, checks) is not { } blocks)
            return false;
        Span<byte> syndromes = stackalloc byte[checks];
        for (var block = 0; block < blocks; block++)
        {
            Syndromes(text, Places(text.Length, checks, blocks, block), syndromes);
            if (syndromes.ContainsAnyExcept((byte)0))
                return false;
        }
        return true;
    }

    /// <summary>The text with its mistakes mended; null if there are more than that in a block.</summary>
    /// <param name="text">The text.</param>
    /// <param name="checks">The check characters of each block.</param>
    /// <param name="most">How many mistakes of a block are mended: at most half as many as it has checks.</param>
    public static byte[]? Correct(ReadOnlySpan<byte> text, int checks, int most)
    {
        if (BlocksOf(text.Length, checks) is not { } blocks)
            return null;
        var mended = text.ToArray();
        var syndromes = new byte[checks];
        for (var block = 0; block < blocks; block++)
        {
            var places = Places(text.Length, checks, blocks, block);
            Syndromes(mended, places, syndromes);
            if (!syndromes.AsSpan().ContainsAnyExcept((byte)0))
                continue;
            if (!CorrectBlock(mended, places, syndromes, most))
                return null;
        }
        return mended;
    }

    /// <summary>How many blocks a text of this length has with its checks; null if no text has this length.</summary>
    private static int? BlocksOf(int length, int checks)
    {
        for (var blocks = 1; checks * blocks < length || blocks == 1; blocks++)
        {
            var data = length - (checks * blocks);
            if (data > 0 && Blocks(data, checks) == blocks)
                return blocks;
        }
        return null;
    }

    private static List<int> Places(int length, int checks, int blocks, int block)
    {
        var data = length - (checks * blocks);
        var places = new List<int>();
        for (var at = block; at < data; at += blocks)
            places.Add(at);
        for (var i = 0; i < checks; i++)
            places.Add(data + (i * blocks) + block);
        return places;
    }

    private static void Syndromes(ReadOnlySpan<byte> text, List<int> places, Span<byte> syndromes)
    {
        for (var i = 0; i < syndromes.Length; i++)
        {
            byte sum = 0;
            foreach (var place in places)
                sum = (byte)(Multiply(sum, Exp[i + 1]) ^ text[place]);
            syndromes[i] = sum;
        }
    }

    /// <summary>
    /// Berlekamp and Massey find the polynomial of the places, Chien's search its roots, Forney's formula what to mend there by.
    /// </summary>
    private static bool CorrectBlock(byte[] text, List<int> places, byte[] syndromes, int most)
    {
        var checks = syndromes.Length;
        var (locator, previous) = (new byte[checks + 1], new byte[checks + 1]);
        locator[0] = previous[0] = 1;
        var (length, gap, last) = (0, 1, (byte)1);
        for (var n = 0; n < checks; n++)
        {
            var discrepancy = syndromes[n];
            for (var i = 1; i <= length; i++)
                discrepancy ^= Multiply(locator[i], syndromes[n - i]);
            if (discrepancy == 0)
            {
                gap++;
                continue;
            }
            var before = (byte[])locator.Clone();
            var factor = Divide(discrepancy, last);
            for (var i = 0; i + gap <= checks; i++)
                locator[i + gap] ^= Multiply(factor, previous[i]);
            if (2 * length > n)
            {
                gap++;
                continue;
            }
            (length, previous, last, gap) = (n + 1 - length, before, discrepancy, 1);
        }
        if (length > most)
            return false;

        var evaluator = new byte[checks];
        for (var i = 0; i < checks; i++)
        {
            for (var j = 0; j <= i; j++)
                evaluator[i] ^= Multiply(syndromes[i - j], locator[j]);
        }
        var found = 0;
        for (var i = 0; i < places.Count; i++)
        {
            // The last place of the block stands for the power 0.
            var power = places.Count - 1 - i;
            var inverse = Exp[(Order - power) % Order];
            if (Evaluate(locator, inverse) != 0)
                continue;
            byte derivative = 0;
            for (var k = 1; k <= length; k += 2)
                derivative ^= Multiply(locator[k], Power(inverse, k - 1));
            if (derivative == 0)
                return false;
            text[places[i]] ^= Divide(Evaluate(evaluator, inverse), derivative);
            found++;
        }
        // Roots beyond the text would be mistakes where there is nothing: there were more than can be told.
        return found == length;
    }

    private static byte[] Generator(int checks)
    {
        var generator = new byte[] { 1 };
        for (var root = 1; root <= checks; root++)
        {
            var next = new byte[generator.Length + 1];
            for (var i = 0; i < generator.Length; i++)
            {
                next[i] ^= generator[i];
                next[i + 1] ^= Multiply(generator[i], Exp[root]);
            }
            generator = next;
        }
        return generator;
    }

    private static byte Evaluate(byte[] polynomial, byte at)
    {
        byte sum = 0;
        for (var i = polynomial.Length - 1; i >= 0; i--)
            sum = (byte)(Multiply(sum, at) ^ polynomial[i]);
        return sum;
    }

    private static byte Power(byte value, int exponent) => exponent == 0 ? (byte)1 : Exp[Log[value] * exponent % Order];

    private static byte Multiply(byte a, byte b) => a == 0 || b == 0 ? (byte)0 : Exp[Log[a] + Log[b]];

    private static byte Divide(byte a, byte b) => a == 0 ? (byte)0 : Exp[Log[a] + Order - Log[b]];
}
