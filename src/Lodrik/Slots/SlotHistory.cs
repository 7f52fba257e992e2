using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>The generations of one slot of a storage, whichever game it belongs to.</summary>
public static class SlotHistory
{
    /// <summary>All generations of a slot, newest first.</summary>
    /// <exception cref="SlotException">There is no such slot; the error names the one that was most likely meant.</exception>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    /// <param name="storage">Where the saves are.</param>
    /// <param name="slot">The slot.</param>
    /// <param name="protection">The keys that show hidden titles and summaries; without them they stay hidden.</param>
    public static IReadOnlyList<GenerationSummary> Read(ISaveStorage storage, SlotName slot, SaveProtection? protection = null)
    {
        ArgumentNullException.ThrowIfNull(storage);
        return Read(new SlotFiles(storage, protection), slot);
    }

    /// <summary>Makes an older generation the slot's newest again.</summary>
    /// <returns>The number of the new generation.</returns>
    /// <exception cref="SaveException">There is no such slot or generation, or it is damaged, or the storage refused.</exception>
    public static int Reinstate(ISaveStorage storage, SlotName slot, int generation)
    {
        ArgumentNullException.ThrowIfNull(storage);
        using var writer = StoreWriter.Of(storage);
        lock (writer.Gate)
        {
            var files = new SlotFiles(storage);
            var found = Find(files, slot, generation);
            writer.Hold();
            return Reinstate(files, slot, found);
        }
    }

    /// <summary>Writes a save as the newest generation of a slot, which has to be there; its picture is taken along.</summary>
    /// <param name="storage">Where the saves are.</param>
    /// <param name="slot">The slot.</param>
    /// <param name="save">The bytes of the save.</param>
    /// <returns>The number of the new generation.</returns>
    /// <exception cref="SaveException">There is no such slot, the bytes are no save, or the storage refused.</exception>
    public static int Append(ISaveStorage storage, SlotName slot, ReadOnlyMemory<byte> save)
    {
        ArgumentNullException.ThrowIfNull(storage);
        SavedFile.FromBytes(save);
        using var writer = StoreWriter.Of(storage);
        lock (writer.Gate)
        {
            var files = new SlotFiles(storage);
            var generations = files.Of(slot);
            if (generations.Count == 0)
                throw SlotException.NoSuchSlot(slot, files.All().Keys);
            writer.Hold();
            var number = generations[0].Number + 1;
            if (storage.Read(SlotFiles.ThumbnailOf(slot, generations[0].Number)) is { } picture)
                storage.Write(SlotFiles.ThumbnailOf(slot, number), picture, replace: true);
            storage.Write(SlotFiles.NameOf(slot, number, Path.GetExtension(generations[0].File)), save, replace: false);
            return number;
        }
    }

    /// <summary>Deletes a slot, or one generation of it.</summary>
    /// <returns>How many generations were deleted.</returns>
    /// <exception cref="SaveException">There is no such slot or generation, or the storage refused.</exception>
    public static int Remove(ISaveStorage storage, SlotName slot, int? generation = null)
    {
        ArgumentNullException.ThrowIfNull(storage);
        using var writer = StoreWriter.Of(storage);
        lock (writer.Gate)
        {
            var files = new SlotFiles(storage);
            List<Generation> doomed = generation is { } number ? [Find(files, slot, number)] : files.Of(slot);
            if (doomed.Count == 0)
                throw SlotException.NoSuchSlot(slot, files.All().Keys);
            writer.Hold();
            for (var i = doomed.Count - 1; i >= 0; i--)
                files.Delete(slot, doomed[i]);
            return doomed.Count;
        }
    }

    internal static IReadOnlyList<GenerationSummary> Read(SlotFiles files, SlotName slot) => SlotFiles.Read(() =>
    {
        var generations = files.Of(slot);
        return generations.Count > 0
            ? generations.ConvertAll(generation => Describe(files, slot, generation))
            : throw SlotException.NoSuchSlot(slot, files.All().Keys);
    });

    internal static GenerationSummary Describe(SlotFiles files, SlotName slot, Generation generation)
    {
        try
        {
            return new GenerationSummary(slot, generation.Number, generation.File, generation.Bytes, files.ReadHeader(slot, generation), null);
        }
        catch (SaveException problem) when (problem is not GenerationGoneException)
        {
            return new GenerationSummary(slot, generation.Number, generation.File, generation.Bytes, null, problem);
        }
    }

    internal static Generation Find(SlotFiles files, SlotName slot, int number)
    {
        var generations = files.Of(slot);
        if (generations.Count == 0)
            throw SlotException.NoSuchSlot(slot, files.All().Keys);
        var index = generations.FindIndex(one => one.Number == number);
        return index >= 0 ? generations[index] : throw new SlotException(
            SaveErrorCode.NoSuchSlot,
            $"The slot has no generation {number}.",
            new SaveLocation { Slot = slot.ToString() },
            $"It has: {string.Join(", ", generations.Select(one => one.Number))}.");
    }

    internal static int Reinstate(SlotFiles files, SlotName slot, Generation generation)
    {
        // What cannot be loaded is not made the newest.
        var file = files.Open(slot, generation);
        if (file.Health == SectionHealth.Damaged)
            throw new DamagedSaveException(SaveErrorCode.Damaged, "The generation is damaged.", files.Locate(slot, generation), "Choose another; nothing was changed.");
        var number = files.Of(slot)[0].Number + 1;
        CopyTo(files, slot, generation, slot, number);
        return number;
    }

    /// <summary>Writes a generation's bytes once more, its picture first.</summary>
    internal static void CopyTo(SlotFiles files, SlotName from, Generation generation, SlotName to, int number)
    {
        var bytes = files.Storage.Read(generation.File)
            ?? throw new StorageException("The file is gone.", files.Locate(from, generation), "List the slots anew.");
        if (files.Storage.Read(SlotFiles.ThumbnailOf(from, generation.Number)) is { } picture)
            files.Storage.Write(SlotFiles.ThumbnailOf(to, number), picture, replace: true);
        files.Storage.Write(SlotFiles.NameOf(to, number, Path.GetExtension(generation.File)), bytes, replace: false);
    }
}
