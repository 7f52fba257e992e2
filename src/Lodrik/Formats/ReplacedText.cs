using Lodrik.State;

namespace Lodrik.Formats;

/// <summary>
/// Every form writes U+FFFD for a lone surrogate. That it happened is noted in the context of the section, and where it happened is looked
/// up afterwards: a save must not fail for it, nor pay for it.
/// </summary>
internal static class ReplacedText
{
    private const char Replacement = '\uFFFD';

    /// <summary>Notes a lone surrogate in a text that is being written.</summary>
    public static void Note(scoped ReadOnlySpan<char> text, WriteContext? context)
    {
        if (context is { HasReplacedText: false } && LoneSurrogates.AreIn(text))
            context.HasReplacedText = true;
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
