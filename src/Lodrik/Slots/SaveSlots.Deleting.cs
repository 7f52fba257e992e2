using Lodrik.Storage;

namespace Lodrik.Slots;

// Deleting, what can be undone of it, and whatever else consists of several files and has to be there at once or not at all.
public sealed partial class SaveSlots
{
    private readonly List<KeptDeletion> _deletions = [];

    /// <summary>Deletes a slot with all its generations, in one step.</summary>
    /// <returns>How many generations were deleted; 0 if there was no such slot.</returns>
    /// <exception cref="StorageException">The storage refused; the slot is as it was.</exception>
    public int Delete(SlotName slot) => ChangeNow(files => Delete(files, slot));

    /// <inheritdoc cref="Delete(SlotName)"/>
    public Task<int> DeleteAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        ChangeInBackground(files => Delete(files, slot), cancellationToken);

    /// <summary>Deletes one generation of a slot; false if there was none.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public bool DeleteGeneration(SlotName slot, int generation) =>
        ChangeNow(files => DeleteGeneration(files, slot, generation));

    /// <inheritdoc cref="DeleteGeneration(SlotName, int)"/>
    public Task<bool> DeleteGenerationAsync(SlotName slot, int generation, CancellationToken cancellationToken = default) =>
        ChangeInBackground(files => DeleteGeneration(files, slot, generation), cancellationToken);

    internal async ValueTask<int> Delete(SlotFiles files, SlotName slot) =>
        await Delete(files, slot, [.. (await files.Of(slot).ConfigureAwait(false)).Select(one => one.Number)]).ConfigureAwait(false);

    /// <summary>Deletes generations of a slot for good, newest first.</summary>
    private async ValueTask<int> Delete(SlotFiles files, SlotName slot, int[] numbers)
    {
        if (numbers.Length == 0)
            return 0;
        await Hold(files).ConfigureAwait(false);
        if (numbers.Length == 1)
        {
            await DeleteGeneration(files, slot, numbers[0]).ConfigureAwait(false);
            return 1;
        }
        try
        {
            await files.Hide(slot, numbers).ConfigureAwait(false);
        }
        catch (StorageException)
        {
            // A full disk has no room for the list, and is a reason to delete saves. One after the other, then.
            foreach (var number in numbers.Reverse())
                await DeleteGeneration(files, slot, number).ConfigureAwait(false);
            return numbers.Length;
        }
        await PurgeLater(files, slot).ConfigureAwait(false);
        return numbers.Length;
    }

    internal async ValueTask<bool> DeleteGeneration(SlotFiles files, SlotName slot, int generation)
    {
        var there = await files.Contents(slot).ConfigureAwait(false);
        if (there.Shown.Find(one => one.Number == generation) is not { Number: > 0 } found)
            return false;
        await Hold(files).ConfigureAwait(false);
        await files.Delete(slot, found).ConfigureAwait(false);
        if (there.Shown.Count == 1 && there.Hidden.Count == 0 && there.HasOwnFiles)
            await files.DeleteOwnFiles(slot).ConfigureAwait(false);
        return true;
    }

    /// <summary>
    /// Deletes generations of a slot in one step, so that they can be brought back until these slots are closed. Done in a turn.
    /// </summary>
    /// <param name="files">The storage.</param>
    /// <param name="slot">The slot.</param>
    /// <param name="numbers">The generations; all that there are of a slot, or of a playthrough's ring.</param>
    /// <exception cref="StorageException">The storage refused; the slot is as it was.</exception>
    internal async ValueTask<KeptDeletion> DeleteForNow(SlotFiles files, SlotName slot, IReadOnlyList<int> numbers)
    {
        await Hold(files).ConfigureAwait(false);
        var name = await files.ReadName(slot).ConfigureAwait(false);
        await files.Hide(slot, numbers).ConfigureAwait(false);
        var deletion = new KeptDeletion(slot, [.. numbers], name);
        _deletions.Add(deletion);
        _writer.Keep(KeyOf(slot), numbers);
        return deletion;
    }

    /// <summary>Brings back what was deleted for now. Done in a turn.</summary>
    /// <exception cref="SlotTakenException">Something was saved to the slot since.</exception>
    /// <exception cref="SlotException">
    /// A slot was made since whose name differs by upper and lower case only, or another program deleted the files.
    /// </exception>
    /// <exception cref="StorageException">The storage refused; it can be tried again.</exception>
    internal async ValueTask<bool> BringBack(SlotFiles files, KeptDeletion deletion)
    {
        var slot = deletion.Slot;
        if (!slot.IsRing && await files.Of(slot).ConfigureAwait(false) is { Count: > 0 } occupants)
            throw new SlotTakenException(await files.Summarise(slot, occupants).ConfigureAwait(false));
        foreach (var other in await files.Lookalikes(slot).ConfigureAwait(false))
            throw Lookalike(slot, other);
        await Hold(files).ConfigureAwait(false);
        var isThere = (await files.Contents(slot).ConfigureAwait(false)).Hidden.Exists(one => deletion.Numbers.Contains(one.Number));
        // Another save may have been there meanwhile, and called otherwise.
        if (!slot.IsRing && await files.ReadName(slot).ConfigureAwait(false) != deletion.Name)
            await files.WriteName(slot, deletion.Name).ConfigureAwait(false);
        await files.Show(slot, deletion.Numbers).ConfigureAwait(false);
        Forget(deletion);
        return isThere ? true : throw new SlotException(
            SaveErrorCode.NoSuchSlot, "The deleted slot no longer exists.", new SaveLocation { Slot = slot.ToString() });
    }

    /// <summary>Deletes for good what could have been brought back until now. Done in a turn, when these slots are closed.</summary>
    internal async ValueTask<bool> EndDeletions(SlotFiles files)
    {
        foreach (var deletion in _deletions.ToList())
        {
            Forget(deletion);
            await PurgeLater(files, deletion.Slot).ConfigureAwait(false);
        }
        return true;
    }

    /// <summary>The name differs from another slot's by upper and lower case only.</summary>
    internal static SlotException Lookalike(SlotName slot, SlotName other) => new(
        SaveErrorCode.BadSlotName,
        $"The slot \"{other}\" already exists, and some systems ignore upper and lower case.",
        new SaveLocation { Slot = slot.ToString() },
        $"Save to \"{other}\", or choose another name.");

    /// <summary>The number of a slot's next generation.</summary>
    /// <exception cref="StorageException">There is none left for so many.</exception>
    internal static int NextNumber(SlotFiles files, SlotName slot, SlotFiles.Listed there, int count = 1) =>
        there.NextNumbers(count) is var first && first + count - 1 <= int.MaxValue ? (int)first : throw new StorageException(
            "The slot has run out of generation numbers.", files.Locate(slot, there.Shown.Concat(there.Hidden).First()),
            "Remove the file with that number.");

    /// <summary>Writes several generations of a slot so that all of them are there at once, or none.</summary>
    private static async ValueTask AllAtOnce(SlotFiles files, SlotName slot, int[] numbers, Func<ValueTask> write)
    {
        if (numbers.Length > 1)
            await files.Hide(slot, numbers).ConfigureAwait(false);
        try
        {
            await write().ConfigureAwait(false);
            if (numbers.Length > 1)
                await files.Show(slot, numbers).ConfigureAwait(false);
        }
        catch (Exception)
        {
            if (numbers.Length > 1)
                await TakeBack(files, slot, numbers).ConfigureAwait(false);
            throw;
        }
    }

    /// <summary>What was to be there at once is taken away again; where that fails too, it stays hidden.</summary>
    private static async ValueTask TakeBack(SlotFiles files, SlotName slot, int[] numbers)
    {
        try
        {
            await files.Uncancelled().Purge(slot, number => !numbers.Contains(number)).ConfigureAwait(false);
        }
        catch (SaveException)
        {
            // Nobody sees it, and whoever writes next in another process deletes it.
        }
    }

    /// <summary>What an earlier process left hidden: it was deleted, or not all of it was written.</summary>
    private async ValueTask Sweep(SlotFiles files)
    {
        try
        {
            foreach (var (slot, listed) in await files.List(SlotFiles.Folder).ConfigureAwait(false))
            {
                if (listed.HiddenNumbers is not null)
                    await PurgeLater(files, slot).ConfigureAwait(false);
            }
        }
        catch (StorageException)
        {
            // What is asked for now does not depend on it.
        }
    }

    /// <summary>Deletes what is hidden and cannot be brought back. If the storage refuses, that is left for the next time.</summary>
    private async ValueTask PurgeLater(SlotFiles files, SlotName slot)
    {
        try
        {
            await files.Purge(slot, number => _writer.IsKept(KeyOf(slot), number)).ConfigureAwait(false);
        }
        catch (SaveException)
        {
            // It is deleted already for everybody who looks. What a disk says it has not deleted may be back after a power failure, and
            // then has to be hidden still.
            _writer.Keep(KeyOf(slot), (await files.Contents(slot).ConfigureAwait(false)).HiddenNumbers ?? []);
        }
    }

    private void Forget(KeptDeletion deletion)
    {
        _deletions.Remove(deletion);
        _writer.Forget(KeyOf(deletion.Slot), deletion.Numbers);
    }

    private string KeyOf(SlotName slot) => $"{Storage.Description}\n{slot}";
}

/// <summary>Generations of a slot that were deleted and can be brought back.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Numbers">The generations.</param>
/// <param name="Name">What the player called the slot; empty if it had no name.</param>
internal sealed record KeptDeletion(SlotName Slot, IReadOnlyList<int> Numbers, string Name);
