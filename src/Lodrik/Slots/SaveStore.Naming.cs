using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik;

// Slots that are named as the player types it.
public sealed partial class SaveStore<T>
{
    /// <summary>
    /// The slot that a player means by what was typed: the one with that name or that title, if there is one, so that the game asks whether
    /// to replace it; otherwise one that is free, as <see cref="FreeName(string)"/> has it. Capital letters, blanks and punctuation make no
    /// difference.
    /// </summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public SlotName NameFor(string title)
    {
        ArgumentNullException.ThrowIfNull(title);
        return _slots.Now(files => NameFor(files, title));
    }

    /// <inheritdoc cref="NameFor(string)"/>
    public Task<SlotName> NameForAsync(string title, CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(title);
        return _slots.InBackground(files => NameFor(files, title), cancellationToken);
    }

    /// <summary>
    /// A slot name that is free, made of what a player typed: "My first night!" becomes my-first-night, or my-first-night-2.
    /// </summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public SlotName FreeName(string title) => _slots.Now(files => FreeName(files, title));

    /// <inheritdoc cref="FreeName(string)"/>
    public Task<SlotName> FreeNameAsync(string title, CancellationToken cancellationToken = default) =>
        _slots.InBackground(files => FreeName(files, title), cancellationToken);

    private static async ValueTask<SlotName> NameFor(SlotFiles files, string title)
    {
        var slots = await files.SummariseAll().ConfigureAwait(false);
        return SlotNaming.Meant(slots, title)?.Slot ?? SlotNaming.Free(slots.Select(one => one.Slot), SlotName.FromTitle(title));
    }

    private static async ValueTask<SlotName> FreeName(SlotFiles files, string title) =>
        SlotNaming.Free((await files.All().ConfigureAwait(false)).Keys, SlotName.FromTitle(title));
}
