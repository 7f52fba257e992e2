namespace Lodrik.State;

/// <summary>Text from a file, cut to a length that fits a message.</summary>
internal static class Shorten
{
    public static string Text(string text, int length = 60) => text.Length <= length ? text : $"{text.AsSpan(0, length)}…";
}
