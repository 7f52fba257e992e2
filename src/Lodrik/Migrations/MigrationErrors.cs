namespace Lodrik.Migrations;

/// <summary>A save could not be brought up to the game's version, or the chain of steps has a fault. The file is as it was.</summary>
public sealed class MigrationException : SaveException
{
    /// <inheritdoc cref="SaveException(SaveErrorCode, string, SaveLocation, string?, Exception?)"/>
    /// <param name="code">The stable code of what happened.</param>
    /// <param name="problem">What happened, one sentence.</param>
    /// <param name="location">Where it happened, as far as that is known.</param>
    /// <param name="remedy">What to do about it, or null.</param>
    /// <param name="innerException">What caused it, if anything did.</param>
    /// <param name="fromVersion">The version that the failing step leads up from; null if no step is at fault.</param>
    public MigrationException(
        SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null,
        int? fromVersion = null)
        : base(code, problem, location, remedy, innerException) => FromVersion = fromVersion;

    /// <summary>The version that the failing step leads up from; null if no step is at fault.</summary>
    public int? FromVersion { get; }
}

/// <summary>What an operation could not do, before the step that it belongs to is named.</summary>
internal sealed class OperationException(
    string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : Exception(problem, innerException)
{
    public SaveLocation Location => location;

    public string? Remedy => remedy;
}
