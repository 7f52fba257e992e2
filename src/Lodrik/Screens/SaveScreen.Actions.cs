using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Screens;

// What each button does: whether it may, what is asked first, and what is said of it.
public sealed partial class SaveScreen
{
    /// <summary>Why a button does nothing now.</summary>
    private ScreenRefusal RefusalOf(ScreenAction action)
    {
        var selected = Selected;
        var ofSelected = selected is null ? ScreenRefusal.NothingSelected
            : selected.IsEmpty ? ScreenRefusal.EmptyPlace : ScreenRefusal.None;
        return action switch
        {
            ScreenAction.Save => First(_played.Playing, ToSave(selected)),
            ScreenAction.SaveAs => First(_played.Playing, Free),
            ScreenAction.Load => First(Offered(_played.CanLoad), ofSelected, selected?.Refusal ?? default),
            ScreenAction.Continue => First(
                Offered(_played.CanLoad), _view.Listed.Any(IsLoadable) ? ScreenRefusal.None : ScreenRefusal.NoSaves),
            ScreenAction.New => Offered(_played.CanBegin),
            ScreenAction.Delete or ScreenAction.Export => ofSelected,
            ScreenAction.Rename => First(ofSelected, KeptByGame(selected)),
            ScreenAction.Copy => First(ofSelected, Free),
            ScreenAction.ClearAll => _view.Listed.Count > 0 ? ScreenRefusal.None : ScreenRefusal.NoSaves,
            ScreenAction.Undo => _saves.LastDeletion is null ? ScreenRefusal.NothingDeleted : ScreenRefusal.None,
            ScreenAction.Import => selected is { IsPlace: true, IsEmpty: true } ? ScreenRefusal.None : Free,
            _ => throw new ArgumentOutOfRangeException(nameof(action), action, "There is no such button."),
        };
    }

    private ScreenRefusal ToSave(SaveRow? selected) => selected is null
        ? _saves.CurrentSlot is null ? ScreenRefusal.NothingSelected : ScreenRefusal.None
        : First(KeptByGame(selected), selected.Refusal == ScreenRefusal.NewerVersion ? ScreenRefusal.NewerVersion : ScreenRefusal.None);

    private static ScreenRefusal KeptByGame(SaveRow? row) => row?.Slot.IsRing == true ? ScreenRefusal.KeptByGame : ScreenRefusal.None;

    /// <summary>Whether there may be slots of any name.</summary>
    private ScreenRefusal Free => _saves.FixedPlaces.Count > 0 ? ScreenRefusal.FixedPlaces : ScreenRefusal.None;

    private static ScreenRefusal Offered(bool isOffered) => isOffered ? ScreenRefusal.None : ScreenRefusal.NotOffered;

    private static ScreenRefusal First(params ReadOnlySpan<ScreenRefusal> refusals)
    {
        foreach (var refusal in refusals)
        {
            if (refusal != ScreenRefusal.None)
                return refusal;
        }
        return ScreenRefusal.None;
    }

    private static bool IsLoadable(SlotSummary slot) => slot.Health is SlotHealth.Readable or SlotHealth.FellBack;

    private static ScreenRefusal Typed(ScreenAction action, string text) => action switch
    {
        ScreenAction.SaveAs or ScreenAction.Rename when SaveLabel.NameOf(text).Length == 0 => ScreenRefusal.NothingTyped,
        ScreenAction.SaveAs or ScreenAction.Rename or ScreenAction.Copy when text.Trim().Length > SaveLabel.MaxNameLength =>
            ScreenRefusal.TooLong,
        ScreenAction.Export or ScreenAction.Import when text.Length == 0 => ScreenRefusal.NothingTyped,
        _ => ScreenRefusal.None,
    };

    private ValueTask<ScreenOutcome> Act(ScreenAction action, string text, bool inBackground, CancellationToken cancellation)
    {
        _question = null;
        if (First(RefusalOf(action), Typed(action, text)) is not ScreenRefusal.None and var refusal)
            return new(ScreenOutcome.Refused(refusal));
        var (row, all) = (Selected, _view.Listed);
        return action switch
        {
            ScreenAction.Save => Save(row, inBackground, cancellation),
            ScreenAction.SaveAs => SaveAs(text.Trim(), inBackground, cancellation),
            ScreenAction.Load => Leave(
                action, inBackground, cancellation, (inBackground, cancellation) => Load(row, inBackground, cancellation)),
            ScreenAction.Continue => Leave(
                action, inBackground, cancellation, (inBackground, cancellation) => Load(null, inBackground, cancellation)),
            ScreenAction.New => Leave(action, inBackground, cancellation, Begin),
            ScreenAction.Delete => new(Ask(
                ScreenQuestionKind.Delete, action, row, 1, $"Delete {Quoted(row!)}?",
                (inBackground, cancellation) => Delete([row!.Listed], inBackground, cancellation))),
            ScreenAction.ClearAll => new(Ask(
                ScreenQuestionKind.ClearAll, action, null, all.Count, $"Delete {Saves(all.Count)}?",
                (inBackground, cancellation) => Delete(all, inBackground, cancellation))),
            ScreenAction.Undo => Undo(inBackground, cancellation),
            ScreenAction.Rename => Rename(row!, text.Trim(), Overwrite.Refused, inBackground, cancellation),
            ScreenAction.Copy => Copy(
                row!, SaveLabel.NameOf(text) is { Length: > 0 } typed ? typed : SlotNaming.FreeTitle(all, row!.Caption),
                Overwrite.Refused, inBackground, cancellation),
            ScreenAction.Export => Export(row!, text, Overwrite.Refused, inBackground, cancellation),
            _ => Import(row is { IsPlace: true, IsEmpty: true } ? row.Slot : (SlotName?)null, text, inBackground, cancellation),
        };
    }

    /// <summary>Opens a question.</summary>
    private ScreenOutcome Ask(
        ScreenQuestionKind kind, ScreenAction action, SaveRow? row, int count, string text,
        Func<bool, CancellationToken, ValueTask<ScreenOutcome>> yes)
    {
        var question = new ScreenQuestion(kind, action, row, count, text, yes);
        _question = question;
        return new ScreenOutcome(ScreenOutcomeKind.Asks, text) { Question = question };
    }

    private static async ValueTask<ScreenOutcome> Done(ValueTask<bool> filled, string message)
    {
        await filled.ConfigureAwait(true);
        return new ScreenOutcome(ScreenOutcomeKind.Done, message);
    }

    private ValueTask<ScreenOutcome> Save(SaveRow? row, bool inBackground, CancellationToken cancellation)
    {
        var slot = row?.Slot ?? _saves.CurrentSlot!.Value;
        // Going on saving where one has saved before is no surprise.
        return row is { IsEmpty: false } && slot != _saves.CurrentSlot
            ? new(AskToReplace(ScreenAction.Save, row, slot, null))
            : SaveTo(ScreenAction.Save, slot, null, Overwrite.Refused, inBackground, cancellation);
    }

    private ValueTask<ScreenOutcome> SaveAs(string typed, bool inBackground, CancellationToken cancellation)
    {
        var listed = _view.Listed;
        return SlotNaming.Meant(listed, typed) is { } meant
            ? new(AskToReplace(ScreenAction.SaveAs, RowOf(meant), meant.Slot, typed))
            : SaveTo(
                ScreenAction.SaveAs, SlotNaming.Free(listed.Select(one => one.Slot), SlotName.FromTitle(typed)), typed, Overwrite.Refused,
                inBackground, cancellation);
    }

    private ScreenOutcome AskToReplace(ScreenAction action, SaveRow row, SlotName slot, string? typed) => Ask(
        ScreenQuestionKind.Replace, action, row, 1, $"Replace {Quoted(row)}?", (inBackground, cancellation) =>
            _played.Playing is not ScreenRefusal.None and var refusal
                ? new(ScreenOutcome.Refused(refusal))
                : SaveTo(action, slot, typed, Overwrite.Allowed, inBackground, cancellation));

    private async ValueTask<ScreenOutcome> SaveTo(
        ScreenAction action, SlotName slot, string? typed, Overwrite overwrite, bool inBackground, CancellationToken cancellation)
    {
        try
        {
            var receipt = await _played.Save(inBackground, slot, typed, overwrite, cancellation).ConfigureAwait(true);
            var outcome = await Done(FillIfPossible(inBackground, slot, cancellation), "").ConfigureAwait(true);
            return outcome with { Message = $"Saved {Quoted(Selected, slot)}.", Receipt = receipt };
        }
        catch (SlotTakenException taken)
        {
            // Something was saved there since the list was read.
            await FillIfPossible(inBackground, null, cancellation).ConfigureAwait(true);
            return AskToReplace(action, RowOf(taken.Occupant), slot, typed);
        }
    }

    /// <summary>Does what ends the game that is being played, after asking if something of it would be lost.</summary>
    private async ValueTask<ScreenOutcome> Leave(
        ScreenAction action, bool inBackground, CancellationToken cancellation, Func<bool, CancellationToken, ValueTask<ScreenOutcome>> act)
    {
        if (_played.Playing == ScreenRefusal.None && await _played.WouldLoseProgress(inBackground, cancellation).ConfigureAwait(true))
            return Ask(
                ScreenQuestionKind.Discard, action, action == ScreenAction.Load ? Selected : null, 1,
                "What was played since the last save will be lost. Go on?", act);
        return await act(inBackground, cancellation).ConfigureAwait(true);
    }

    /// <summary>Loads a row; the newest save where there is none.</summary>
    private async ValueTask<ScreenOutcome> Load(SaveRow? row, bool inBackground, CancellationToken cancellation)
    {
        var which = row is null ? WhichSave.Newest : new WhichSave(row.Slot, Playthrough: row.Listed.Playthrough);
        var isLoaded = await _played.Load(inBackground, which, cancellation).ConfigureAwait(true);
        await FillIfPossible(inBackground, null, cancellation).ConfigureAwait(true);
        if (!isLoaded)
            return ScreenOutcome.Refused(ScreenRefusal.NoSaves);
        return new ScreenOutcome(ScreenOutcomeKind.Done, $"Loaded {(row is null ? "the newest save" : Quoted(row))}.");
    }

    private async ValueTask<ScreenOutcome> Begin(bool inBackground, CancellationToken cancellation)
    {
        await _played.Begin(inBackground).ConfigureAwait(true);
        return await Done(FillIfPossible(inBackground, null, cancellation), "A new game begins.").ConfigureAwait(true);
    }

    private async ValueTask<ScreenOutcome> Delete(IReadOnlyList<SlotSummary> rows, bool inBackground, CancellationToken cancellation)
    {
        int count;
        try
        {
            count = await _saves.DeleteForNow(inBackground, rows, cancellation).ConfigureAwait(true);
        }
        catch (StorageException problem)
        {
            await FillIfPossible(inBackground, null, cancellation).ConfigureAwait(true);
            // A full disk is a reason to delete saves, and must not keep anybody from it.
            return rows is [var only] && _view.Listed.Any(one => one.Slot == only.Slot)
                ? Ask(
                    ScreenQuestionKind.DeleteForGood, ScreenAction.Delete, RowOf(only), 1,
                    $"{problem.Problem} Delete {Quoted(RowOf(only))} for good?",
                    async (inBackground, cancellation) =>
                    {
                        await _saves.DeleteForGood(inBackground, only, cancellation).ConfigureAwait(true);
                        return await Done(FillIfPossible(inBackground, null, cancellation), $"Deleted {Quoted(RowOf(only))} for good.")
                            .ConfigureAwait(true);
                    })
                : ScreenOutcome.Failed(problem);
        }
        var what = rows is [var one] ? Quoted(RowOf(one)) : Saves(count);
        return await Done(
            FillIfPossible(inBackground, null, cancellation), $"Deleted {what}. Undo brings {(count == 1 ? "it" : "them")} back.")
            .ConfigureAwait(true);
    }

    private async ValueTask<ScreenOutcome> Undo(bool inBackground, CancellationToken cancellation)
    {
        if (_saves.LastDeletion is not { } deletion)
            return ScreenOutcome.Refused(ScreenRefusal.NothingDeleted);
        try
        {
            var count = await _saves.BringBack(inBackground, deletion, cancellation).ConfigureAwait(true);
            var only = deletion.Rows is [var row] ? row : null;
            return await Done(
                FillIfPossible(inBackground, only?.Slot, cancellation),
                only is not null ? $"{Quoted(RowOf(only))} is back." : count == 1 ? "One save is back." : $"{count} saves are back.")
                .ConfigureAwait(true);
        }
        catch (SlotTakenException taken)
        {
            await FillIfPossible(inBackground, null, cancellation).ConfigureAwait(true);
            return ScreenOutcome.Failed(taken) with
            {
                Message = $"{Quoted(RowOf(taken.Occupant))} was saved in its place. Rename that first.",
            };
        }
    }

    private async ValueTask<ScreenOutcome> Rename(
        SaveRow row, string typed, Overwrite overwrite, bool inBackground, CancellationToken cancellation)
    {
        try
        {
            var slot = await _saves.Rename(inBackground, row.Slot, typed, overwrite, row.IsPlace, cancellation).ConfigureAwait(true);
            return await Done(FillIfPossible(inBackground, slot, cancellation), $"{Quoted(row)} is now \"{SaveLabel.NameOf(typed)}\".")
                .ConfigureAwait(true);
        }
        catch (SlotTakenException taken)
        {
            return AskToReplace(ScreenAction.Rename, taken, (inBackground, cancellation) =>
                Rename(row, typed, Overwrite.Allowed, inBackground, cancellation));
        }
    }

    private async ValueTask<ScreenOutcome> Copy(
        SaveRow row, string typed, Overwrite overwrite, bool inBackground, CancellationToken cancellation)
    {
        try
        {
            var slot = await _saves.Copy(inBackground, row.Listed, typed, overwrite, cancellation).ConfigureAwait(true);
            return await Done(FillIfPossible(inBackground, slot, cancellation), $"Copied {Quoted(row)} to \"{typed}\".")
                .ConfigureAwait(true);
        }
        catch (SlotTakenException taken)
        {
            return AskToReplace(ScreenAction.Copy, taken, (inBackground, cancellation) =>
                Copy(row, typed, Overwrite.Allowed, inBackground, cancellation));
        }
    }

    private ScreenOutcome AskToReplace(
        ScreenAction action, SlotTakenException taken, Func<bool, CancellationToken, ValueTask<ScreenOutcome>> yes) =>
        Ask(ScreenQuestionKind.Replace, action, RowOf(taken.Occupant), 1, $"Replace {Quoted(RowOf(taken.Occupant))}?", yes);

    private async ValueTask<ScreenOutcome> Export(
        SaveRow row, string path, Overwrite overwrite, bool inBackground, CancellationToken cancellation)
    {
        if (overwrite == Overwrite.Refused && File.Exists(path))
            return Ask(
                ScreenQuestionKind.ReplaceFile, ScreenAction.Export, row, 1, $"There is a file \"{Path.GetFileName(path)}\". Replace it?",
                (inBackground, cancellation) => Export(row, path, Overwrite.Allowed, inBackground, cancellation));
        await _saves.Export(inBackground, row.Listed, path, overwrite, cancellation).ConfigureAwait(true);
        return new ScreenOutcome(ScreenOutcomeKind.Done, $"Exported {Quoted(row)} to \"{Path.GetFileName(path)}\".");
    }

    private async ValueTask<ScreenOutcome> Import(SlotName? slot, string path, bool inBackground, CancellationToken cancellation)
    {
        var imported = await _saves.Import(inBackground, path, slot, cancellation).ConfigureAwait(true);
        await FillIfPossible(inBackground, imported.Slot, cancellation).ConfigureAwait(true);
        var left = imported.PassedOver.Count == 0 ? "" : $" {Saves(imported.PassedOver.Count)} in the file could not be read.";
        return new ScreenOutcome(ScreenOutcomeKind.Done, $"Imported {Quoted(Selected, imported.Slot)}.{left}")
        {
            Problem = imported.PassedOver.FirstOrDefault(),
        };
    }

    private SaveRow RowOf(SlotSummary slot) =>
        new SaveRow(slot.Slot, slot, isPlace: false) is var row && _view.Find(row) is { IsEmpty: false } shown ? shown : row;

    private static string Quoted(SaveRow row) => $"\"{row.Caption}\"";

    private static string Quoted(SaveRow? row, SlotName slot) => row?.Slot == slot ? Quoted(row) : $"\"{slot}\"";

    private static string Saves(int count) => count == 1 ? "one save" : $"{count} saves";
}
