using Lodrik.Inspection;
using Lodrik.Storage;

namespace Lodrik.Slots;

// A slot from one storage to another, such as from the folder of a game to its server.
public sealed partial class SaveSlots
{
    private const int MaxAttempts = 20;

    /// <summary>
    /// Copies the saves of a slot to another place, with their pictures and attachments, and skips what is already there. Nothing is
    /// overwritten: if the player went on at both places, the saves from here become a second slot there. It can be interrupted at any
    /// moment and started again.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="to">The other place.</param>
    /// <param name="cancellationToken">Cancels it. What was copied by then stays.</param>
    /// <returns>What was copied, and where to.</returns>
    /// <exception cref="SlotException">There is no such slot here.</exception>
    /// <exception cref="SaveException">One of the storages refused, or another process writes to one of them.</exception>
    /// <exception cref="ArgumentException">Both are the same place.</exception>
    public Task<SlotTransfer> SendAsync(SlotName slot, SaveSlots to, CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(to);
        return Transfer(slot, this, to, isSending: true, _ => null, _ => default, cancellationToken);
    }

    /// <summary>As <see cref="SendAsync"/>, in the other direction: copies the saves of a slot here.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="from">The other place.</param>
    /// <param name="cancellationToken">Cancels it. What was copied by then stays.</param>
    /// <exception cref="SlotException">There is no such slot at the other place.</exception>
    /// <inheritdoc cref="SendAsync"/>
    public Task<SlotTransfer> FetchAsync(SlotName slot, SaveSlots from, CancellationToken cancellationToken = default) =>
        FetchAsync(slot, from, _ => null, _ => default, cancellationToken);

    /// <summary>Brings the saves of a slot here.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="from">The other place.</param>
    /// <param name="refusal">Why a save with this header is left out; null if it is not.</param>
    /// <param name="changed">Called in the same turn for each slot that has new saves.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    internal Task<SlotTransfer> FetchAsync(
        SlotName slot, SaveSlots from, Func<SaveHeader, SaveException?> refusal, Func<(SlotFiles Files, SlotName Slot), ValueTask> changed,
        CancellationToken cancellationToken)
    {
        ArgumentNullException.ThrowIfNull(from);
        return Transfer(slot, from, this, isSending: false, refusal, changed, cancellationToken);
    }

    /// <summary>Copies a slot. The near place remembers which save both had in common last.</summary>
    private static Task<SlotTransfer> Transfer(
        SlotName slot, SaveSlots from, SaveSlots to, bool isSending, Func<SaveHeader, SaveException?> refusal,
        Func<(SlotFiles Files, SlotName Slot), ValueTask> changed, CancellationToken cancellationToken)
    {
        if (from.Storage.Place.Equals(to.Storage.Place) && from.Storage.Description == to.Storage.Description)
            throw new ArgumentException("Saves cannot be copied from a place to itself.", nameof(to));
        // What was asked to be saved before is copied as well.
        var saved = from.ChangeInBackground(_ => new ValueTask<bool>(true), cancellationToken);
        return to.ChangeInBackground(
            async target =>
            {
                await saved.ConfigureAwait(false);
                await to.Hold(target).ConfigureAwait(false);
                var source = from.FilesFor(cancellationToken);
                var (near, far) = isSending ? (source, to.Storage) : (target, from.Storage);
                var common = new CommonSaves(near, slot, far.Description);
                // Generations that the source drops while they are copied are listed again.
                return await SlotFiles.Read(() => to.Take(target, source, slot, common, refusal, changed)).ConfigureAwait(false);
            },
            cancellationToken);
    }

    /// <summary>
    /// Copies what is missing here of a slot elsewhere, the oldest first, so that a part of it is an older state of the slot.
    /// </summary>
    private async ValueTask<SlotTransfer> Take(
        SlotFiles here, SlotFiles there, SlotName slot, CommonSaves common, Func<SaveHeader, SaveException?> refusal,
        Func<(SlotFiles Files, SlotName Slot), ValueTask> changed)
    {
        var (copied, second, passedOver) = (0, new List<SlotName>(), new List<SaveException>());
        var generations = await there.OfExisting(slot).ConfigureAwait(false);
        foreach (var line in await LinesOf(there, slot, generations, refusal, passedOver).ConfigureAwait(false))
        {
            var least = 1;
            for (var attempt = 1; line.Saves.Count > 0; attempt++)
            {
                var noted = await common.Read().ConfigureAwait(false);
                var (goal, isSecond, missing) = await FindGoal(here, slot, line, noted).ConfigureAwait(false);
                if (isSecond && !second.Contains(goal))
                    second.Add(goal);
                if (missing.Count > 0)
                    await NameLike(here, there, slot, goal, isSecond).ConfigureAwait(false);
                try
                {
                    foreach (var save in missing.ToArray())
                    {
                        here.Calls.Cancellation.ThrowIfCancellationRequested();
                        var contents = await here.Contents(goal).ConfigureAwait(false);
                        var number = Math.Max(least, NextNumber(here, goal, contents));
                        least = number;
                        if (await CopySave(here, there, slot, save, goal, number).ConfigureAwait(false) is { } problem)
                        {
                            passedOver.Add(problem);
                            line.Saves.Remove(save);
                        }
                        else
                        {
                            copied++;
                        }
                    }
                }
                catch (StorageException exception) when (exception.AlreadyExists && attempt < MaxAttempts)
                {
                    // Somebody else has saved to the slot meanwhile, or its number is the one of a write whose answer was lost: what is
                    // missing, and whether the slot is still the same line, has to be found out again.
                    least++;
                    continue;
                }
                if (missing.Count > 0)
                    await changed((here, goal)).ConfigureAwait(false);
                if (!isSecond && line.Saves.Count > 0)
                    await common.Note(line.Playthrough, line.Saves[^1].Id).ConfigureAwait(false);
                break;
            }
        }
        return new SlotTransfer(slot, copied, second, passedOver);
    }

    /// <summary>
    /// The saves of a slot, oldest first: one line, or in a ring one for each playthrough. Without an id, a save is not copied.
    /// </summary>
    private static async ValueTask<List<Line>> LinesOf(
        SlotFiles files, SlotName slot, List<Generation> generations, Func<SaveHeader, SaveException?> refusal,
        List<SaveException> passedOver)
    {
        var lines = new OrderedDictionary<Guid, Line>();
        foreach (var generation in generations.OrderBy(one => one.Number))
        {
            var summary = await files.Describe(slot, generation).ConfigureAwait(false);
            if (summary.Header is not { } header || header.SaveId == default)
            {
                passedOver.Add(summary.Problem ?? new DamagedSaveException(
                    SaveErrorCode.Damaged, "The save has no id, since it was written by hand.", files.Locate(slot, generation)));
                continue;
            }
            if (refusal(header) is { } refused)
            {
                passedOver.Add(refused);
                continue;
            }
            var playthrough = slot.IsRing ? header.Playthrough : default;
            if (!lines.TryGetValue(playthrough, out var line))
                lines.Add(playthrough, line = new Line(playthrough, []));
            line.Saves.Add(new Save(header.SaveId, header.Slot?.ParentId ?? default, generation));
        }
        return [.. lines.Values];
    }

    /// <summary>Which slot a line goes on in here, whether that is a second one, and what it lacks.</summary>
    private static async ValueTask<(SlotName Goal, bool IsSecond, List<Save> Missing)> FindGoal(
        SlotFiles here, SlotName slot, Line line, IReadOnlyDictionary<Guid, Guid> common)
    {
        var slots = await here.All().ConfigureAwait(false);
        if (await Beside(slot).ConfigureAwait(false) is { } same)
            return (slot, false, same);
        // An earlier transfer may have made a second slot already.
        foreach (var other in slots.Keys.Where(other => other != slot && !other.IsRing))
        {
            if (await Beside(other).ConfigureAwait(false) is { } missing)
                return (other, true, missing);
        }
        return (SlotNaming.Free(slots.Keys, slot), true, line.Saves);

        // What a slot lacks if it is behind the line or ahead of it; null if it is another line.
        async ValueTask<List<Save>?> Beside(SlotName candidate)
        {
            var known = slots.TryGetValue(candidate, out var generations)
                ? (await LinesOf(here, candidate, generations, _ => null, []).ConfigureAwait(false))
                    .Find(one => one.Playthrough == line.Playthrough)
                : null;
            if (known is null)
                return candidate == slot && (generations is null || slot.IsRing) ? line.Saves : null;
            var (newest, ids) = (known.Saves[^1], known.Saves.Select(one => one.Id).ToHashSet());
            var shared = candidate == slot ? common.GetValueOrDefault(line.Playthrough) : default;
            if (ids.Contains(line.Saves[^1].Id) || (shared != default && shared == line.Saves[^1].Id))
                return [];
            var last = line.Saves.FindLastIndex(one => one.Id == newest.Id);
            if (last >= 0)
                return line.Saves[(last + 1)..];
            // The save that both had may have made room for newer ones since.
            return line.Saves[0].ParentId == newest.Id || (shared != default && shared == newest.Id) ? line.Saves : null;
        }
    }

    /// <summary>A slot that is new here has the player's name for it, or one like that.</summary>
    private async ValueTask NameLike(SlotFiles here, SlotFiles there, SlotName slot, SlotName goal, bool isSecond)
    {
        if (goal.IsRing || await Exists(here, goal).ConfigureAwait(false))
            return;
        NoteName(goal);
        var name = await there.ReadName(slot).ConfigureAwait(false);
        if (name.Length == 0 && !isSecond)
            return;
        var wanted = name.Length > 0 ? name : slot.ToString();
        await here.WriteName(goal, SlotNaming.FreeTitle(await here.SummariseAll().ConfigureAwait(false), wanted)).ConfigureAwait(false);
    }

    /// <summary>Copies a save with what is kept beside it, under the number given.</summary>
    /// <returns>Why it was not copied; null if it was.</returns>
    private async ValueTask<SaveException?> CopySave(
        SlotFiles here, SlotFiles there, SlotName slot, Save save, SlotName goal, int number)
    {
        var location = there.Locate(slot, save.Generation);
        var bytes = await there.Calls.Read(save.Generation.File).ConfigureAwait(false) ?? throw new GenerationGoneException(location);
        try
        {
            if (SavedFile.FromBytes(bytes, location, there.Allowance).Health == SectionHealth.Damaged)
                return new DamagedSaveException(SaveErrorCode.Damaged, "The save is damaged.", location);
        }
        catch (SaveException exception)
        {
            return exception;
        }
        var beside = new List<(string Name, byte[] Bytes)>();
        foreach (var name in Attachments.NamesIn(await there.ReadHeader(slot, save.Generation).ConfigureAwait(false)))
        {
            if (await there.ReadAttachment(slot, save.Generation, name).ConfigureAwait(false) is { } attachment)
                beside.Add((name, attachment));
        }
        try
        {
            await here.Calls.WriteAll(
            [
                .. beside.Select(one => new StoredContent(SlotFiles.AttachmentOf(goal, number, one.Name), new(one.Bytes), IsOnlyWriter)),
                new StoredContent(SlotFiles.NameOf(goal, number, Path.GetExtension(save.Generation.File)), new(bytes), Replace: false),
            ]).ConfigureAwait(false);
            return null;
        }
        catch (StorageException exception) when (exception.IsOneFile && !exception.AlreadyExists)
        {
            // A server that does not accept this save may accept the others.
            return exception;
        }
    }

    /// <summary>Saves that follow one another, oldest first.</summary>
    private sealed record Line(Guid Playthrough, List<Save> Saves);

    private readonly record struct Save(Guid Id, Guid ParentId, Generation Generation);
}

/// <summary>What came of copying a slot to another place.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="CopiedCount">How many saves were copied; 0 if the other place had them all.</param>
/// <param name="SecondSlots">
/// The slots that were made or went on there because both places went on from the same save: neither side is lost, and the player chooses.
/// None otherwise.
/// </param>
/// <param name="PassedOver">What is wrong with saves that were not copied.</param>
public sealed record SlotTransfer(
    SlotName Slot, int CopiedCount, IReadOnlyList<SlotName> SecondSlots, IReadOnlyList<SaveException> PassedOver)
{
    /// <summary>Whether both places went on from the same save.</summary>
    public bool BothWentOn => SecondSlots.Count > 0;
}
