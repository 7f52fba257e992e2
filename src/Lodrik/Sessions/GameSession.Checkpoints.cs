using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.Sessions;
using Lodrik.State;

namespace Lodrik;

// Checkpoints: what the player can be restored to.
public sealed partial class GameSession<TSave, TScene>
{
    /// <summary>How many bytes the last checkpoint took: the next one takes about as many.</summary>
    private int _checkpointSize;

    /// <summary>The checkpoints of what is being played, the newest last.</summary>
    public IReadOnlyList<SessionCheckpoint> Checkpoints => [.. Current?.Checkpoints.Select(one => one.Shown) ?? []];

    /// <summary>Marks this moment as a checkpoint, instead of an earlier one of the same name.</summary>
    /// <param name="name">The checkpoint's name: not empty.</param>
    /// <param name="inSave">Whether it goes into the saves that follow and is still there after a load, or is in memory only.</param>
    /// <exception cref="SaveException">Nothing is being played, or it cannot be saved as it is.</exception>
    public SessionCheckpoint Mark(string name = "last", bool inSave = true)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        if (LoneSurrogates.AreIn(name))
            throw new ArgumentException("The name of the checkpoint contains a lone surrogate, which no file can hold.", nameof(name));
        var game = TakeDown();
        var survivors = Survivors;
        // A checkpoint holds neither the checkpoints before it nor what survives the way back.
        using var snapshot = Snapshot.Of(
            game.State, isWanted: section => !CheckpointShape.IsName(section) && !survivors.Has(section), expected: _checkpointSize,
            isKept: true);
        _checkpointSize = snapshot.ByteCount;
        var checkpoint = new SessionCheckpoint(name, game.Place, Clock.Played, inSave);
        var marked = new CheckpointSection(checkpoint, game.Checkpoints.Count, snapshot.Keep());
        DeleteCheckpoint(name);
        game.Checkpoints.Add(marked);
        return checkpoint;
    }

    /// <summary>Forgets a checkpoint; false if there is none of that name.</summary>
    public bool DeleteCheckpoint(string name)
    {
        ArgumentNullException.ThrowIfNull(name);
        return Current?.Checkpoints.RemoveAll(one => one.Shown.Name == name) > 0;
    }

    /// <summary>
    /// Puts the player back to a checkpoint. What the options name as surviving stays as it is now, and so does the time played; all else
    /// is as it was when the checkpoint was marked. If the scene is the one that is being played, it is ready when this returns.
    /// </summary>
    /// <param name="name">The checkpoint's name; null for the newest.</param>
    /// <exception cref="SessionException">There is no such checkpoint, or nothing is being played.</exception>
    /// <exception cref="SaveException">It cannot be restored; everything is as it was.</exception>
    public void Return(string? name = null) => ReturnTo(name);

    /// <summary>
    /// Puts the player back to a checkpoint. What the options name as surviving stays as it is now, and so does the time played; all else
    /// is as it was when the checkpoint was marked.
    /// </summary>
    /// <param name="name">The checkpoint's name; null for the newest.</param>
    /// <returns>Done when the scene is ready: at once where it is the one that is being played.</returns>
    /// <inheritdoc cref="Return" path="/exception"/>
    public Task<SessionArrival> ReturnAsync(string? name = null) => InTask(() => ReturnTo(name));

    private Task<SessionArrival> ReturnTo(string? name)
    {
        var game = RequireChangeable(SessionCure.Return);
        var marked = game.Checkpoints.FindLast(one => name is null || one.Shown.Name == name) ?? throw new SessionException(
            SaveErrorCode.NoSuchCheckpoint,
            name is null ? "No checkpoint was marked." : $"There is no checkpoint \"{name}\".",
            remedy: game.Checkpoints.Count == 0
                ? "Mark one first."
                : $"There are: {string.Join(", ", game.Checkpoints.Select(one => one.Shown.Name))}.");
        var state = TSave.CreateState();
        SectionReader.ReadAll(new PackedSource(marked.Sections), ref state);
        CallBack(() => KeepSurvivors(game.State, state));
        // The checkpoint may come from a save that is older than the names of today.
        var renamed = state.Session.Renamed;
        _names.Rename(state.Scenes, renamed);
        var warnings = new List<string>();
        var place = _names.Today(marked.Shown.Place, renamed, warnings);
        var puts = PreparePuts(state.Session);
        return Change(new SessionRequest<TSave, TScene>(
            ChangeTo(place, SceneChangeCause.Checkpoint),
            new PlayedGame<TSave, TScene>(state, place, game.Checkpoints, _names.RenamedAfter(renamed)), NewLoad(), warnings)
        {
            Puts = puts,
            IsWithinScene = _request is null && game.IsWhole && place.Scene == game.Place.Scene && state.Scenes.Contains(place.Scene),
        });
    }

    private TSave TakeSubsystems(TSave state)
    {
        foreach (var subsystem in _subsystems.Values)
            subsystem.Take(state.Session);
        return state;
    }

    /// <summary>Copies what survives from what is being played into what was marked.</summary>
    private void KeepSurvivors(TSave played, TSave marked)
    {
        var parts = _subsystems.Values.Where(subsystem => subsystem.Survives).Select(subsystem => subsystem.Name).ToList();
        if (_options.Survives.Count == 0 && parts.Count == 0)
            return;
        using var live = Snapshot.Of(TakeSubsystems(played), isWanted: Survivors.Has);
        var sections = new PackedSource(live.Keep());
        if (_options.Survives.Count > 0)
            SectionReader.ReadAll(sections, ref marked, _options.Survives);
        foreach (var name in parts)
        {
            if (sections.Find($"{SessionSection}/{name}") is { } section)
                marked.Session.Put(name, new LoadedSection(section));
        }
    }

    /// <summary>The sections that survive: members of the save root, and registered parts.</summary>
    private WantedSections Survivors => new(
        [
            .. _options.Survives,
            .. _subsystems.Values.Where(subsystem => subsystem.Survives).Select(subsystem => $"{SessionSection}/{subsystem.Name}"),
        ]);

    private static void CheckSurvivors(IReadOnlyCollection<string> survives)
    {
        foreach (var name in survives)
        {
            if (!TSave.Root.Sections.Contains(name))
                throw new SessionException(
                    SaveErrorCode.NoSuchSection, $"The options let the section \"{name}\" survive, but {typeof(TSave).Name} has no "
                        + "such section.",
                    remedy: Spelling.Nearest(name, TSave.Root.Sections) is { } meant
                        ? $"Did you mean \"{meant}\"? A registered part of the game survives if it is registered with survives: true."
                        : "A registered part of the game survives if it is registered with survives: true.");
            if (name == $"{SessionSection}/")
                throw new SessionException(
                    SaveErrorCode.BadBinding, "The session's own sections cannot survive, because they hold where the player is.",
                    remedy: "Register the parts that survive with survives: true.");
        }
    }

    private static void WriteCheckpoints(SessionArchive archive, List<CheckpointSection> checkpoints)
    {
        foreach (var name in archive.Names.Where(name => name.StartsWith(SessionArchive.CheckpointPrefix, StringComparison.Ordinal))
            .ToList())
            archive.Delete(name);
        for (var i = 0; i < checkpoints.Count; i++)
        {
            checkpoints[i] = checkpoints[i].At(i);
            if (checkpoints[i].Shown.IsInSave)
                archive.Put(SessionArchive.CheckpointPrefix + checkpoints[i].Shown.Name, checkpoints[i]);
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
