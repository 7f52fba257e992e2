namespace Lodrik.Slots;

/// <summary>The slot does not exist, or its name is not allowed.</summary>
/// <inheritdoc/>
public sealed class SlotException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);
