using Lodrik.Saves;
using Lodrik.Storage;

namespace Lodrik.Slots;

// A slot as one file, out and in again.
public sealed partial class SaveSlots
{
    /// <summary>
    /// Writes a slot to one file, with its history and all that is kept beside it: a ZIP archive (ISO/IEC 21320-1), for a player who gives
    /// it away or sends it to support. What is sealed or encrypted in it stays so.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="path">The file.</param>
    /// <param name="overwrite">Whether there may be such a file; it is then replaced.</param>
    /// <exception cref="SlotException">There is no such slot.</exception>
    /// <exception cref="StorageException">The file is there already, or cannot be written; what was there is still there.</exception>
    public void ExportSlot(SlotName slot, string path, Overwrite overwrite = Overwrite.Refused)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        Now(files => Export(files, slot, null, path, overwrite));
    }

    /// <param name="slot">The slot.</param>
    /// <param name="path">The file.</param>
    /// <param name="overwrite">Whether there may be such a file; it is then replaced.</param>
    /// <param name="cancellationToken">Cancels it, as long as nothing was written.</param>
    /// <inheritdoc cref="ExportSlot(SlotName, string, Overwrite)"/>
    public Task ExportSlotAsync(
        SlotName slot, string path, Overwrite overwrite = Overwrite.Refused, CancellationToken cancellationToken = default)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        return InBackground(files => Export(files, slot, null, path, overwrite), cancellationToken);
    }

    /// <summary>
    /// Brings a slot in from a file that <see cref="ExportSlot(SlotName, string, Overwrite)"/> wrote, as its own slot: nothing is
    /// written over. The file may come from anybody. What is damaged in it stays out.
    /// </summary>
    /// <param name="path">The file.</param>
    /// <param name="slot">The slot that it becomes, which must be free; null takes the name it had, or a free one like it.</param>
    /// <returns>The slot, and what was wrong with saves that were left out.</returns>
    /// <exception cref="DamagedSaveException">The file is not such a file, or no save in it is whole.</exception>
    /// <exception cref="SlotTakenException">There is such a slot.</exception>
    /// <exception cref="StorageException">The file cannot be read, or the storage refused; nothing was brought in.</exception>
    public SlotImport ImportSlot(string path, SlotName? slot = null)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        return ChangeNow(files => Import(files, path, slot, _ => null, _ => default));
    }

    /// <param name="path">The file.</param>
    /// <param name="slot">The slot that it becomes, which must be free; null takes the name it had, or a free one like it.</param>
    /// <param name="cancellationToken">Cancels it, with nothing brought in.</param>
    /// <inheritdoc cref="ImportSlot(string, SlotName?)"/>
    public Task<SlotImport> ImportSlotAsync(string path, SlotName? slot = null, CancellationToken cancellationToken = default)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        return ChangeInBackground(files => Import(files, path, slot, _ => null, _ => default), cancellationToken);
    }

    /// <summary>Writes generations of a slot to one file.</summary>
    /// <param name="files">The storage.</param>
    /// <param name="slot">The slot.</param>
    /// <param name="numbers">Those that go along; null for all.</param>
    /// <param name="path">The file.</param>
    /// <param name="overwrite">Whether there may be such a file.</param>
    internal static async ValueTask<bool> Export(
        SlotFiles files, SlotName slot, IReadOnlyCollection<int>? numbers, string path, Overwrite overwrite)
    {
        var (folder, name) = WholeFile.PlaceOf(path);
        var bytes = await SlotFiles.Read(async () =>
        {
            var generations = await files.OfExisting(slot).ConfigureAwait(false);
            return await SlotZip.Pack(files, slot, generations.FindAll(one => numbers?.Contains(one.Number) != false))
                .ConfigureAwait(false);
        }).ConfigureAwait(false);
        folder.Write(name, bytes, replace: overwrite == Overwrite.Allowed);
        return true;
    }

    /// <summary>Brings a slot in from a file. Done in a turn.</summary>
    /// <param name="files">The storage.</param>
    /// <param name="path">The file.</param>
    /// <param name="wanted">The slot that it becomes; null chooses one.</param>
    /// <param name="refusal">Why a save with this header is left out; null if it is not.</param>
    /// <param name="check">Throws if there must be no such slot.</param>
    internal async ValueTask<SlotImport> Import(
        SlotFiles files, string path, SlotName? wanted, Func<SaveHeader?, SaveException?> refusal, Func<SlotName, ValueTask> check)
    {
        // All of it at once: what was checked is what is written, whatever happens to the file meanwhile.
        using var stream = new MemoryStream(WholeFile.Read(path), writable: false);
        using var zip = SlotZip.Open(stream, path);
        var allowance = (files.Allowance ?? ReadAllowance.Default).For(stream.Length);
        var content = SlotZip.Read(zip, path, new ZipAllowance(allowance, path));
        var passedOver = content.PassedOver.ToList();
        var taken = new List<SlotZip.Packed>();
        foreach (var save in content.Generations)
        {
            if (refusal(save.Header) is { } problem)
                passedOver.Add(problem);
            else
                taken.Add(save);
        }
        if (taken.Count == 0)
            throw passedOver[^1];
        var title = content.Name.Length > 0 ? content.Name : taken[^1].Header?.Title ?? "";
        var slots = await files.SummariseAll().ConfigureAwait(false);
        var slot = wanted ?? SlotNaming.Free(
            slots.Select(one => one.Slot),
            SlotName.TryParse(content.Folder, out var folder) && !folder.IsRing ? folder : SlotName.FromTitle(title));
        var there = await files.Contents(slot).ConfigureAwait(false);
        if (there.Shown.Count > 0)
            throw new SlotTakenException(await files.Summarise(slot, there.Shown).ConfigureAwait(false));
        await check(slot).ConfigureAwait(false);
        await Hold(files).ConfigureAwait(false);
        NoteName(slot);
        var first = NextNumber(files, slot, there, taken.Count);
        var copying = new ZipAllowance(allowance, path);
        // Two slots that are called the same could not be distinguished.
        if (content.Name.Length > 0)
            await files.WriteName(slot, SlotNaming.FreeTitle(slots, content.Name)).ConfigureAwait(false);
        await AllAtOnce(files, slot, [.. Enumerable.Range(first, taken.Count)], async () =>
        {
            for (var i = 0; i < taken.Count; i++)
                await Write(files, slot, first + i, taken[i], copying).ConfigureAwait(false);
        }).ConfigureAwait(false);
        return new SlotImport(slot, taken.Count, passedOver);
    }

    private static async ValueTask Write(SlotFiles files, SlotName slot, int number, SlotZip.Packed save, ZipAllowance allowance)
    {
        foreach (var name in Attachments.NamesIn(save.Header))
        {
            // A file that merely has the name is not the save's.
            if (save.Attachments.TryGetValue(name, out var entry) && allowance.Read(entry) is var bytes
                && Attachments.IsOwn(save.Header, name, bytes))
                await files.Calls.Write(SlotFiles.AttachmentOf(slot, number, name), bytes, replace: true).ConfigureAwait(false);
        }
        await files.Calls.Write(SlotFiles.NameOf(slot, number, save.Extension), allowance.Read(save.Save), replace: false)
            .ConfigureAwait(false);
    }
}

/// <summary>A slot that was brought in from a file.</summary>
/// <param name="Slot">The slot that it became.</param>
/// <param name="GenerationCount">How many generations it has.</param>
/// <param name="PassedOver">What was wrong with those that were left out.</param>
public sealed record SlotImport(SlotName Slot, int GenerationCount, IReadOnlyList<SaveException> PassedOver);
