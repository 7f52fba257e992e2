namespace Lodrik.Testing;

/// <summary>A save of an older version does not load today, or loses something; the message has the smallest one that was found.</summary>
/// <param name="message">What is wrong.</param>
/// <param name="innerException">What the load threw, if it did.</param>
public sealed class CompatibilityException(string message, Exception? innerException = null) : Exception(message, innerException)
{
    /// <summary>The version of the save; 0 if it is not about one.</summary>
    public int Version { get; internal init; }

    /// <summary>Where in the save, as a JSON Pointer (RFC 6901) from the section on; empty if that is not known.</summary>
    public string Path { get; internal init; } = "";
}

/// <summary>What a check that passed has tried.</summary>
/// <param name="Versions">The recorded versions.</param>
/// <param name="SaveCount">How many made-up saves were migrated, loaded, saved and loaded again.</param>
/// <param name="RefusedCount">How many of them the game's own rules refused, so that nothing could be proven by them.</param>
/// <param name="SampleCount">How many sample files were loaded.</param>
public sealed record CompatibilityReport(IReadOnlyList<int> Versions, int SaveCount, int RefusedCount, int SampleCount)
{
    /// <summary>What was tried, in words.</summary>
    public override string ToString()
    {
        var refused = RefusedCount > 0 ? $" ({RefusedCount} refused by the game's own rules)" : "";
        return $"versions {string.Join(", ", Versions)}: {SaveCount} saves{refused} and {SampleCount} sample files load";
    }
}
