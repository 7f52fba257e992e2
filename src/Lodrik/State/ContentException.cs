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

    public static string TooDeepToWrite =>
        $"The state is nested more than {MaxDepth} deep. Most often an object refers back to one that contains it.";

    public static string TooDeepToRead => $"The content is nested more than {MaxDepth} deep.";
}
