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
    /// <exception cref="SessionException">Nothing is being played, or the scene is not ready yet.</exception>
    /// <inheritdoc cref="SaveStore{T}.Save(SlotName, T, SaveLabel, Overwrite)"/>
    public SaveReceipt Save(SlotName slot, SaveLabel? label = null, Overwrite overwrite = Overwrite.Refused)
    {
        var receipt = _store.Save(slot, TakeDown(), LabelOf(label), overwrite);
        _autosaves.NoticeSave();
        return receipt;
    }

    /// <summary>Saves what is being played to the slot that was loaded from or saved to last.</summary>
    /// <exception cref="SlotException">There is none yet.</exception>
    /// <inheritdoc cref="Save(SlotName, SaveLabel, Overwrite)"/>
    public SaveReceipt SaveToCurrent(SaveLabel? label = null)
    {
        var receipt = _store.Save(TakeDown(), LabelOf(label));
        _autosaves.NoticeSave();
        return receipt;
    }

    /// <summary>Saves what is being played at this moment to a slot, in the background.</summary>
    /// <exception cref="SessionException">Nothing is being played, or the scene is not ready yet.</exception>
    /// <inheritdoc cref="SaveStore{T}.SaveAsync"/>
    public Task<SaveReceipt> SaveAsync(
        SlotName slot, SaveLabel? label = null, Overwrite overwrite = Overwrite.Refused, IProgress<SaveProgress>? progress = null,
        CancellationToken cancellationToken = default)
    {
        var saving = _store.SaveAsync(slot, TakeDown(), LabelOf(label), overwrite, progress, cancellationToken);
        _autosaves.NoticeSave();
        return saving;
    }

    /// <summary>Saves to the ring of quick saves.</summary>
    /// <inheritdoc cref="Save(SlotName, SaveLabel, Overwrite)"/>
    public SaveReceipt QuickSave(SaveLabel? label = null) => Save(SlotName.Quick, label);

    /// <summary>
    /// Leaves what is being played: saves automatically if the policy says so and nothing holds it, and waits until all is on the disk.
    /// </summary>
    /// <returns>The receipt; null where nothing was saved.</returns>
    /// <exception cref="SaveException">It could not be saved; the session goes on.</exception>
    public SaveReceipt? Quit()
    {
        SaveReceipt? receipt = null;
        if (IsReady && _options.Autosave.OnQuit && _autosaves.Reasons.Count == 0)
            receipt = _store.Save(SlotName.Auto, TakeDown(), LabelOf(null));
        _store.WaitForBackground();
        Dispose();
        return receipt;
    }

    /// <summary>
    /// What would be lost if the game were left now: the differences to the newest save of this playthrough. The time played does not
    /// count.
    /// </summary>
    /// <exception cref="SaveException">Nothing is being played, or the newest save cannot be loaded.</exception>
    public IReadOnlyList<StateChange> UnsavedChanges() =>
        _store.UnsavedChanges(TakeDown(), $"{SessionSection}/{SessionArchive.ClockSection}");

    /// <summary>What is being played as a tree of lines, in the form in which <c>lodrik show</c> shows a save.</summary>
    /// <param name="full">Whether long lists are shown to their end.</param>
    /// <exception cref="SaveException">Nothing is being played, or it cannot be saved as it is.</exception>
    public string Print(bool full = false) => SavedFile.FromBytes(StateFile.ToBytes(TakeDown(), SaveForm.Binary)).Print(full);

    /// <summary>The name of the group that the save root has the session's part under.</summary>
    private static string SessionSection { get; } = GroupNames.Of<TSave>(state => state.Session);

    private void SaveByItself()
    {
        try
        {
            LastAutosave = _store.SaveAsync(SlotName.Auto, TakeDown(), LabelOf(null));
        }
        catch (SaveException problem)
        {
            // The scene could not be captured. The game goes on, and whoever looks at the task learns why nothing was saved.
            LastAutosave = Task.FromException<SaveReceipt>(problem);
        }
        _autosaves.NoticeSave();
    }

    /// <summary>Everything that a save of this moment holds.</summary>
    private TSave TakeDown()
    {
        EnsureReady();
        CaptureScene();
        var archive = _state!.Session;
        archive.Put(SessionArchive.PlaceSection, new PlaceState { Scene = _place.Scene, Entrance = _place.Entrance });
        archive.Put(SessionArchive.ClockSection, new ClockState { Played = Clock.Played });
        foreach (var subsystem in _subsystems.Values)
            subsystem.Take(archive);
        WriteCheckpoints(archive);
        return _state;
    }

    private SaveLabel LabelOf(SaveLabel? label)
    {
        var shown = label ?? _options.Label?.Invoke(_state!) ?? new SaveLabel();
        return shown.Played == TimeSpan.Zero ? shown with { Played = Clock.Played } : shown;
    }
}
