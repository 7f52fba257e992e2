using Lodrik.Storage;

namespace Lodrik.Screens;

/// <summary>
/// A save screen without its looks: its rows in their order, the selected one, what each button may do now and why not, and the questions
/// to put to the player. A game draws what it finds here, and tells it which button was pressed.
/// </summary>
/// <remarks>
/// It may be looked at from any thread at any time. One thing is done at a time: what is pressed meanwhile is refused as
/// <see cref="ScreenRefusal.Busy"/>. The game's own functions are called on the thread that presses; after waiting for a load in the
/// background, in its <see cref="SynchronizationContext"/> if it has one. What cannot be done is never an exception but an outcome; only
/// what the game's own functions throw comes through.
/// </remarks>
public sealed partial class SaveScreen
{
    private readonly SavesOnScreen _saves;
    private readonly PlayedOnScreen _played;
    private readonly SaveScreenOptions _options;
    private volatile View _view = new([], [], null);
    private volatile ScreenQuestion? _question;
    private int _isBusy;

    internal SaveScreen(SavesOnScreen saves, PlayedOnScreen played, SaveScreenOptions options) =>
        (_saves, _played, _options) = (saves, played, options);

    /// <summary>The rows: the places first, then whatever else there is, in the order of the options.</summary>
    public IReadOnlyList<SaveRow> Rows => _view.Rows;

    /// <summary>The row that the buttons are about; null if none is selected.</summary>
    public SaveRow? Selected => _view.Selected;

    /// <summary>The question that is open; null if none is. Pressing another button closes it.</summary>
    public ScreenQuestion? Question => _question;

    /// <summary>Whether what was pressed last is still being done.</summary>
    public bool IsBusy => Volatile.Read(ref _isBusy) != 0;

    /// <summary>Selects a row.</summary>
    /// <param name="row">The row; null selects none. A row of an older list means the one that is there now.</param>
    public void Select(SaveRow? row)
    {
        View view;
        do
            view = _view;
        while (Interlocked.CompareExchange(ref _view, view with { Selected = row is null ? null : view.Find(row) }, view) != view);
    }

    /// <summary>Selects the row of a slot; no row where there is none.</summary>
    public void Select(SlotName slot) => Select(_view.Rows.FirstOrDefault(row => row.Slot == slot));

    /// <summary>Whether a button does something now, and why not. No file is read for it.</summary>
    /// <param name="action">The button.</param>
    public ScreenChoice Can(ScreenAction action) => new(IsBusy ? ScreenRefusal.Busy : RefusalOf(action));

    /// <summary>
    /// Reads the list again, after something other than this screen has saved or deleted. The selected row stays selected.
    /// </summary>
    public ScreenOutcome Refresh() => Do(null, false, default, Refreshed).Result();

    /// <param name="cancellationToken">Cancels it; the list stays as it is.</param>
    /// <inheritdoc cref="Refresh()"/>
    public Task<ScreenOutcome> RefreshAsync(CancellationToken cancellationToken = default) =>
        Do(null, true, cancellationToken, Refreshed).AsTask();

    /// <summary>Presses a button. What has to be asked first is not done until <see cref="Answer(bool)"/> says yes.</summary>
    /// <param name="action">The button.</param>
    /// <param name="text">What was typed: a name, or the path of a file; empty if the button takes nothing.</param>
    /// <returns>What came of it.</returns>
    public ScreenOutcome Press(ScreenAction action, string text = "")
    {
        ArgumentNullException.ThrowIfNull(text);
        return Do(action, false, default, (inBackground, cancellation) => Act(action, text, inBackground, cancellation)).Result();
    }

    /// <param name="action">The button.</param>
    /// <param name="text">What was typed: a name, or the path of a file; empty if the button takes nothing.</param>
    /// <param name="cancellationToken">Cancels it, as far as that still goes.</param>
    /// <inheritdoc cref="Press(ScreenAction, string)"/>
    public Task<ScreenOutcome> PressAsync(ScreenAction action, string text = "", CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(text);
        return Do(action, true, cancellationToken, (inBackground, cancellation) => Act(action, text, inBackground, cancellation)).AsTask();
    }

    /// <summary>Answers the question that is open.</summary>
    /// <param name="yes">Whether the player agrees.</param>
    public ScreenOutcome Answer(bool yes) => Answer(yes, false, default).Result();

    /// <param name="yes">Whether the player agrees.</param>
    /// <param name="cancellationToken">Cancels it, as far as that still goes.</param>
    /// <inheritdoc cref="Answer(bool)"/>
    public Task<ScreenOutcome> AnswerAsync(bool yes, CancellationToken cancellationToken = default) =>
        Answer(yes, true, cancellationToken).AsTask();

    /// <summary>The selected row with its picture and its history; null if nothing is selected, or the place is empty.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public SaveDetails? Details() => Details(false, default).Result();

    /// <param name="cancellationToken">Cancels it.</param>
    /// <inheritdoc cref="Details()"/>
    public Task<SaveDetails?> DetailsAsync(CancellationToken cancellationToken = default) => Details(true, cancellationToken).AsTask();

    /// <summary>A row's picture as PNG; null if it has none.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public byte[]? Picture(SaveRow row) => Picture(row, false, default).Result();

    /// <param name="row">The row.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <inheritdoc cref="Picture(SaveRow)"/>
    public Task<byte[]?> PictureAsync(SaveRow row, CancellationToken cancellationToken = default) =>
        Picture(row, true, cancellationToken).AsTask();

    internal void Fill() => Fill(false, null, default).Result();

    internal Task FillAsync(CancellationToken cancellation) => Fill(true, null, cancellation).AsTask();

    /// <summary>Does one thing, unless another one is being done.</summary>
    private async ValueTask<ScreenOutcome> Do(
        ScreenAction? action, bool inBackground, CancellationToken cancellation,
        Func<bool, CancellationToken, ValueTask<ScreenOutcome>> act)
    {
        if (Interlocked.Exchange(ref _isBusy, 1) != 0)
            return ScreenOutcome.Refused(ScreenRefusal.Busy) with { Action = action };
        try
        {
            var outcome = await act(inBackground, cancellation).ConfigureAwait(true);
            return outcome with { Action = action };
        }
        catch (SaveException problem)
        {
            return ScreenOutcome.Failed(problem) with { Action = action };
        }
        finally
        {
            Volatile.Write(ref _isBusy, 0);
        }
    }

    private ValueTask<ScreenOutcome> Answer(bool yes, bool inBackground, CancellationToken cancellation) => Do(
        _question?.Action, inBackground, cancellation, async (inBackground, cancellation) =>
        {
            if (Interlocked.Exchange(ref _question, null) is not { } question)
                return ScreenOutcome.Refused(ScreenRefusal.NoQuestion);
            return yes
                ? await question.Yes(inBackground, cancellation).ConfigureAwait(true)
                : new ScreenOutcome(ScreenOutcomeKind.Cancelled, "Nothing was changed.");
        });

    private async ValueTask<SaveDetails?> Details(bool inBackground, CancellationToken cancellation)
    {
        if (Selected is not { IsEmpty: false } row)
            return null;
        var (picture, history) = await _saves.Details(inBackground, row.Listed, cancellation).ConfigureAwait(true);
        return new SaveDetails(
            row, picture is null ? null : (ReadOnlyMemory<byte>?)picture, history, row.Listed.File, row.Listed.ByteCount,
            row.Listed.Header);
    }

    private ValueTask<byte[]?> Picture(SaveRow row, bool inBackground, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(row);
        return row.HasPicture ? _saves.Picture(inBackground, row.Listed, cancellation) : new((byte[]?)null);
    }

    private async ValueTask<ScreenOutcome> Refreshed(bool inBackground, CancellationToken cancellation)
    {
        await Fill(inBackground, null, cancellation).ConfigureAwait(true);
        return new ScreenOutcome(ScreenOutcomeKind.Done, "");
    }

    /// <summary>Reads the list.</summary>
    /// <param name="inBackground">Whether it is read in the background.</param>
    /// <param name="selected">The slot that is selected from now on; null keeps the row that is.</param>
    /// <param name="cancellation">Cancels it.</param>
    private async ValueTask<bool> Fill(bool inBackground, SlotName? selected, CancellationToken cancellation)
    {
        var listed = await _saves.List(inBackground, cancellation).ConfigureAwait(true);
        var places = _options.Places ?? _saves.FixedPlaces;
        var newest = listed.FirstOrDefault(slot => slot.Health is SlotHealth.Readable or SlotHealth.FellBack);
        var rows = places.Select(place => RowOf(place, listed.FirstOrDefault(slot => slot.Slot == place), isPlace: true)).ToList();
        rows.AddRange(Ordered(listed
            .Where(slot => !places.Contains(slot.Slot))
            .Where(slot => _options.Kinds.Count == 0 || (slot.Header is { } header && _options.Kinds.Contains(header.Kind)))
            .Select(slot => RowOf(slot.Slot, slot, isPlace: false))));
        View before;
        View after;
        do
        {
            before = _view;
            var row = selected is { } slot ? rows.Find(one => one.Slot == slot)
                : before.Selected is { } was ? rows.Find(was.IsSameAs) : null;
            // Once the selected row is gone, the one that took its place is selected.
            if (row is null && selected is null && before.Selected is { } gone && rows.Count > 0)
                row = rows[Math.Clamp(before.Rows.IndexOf(gone), 0, rows.Count - 1)];
            after = new View(rows, listed, row);
        }
        while (Interlocked.CompareExchange(ref _view, after, before) != before);
        return true;

        SaveRow RowOf(SlotName slot, SlotSummary? summary, bool isPlace) => new(slot, summary, isPlace)
        {
            IsCurrent = summary is not null && slot == _saves.CurrentSlot,
            IsNewest = summary is not null && summary == newest,
        };
    }

    /// <summary>
    /// Reads the list after something was done. That is done also if the list cannot be read, and then the old one stays.
    /// </summary>
    private async ValueTask<bool> FillIfPossible(bool inBackground, SlotName? selected, CancellationToken cancellation)
    {
        try
        {
            return await Fill(inBackground, selected, cancellation).ConfigureAwait(true);
        }
        catch (StorageException)
        {
            return false;
        }
    }

    /// <summary>Rows in the order of the options; those that cannot be read, and do not know when they were saved, come last.</summary>
    private IEnumerable<SaveRow> Ordered(IEnumerable<SaveRow> newestFirst) => _options.Order switch
    {
        ScreenOrder.Oldest => newestFirst.Reverse().OrderBy(row => row.Saved is null),
        ScreenOrder.Caption =>
            newestFirst.OrderBy(row => row.Saved is null).ThenBy(row => row.Caption, StringComparer.CurrentCultureIgnoreCase),
        ScreenOrder.Played => newestFirst.OrderBy(row => row.Saved is null).ThenByDescending(row => row.Played),
        _ => newestFirst,
    };

    /// <summary>What the screen shows at a moment.</summary>
    /// <param name="Rows">The rows.</param>
    /// <param name="Listed">All slots that there are, shown or not.</param>
    /// <param name="Selected">The selected row, one of the rows.</param>
    private sealed record View(List<SaveRow> Rows, IReadOnlyList<SlotSummary> Listed, SaveRow? Selected)
    {
        public SaveRow? Find(SaveRow row) => Rows.Find(row.IsSameAs);
    }
}
