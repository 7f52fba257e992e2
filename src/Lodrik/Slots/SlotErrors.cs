namespace Lodrik.Slots;

/// <summary>A name is not valid for a slot, or there is no such slot.</summary>
/// <inheritdoc/>
public sealed class SlotException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException);
