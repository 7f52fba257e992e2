using System.Runtime.CompilerServices;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>What became of the newest save of a slot, or of a ring's playthrough.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Generation">The generation that was read. It stays as it is.</param>
/// <param name="From">Its version; null if the header cannot be read.</param>
/// <param name="To">The version that it was to have.</param>
/// <param name="Written">The generation that was written; null if nothing was.</param>
/// <param name="Problem">Why it could not be migrated; null if it could, or did not have to be.</param>
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
    public IEnumerable<OpenedGeneration> Newest()
    {
        foreach (var (slot, generation) in Now(FindNewest))
            yield return new OpenedGeneration(slot, generation.Number, Now(files => files.Open(slot, generation)));
    }

    /// <inheritdoc cref="Newest"/>
    public async IAsyncEnumerable<OpenedGeneration> NewestAsync([EnumeratorCancellation] CancellationToken cancellationToken = default)
    {
        foreach (var (slot, generation) in await InBackground(FindNewest, cancellationToken).ConfigureAwait(false))
        {
            var file = await InBackground(files => files.Open(slot, generation), cancellationToken).ConfigureAwait(false);
            yield return new OpenedGeneration(slot, generation.Number, file);
        }
    }

    /// <summary>
    /// Brings the newest save of every slot to a version: as a new generation of the slot, in the form it had. A slot that cannot be
    /// migrated does not keep the others from it.
    /// </summary>
    /// <param name="chain">The game's migrations.</param>
    /// <param name="version">The version to bring them to.</param>
    /// <param name="protection">The keys of sealed saves, by which they are checked and sealed again; null if there are none.</param>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    /// <exception cref="StoreInUseException">Another process writes to the store.</exception>
    public IReadOnlyList<SlotMigration> Migrate(MigrationChain chain, int version, SaveProtection? protection = null)
    {
        ArgumentNullException.ThrowIfNull(chain);
        return ChangeNow(files => Migrate(files, chain, version, protection));
    }

    /// <param name="chain">The game's migrations.</param>
    /// <param name="version">The version to bring them to.</param>
    /// <param name="protection">The keys of sealed saves, by which they are checked and sealed again; null if there are none.</param>
    /// <param name="cancellationToken">Cancels it; the slots that are migrated by then stay so.</param>
    /// <inheritdoc cref="Migrate(MigrationChain, int, SaveProtection?)"/>
    public Task<IReadOnlyList<SlotMigration>> MigrateAsync(
        MigrationChain chain, int version, SaveProtection? protection = null, CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(chain);
        return ChangeInBackground(files => Migrate(files, chain, version, protection), cancellationToken);
    }

    private static ValueTask<List<(SlotName Slot, Generation Generation)>> FindNewest(SlotFiles files) => SlotFiles.Read(async () =>
    {
        var newest = await files.SummariseAll().ConfigureAwait(false);
        return newest.ConvertAll(one => (one.Slot, new Generation(one.Generation, one.File, one.ByteCount)));
    });

    private async ValueTask<IReadOnlyList<SlotMigration>> Migrate(
        SlotFiles files, MigrationChain chain, int version, SaveProtection? protection)
    {
        await Hold(files).ConfigureAwait(false);
        var results = new List<SlotMigration>();
        foreach (var (slot, generation) in await FindNewest(files).ConfigureAwait(false))
            results.Add(await Migrate(files, slot, generation, chain, version, protection).ConfigureAwait(false));
        return results;
    }

    private static async ValueTask<SlotMigration> Migrate(
        SlotFiles files, SlotName slot, Generation generation, MigrationChain chain, int version, SaveProtection? protection)
    {
        int? from = null;
        try
        {
            var file = await files.Open(slot, generation).ConfigureAwait(false);
            from = file.Header?.Version;
            if (from == version)
                return new SlotMigration(slot, generation.Number, from, version, null, null);
            if (protection is not null)
                file.CheckSeal(protection);
            else if (file.HasSeal)
                throw new MigrationException(SaveErrorCode.MigrationFailed, "The save is sealed, and migrating it would lose the seal.",
                    files.Locate(slot, generation), "Give its key, or let the game load and save it.");
            // Encoded before anything is written: a step that fails leaves the slot as it is.
            var bytes = chain.Migrate(file, version).AsSuccessor(file, protection);
            var written = NextNumber(files, slot, await files.Contents(slot).ConfigureAwait(false));
            await CopyAttachments(files, slot, generation, slot, written).ConfigureAwait(false);
            await files.Calls.Write(SlotFiles.NameOf(slot, written, Path.GetExtension(generation.File)), bytes, replace: false)
                .ConfigureAwait(false);
            return new SlotMigration(slot, generation.Number, from, version, written, null);
        }
        catch (SaveException problem) when (problem is not StorageException)
        {
            return new SlotMigration(slot, generation.Number, from, version, null, problem);
        }
    }
}
