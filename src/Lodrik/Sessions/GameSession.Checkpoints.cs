using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.Sessions;
using Lodrik.State;

namespace Lodrik;

// Checkpoints: what the player can be put back to.
public sealed partial class GameSession<TSave, TScene>
{
    private readonly List<CheckpointSection> _checkpoints = [];

    /// <summary>The checkpoints of what is being played, the newest last.</summary>
    public IReadOnlyList<SessionCheckpoint> Checkpoints => [.. _checkpoints.Select(one => one.Shown)];

    /// <summary>Marks this moment as a checkpoint, in place of an earlier one of the same name.</summary>
    /// <param name="name">The checkpoint's name: not empty.</param>
    /// <param name="inSave">Whether it goes into the saves that follow, or is in memory only.</param>
    /// <exception cref="SaveException">Nothing is being played, or it cannot be saved as it is.</exception>
    public SessionCheckpoint Mark(string name = "last", bool inSave = false)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        // A checkpoint holds neither the checkpoints before it nor what survives the way back.
        using var snapshot = Snapshot.Of(TakeDown(), isWanted: section => !CheckpointShape.IsName(section) && !_survivors.Has(section));
        var checkpoint = new SessionCheckpoint(name, _place, Clock.Played, inSave);
        var marked = new CheckpointSection(checkpoint, _checkpoints.Count, snapshot.Keep());
        DeleteCheckpoint(name);
        _checkpoints.Add(marked);
        return checkpoint;
    }

    /// <summary>Forgets a checkpoint; false where there is none of that name.</summary>
    public bool DeleteCheckpoint(string name)
    {
        ArgumentNullException.ThrowIfNull(name);
        return _checkpoints.RemoveAll(one => one.Shown.Name == name) > 0;
    }

    /// <summary>
    /// Puts the player back to a checkpoint. What the options name as surviving stays as it is now, and so does the time played; all else
    /// is as it was when the checkpoint was marked. Where the scene is the one that is being played, it stands when this returns.
    /// </summary>
    /// <param name="name">The checkpoint's name; null for the newest.</param>
    /// <exception cref="SessionException">There is no such checkpoint, or nothing is being played.</exception>
    /// <exception cref="SaveException">It cannot be restored; everything is as it was.</exception>
    public void Return(string? name = null) => Begin(ReturnTo(name));

    /// <summary>
    /// Puts the player back to a checkpoint. What the options name as surviving stays as it is now, and so does the time played; all else
    /// is as it was when the checkpoint was marked.
    /// </summary>
    /// <param name="name">The checkpoint's name; null for the newest.</param>
    /// <returns>Done when the scene stands: at once where it is the one that is being played.</returns>
    /// <inheritdoc cref="Return" path="/exception"/>
    public Task<SessionArrival> ReturnAsync(string? name = null) => InTask(() => ReturnTo(name));

    private Task<SessionArrival> ReturnTo(string? name)
    {
        if (_broken is null)
            EnsureReady();
        var marked = _checkpoints.FindLast(one => name is null || one.Shown.Name == name) ?? throw new SessionException(
            SaveErrorCode.NoSuchCheckpoint,
            name is null ? "No checkpoint was marked." : $"There is no checkpoint \"{name}\".",
            remedy: _checkpoints.Count == 0
                ? "Mark one first."
                : $"There are: {string.Join(", ", _checkpoints.Select(one => one.Shown.Name))}.");
        var state = TSave.CreateState();
        SectionReader.ReadAll(new PackedSource(marked.Sections), ref state);
        KeepSurvivors(state);
        // The checkpoint may come from a save that is older than the names of today.
        RenameScenes(state.Scenes);
        var warnings = new List<string>();
        var place = WhereToday(marked.Shown.Place, warnings);
        if (_live is not null && _broken is null && place.Scene == _place.Scene && state.Scenes.Contains(place.Scene))
            return ReturnWithinScene(state, place, warnings);
        Adopt(state, Prepare(state.Session));
        return Ask(place, SceneChangeCause.Checkpoint, warnings);
    }

    private Task<SessionArrival> ReturnWithinScene(TSave state, ScenePlace place, List<string> warnings)
    {
        // The scene first: where that fails, nothing was changed.
        var (before, placeBefore) = (_state!, _place);
        var putsBefore = Prepare(TakeSubsystems(before).Session);
        var puts = Prepare(state.Session);
        var restoration = _live!.BeginReadAndRestore(state.Scenes, place.Scene);
        Adopt(state, puts);
        _place = place;
        _waiting = new Waiting(new SceneChange(place, SceneChangeCause.Checkpoint, canStay: true), RenewLoaded(), warnings);
        _restoration = restoration;
        _takeBack = () =>
        {
            _place = placeBefore;
            Adopt(before, putsBefore);
        };
        if (_options.RestoreBudget is not null)
            return _loaded.Task;
        try
        {
            restoration.Finish();
        }
        catch (SaveException problem)
        {
            Break(problem);
            throw;
        }
        Settle(restoration.Report);
        return _loaded.Task;
    }

    private TaskCompletionSource<SessionArrival> RenewLoaded()
    {
        if (_loaded.Task.IsCompleted)
            _loaded = new TaskCompletionSource<SessionArrival>();
        return _loaded;
    }

    private List<Action> Prepare(SessionArchive archive) => [.. _subsystems.Values.Select(subsystem => subsystem.Prepare(archive))];

    private void Adopt(TSave state, List<Action> puts)
    {
        _state = state;
        foreach (var put in puts)
            put();
    }

    private TSave TakeSubsystems(TSave state)
    {
        foreach (var subsystem in _subsystems.Values)
            subsystem.Take(state.Session);
        return state;
    }

    /// <summary>Copies what survives from what is being played into what was marked.</summary>
    private void KeepSurvivors(TSave marked)
    {
        if (_options.Survives.Count == 0)
            return;
        using var live = Snapshot.Of(TakeSubsystems(_state!), isWanted: _survivors.Has);
        var sections = new PackedSource(live.Keep());
        SectionReader.ReadAll(sections, ref marked, _options.Survives.Where(IsSection).ToList());
        foreach (var name in _options.Survives.Where(name => !IsSection(name)))
        {
            if (sections.Find($"{SessionSection}/{name}") is { } section)
                marked.Session.Put(name, new LoadedSection(section));
        }
    }

    /// <summary>The sections that the options name as surviving: members of the save root, and registered parts.</summary>
    private readonly WantedSections _survivors;

    private static WantedSections FindSurvivors(SessionOptions<TSave> options) =>
        new([.. options.Survives.Select(name => IsSection(name) ? name : $"{SessionSection}/{name}")]);

    private static bool IsSection(string name) => TSave.Root.Sections.Contains(name);

    private void WriteCheckpoints(SessionArchive archive)
    {
        foreach (var name in archive.Names.Where(name => name.StartsWith(SessionArchive.CheckpointPrefix, StringComparison.Ordinal))
            .ToList())
            archive.Delete(name);
        for (var i = 0; i < _checkpoints.Count; i++)
        {
            _checkpoints[i] = _checkpoints[i].At(i);
            if (_checkpoints[i].Shown.IsInSave)
                archive.Put(SessionArchive.CheckpointPrefix + _checkpoints[i].Shown.Name, _checkpoints[i]);
        }
    }

    /// <summary>The checkpoints that a loaded save has, the newest last.</summary>
    private static List<CheckpointSection> FindCheckpoints(SessionArchive archive)
    {
        var found = new List<(int Order, CheckpointSection Section)>();
        foreach (var name in archive.Names.Where(name => name.StartsWith(SessionArchive.CheckpointPrefix, StringComparison.Ordinal)))
        {
            var state = archive.Get<CheckpointState>(name)!;
            found.Add((state.Order, CheckpointSection.Of(name[SessionArchive.CheckpointPrefix.Length..], state)));
        }
        return [.. found.OrderBy(one => one.Order).Select(one => one.Section)];
    }
}
