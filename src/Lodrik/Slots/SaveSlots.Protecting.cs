using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>What became of one generation when a store was brought under another key.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Generation">The generation.</param>
/// <param name="Changed">Whether it was written again; false if it was under that protection already, or where it could not be.</param>
/// <param name="Problem">Why it stays as it is; null if nothing is wrong.</param>
public sealed record SlotProtection(SlotName Slot, int Generation, bool Changed, SaveException? Problem);

// Bringing saves under another protection.
public sealed partial class SaveSlots
{
    /// <summary>
    /// Brings every generation of every slot under another protection: to a new key, from seals to encryption, or to none. Each file is
    /// replaced in one step by the same save, byte for byte but for the protection. Cut short at any moment, it has harmed nothing, and
    /// goes on where it was when it is run again. A save that does not fit its old seal stays as it is.
    /// </summary>
    /// <remarks>
    /// Without <paramref name="from"/> there is nothing to check saves by: every save in the store gets the seal, also one that a
    /// stranger put there. Use <see cref="ProtectChosen"/> to seal only what was chosen.
    /// </remarks>
    /// <param name="from">What the saves are checked by; null for saves without a seal.</param>
    /// <param name="to">What they are to have; null for nothing.</param>
    /// <exception cref="ArgumentException">A protection is invalid.</exception>
    /// <exception cref="StorageException">The storage refused; what was not reached yet is as it was.</exception>
    /// <exception cref="StoreInUseException">Another process writes to the store.</exception>
    public IReadOnlyList<SlotProtection> Protect(SaveProtection? from, SaveProtection? to)
    {
        from?.Check();
        to?.CheckForWriting();
        return ChangeNow(files => Protect(files, [from], to));
    }

    /// <param name="from">What the saves are checked by; null for saves without a seal.</param>
    /// <param name="to">What they are to have; null for nothing.</param>
    /// <param name="cancellationToken">Cancels it; it can be run again, and goes on where it was.</param>
    /// <inheritdoc cref="Protect(SaveProtection?, SaveProtection?)"/>
    public Task<IReadOnlyList<SlotProtection>> ProtectAsync(
        SaveProtection? from, SaveProtection? to, CancellationToken cancellationToken = default)
    {
        from?.Check();
        to?.CheckForWriting();
        return ChangeInBackground(files => Protect(files, [from], to), cancellationToken);
    }

    /// <summary>
    /// Protects the chosen generations, which have no seal yet, and leaves all others as they are. Each is replaced in one step by the same
    /// save. One that is no longer the save that was chosen (it is gone, or another save took its place) stays as it is, and is reported.
    /// </summary>
    /// <param name="chosen">The generations, from <see cref="History(SlotName)"/>; their headers have to be readable.</param>
    /// <param name="to">What they are to have.</param>
    /// <returns>What became of each, in the order given.</returns>
    /// <exception cref="ArgumentException">The protection is invalid.</exception>
    /// <exception cref="StorageException">The storage refused; what was not reached yet is as it was.</exception>
    /// <exception cref="StoreInUseException">Another process writes to the store.</exception>
    public IReadOnlyList<SlotProtection> ProtectChosen(IReadOnlyCollection<GenerationSummary> chosen, SaveProtection to) =>
        ChangeNow(ProtectingChosen(chosen, to));

    /// <param name="chosen">The generations, from <see cref="History(SlotName)"/>; their headers have to be readable.</param>
    /// <param name="to">What they are to have.</param>
    /// <param name="cancellationToken">Cancels it; it can be run again, and goes on where it was.</param>
    /// <inheritdoc cref="ProtectChosen"/>
    public Task<IReadOnlyList<SlotProtection>> ProtectChosenAsync(
        IReadOnlyCollection<GenerationSummary> chosen, SaveProtection to, CancellationToken cancellationToken = default) =>
        ChangeInBackground(ProtectingChosen(chosen, to), cancellationToken);

    private Func<SlotFiles, ValueTask<IReadOnlyList<SlotProtection>>> ProtectingChosen(
        IReadOnlyCollection<GenerationSummary> chosen, SaveProtection to)
    {
        ArgumentNullException.ThrowIfNull(to);
        ArgumentNullException.ThrowIfNull(chosen);
        to.CheckForWriting();
        // As it is now: the caller's list may be a view of something that changes.
        GenerationSummary[] those = [.. chosen];
        return files => ProtectAll(files, those, to);
    }

    private async ValueTask<IReadOnlyList<SlotProtection>> ProtectAll(SlotFiles files, GenerationSummary[] chosen, SaveProtection to)
    {
        await Hold(files).ConfigureAwait(false);
        var results = new List<SlotProtection>();
        foreach (var one in chosen)
            results.Add(await ProtectIfSame(files, one, to).ConfigureAwait(false));
        return results;
    }

    private static async ValueTask<SlotProtection> ProtectIfSame(SlotFiles files, GenerationSummary chosen, SaveProtection to)
    {
        try
        {
            var generation = await files.Find(chosen.Slot, chosen.Number).ConfigureAwait(false);
            var now = await files.ReadHeader(chosen.Slot, generation).ConfigureAwait(false);
            // Whoever chose saw this save's title. A save that was put in its place since was not chosen.
            if (chosen.Header is null || now?.SaveId != chosen.Header.SaveId)
                throw new SlotException(
                    SaveErrorCode.NoSuchSlot, "The generation is not the save that was chosen.", files.Locate(chosen.Slot, generation),
                    "List the saves again, and choose among those.");
            return await Protect(files, chosen.Slot, generation, [null], to).ConfigureAwait(false);
        }
        catch (SaveException problem) when (problem is not StorageException)
        {
            return new SlotProtection(chosen.Slot, chosen.Number, Changed: false, problem);
        }
    }

    internal async ValueTask<IReadOnlyList<SlotProtection>> Protect(SlotFiles files, SaveProtection?[] from, SaveProtection? to)
    {
        await Hold(files).ConfigureAwait(false);
        // What came back later would be under the key of before.
        await EndDeletions(files).ConfigureAwait(false);
        // A counter that is there goes with its store, whether or not who moves it counts: left behind, it would take every save for an
        // old one.
        var counter = from[0] is { } first ? await SaveCounter.Read(files.Calls, first).ConfigureAwait(false) : null;
        var results = new List<SlotProtection>();
        foreach (var (slot, generations) in await files.All().ConfigureAwait(false))
        {
            // Oldest first, so that what is cut short leaves the newest, which is loaded, under the key that the game still has.
            foreach (var generation in generations.AsEnumerable().Reverse())
                results.Add(await Protect(files, slot, generation, from, to).ConfigureAwait(false));
        }
        if (counter is { IsSound: true } && to is not null && results.TrueForAll(one => one.Problem is null))
            await counter.MoveTo(files.Calls, to).ConfigureAwait(false);
        return results;
    }

    private static async ValueTask<SlotProtection> Protect(
        SlotFiles files, SlotName slot, Generation generation, SaveProtection?[] from, SaveProtection? to)
    {
        try
        {
            var file = await files.Open(slot, generation).ConfigureAwait(false);
            if (IsUnder(file, to))
                return new SlotProtection(slot, generation.Number, Changed: false, null);
            if (FindMisfit(file, from) is { } misfit)
                return new SlotProtection(slot, generation.Number, Changed: false, misfit);
            var bytes = file.Protect(to);
            var name = SlotFiles.NameOf(slot, generation.Number, ExtensionFor(generation.File, file, to));
            await files.Calls.Write(name, bytes, replace: true).ConfigureAwait(false);
            // Under another name both are there for a moment, and are the same save.
            if (name != generation.File)
                await files.Calls.Delete(generation.File).ConfigureAwait(false);
            return new SlotProtection(slot, generation.Number, Changed: true, null);
        }
        catch (SaveException problem) when (problem is not StorageException)
        {
            return new SlotProtection(slot, generation.Number, Changed: false, problem);
        }
    }

    /// <summary>What keeps a save from fitting the first of these protections; null if it fits one of them.</summary>
    internal static TamperedSaveException? FindMisfit(SavedFile file, SaveProtection?[] protections)
    {
        TamperedSaveException? misfit = null;
        foreach (var protection in protections)
        {
            try
            {
                if (protection is not null)
                    file.CheckSeal(protection);
                else if (file.HasSeal)
                    throw new TamperedSaveException(
                        SaveErrorCode.UnknownKey, "The save is sealed, but its key was not given.", file.Location,
                        "Give the key that it has now.");
                return null;
            }
            catch (TamperedSaveException problem)
            {
                misfit ??= problem;
            }
        }
        return misfit;
    }

    /// <summary>Whether a save is as it is to be already: then there is nothing to do.</summary>
    private static bool IsUnder(SavedFile file, SaveProtection? to)
    {
        if (to is null)
            return !file.HasSeal;
        if (file.HasHiddenTitles != to.HasHiddenTitles)
            return false;
        try
        {
            return CheckedSave.Of(file.Opened, to).KeyId == to.Keys.Current.Id;
        }
        catch (TamperedSaveException)
        {
            return false;
        }
    }

    /// <summary>An extension that the game chose stays; one of ours follows the form.</summary>
    private static string ExtensionFor(string name, SavedFile file, SaveProtection? to)
    {
        var extension = Path.GetExtension(name);
        return FileForms.All.Any(form => form.Extension == extension)
            ? new SaveTerms(
                file.Form, Compression: file.IsCompressed ? SaveCompression.Fast : SaveCompression.None, Protection: to).File.Extension
            : extension;
    }
}
