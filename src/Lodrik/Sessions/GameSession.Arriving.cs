using Lodrik.Scenes;

namespace Lodrik;

// Asking the game for a scene, and putting it back once it stands.
public sealed partial class GameSession<TSave, TScene>
{
    /// <summary>
    /// The game has built the scene that it was asked for, as its designer left it. It is put back as it was left or saved; where the
    /// options have a <see cref="SessionOptions{TSave}.RestoreBudget"/>, in the ticks that follow.
    /// </summary>
    /// <param name="change">The change that the game was asked for.</param>
    /// <param name="scene">The scene.</param>
    /// <returns>False where something else was asked for meanwhile, and nobody needs this scene any more.</returns>
    /// <exception cref="SaveException">
    /// The scene cannot be put back. It is as authored, nothing of the save is lost, and nothing can be saved until something was loaded.
    /// </exception>
    public bool Arrive(SceneChange change, TScene scene)
    {
        ArgumentNullException.ThrowIfNull(change);
        ArgumentNullException.ThrowIfNull(scene);
        if (_waiting?.Change != change || _restoration is not null)
            return false;
        LiveScene<TScene> live;
        try
        {
            live = _bindings.Begin(scene);
        }
        catch (SaveException problem)
        {
            Break(problem);
            throw;
        }
        return RestoreScene(live, () => BeginRestore(live, change));
    }

    private bool RestoreScene(LiveScene<TScene> live, Func<SceneRestoration<TScene>?> begin)
    {
        RestoreReport? restored = null;
        try
        {
            _live = live;
            _restoration = begin();
            if (_restoration is not null && _options.RestoreBudget is not null)
                return true;
            restored = _restoration?.Finish();
        }
        catch (SaveException problem)
        {
            Break(problem);
            throw;
        }
        Settle(restored);
        return true;
    }

    /// <summary>
    /// The game keeps the scene that stands: it is put back in place as it was left or saved, or as it was authored where it never was.
    /// </summary>
    /// <param name="change">The change that the game was asked for, which says that it can stay.</param>
    /// <returns>False where something else was asked for meanwhile.</returns>
    /// <exception cref="SessionException">It cannot stay: another scene was asked for, or none stands.</exception>
    /// <exception cref="SaveException">
    /// The scene cannot be put back, and is as it was; nothing can be saved until something was loaded.
    /// </exception>
    public bool Stay(SceneChange change)
    {
        ArgumentNullException.ThrowIfNull(change);
        if (_waiting?.Change != change || _restoration is not null)
            return false;
        if (!change.CanStay || _standing is not { } standing)
            throw new SessionException(SaveErrorCode.NoSuchScene, $"The scene \"{change.Scene}\" is not the one that stands.",
                remedy: "Build it, and call Arrive.");
        return RestoreScene(standing, () => BeginRestore(standing, change) ?? standing.BeginRestoreAuthored());
    }

    /// <summary>Begins to restore the scene, read in the background if the restoration is sliced; null if it was never visited.</summary>
    private SceneRestoration<TScene>? BeginRestore(LiveScene<TScene> live, SceneChange change) =>
        !_state!.Scenes.Contains(change.Scene) ? null
        : _options.RestoreBudget is null ? live.BeginReadAndRestore(_state.Scenes, change.Scene)
        : live.BeginRestoreFrom(_state.Scenes, change.Scene);

    /// <summary>Asks the game for a scene.</summary>
    private Task<SessionArrival> Ask(ScenePlace place, SceneChangeCause cause, List<string> warnings)
    {
        _waiting?.Done.TrySetCanceled();
        // A scene that was half put back, or not at all, is none that could be kept.
        var canStay = _live is not null && _broken is null && _waiting is null && place.Scene == _place.Scene;
        _standing = canStay ? _live : null;
        _restoration = null;
        _live = null;
        _broken = null;
        _takeBack = null;
        _place = place;
        var isLoad = cause != SceneChangeCause.Travel;
        if (isLoad && _loaded.Task.IsCompleted)
            _loaded = new TaskCompletionSource<SessionArrival>();
        var waiting = _waiting = new Waiting(
            new SceneChange(place, cause, canStay), isLoad ? _loaded : new TaskCompletionSource<SessionArrival>(), warnings);
        // The game may have the scene at hand, and arrive before this returns.
        _options.ChangeScene(waiting.Change);
        return waiting.Done.Task;
    }

    private void Restore(SceneRestoration<TScene> restoration)
    {
        try
        {
            if (!restoration.Step(_options.RestoreBudget ?? Timeout.InfiniteTimeSpan))
                return;
        }
        catch (SaveException problem)
        {
            Break(problem);
            return;
        }
        Settle(restoration.Report);
    }

    /// <summary>The scene stands: whoever waits for it goes on.</summary>
    private void Settle(RestoreReport? restored)
    {
        var waiting = _waiting!;
        _waiting = null;
        _restoration = null;
        _standing = null;
        _takeBack = null;
        var arrival = new SessionArrival(waiting.Change, restored, waiting.Warnings);
        try
        {
            if (waiting.Change.Cause == SceneChangeCause.Travel)
                _autosaves.NoticeSceneChange();
            else
                Loaded?.Invoke(this, arrival);
            Arrived?.Invoke(this, arrival);
        }
        finally
        {
            waiting.Done.TrySetResult(arrival);
        }
    }

    /// <summary>
    /// The scene could not be put back. Where it is as it was and so can be the state, both go on; otherwise the scene must not be saved.
    /// </summary>
    private void Break(SaveException problem)
    {
        var waiting = _waiting!;
        var isWhole = _restoration is { IsSceneWhole: true };
        _waiting = null;
        _restoration = null;
        _takeBack?.Invoke();
        if (_takeBack is null || !isWhole)
            _broken = problem;
        _takeBack = null;
        waiting.Done.TrySetException(problem);
    }

    /// <summary>A change of scenes that is under way, and who waits for it.</summary>
    private sealed record Waiting(SceneChange Change, TaskCompletionSource<SessionArrival> Done, List<string> Warnings);
}
