using System.Diagnostics.CodeAnalysis;

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

    /// <summary>Checks a text, such as one that a player typed.</summary>
    public static bool TryParse([NotNullWhen(true)] string? text, out SlotName name)
    {
        var valid = text is not null && Refusal(text) is null;
        name = valid ? new SlotName(text!) : default;
        return valid;
    }

    /// <inheritdoc cref="SlotName(string)"/>
    public static implicit operator SlotName(string text) => new(text);

    /// <inheritdoc/>
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
