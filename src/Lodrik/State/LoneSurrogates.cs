namespace Lodrik.State;

/// <summary>Half of a pair (a name cut in the middle of an emoji) is not valid text, and no file can hold it.</summary>
internal static class LoneSurrogates
{
    /// <summary>Whether there is one in a text.</summary>
    public static bool AreIn(scoped ReadOnlySpan<char> text)
    {
        for (var at = text.IndexOfAnyInRange('\uD800', '\uDFFF'); at >= 0 && at < text.Length; at++)
        {
            if (!char.IsSurrogate(text[at]))
                continue;
            if (at + 1 >= text.Length || !char.IsSurrogatePair(text[at], text[at + 1]))
                return true;
            at++;
        }
        return false;
    }
}
