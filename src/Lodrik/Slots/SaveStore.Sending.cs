using Lodrik.Slots;

namespace Lodrik;

// A slot to another place, such as a server, and back.
public sealed partial class SaveStore<T>
{
    /// <inheritdoc cref="SaveSlots.SendAsync"/>
    public Task<SlotTransfer> SendAsync(SlotName slot, SaveSlots to, CancellationToken cancellationToken = default) =>
        _slots.SendAsync(slot, to, cancellationToken);

    /// <summary>
    /// As <see cref="SendAsync"/>, in the other direction: copies the saves of a slot here. Saves of another game stay out.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="from">The other place.</param>
    /// <param name="cancellationToken">Cancels it. What was copied by then stays.</param>
    /// <inheritdoc cref="SaveSlots.FetchAsync(SlotName, SaveSlots, CancellationToken)"/>
    public Task<SlotTransfer> FetchAsync(SlotName slot, SaveSlots from, CancellationToken cancellationToken = default) => _slots.FetchAsync(
        slot, from,
        header => header.Game != T.Root.Game ? OtherGame(header, new SaveLocation { Slot = slot.ToString() }) : null,
        async changed => await NoteNewest(changed.Files, changed.Slot, await changed.Files.Of(changed.Slot).ConfigureAwait(false))
            .ConfigureAwait(false),
        cancellationToken);
}
