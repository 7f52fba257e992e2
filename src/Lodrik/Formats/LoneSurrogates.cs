using Lodrik.State;

namespace Lodrik.Formats;

/// <summary>
/// Half of a pair (a name cut in the middle of an emoji) is no text, and every form replaces it by U+FFFD. That it happened is noted
/// in the context of the section, and where it happened is looked up afterwards: a save must not fail for it, nor pay for it.
/// </summary>
internal static class LoneSurrogates
{
    private const char Replacement = '\uFFFD';

    /// <summary>Notes a lone surrogate in a text that is being written.</summary>
    public static void Note(scoped ReadOnlySpan<char> text, WriteContext? context)
    {
        if (context is { HasReplacedText: false } && AreIn(text))
            context.HasReplacedText = true;
    }

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

    /// <summary>The pointers of the texts and keys that have a replacement character.</summary>
    public static IEnumerable<string> Places(SaveValue value, string path = "")
    {
        switch (value)
        {
            case SaveScalar { Kind: SaveValueKind.Text } text when text.Text.Contains(Replacement, StringComparison.Ordinal):
                yield return path;
                break;
            case SaveList list:
                var index = 0;
                foreach (var item in list)
                {
                    foreach (var place in Places(item, $"{path}/{index}"))
                        yield return place;
                    index++;
                }
                break;
            case SaveMap map:
                foreach (var (key, entry) in map)
                {
                    var inner = $"{path}/{PointerBuilder.Escape(key)}";
                    if (key.Contains(Replacement, StringComparison.Ordinal))
                        yield return inner;
                    foreach (var place in Places(entry, inner))
                        yield return place;
                }
                break;
        }
    }
}
