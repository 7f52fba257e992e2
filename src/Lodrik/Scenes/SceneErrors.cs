namespace Lodrik.Scenes;

/// <summary>A scene was described in a way that cannot work, or a live scene or a record contradicts itself.</summary>
/// <inheritdoc/>
public sealed class SceneException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);
