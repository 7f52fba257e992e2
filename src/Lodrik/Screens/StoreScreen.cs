using Lodrik.Slots;
using Lodrik.State;

namespace Lodrik.Screens;

/// <summary>The saves of a game's store.</summary>
internal sealed class StoredSaves<T>(SaveStore<T> store) : SavesOnScreen where T : class, IStateRoot<T>
{
    public override SlotName? CurrentSlot => store.CurrentSlot;

    public override IReadOnlyList<SlotName> FixedPlaces => store.FixedPlaces;

    public override Undoable? LastDeletion => store.LastDeletion;

    public override ValueTask<IReadOnlyList<SlotSummary>> List(bool inBackground, CancellationToken cancellation) =>
        inBackground ? new(store.ListAsync(cancellationToken: cancellation)) : new(store.List());

    public override ValueTask<(byte[]? Picture, IReadOnlyList<GenerationSummary> History)> Details(
        bool inBackground, SlotSummary row, CancellationToken cancellation) => store.Look(
            inBackground,
            async files => (
                await SaveSlots.ReadAttachment(files, row.Slot, Attachments.Picture, row.Generation).ConfigureAwait(false),
                await SaveStore<T>.HistoryOf(files, row).ConfigureAwait(false)),
            cancellation);

    public override ValueTask<byte[]?> Picture(bool inBackground, SlotSummary row, CancellationToken cancellation) => store.Look(
        inBackground, files => SaveSlots.ReadAttachment(files, row.Slot, Attachments.Picture, row.Generation), cancellation);

    public override ValueTask<int> DeleteForNow(bool inBackground, IReadOnlyList<SlotSummary> rows, CancellationToken cancellation) =>
        store.Change(inBackground, files => store.DeleteForNow(files, rows), cancellation);

    public override ValueTask<bool> DeleteForGood(bool inBackground, SlotSummary row, CancellationToken cancellation) =>
        store.Change(inBackground, files => store.DeleteForGood(files, row), cancellation);

    public override ValueTask<int> BringBack(bool inBackground, Undoable undoable, CancellationToken cancellation) =>
        store.Change(inBackground, files => store.BringBack(files, undoable), cancellation);

    public override ValueTask<SlotName> Rename(
        bool inBackground, SlotName slot, string typed, Overwrite overwrite, bool isPlace, CancellationToken cancellation) =>
        store.Change(inBackground, files => store.RenameTo(files, slot, typed, overwrite, isPlace), cancellation);

    public override ValueTask<SlotName> Copy(
        bool inBackground, SlotSummary row, string typed, Overwrite overwrite, CancellationToken cancellation) =>
        store.Change(inBackground, files => store.CopyTo(files, row, typed, overwrite), cancellation);

    public override ValueTask<bool> Export(
        bool inBackground, SlotSummary row, string path, Overwrite overwrite, CancellationToken cancellation) => store.Look(
            inBackground,
            async files => await SaveSlots.Export(
                files, row.Slot,
                row.Slot.IsRing ? (await SaveStore<T>.GenerationsOf(files, row).ConfigureAwait(false)).ConvertAll(one => one.Number) : null,
                path, overwrite).ConfigureAwait(false),
            cancellation);

    public override ValueTask<SlotImport> Import(bool inBackground, string path, SlotName? slot, CancellationToken cancellation) =>
        store.Change(inBackground, files => store.ImportSlot(files, path, slot), cancellation);
}

/// <summary>What a game plays that uses a store without a session.</summary>
internal sealed class PlayedState<T>(SaveStore<T> store, ScreenGame<T> game) : PlayedOnScreen where T : class, IStateRoot<T>
{
    public override ScreenRefusal Playing =>
        game.Playing is null ? ScreenRefusal.NotOffered : game.Playing() is null ? ScreenRefusal.NothingPlayed : ScreenRefusal.None;

    public override bool CanLoad => game.Load is not null;

    public override bool CanBegin => game.New is not null;

    public override ValueTask<SaveReceipt> Save(
        bool inBackground, SlotName slot, string? name, Overwrite overwrite, CancellationToken cancellation)
    {
        var state = State;
        var label = game.Label?.Invoke() ?? new SaveLabel();
        if (name is not null)
            label = label with { Name = name };
        return inBackground
            ? new(store.SaveAsync(slot, state, label, overwrite, cancellationToken: cancellation))
            : new(store.Save(slot, state, label, overwrite));
    }

    public override async ValueTask<bool> Load(bool inBackground, WhichSave which, CancellationToken cancellation)
    {
        var read = inBackground ? await store.ReadAsync(which, null, cancellation).ConfigureAwait(true) : store.Read(which, null);
        if (!read.Found)
            return false;
        store.GoOnWith(read);
        game.Load!(read);
        return true;
    }

    public override ValueTask<bool> Begin(bool inBackground)
    {
        store.StartPlaythrough();
        game.New!();
        return new(true);
    }

    public override ValueTask<bool> WouldLoseProgress(bool inBackground, CancellationToken cancellation) => inBackground
        ? new(store.WouldLoseProgressAsync(State, game.NoProgress, cancellation))
        : new(store.WouldLoseProgress(State, game.NoProgress));

    private T State => game.Playing!()!;
}
