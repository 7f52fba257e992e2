using Lodrik.Slots;

namespace Lodrik;

// A slot as one file, out and in again.
public sealed partial class SaveStore<T>
{
    /// <inheritdoc cref="SaveSlots.ExportSlot(SlotName, string, Overwrite)"/>
    public void ExportSlot(SlotName slot, string path, Overwrite overwrite = Overwrite.Refused) =>
        _slots.ExportSlot(slot, path, overwrite);

    /// <inheritdoc cref="SaveSlots.ExportSlotAsync"/>
    public Task ExportSlotAsync(
        SlotName slot, string path, Overwrite overwrite = Overwrite.Refused, CancellationToken cancellationToken = default) =>
        _slots.ExportSlotAsync(slot, path, overwrite, cancellationToken);

    /// <summary>
    /// Brings a slot in from a file that <see cref="ExportSlot"/> wrote, as its own slot: nothing is written over. The file may come
    /// from anybody. What is damaged in it, or of another game, stays out.
    /// </summary>
    /// <exception cref="SaveMismatchException">The saves in it are of another game.</exception>
    /// <exception cref="SlotException">The game has no such save place.</exception>
    /// <inheritdoc cref="SaveSlots.ImportSlot(string, SlotName?)"/>
    public SlotImport ImportSlot(string path, SlotName? slot = null)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        return _slots.ChangeNow(files => ImportSlot(files, path, slot));
    }

    /// <param name="path">The file.</param>
    /// <param name="slot">The slot that it becomes, which must be free; null takes the name it had, or a free one like it.</param>
    /// <param name="cancellationToken">Cancels it, with nothing brought in.</param>
    /// <inheritdoc cref="ImportSlot(string, SlotName?)"/>
    public Task<SlotImport> ImportSlotAsync(string path, SlotName? slot = null, CancellationToken cancellationToken = default)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        return _slots.ChangeInBackground(files => ImportSlot(files, path, slot), cancellationToken);
    }

    internal async ValueTask<SlotImport> ImportSlot(SlotFiles files, string path, SlotName? slot)
    {
        var imported = await _slots.Import(
            files, path, slot,
            header => header is not null && header.Game != T.Root.Game ? OtherGame(header, new SaveLocation { File = path }) : null,
            chosen => RefuseNew(files, chosen)).ConfigureAwait(false);
        await NoteNewest(files, imported.Slot, await files.Of(imported.Slot).ConfigureAwait(false)).ConfigureAwait(false);
        return imported;
    }

    private static SaveMismatchException OtherGame(SaveHeader header, SaveLocation location) => new(
        SaveErrorCode.WrongGame, $"It is a save of \"{header.Game}\", and this is \"{T.Root.Game}\".", location);
}
