namespace Lodrik;

/// <summary>
/// The save's seal or signature does not fit it: somebody changed it after it was written, or it was written under another key or for
/// another context. What looks like an accident, because the checksum fails as well, is a <see cref="DamagedSaveException"/>.
/// </summary>
/// <inheritdoc/>
public sealed class TamperedSaveException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);
