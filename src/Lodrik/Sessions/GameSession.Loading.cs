using Lodrik.Sessions;
using Lodrik.Slots;

namespace Lodrik;

// Preparing what a load brings, whole, before anything of what is played is given up.
public sealed partial class GameSession<TSave, TScene>
{
    private Task<SessionArrival> StartNewGame()
    {
        RefuseInCallback();
        var state = CallBack(TSave.CreateState);
        return Change(Prepare(
            state, SceneChangeCause.NewGame, _options.Start, TimeSpan.Zero, _names.RenamedAfter([]), [], null, _store.StartPlaythrough));
    }

    private void LoadNow(WhichSave which, IProgress<SaveProgress>? progress)
    {
        RefuseInCallback();
        Change(Prepare(_store.Read(which, progress), null));
    }

    private Task<SessionArrival> LoadBehind(WhichSave which, IProgress<SaveProgress>? progress, CancellationToken cancellationToken) =>
        InTask(() =>
        {
            RefuseInCallback();
            // What nobody wants any more does not end the load before it.
            if (cancellationToken.IsCancellationRequested)
                return Task.FromCanceled<SessionArrival>(cancellationToken);
            var cancel = CancellationTokenSource.CreateLinkedTokenSource(cancellationToken);
            var reading = _store.ReadAsync(which, progress, cancel.Token);
            DropLoading();
            _loading = new SessionLoading<TSave>(reading, cancel, NewLoad());
            Tell();
            return _loaded.Task;
        });

    private void FinishLoading(SessionLoading<TSave> loading)
    {
        _loading = null;
        loading.Cancel.Dispose();
        try
        {
            Change(Prepare(loading.Result.GetAwaiter().GetResult(), loading.Done));
        }
        catch (OperationCanceledException problem) when (loading.Result.IsCanceled)
        {
            _news.Enqueue(() => loading.Done.TrySetCanceled(problem.CancellationToken));
        }
        catch (Exception problem) when (problem is not OutOfMemoryException && problem != _failureOfHandler)
        {
            End(loading.Done, problem);
        }
        Tell();
    }

    /// <summary>What a save leads to. Everything in it that the session or a part of the game needs is decoded.</summary>
    private SessionRequest<TSave, TScene> Prepare(LoadResult<TSave> result, TaskCompletionSource<SessionArrival>? done)
    {
        // Reading State makes the error where there was nothing to load.
        var state = result.State;
        var renamed = state.Session.Renamed;
        List<string> warnings = [.. result.Warnings];
        _names.Rename(state.Scenes, renamed);
        var today = WhereIn(state, renamed, warnings);
        var played = state.Session.Get<ClockState>(SessionArchive.ClockSection)?.Played ?? TimeSpan.Zero;
        return Prepare(
            state, SceneChangeCause.Load, today, played, _names.RenamedAfter(renamed), warnings, done,
            () => _store.GoOnWith(result));
    }

    private SessionRequest<TSave, TScene> Prepare(
        TSave state, SceneChangeCause cause, ScenePlace place, TimeSpan played, IReadOnlyCollection<string> renamed, List<string> warnings,
        TaskCompletionSource<SessionArrival>? done, Action goOn)
    {
        var game = new PlayedGame<TSave, TScene>(state, place, FindCheckpoints(state.Session), renamed);
        var puts = PreparePuts(state.Session);
        return new SessionRequest<TSave, TScene>(ChangeTo(place, cause), game, done ?? NewLoad(), warnings)
        {
            Puts = puts,
            Played = played,
            Settled = () =>
            {
                goOn();
                _autosaves.Restart();
                // What becomes of an automatic save of the game before is nothing to this one.
                _failedAutosave = LastAutosave;
            },
        };
    }

    private List<Action> PreparePuts(SessionArchive archive) =>
        [.. _subsystems.Values.Select(subsystem => CallBack(() => subsystem.Prepare(archive)))];

    private ScenePlace WhereIn(TSave state, IReadOnlyCollection<string> renamed, List<string> warnings)
    {
        if (_options.PlaceOf is not { } placeOf)
        {
            var saved = state.Session.Get<PlaceState>(SessionArchive.PlaceSection);
            return _names.Today(
                saved is { Scene.Length: > 0 } ? new ScenePlace(saved.Scene, saved.Entrance) : _options.Start, renamed, warnings);
        }
        ScenePlace place;
        try
        {
            place = CallBack(() => placeOf(state));
        }
        catch (Exception problem) when (problem is not (OutOfMemoryException or SaveException))
        {
            throw InWords(problem, "when it was asked where the player is (PlaceOf)");
        }
        return _names.IsOfToday(place.Scene) ? place : _names.Today(place, renamed, warnings);
    }

    /// <summary>The task of a load that begins: the one that was given out before the first, or one of its own.</summary>
    private TaskCompletionSource<SessionArrival> NewLoad()
    {
        if (_isLoadAsked || _loaded.Task.IsCompleted)
            _loaded = new TaskCompletionSource<SessionArrival>();
        _isLoadAsked = true;
        return _loaded;
    }

    private void DropLoading()
    {
        if (_loading is not { } loading)
            return;
        _loading = null;
        loading.Drop();
        _news.Enqueue(() => loading.Done.TrySetCanceled());
    }
}
