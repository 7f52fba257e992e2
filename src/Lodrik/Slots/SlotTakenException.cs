namespace Lodrik.Slots;

/// <summary>
/// The slot holds another playthrough. Nothing was written; ask the player, and save again with <see cref="Overwrite.Allowed"/>.
/// </summary>
public sealed class SlotTakenException : SaveException
{
    internal SlotTakenException(SlotSummary occupant)
        : base(
            SaveErrorCode.SlotTaken,
            occupant.Health == SlotHealth.Damaged
                ? "The slot holds a save that cannot be read, so its playthrough is unknown."
                : $"The slot holds another playthrough{Called(occupant)}, saved {occupant.Saved:yyyy-MM-dd HH:mm}.",
            new SaveLocation { Slot = occupant.Slot.ToString() },
            "Ask the player, and save with Overwrite.Allowed if they agree.") => Occupant = occupant;

    private static string Called(SlotSummary occupant) =>
        occupant.Name.Length > 0 ? $", \"{occupant.Name}\"" : occupant.Title.Length > 0 ? $", \"{occupant.Title}\"" : "";

    /// <summary>What the slot holds.</summary>
    public SlotSummary Occupant { get; }
}
