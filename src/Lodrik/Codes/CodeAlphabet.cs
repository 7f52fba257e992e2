using System.Globalization;
using System.Text;

namespace Lodrik.Codes;

/// <summary>
/// The 32 characters of a code: digits and capitals without I, L, O and U. What is typed is read as what was meant: small letters, O for 0,
/// I and L for 1, U for V, wide forms; blanks and dashes of all kinds are passed over.
/// </summary>
internal static class CodeAlphabet
{
    public const string Characters = "0123456789ABCDEFGHJKMNPQRSTVWXYZ";
    public const int Size = 32;
    public const int Bits = 5;

    /// <summary>The symbols of a code as it was typed, and the character that each was typed as.</summary>
    /// <exception cref="CodeException">It has a character that is in no code.</exception>
    public static (List<byte> Symbols, List<char> Typed) Read(string text, int groupSize)
    {
        var (symbols, typed) = (new List<byte>(text.Length), new List<char>(text.Length));
        foreach (var one in text)
        {
            // Full-width forms, as some keyboards give them; the platform's normalization may not be there.
            var c = one is >= '\uFF01' and <= '\uFF5E' ? (char)(one - 0xFEE0) : one;
            if (char.IsWhiteSpace(c) || c is '_' or '.' or ',' or '\u2212'
                || char.GetUnicodeCategory(c) is UnicodeCategory.DashPunctuation or UnicodeCategory.Format)
                continue;
            var upper = char.ToUpperInvariant(c);
            var symbol = Characters.IndexOf(
                upper switch { 'O' => '0', 'I' or 'L' => '1', 'U' => 'V', _ => upper }, StringComparison.Ordinal);
            if (symbol < 0)
            {
                var position = CodePosition.At(symbols.Count, groupSize, c, null);
                throw new CodeException(
                    SaveErrorCode.CodeForeignCharacter, $"The character '{c}' is not used in codes ({position}).",
                    $"{Capital(position)} is '{c}', which is not used in codes.", [position], $"Codes have the characters {Characters}.");
            }
            symbols.Add((byte)symbol);
            typed.Add(c);
        }
        return (symbols, typed);
    }

    public static string Write(IReadOnlyList<byte> symbols, int groupSize)
    {
        var text = new StringBuilder(symbols.Count + (symbols.Count / groupSize));
        for (var i = 0; i < symbols.Count; i++)
        {
            if (i > 0 && i % groupSize == 0)
                text.Append('-');
            text.Append(Characters[symbols[i]]);
        }
        return text.ToString();
    }

    public static string Capital(CodePosition position) => $"T{position.ToString()[1..]}";
}
