using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>What became of the newest save of a slot, or of a ring's playthrough.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Generation">The generation that was read. It stays as it is.</param>
/// <param name="From">Its version; null where the header cannot be read.</param>
/// <param name="To">The version that it was to have.</param>
/// <param name="Written">The generation that was written; null where nothing was.</param>
/// <param name="Problem">Why it could not be migrated; null where it could, or did not have to be.</param>
public sealed record SlotMigration(SlotName Slot, int Generation, int? From, int To, int? Written, SaveException? Problem);

/// <summary>A generation that was opened.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Generation">The generation's number.</param>
/// <param name="File">The save.</param>
public sealed record OpenedGeneration(SlotName Slot, int Generation, SavedFile File);

// Bringing the newest saves to another version.
public sealed partial class SaveSlots
{
    /// <summary>The newest save of every slot, opened one after the other; a ring has one for each playthrough.</summary>
    /// <exception cref="SaveException">The storage cannot be read, or a save is damaged.</exception>
    public IEnumerable<OpenedGeneration> Newest() =>
        FindNewest().Select(one => new OpenedGeneration(one.Slot, one.Generation.Number, Files.Open(one.Slot, one.Generation)));

    /// <summary>
    /// Brings the newest save of every slot to a version: as a new generation of the slot, in the form it had. A slot that cannot be
    /// migrated does not keep the others from it.
    /// </summary>
    /// <param name="chain">The game's migrations.</param>
    /// <param name="version">The version to bring them to.</param>
    /// <param name="protection">The keys of sealed saves, by which they are checked and sealed again; null where there are none.</param>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    /// <exception cref="StoreInUseException">Another process writes to the store.</exception>
    public IReadOnlyList<SlotMigration> Migrate(MigrationChain chain, int version, SaveProtection? protection = null)
    {
        ArgumentNullException.ThrowIfNull(chain);
        lock (Gate)
        {
            Hold();
            return [.. FindNewest().Select(one => Migrate(one.Slot, one.Generation, chain, version, protection))];
        }
    }

    private List<(SlotName Slot, Generation Generation)> FindNewest() => SlotFiles.Read(() => Files.All()
        .SelectMany(slot => Files.SummariseAll(slot.Key, slot.Value)
            .Select(summary => (slot.Key, slot.Value.Find(one => one.Number == summary.Generation))))
        .ToList());

    private SlotMigration Migrate(SlotName slot, Generation generation, MigrationChain chain, int version, SaveProtection? protection)
    {
        int? from = null;
        try
        {
            var file = Files.Open(slot, generation);
            from = file.Header?.Version;
            if (from == version)
                return new SlotMigration(slot, generation.Number, from, version, null, null);
            if (protection is not null)
                file.CheckSeal(protection);
            else if (file.HasSeal)
                throw new MigrationException(SaveErrorCode.MigrationFailed, "The save is sealed, and its seal would be lost.",
                    Files.Locate(slot, generation), "Give its key, or let the game load and save it.");
            // Encoded before anything is written: a step that fails leaves the slot as it is.
            var bytes = chain.Migrate(file, version).AsSuccessor(file, protection);
            var written = Files.Of(slot)[0].Number + 1;
            CopyThumbnail(slot, generation, slot, written);
            Storage.Write(SlotFiles.NameOf(slot, written, Path.GetExtension(generation.File)), bytes, replace: false);
            return new SlotMigration(slot, generation.Number, from, version, written, null);
        }
        catch (SaveException problem) when (problem is not StorageException)
        {
            return new SlotMigration(slot, generation.Number, from, version, null, problem);
        }
    }
}
