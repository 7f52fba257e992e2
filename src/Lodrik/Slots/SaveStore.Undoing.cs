using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik;

// What a save screen does beside the public calls: deletions that can be undone, names, and one playthrough's quick and automatic saves.
public sealed partial class SaveStore<T>
{
    private readonly Lock _undoGate = new();
    private readonly List<Undoable> _undoables = [];

    /// <summary>What was deleted last and can be brought back; null if there is nothing.</summary>
    internal Undoable? LastDeletion
    {
        get
        {
            lock (_undoGate)
                return _undoables.Count > 0 ? _undoables[^1] : null;
        }
    }

    /// <summary>The places that a save can have by the store's options; empty for any.</summary>
    internal IReadOnlyList<SlotName> FixedPlaces => _options.Places;

    /// <summary>Does something that only looks, on the caller's thread or in the background.</summary>
    internal ValueTask<TResult> Look<TResult>(
        bool inBackground, Func<SlotFiles, ValueTask<TResult>> act, CancellationToken cancellation) =>
        inBackground ? new(_slots.InBackground(act, cancellation)) : new(_slots.Now(act));

    /// <summary>Does something that changes saves, in its turn, on the caller's thread or in the background.</summary>
    internal ValueTask<TResult> Change<TResult>(
        bool inBackground, Func<SlotFiles, ValueTask<TResult>> act, CancellationToken cancellation) =>
        inBackground ? new(_slots.ChangeInBackground(act, cancellation)) : new(_slots.ChangeNow(act));

    /// <summary>The history of what a row of the list shows: that of a slot, or of one playthrough in a ring.</summary>
    internal static ValueTask<IReadOnlyList<GenerationSummary>> HistoryOf(SlotFiles files, SlotSummary row) =>
        SlotFiles.Read<IReadOnlyList<GenerationSummary>>(async () =>
        {
            var history = new List<GenerationSummary>();
            foreach (var generation in await GenerationsOf(files, row).ConfigureAwait(false))
                history.Add(await files.DescribeToShow(row.Slot, generation).ConfigureAwait(false));
            return history;
        });

    /// <summary>Deletes rows of the list so that they can be brought back until the store is closed. Done in a turn.</summary>
    /// <exception cref="StorageException">The storage refused; the rows that are not deleted yet are whole.</exception>
    internal async ValueTask<int> DeleteForNow(SlotFiles files, IReadOnlyList<SlotSummary> rows)
    {
        var undoable = new Undoable(rows);
        try
        {
            foreach (var row in rows)
            {
                var numbers = (await GenerationsOf(files, row).ConfigureAwait(false)).ConvertAll(one => one.Number);
                if (numbers.Count == 0)
                    continue;
                undoable.Deletions.Add(await _slots.DeleteForNow(files, row.Slot, numbers).ConfigureAwait(false));
                if (CurrentSlot == row.Slot)
                    undoable.Current = (row.Slot, Playthrough);
                Leave(row.Slot);
                if (!row.Slot.IsRing && await Counter(files).ConfigureAwait(false) is { } counter)
                    await counter.Forget(files.Calls, row.Slot).ConfigureAwait(false);
                StoreLog.Deleted(_log, row.Slot, numbers.Count);
            }
        }
        finally
        {
            if (undoable.Deletions.Count > 0)
            {
                lock (_undoGate)
                    _undoables.Add(undoable);
            }
        }
        return undoable.Deletions.Count;
    }

    /// <summary>Deletes a row of the list for good. Done in a turn.</summary>
    internal async ValueTask<bool> DeleteForGood(SlotFiles files, SlotSummary row)
    {
        if (!row.Slot.IsRing)
            return await Delete(files, row.Slot).ConfigureAwait(false);
        foreach (var generation in (await GenerationsOf(files, row).ConfigureAwait(false)).AsEnumerable().Reverse())
            await DeleteGeneration(files, row.Slot, generation.Number).ConfigureAwait(false);
        return true;
    }

    /// <summary>Brings back what was deleted last. Done in a turn.</summary>
    /// <exception cref="SaveException">
    /// The storage refused, or a slot was saved to since; what is not brought back by then can still be.
    /// </exception>
    internal async ValueTask<int> BringBack(SlotFiles files, Undoable undoable)
    {
        var count = 0;
        SlotException? problem = null;
        foreach (var deletion in undoable.Deletions.ToList())
        {
            var hidden = (await files.Contents(deletion.Slot).ConfigureAwait(false)).Hidden
                .FindAll(one => deletion.Numbers.Contains(one.Number));
            // Cut short between the two, the newest save is newer than the counter says, and not older.
            await NoteNewest(files, deletion.Slot, hidden, onlyOlder: true).ConfigureAwait(false);
            try
            {
                await _slots.BringBack(files, deletion).ConfigureAwait(false);
                count++;
            }
            catch (SlotException gone) when (gone.Code == SaveErrorCode.NoSuchSlot)
            {
                // What is gone must not keep the player from bringing back what was deleted before it.
                problem = gone;
            }
            undoable.Deletions.Remove(deletion);
            await NoteNewest(files, deletion.Slot, await files.Of(deletion.Slot).ConfigureAwait(false)).ConfigureAwait(false);
        }
        lock (_undoGate)
            _undoables.Remove(undoable);
        if (count == 0 && problem is not null)
            throw problem;
        if (undoable.Current is var (slot, playthrough))
        {
            lock (_currentGate)
            {
                if (CurrentSlot is null && Playthrough == playthrough)
                    _current = _current with { Slot = slot };
            }
        }
        return count;
    }

    /// <summary>Gives a slot the name that was typed. Done in a turn.</summary>
    /// <param name="files">The storage.</param>
    /// <param name="from">The slot.</param>
    /// <param name="typed">What the player calls it from now on.</param>
    /// <param name="overwrite">Whether another slot that is called so may be replaced.</param>
    /// <param name="isPlace">Whether the slot is a place, which stays where it is.</param>
    /// <returns>The slot that it is now.</returns>
    /// <exception cref="SlotTakenException">Another slot is called so.</exception>
    internal async ValueTask<SlotName> RenameTo(SlotFiles files, SlotName from, string typed, Overwrite overwrite, bool isPlace)
    {
        var (to, occupant) = await PlaceFor(files, typed).ConfigureAwait(false);
        if (occupant is not null && to != from && overwrite == Overwrite.Refused)
            throw new SlotTakenException(occupant);
        await _slots.Hold(files).ConfigureAwait(false);
        if (isPlace || to == from)
        {
            await files.WriteName(from, SaveLabel.NameOf(typed)).ConfigureAwait(false);
            return from;
        }
        // It is never there without its name.
        await files.WriteName(to, SaveLabel.NameOf(typed)).ConfigureAwait(false);
        await Rename(files, from, to, overwrite).ConfigureAwait(false);
        return to;
    }

    /// <summary>Copies a row of the list to a slot that the player calls so. Done in a turn.</summary>
    /// <exception cref="SlotTakenException">Another slot is called so.</exception>
    internal async ValueTask<SlotName> CopyTo(SlotFiles files, SlotSummary row, string typed, Overwrite overwrite)
    {
        var (to, occupant) = await PlaceFor(files, typed).ConfigureAwait(false);
        if (occupant is not null && overwrite == Overwrite.Refused)
            throw new SlotTakenException(occupant);
        var numbers = (await GenerationsOf(files, row).ConfigureAwait(false)).ConvertAll(one => one.Number);
        if (numbers.Count == 0)
            throw SlotFiles.NoSuchSlot(row.Slot, (await files.All().ConfigureAwait(false)).Keys);
        await _slots.Hold(files).ConfigureAwait(false);
        if (to != row.Slot)
            await files.WriteName(to, SaveLabel.NameOf(typed)).ConfigureAwait(false);
        await Copy(files, row.Slot, to, overwrite, numbers).ConfigureAwait(false);
        return to;
    }

    /// <summary>The slot that is called so, with what is in it; a free one where there is none.</summary>
    private static async ValueTask<(SlotName Slot, SlotSummary? Occupant)> PlaceFor(SlotFiles files, string typed)
    {
        var slots = await files.SummariseAll().ConfigureAwait(false);
        return SlotNaming.Meant(slots, typed) is { } meant
            ? (meant.Slot, meant)
            : (SlotNaming.Free(slots.Select(one => one.Slot), SlotName.FromTitle(typed)), null);
    }

    /// <summary>The generations that a row of the list stands for, newest first.</summary>
    internal static async ValueTask<List<Generation>> GenerationsOf(SlotFiles files, SlotSummary row) => row.Slot.IsRing
        ? await files.RingOf(row.Slot, row.Playthrough).ConfigureAwait(false)
        : await files.Of(row.Slot).ConfigureAwait(false);
}

/// <summary>Slots that were deleted together and can be brought back.</summary>
/// <param name="rows">What they were.</param>
internal sealed class Undoable(IReadOnlyList<SlotSummary> rows)
{
    /// <summary>What they were.</summary>
    public IReadOnlyList<SlotSummary> Rows => rows;

    /// <summary>What is still to be brought back.</summary>
    public List<KeptDeletion> Deletions { get; } = [];

    /// <summary>The slot among them that was saved to last, and by whom; null if none was.</summary>
    public (SlotName Slot, Guid Playthrough)? Current { get; set; }
}
