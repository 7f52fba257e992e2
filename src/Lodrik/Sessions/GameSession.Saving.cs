using System.Diagnostics;
using Lodrik.Inspection;
using Lodrik.Sessions;
using Lodrik.Slots;
using Lodrik.State;

namespace Lodrik;

// Saving what is being played, by the player's wish and by itself, and looking at it.
public sealed partial class GameSession<TSave, TScene>
{
    /// <summary>The automatic save that was begun last; done with its receipt. Null before the first.</summary>
    public Task<SaveReceipt>? LastAutosave { get; private set; }

    /// <summary>Why no automatic save is made now.</summary>
    public IReadOnlyList<string> AutosaveHeldBy => _autosaves.Reasons;

    /// <summary>
    /// Puts off automatic saves until what this gives is disposed of: during a fight, in a cut scene. One that becomes due meanwhile is
    /// made up for.
    /// </summary>
    /// <param name="reason">Why, in words.</param>
    public IDisposable HoldAutosaves(string reason)
    {
        ArgumentException.ThrowIfNullOrEmpty(reason);
        return _autosaves.Hold(reason);
    }

    /// <summary>Saves what is being played to a slot.</summary>
    /// <param name="slot">The slot, new or not.</param>
    /// <param name="label">What the slot list shows; null takes it from the options.</param>
    /// <param name="overwrite">Whether a slot that holds another playthrough may be written over.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <exception cref="SessionException">Nothing is being played, or the scene is not ready yet.</exception>
    /// <inheritdoc cref="SaveStore{T}.Save(SlotName, T, SaveLabel, Overwrite, IProgress{SaveProgress})"/>
    public SaveReceipt Save(
        SlotName slot, SaveLabel? label = null, Overwrite overwrite = Overwrite.Refused, IProgress<SaveProgress>? progress = null)
    {
        var receipt = _store.SaveSince(Stopwatch.GetTimestamp(), slot, TakeDown().State, LabelOf(label), overwrite, progress);
        _autosaves.NoticeSave();
        return receipt;
    }

    /// <summary>Saves what is being played at this moment to a slot, in the background.</summary>
    /// <param name="slot">The slot, new or not.</param>
    /// <param name="label">What the slot list shows; null takes it from the options.</param>
    /// <param name="overwrite">Whether a slot that holds another playthrough may be written over.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <param name="cancellationToken">Gives the save up as long as writing has not begun, and no other save relies on this one.</param>
    /// <inheritdoc cref="Save(SlotName, SaveLabel, Overwrite, IProgress{SaveProgress})"/>
    public Task<SaveReceipt> SaveAsync(
        SlotName slot, SaveLabel? label = null, Overwrite overwrite = Overwrite.Refused, IProgress<SaveProgress>? progress = null,
        CancellationToken cancellationToken = default) => InTask(() =>
        {
            var saving = _store.SaveAsyncSince(
                Stopwatch.GetTimestamp(), slot, TakeDown().State, LabelOf(label), overwrite, progress, cancellationToken);
            _autosaves.NoticeSave();
            return saving;
        });

    /// <summary>Saves what is being played to the slot that was loaded from or saved to last.</summary>
    /// <param name="label">What the slot list shows; null takes it from the options.</param>
    /// <exception cref="SlotException">There is none yet.</exception>
    /// <inheritdoc cref="Save(SlotName, SaveLabel, Overwrite, IProgress{SaveProgress})"/>
    public SaveReceipt SaveToCurrent(SaveLabel? label = null)
    {
        var (started, game) = (Stopwatch.GetTimestamp(), TakeDown());
        var receipt = _store.SaveSince(started, _store.RequireCurrentSlot(), game.State, LabelOf(label));
        _autosaves.NoticeSave();
        return receipt;
    }

    /// <summary>Saves what is being played at this moment to the slot that was loaded from or saved to last, in the background.</summary>
    /// <param name="label">What the slot list shows; null takes it from the options.</param>
    /// <param name="cancellationToken">Gives the save up as long as writing has not begun, and no other save relies on this one.</param>
    /// <inheritdoc cref="SaveToCurrent(SaveLabel)"/>
    public Task<SaveReceipt> SaveToCurrentAsync(SaveLabel? label = null, CancellationToken cancellationToken = default) => InTask(() =>
    {
        var (started, game) = (Stopwatch.GetTimestamp(), TakeDown());
        var saving = _store.SaveAsyncSince(
            started, _store.RequireCurrentSlot(), game.State, LabelOf(label), cancellationToken: cancellationToken);
        _autosaves.NoticeSave();
        return saving;
    });

    /// <summary>Saves to the ring of quick saves.</summary>
    /// <param name="label">What the slot list shows; null takes it from the options.</param>
    /// <inheritdoc cref="Save(SlotName, SaveLabel, Overwrite, IProgress{SaveProgress})"/>
    public SaveReceipt QuickSave(SaveLabel? label = null) => Save(SlotName.Quick, label);

    /// <param name="label">What the slot list shows; null takes it from the options.</param>
    /// <param name="cancellationToken">Gives the save up as long as writing has not begun, and no other save relies on this one.</param>
    /// <inheritdoc cref="QuickSave(SaveLabel)"/>
    public Task<SaveReceipt> QuickSaveAsync(SaveLabel? label = null, CancellationToken cancellationToken = default) =>
        SaveAsync(SlotName.Quick, label, cancellationToken: cancellationToken);

    /// <summary>
    /// Leaves what is being played: saves automatically if the policy says so and nothing holds it, and waits until all is on the disk. On
    /// the way to another scene, what is saved is the game as it arrives there.
    /// </summary>
    /// <returns>The receipt, and which saves given to the background have failed, this session's last ones included.</returns>
    /// <exception cref="SaveException">It could not be saved; the session goes on.</exception>
    public QuitResult Quit()
    {
        RefuseInCallback();
        var receipt = SavesOnQuit ? _store.SaveSince(
            Stopwatch.GetTimestamp(), SlotName.Auto, TakeDown(isLeaving: true).State, LabelOf(null)) : null;
        _store.WaitForBackground();
        Dispose();
        return new QuitResult(receipt, _store.FailedSaves);
    }

    /// <summary>
    /// Leaves what is being played: saves automatically if the policy says so and nothing holds it. The session ends where the caller
    /// waits, once all is on the disk; until then the game goes on.
    /// </summary>
    /// <param name="cancellationToken">Cancels it: the session goes on, and so does a save whose writing has begun.</param>
    /// <inheritdoc cref="Quit()"/>
    public async Task<QuitResult> QuitAsync(CancellationToken cancellationToken = default)
    {
        RefuseInCallback();
        var receipt = !SavesOnQuit ? null : await _store
            .SaveAsyncSince(
                Stopwatch.GetTimestamp(), SlotName.Auto, TakeDown(isLeaving: true).State, LabelOf(null),
                cancellationToken: cancellationToken)
            .ConfigureAwait(true);
        await _store.WaitForBackgroundAsync(cancellationToken).ConfigureAwait(true);
        Dispose();
        return new QuitResult(receipt, _store.FailedSaves);
    }

    private bool SavesOnQuit => (IsReady || IsOnTheWay) && _options.Autosave.OnQuit && _autosaves.Reasons.Count == 0;

    /// <summary>Whether the player is between two scenes: the one left was captured, and the other is as it was saved.</summary>
    private bool IsOnTheWay =>
        _loading is null && _request is { Shown.Cause: SceneChangeCause.Travel } && _game is { Trouble: null, NotTaken: null };

    /// <summary>
    /// What would be lost if the game were left now: the differences to the save that was loaded or written last. The time played does not
    /// count.
    /// </summary>
    /// <exception cref="SaveException">Nothing is being played, or the newest save cannot be loaded.</exception>
    public IReadOnlyList<StateChange> UnsavedChanges() => _store.UnsavedChanges(TakeDown().State, NotPlayed);

    /// <summary>
    /// What would be lost if the game were left now. What is being played is copied before this returns, and compared in the background.
    /// </summary>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <inheritdoc cref="UnsavedChanges()"/>
    public Task<IReadOnlyList<StateChange>> UnsavedChangesAsync(CancellationToken cancellationToken = default) =>
        InTask(() => _store.UnsavedChangesAsync(TakeDown().State, NotPlayed, cancellationToken));

    /// <summary>What changes without the player having done anything.</summary>
    private static string[] NotPlayed =>
        [$"{SessionSection}/{SessionArchive.ClockSection}", $"{SessionSection}/{SessionArchive.NamesSection}"];

    /// <summary>What is being played as a tree of lines, in the form in which <c>lodrik show</c> shows a save.</summary>
    /// <param name="full">Whether long lists are shown to their end.</param>
    /// <exception cref="SaveException">Nothing is being played, or it cannot be saved as it is.</exception>
    public string Print(bool full = false) => SavedFile.FromBytes(StateFile.ToBytes(TakeDown().State, SaveForm.Binary)).Print(full);

    /// <summary>The name of the group that the save root has the session's part under.</summary>
    private static string SessionSection { get; } = GroupNames.Of<TSave>(state => state.Session);

    private void SaveByItself()
    {
        try
        {
            LastAutosave = _store.SaveAsyncSince(Stopwatch.GetTimestamp(), SlotName.Auto, TakeDown().State, LabelOf(null));
        }
        catch (Exception problem) when (problem is not OutOfMemoryException)
        {
            // The scene could not be captured, or code of the game failed. The game goes on, and the task says why nothing was saved.
            LastAutosave = Task.FromException<SaveReceipt>(problem);
        }
        _autosaves.NoticeSave();
    }

    /// <summary>What is being played, with everything in its state that a save of this moment holds.</summary>
    /// <param name="isLeaving">Whether the player may be on the way to another scene.</param>
    private PlayedGame<TSave, TScene> TakeDown(bool isLeaving = false)
    {
        RefuseInCallback();
        var isOnTheWay = isLeaving && IsOnTheWay;
        var game = isOnTheWay ? _request!.Game : RequireReady();
        CallBack(() =>
        {
            if (!isOnTheWay)
                Capture(game);
            TakeSubsystems(game.State);
        });
        var archive = game.State.Session;
        archive.Put(SessionArchive.PlaceSection, new PlaceState { Scene = game.Place.Scene, Entrance = game.Place.Entrance });
        if (game.Renamed.Count > 0)
            archive.Put(SessionArchive.NamesSection, new NamesState { Renamed = [.. game.Renamed.Order(StringComparer.Ordinal)] });
        archive.Put(SessionArchive.ClockSection, new ClockState { Played = Clock.Played });
        WriteCheckpoints(archive, game.Checkpoints);
        return game;
    }

    private SaveLabel LabelOf(SaveLabel? label)
    {
        SaveLabel? shown;
        try
        {
            shown = label ?? CallBack(() => _options.Label?.Invoke(_game!.State)) ?? new SaveLabel();
        }
        catch (Exception problem) when (problem is not (OutOfMemoryException or SaveException))
        {
            throw InWords(problem, "when it was asked for the label of a save (Label)");
        }
        return shown.Played == TimeSpan.Zero ? shown with { Played = Clock.Played } : shown;
    }
}
