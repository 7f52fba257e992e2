using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>What became of the newest save of a slot, or of a ring's playthrough.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Generation">The generation that was read. It stays as it is.</param>
/// <param name="From">Its version; null where the header cannot be read.</param>
/// <param name="To">The version that it was to have.</param>
/// <param name="Written">The generation that was written; null where nothing was.</param>
/// <param name="Problem">Why it could not be migrated; null where it could, or did not have to be.</param>
public sealed record SlotMigration(SlotName Slot, int Generation, int? From, int To, int? Written, SaveException? Problem)
{
    /// <summary>
    /// Brings the newest save of every slot to a version: as a new generation of the slot, in the form it had. A slot that cannot be migrated
    /// does not keep the others from it.
    /// </summary>
    /// <param name="storage">Where the saves are.</param>
    /// <param name="chain">The game's migrations.</param>
    /// <param name="version">The version to bring them to.</param>
    /// <param name="protection">The keys of sealed saves, by which they are checked and sealed again; null where there are none.</param>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    /// <exception cref="StoreInUseException">Another process writes to the store.</exception>
    public static IReadOnlyList<SlotMigration> Run(ISaveStorage storage, MigrationChain chain, int version, SaveProtection? protection = null)
    {
        ArgumentNullException.ThrowIfNull(storage);
        ArgumentNullException.ThrowIfNull(chain);
        using var writer = StoreWriter.Of(storage);
        lock (writer.Gate)
        {
            writer.Hold();
            var files = new SlotFiles(storage);
            return [.. Newest(files).Select(one => Migrate(files, one.Slot, one.Generation, chain, version, protection))];
        }
    }

    /// <summary>The newest save of every slot, opened; a ring has one for each playthrough. For a look at what a migration would do.</summary>
    /// <exception cref="SaveException">The storage cannot be read, or a save is damaged.</exception>
    public static IEnumerable<(SlotName Slot, int Generation, SavedFile File)> NewestOf(ISaveStorage storage)
    {
        ArgumentNullException.ThrowIfNull(storage);
        var files = new SlotFiles(storage);
        return Newest(files).Select(one => (one.Slot, one.Generation.Number, files.Open(one.Slot, one.Generation)));
    }

    private static List<(SlotName Slot, Generation Generation)> Newest(SlotFiles files) => SlotFiles.Read(() => files.All()
        .SelectMany(slot => files.SummariseAll(slot.Key, slot.Value).Select(summary => (slot.Key, slot.Value.Find(one => one.Number == summary.Generation))))
        .ToList());

    private static SlotMigration Migrate(SlotFiles files, SlotName slot, Generation generation, MigrationChain chain, int version, SaveProtection? protection)
    {
        int? from = null;
        try
        {
            var file = files.Open(slot, generation);
            from = file.Header?.Version;
            if (from == version)
                return new SlotMigration(slot, generation.Number, from, version, null, null);
            if (protection is not null)
                file.CheckSeal(protection);
            else if (file.HasSeal)
                throw new MigrationException(SaveErrorCode.MigrationFailed, "The save is sealed, and would not be any more.", files.Locate(slot, generation), "Give its key, or let the game load and save it.");
            // Encoded before anything is written: a step that fails leaves the slot as it is.
            var bytes = chain.Migrate(file, version).AsSuccessor(file, protection);
            var written = files.Of(slot)[0].Number + 1;
            if (files.Storage.Read(SlotFiles.ThumbnailOf(slot, generation.Number)) is { } picture)
                files.Storage.Write(SlotFiles.ThumbnailOf(slot, written), picture, replace: true);
            files.Storage.Write(SlotFiles.NameOf(slot, written, Path.GetExtension(generation.File)), bytes, replace: false);
            return new SlotMigration(slot, generation.Number, from, version, written, null);
        }
        catch (SaveException problem) when (problem is not StorageException)
        {
            return new SlotMigration(slot, generation.Number, from, version, null, problem);
        }
    }
}
