using System.Diagnostics.CodeAnalysis;
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

    /// <summary>The slot name nearest to what a player typed: "My first night!" becomes my-first-night.</summary>
    /// <param name="title">
    /// Any text; the accents of Western European letters are dropped, and whatever cannot stand in a name becomes a dash.
    /// </param>
    /// <returns>A name; "save" where nothing of the text can stand in one.</returns>
    public static SlotName FromTitle(string title)
    {
        ArgumentNullException.ThrowIfNull(title);
        var text = new System.Text.StringBuilder();
        foreach (var typed in title)
        {
            // The platform's own decomposition needs data that games often leave out.
            var c = Accented.IndexOf(typed, StringComparison.Ordinal) is >= 0 and var at ? Plain[at] : typed;
            if (char.IsAsciiLetterOrDigit(c) || c == '_')
                text.Append(char.ToLowerInvariant(c));
            else if (c is not ('\'' or '\u2019') && text.Length > 0 && text[^1] != '-')
                text.Append('-');
        }
        // Room is left for the number that makes a name unique.
        var name = text.ToString(0, Math.Min(text.Length, MaxLength - 6)).Trim('-');
        return TryParse(name, out var slot) && !slot.IsRing ? slot : new SlotName(name.Length == 0 ? "save" : $"save-{name}");
    }

    /// <summary>Checks a text, such as one that a player typed.</summary>
    public static bool TryParse([NotNullWhen(true)] string? text, out SlotName name)
    {
        var valid = text is not null && Refusal(text) is null;
        name = valid ? new SlotName(text!) : default;
        return valid;
    }

    /// <inheritdoc cref="SlotName(string)"/>
    public static implicit operator SlotName(string text) => new(text);

    /// <summary>Orders names by their characters' numbers.</summary>
    public int CompareTo(SlotName other) => string.CompareOrdinal(ToString(), other.ToString());

    /// <summary>The name.</summary>
    public override string ToString() => _text ?? throw new InvalidOperationException("A slot name has to be made of a text.");

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
        return Devices.Contains(text) ? $"\"{text}\" cannot be the name of a slot: some systems keep it for a device." : null;
    }

    private static string Describe(char c) => c switch
    {
        ' ' => "the blank in it",
        _ when char.IsControl(c) => $"the control character {(int)c} in it",
        _ => $"the character '{c}' in it",
    };
}
