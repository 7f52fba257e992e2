namespace Lodrik;

/// <summary>The bytes are not a save, or no longer an intact one.</summary>
/// <inheritdoc/>
public sealed class DamagedSaveException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);

/// <summary>The save is whole, and not for this game or this version of it.</summary>
/// <inheritdoc/>
public sealed class SaveMismatchException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);

/// <summary>A value of the save is not what the state type expects there.</summary>
/// <inheritdoc/>
public sealed class SaveContentException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);
