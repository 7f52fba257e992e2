using System.Globalization;
using System.IO.Hashing;

namespace Lodrik.Saves.Forms;

/// <summary>
/// The digest that finds damage: XXH3 with 128 bits over the bytes unchanged in the file. It is fast, and no protection
/// against someone who means to change a save.
/// </summary>
internal static class SectionDigest
{
    public const int Size = 16;

    public static UInt128 Of(ReadOnlySpan<byte> bytes) => XxHash128.HashToUInt128(bytes);

    public static string ToText(UInt128 digest) => digest.ToString("x32", CultureInfo.InvariantCulture);

    public static bool TryParse(ReadOnlySpan<char> text, out UInt128 digest)
    {
        digest = default;
        return text.Length == 2 * Size && UInt128.TryParse(text, NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out digest);
    }
}
