using Microsoft.Extensions.Logging;

namespace Lodrik.Slots;

/// <summary>What a store says while it works.</summary>
internal static partial class StoreLog
{
    [LoggerMessage(1, LogLevel.Information, "Saved slot {Slot}, generation {Generation}: {Bytes} bytes in {Milliseconds:F1} ms to {File}")]
    public static partial void Saved(ILogger log, SlotName slot, int generation, long bytes, double milliseconds, string file);

    [LoggerMessage(2, LogLevel.Information, "Loaded slot {Slot}, generation {Generation} from {File}")]
    public static partial void Loaded(ILogger log, SlotName slot, int generation, string file);

    [LoggerMessage(3, LogLevel.Warning, "Passed over slot {Slot}, generation {Generation}: {Reason}")]
    public static partial void PassedOver(ILogger log, SlotName slot, int generation, string reason);

    [LoggerMessage(4, LogLevel.Information, "Deleted slot {Slot} with {Generations} generations")]
    public static partial void Deleted(ILogger log, SlotName slot, int generations);

    [LoggerMessage(5, LogLevel.Warning, "The old generation {File} could not be deleted: {Reason}")]
    public static partial void OldGenerationStays(ILogger log, string file, string reason);

    [LoggerMessage(6, LogLevel.Warning, "Saved slot {Slot}, generation {Generation}, with a warning: {Warning}")]
    public static partial void Warned(ILogger log, SlotName slot, int generation, string warning);

    [LoggerMessage(7, LogLevel.Information, "Slot {Slot}: generation {Old} is the newest again, as generation {New}")]
    public static partial void Reinstated(ILogger log, SlotName slot, int old, int @new);

    [
        LoggerMessage(
        9,
        LogLevel.Information, "Migrated slot {Slot}, generation {Generation}, from version {From} to {To} while loading it; the file is as "
            + "it was")]
    public static partial void Migrated(ILogger log, SlotName slot, int generation, int from, int to);

    [LoggerMessage(10, LogLevel.Warning, "Slot {Slot}, generation {Generation} may be a replayed save: {Reason}")]
    public static partial void Replayed(ILogger log, SlotName slot, int generation, string reason);

    [LoggerMessage(11, LogLevel.Warning, "Slot {Slot}, generation {Generation} was saved at {Saved}, which is in the future")]
    public static partial void Ahead(ILogger log, SlotName slot, int generation, DateTimeOffset saved);

    [LoggerMessage(12, LogLevel.Warning, "The save {File} has the game's version {Version} but has members that the game does not "
        + "know. They are lost with the next save: {Members}")]
    public static partial void OtherShape(ILogger log, string file, int version, string members);

    [LoggerMessage(13, LogLevel.Warning, "Saving to slot {Slot} took {Milliseconds:F1} ms of the calling thread, and {Budget:F1} ms are "
        + "allowed (ThreadBudget): {Times}")]
    public static partial void OverBudget(ILogger log, SlotName slot, double milliseconds, double budget, SaveTimes times);

    [LoggerMessage(8, LogLevel.Error, "A handler of a store's event threw")]
    public static partial void HandlerFailed(ILogger log, Exception exception);
}
