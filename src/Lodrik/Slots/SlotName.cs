using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Text;
using Lodrik.Slots;

namespace Lodrik;

/// <summary>
/// The name of a slot. One that exists is valid: 1 to 64 letters (A to Z, a to z), digits, '-' and '_', and none of the words
/// that some systems keep for devices. Strings turn into slot names by themselves and are checked on the way.
/// </summary>
public readonly record struct SlotName : IComparable<SlotName>
{
    /// <summary>The most characters that a name may have.</summary>
    public const int MaxLength = 64;

    private static readonly HashSet<string> Devices = new(
        ["con", "prn", "aux", "nul", .. Enumerable.Range(0, 10).SelectMany(n => new[] { $"com{n}", $"lpt{n}" })],
        StringComparer.OrdinalIgnoreCase);

    private const string Accented = "ÀÁÂÃÄÅÇÈÉÊËÌÍÎÏÑÒÓÔÕÖØÙÚÛÜÝàáâãäåçèéêëìíîïñòóôõöøùúûüýÿß";
    private const string Plain = "AAAAAACEEEEIIIINOOOOOOUUUUYaaaaaaceeeeiiiinoooooouuuuyys";

    private readonly string? _text;

    /// <summary>Makes a slot name of a text.</summary>
    /// <exception cref="SlotException">The text cannot be the name of a slot; the message says why.</exception>
    public SlotName(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        if (Refusal(text) is { } reason)
            throw new SlotException(SaveErrorCode.BadSlotName, reason, remedy: $"Use 1 to {MaxLength} letters, digits, '-' and '_'.");
        _text = text;
    }

    /// <summary>The slot of quick saves.</summary>
    public static SlotName Quick { get; } = new("quick");

    /// <summary>The slot of the saves that the game makes by itself.</summary>
    public static SlotName Auto { get; } = new("auto");

    /// <summary>Whether this is the slot of quick saves or that of automatic ones, which keep a ring for each playthrough.</summary>
    internal bool IsRing => this == Quick || this == Auto;

    /// <summary>
    /// The slot name nearest to what a player typed, in any script: "My first night!" becomes my-first-night, and "雪山" becomes
    /// xn--rhtr47k. The same text always becomes the same name.
    /// </summary>
    /// <param name="title">
    /// Any text; the accents of Western European letters are dropped, and whatever is neither letter nor digit becomes a dash. Letters that
    /// cannot be in a name are encoded (Punycode, RFC 3492, with the prefix of RFC 5890).
    /// </param>
    /// <returns>A name; "save" if nothing of the text can be in a name.</returns>
    public static SlotName FromTitle(string title)
    {
        ArgumentNullException.ThrowIfNull(title);
        var words = WordsOf(title, IsLetterOrDigit);
        if (words.Count == 0)
            words = WordsOf(title, rune => !rune.IsAscii && Rune.IsSymbol(rune));
        // Room is left for the number that makes a name unique.
        const int Longest = MaxLength - 6;
        if (words.Count > Longest)
            words.RemoveRange(Longest, words.Count - Longest);
        string name;
        do
        {
            while (words is [.., var last] && last == new Rune('-'))
                words.RemoveAt(words.Count - 1);
            name = words.TrueForAll(rune => rune.IsAscii) ? string.Concat(words) : EncodedPrefix + Punycode.Encode(words);
            if (name.Length > Longest)
                words.RemoveAt(words.Count - 1);
        }
        while (name.Length > Longest);
        return TryParse(name, out var slot) && !slot.IsRing ? slot : new SlotName(name.Length == 0 ? "save" : $"save-{name}");
    }

    // Two dashes in a row come from nothing else, so that no other text becomes the same name.
    private const string EncodedPrefix = "xn--";

    /// <summary>The characters of a text that make a name, in lower case, with single dashes for all others between them.</summary>
    private static List<Rune> WordsOf(string title, Func<Rune, bool> isKept)
    {
        var words = new List<Rune>();
        foreach (var typed in title.EnumerateRunes())
        {
            // The platform's own decomposition needs data that games often leave out.
            var rune = typed.IsBmp && Accented.IndexOf((char)typed.Value, StringComparison.Ordinal) is >= 0 and var at
                ? new Rune(Plain[at])
                : typed;
            if (rune != Rune.ReplacementChar && isKept(rune))
                words.Add(Rune.ToLowerInvariant(rune));
            else if (rune.Value is not ('\'' or '\u2019') && words.Count > 0 && words[^1] != new Rune('-'))
                words.Add(new Rune('-'));
        }
        return words;
    }

    // The vowels of some scripts are marks.
    private static bool IsLetterOrDigit(Rune rune) => rune.Value == '_' || Rune.IsLetterOrDigit(rune)
        || Rune.GetUnicodeCategory(rune) is UnicodeCategory.NonSpacingMark or UnicodeCategory.SpacingCombiningMark;

    /// <summary>Checks a text, such as one that a player typed.</summary>
    public static bool TryParse([NotNullWhen(true)] string? text, out SlotName name)
    {
        var valid = text is not null && Refusal(text) is null;
        name = valid ? new SlotName(text!) : default;
        return valid;
    }

    /// <inheritdoc cref="SlotName(string)"/>
    public static implicit operator SlotName(string text) => new(text ?? throw new ArgumentNullException(
        nameof(text), "null is not a slot name. If there may be none, as in \"found ? slot : null\", write (SlotName?)null."));

    /// <summary>Orders names by their characters' numbers.</summary>
    public int CompareTo(SlotName other) => string.CompareOrdinal(ToString(), other.ToString());

    /// <summary>The name.</summary>
    public override string ToString() => _text ?? throw new InvalidOperationException("A slot name has to be made from a text.");

    private static string? Refusal(string text)
    {
        if (text.Length == 0)
            return "A slot needs a name.";
        if (text.Length > MaxLength)
            return $"A slot's name has at most {MaxLength} characters, and this has {text.Length}.";
        foreach (var c in text)
        {
            if (!char.IsAsciiLetterOrDigit(c) && c is not ('-' or '_'))
                return $"\"{State.Shorten.Text(text)}\" cannot be the name of a slot, because of {Describe(c)}.";
        }
        return Devices.Contains(text) ? $"\"{text}\" cannot be the name of a slot: some systems reserve it for a device." : null;
    }

    private static string Describe(char c) => c switch
    {
        ' ' => "the space in it",
        _ when char.IsControl(c) => $"the control character {(int)c} in it",
        _ => $"the character '{c}' in it",
    };
}
