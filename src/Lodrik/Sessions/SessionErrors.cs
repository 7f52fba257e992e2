namespace Lodrik;

/// <summary>The session was asked for something that is not there, or not yet.</summary>
/// <inheritdoc/>
public sealed class SessionException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);
