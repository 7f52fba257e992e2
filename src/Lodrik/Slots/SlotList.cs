using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>The slots of a storage, whichever game they belong to: what a title screen and the tool show.</summary>
public static class SlotList
{
    /// <summary>All slots by what their headers say, newest first. A damaged slot is listed as such, at the end.</summary>
    /// <param name="storage">Where the saves are.</param>
    /// <param name="protection">The keys that show hidden titles and summaries; without them they stay hidden.</param>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public static IReadOnlyList<SlotSummary> Read(ISaveStorage storage, SaveProtection? protection = null)
    {
        ArgumentNullException.ThrowIfNull(storage);
        return Read(new SlotFiles(storage, protection));
    }

    internal static IReadOnlyList<SlotSummary> Read(SlotFiles files) => SlotFiles.Read(() => ReadOnce(files));

    private static List<SlotSummary> ReadOnce(SlotFiles files)
    {
        var slots = new List<SlotSummary>();
        foreach (var (slot, generations) in files.All())
            slots.AddRange(files.SummariseAll(slot, generations));
        slots.Sort((a, b) => b.Saved.CompareTo(a.Saved) is var order and not 0 ? order : a.Slot.CompareTo(b.Slot));
        return slots;
    }
}
