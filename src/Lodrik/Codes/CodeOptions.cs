using System.Numerics;
using Lodrik.Protection;

namespace Lodrik.Codes;

/// <summary>How the codes of a layout are written and guarded. Every value has a default.</summary>
public sealed record CodeOptions
{
    /// <summary>
    /// How many check characters a code has, from 0 to 10; more for codes beyond 31 characters, which have as many for each part. With c of
    /// them, up to c wrong characters are found for certain, less those that are corrected.
    /// </summary>
    public int CheckCharacterCount { get; init; } = 3;

    /// <summary>
    /// How many wrong characters are corrected, at most half as many as there are check characters. With three of those, one is corrected
    /// and two (two swapped neighbours among them) are found for certain; with two, a second mistake may be taken for another code. Where
    /// none is corrected, the error still says which ones to look at.
    /// </summary>
    public int Corrects { get; init; } = 1;

    /// <summary>
    /// How many characters identify this game's codes, from 0 to 12. With n characters, one game in 32ⁿ with codes of the same length has
    /// the same mark, and the two accept each other's codes. If several games are played in one place, use 4: one in a million.
    /// </summary>
    public int MarkCharacterCount { get; init; } = 1;

    /// <summary>How many characters are together, from 1.</summary>
    public int GroupSize { get; init; } = 4;

    /// <summary>Whether neighbouring states have codes that look unrelated.</summary>
    public bool Scrambled { get; init; } = true;

    /// <summary>
    /// How many codes a state has, of which each time another is given: 1 gives the same every time. It takes room as a field of so many
    /// values does.
    /// </summary>
    public int VariantCount { get; init; } = 1;

    /// <summary>
    /// How many versions there can ever be. It takes room as a field of so many values does; 1 takes none, and there is no version 2 then.
    /// </summary>
    public int VersionCount { get; init; } = 16;

    /// <summary>
    /// A secret key, where cheating matters: codes are scrambled by it, and carry a tag (HMAC with SHA-256, RFC 2104, cut short) that only
    /// those can make who have the key. A key inside a game can be dug out of it.
    /// </summary>
    public SaveKey? Key { get; init; }

    /// <summary>How long that tag is, in characters from 1 to 12: a guess has it right once in 32ⁿ times.</summary>
    public int TagCharacterCount { get; init; } = 4;

    /// <summary>
    /// The largest number that the host of a code can hold exactly, such as 2⁵³: a layout that needs a larger one cannot be built. Null for
    /// no bound.
    /// </summary>
    public BigInteger? LargestNumber { get; init; }

    internal void Check(string layout)
    {
        Require(CheckCharacterCount is >= 0 and <= 10, $"has {CheckCharacterCount} check characters; there are 0 to 10");
        Require(Corrects >= 0 && 2 * Corrects <= CheckCharacterCount,
            $"cannot correct {Corrects} with {CheckCharacterCount} check characters: it takes twice as many");
        Require(MarkCharacterCount is >= 0 and <= 12, $"has {MarkCharacterCount} mark characters; there are 0 to 12");
        Require(GroupSize >= 1, "has groups without characters");
        Require(VariantCount is >= 1 and <= 1 << 20, $"has {VariantCount} variants; there are 1 to {1 << 20}");
        Require(VersionCount is >= 1 and <= 1000, $"has room for {VersionCount} versions; there are 1 to 1000");
        Require(TagCharacterCount is >= 1 and <= 12, $"has a tag of {TagCharacterCount} characters; there are 1 to 12");
        Require(Key is null || Key.CanDerive, $"has the {Key}, which is not a secret one of 32 bytes");

        void Require(bool holds, string problem)
        {
            if (!holds)
                throw CodeException.BadLayout($"The layout \"{layout}\" {problem}.");
        }
    }
}
