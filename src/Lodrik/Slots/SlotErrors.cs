namespace Lodrik.Slots;

/// <summary>A name is not valid for a slot, or there is no such slot.</summary>
/// <inheritdoc/>
public sealed class SlotException(
    SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(code, problem, location, remedy, innerException)
{
    /// <summary>There is no such slot; names the one that was most likely meant.</summary>
    internal static SlotException NoSuchSlot(SlotName slot, IEnumerable<SlotName> known, string? otherwise = null)
    {
        var names = known.Select(name => name.ToString()).ToList();
        var remedy = State.Spelling.Nearest(slot.ToString(), names) is { } nearest
            ? $"Did you mean \"{nearest}\"?"
            : otherwise ?? (names.Count == 0 ? "There are no slots at all." : $"There are: {string.Join(", ", names.Take(12))}.");
        return new SlotException(SaveErrorCode.NoSuchSlot, "There is no such slot.", new SaveLocation { Slot = slot.ToString() }, remedy);
    }
}

/// <summary>
/// The slot holds another playthrough. Nothing was written; ask the player, and save again with <see cref="Overwrite.Allowed"/>.
/// </summary>
public sealed class SlotTakenException : SaveException
{
    internal SlotTakenException(SlotSummary occupant)
        : base(
            SaveErrorCode.SlotTaken,
            occupant.Health == SlotHealth.Damaged
                ? "The slot holds a save that cannot be read, so it cannot be told whose it is."
                : $"The slot holds another playthrough{(occupant.Title.Length > 0 ? $", \"{occupant.Title}\"" : "")}, saved "
                    + $"{occupant.Saved:yyyy-MM-dd HH:mm}.",
            new SaveLocation { Slot = occupant.Slot.ToString() },
            "Ask the player, and save with Overwrite.Allowed if they agree.") => Occupant = occupant;

    /// <summary>What the slot holds.</summary>
    public SlotSummary Occupant { get; }
}
