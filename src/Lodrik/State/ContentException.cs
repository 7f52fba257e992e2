using System.Numerics;
namespace Lodrik.State;

/// <summary>
/// A value that does not fit, at a place in one section's bytes. It never leaves the library: whoever knows the file and the
/// section turns it into a <see cref="SaveException"/>.
/// </summary>
internal sealed class ContentException(SaveErrorCode code, string problem, ContentPlace place, Exception? cause = null)
    : Exception(problem, cause)
{
    public SaveErrorCode Code { get; } = code;

    public ContentPlace Place { get; } = place;
}

/// <summary>
/// A place in a section: a byte offset where the format counts bytes, a line and a column (from 1) where it counts those.
/// </summary>
internal readonly record struct ContentPlace(long Offset, int Line = 0, int Column = 0);

/// <summary>What every format holds to.</summary>
internal static class StateLimits
{
    /// <summary>
    /// How deep values may be nested within a section. It is held to when writing as well as when reading, so that whatever
    /// was saved can be loaded, and a cycle is found before the stack ends.
    /// </summary>
    public const int MaxDepth = 128;

    /// <summary>How deep a section is embedded where a checkpoint has it: what a game saves leaves room for that.</summary>
    public const int CheckpointDepth = 2;

    public static string TooDeepToWrite =>
        $"The state is nested more than {MaxDepth - CheckpointDepth} deep. Most often an object refers back to one that contains it.";

    /// <summary>How many characters one text may have: what the writers of all forms can take.</summary>
    public const int MostCharacters = 160_000_000;

    /// <summary>
    /// How many characters a whole number may have, with its sign: reading it takes time that grows with the square of them.
    /// </summary>
    public const int MostDigits = 4096;

    /// <summary>The bytes that a number of so many digits can take.</summary>
    public const int MostDigitBytes = 1702;

    private static readonly BigInteger TooLarge = BigInteger.Pow(10, MostDigits - 1);

    /// <summary>Whether a number has more digits than a text form would be read with.</summary>
    public static bool HasTooManyDigits(BigInteger number) => number >= TooLarge || number <= -TooLarge;

    /// <summary>Holds to the limit of a number's digits.</summary>
    /// <exception cref="ContentException">It has more.</exception>
    public static void CheckDigits(BigInteger number)
    {
        if (HasTooManyDigits(number))
            throw new ContentException(
                SaveErrorCode.LimitExceeded, TooManyDigits, new ContentPlace(long.MaxValue, int.MaxValue));
    }

    public static string TooManyDigits => $"A whole number can have {MostDigits - 1} digits, and this one has more.";

    /// <summary>Holds to the limit of a text's length.</summary>
    /// <exception cref="ContentException">It is longer.</exception>
    public static void CheckLength(ReadOnlySpan<char> text)
    {
        if (text.Length > MostCharacters)
            throw new ContentException(
                SaveErrorCode.LimitExceeded, $"The text has {text.Length} characters, and one text can have {MostCharacters}.",
                new ContentPlace(long.MaxValue, int.MaxValue));
    }

    /// <summary>Holds to the limit where a list is written that is entered when it is read.</summary>
    /// <exception cref="ContentException">There is no room for another level.</exception>
    public static void RequireRoom(int depth)
    {
        if (depth >= MaxDepth)
            throw TooDeep();
    }

    /// <summary>The error of a writer that is to go deeper than a reader would.</summary>
    public static ContentException TooDeep() => new(SaveErrorCode.TooDeep, TooDeepToWrite, new ContentPlace(long.MaxValue, int.MaxValue));

    public static string TooDeepToRead => $"The content is nested more than {MaxDepth} deep.";
}
