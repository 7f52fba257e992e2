namespace Lodrik.State;

/// <summary>One value that differs between two states.</summary>
/// <param name="Path">Where it is, as a JSON Pointer (RFC 6901).</param>
/// <param name="Before">What it was; null if there was nothing.</param>
/// <param name="After">What it is; null if there is nothing any more.</param>
public sealed record StateChange(string Path, SaveValue? Before, SaveValue? After)
{
    /// <summary>The change as a line for a log or a console.</summary>
    public override string ToString() => (Before, After) switch
    {
        (null, _) => $"{Path}: added {After}",
        (_, null) => $"{Path}: removed {Before}",
        _ => $"{Path}: {Before} became {After}",
    };
}
