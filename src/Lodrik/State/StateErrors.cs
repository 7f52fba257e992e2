namespace Lodrik;

/// <summary>The live state cannot be saved as it is.</summary>
/// <inheritdoc/>
public sealed class UnsavableStateException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);

/// <summary>A catalogue has two entries of one name, or lacks one that is asked for.</summary>
/// <inheritdoc/>
public sealed class CatalogueException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);
