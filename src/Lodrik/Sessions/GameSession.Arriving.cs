using Lodrik.Scenes;
using Lodrik.Sessions;

namespace Lodrik;

// Taking over what was prepared, asking the game for the scene, and restoring it once it stands; or taking everything back.
public sealed partial class GameSession<TSave, TScene>
{
    /// <summary>
    /// The game has built the scene that it was asked for, as its designer left it. It is restored as it was left or saved; where the
    /// options have a <see cref="SessionOptions{TSave}.RestoreBudget"/>, in the ticks that follow.
    /// </summary>
    /// <param name="change">The change that the game was asked for.</param>
    /// <param name="scene">The scene.</param>
    /// <returns>False where something else was asked for meanwhile, and nobody needs this scene any more.</returns>
    /// <exception cref="SaveException">
    /// The scene cannot be restored: it is as authored. What was played before is played on once its own scene is ready again: travel to
    /// <see cref="Place"/>, or load a save.
    /// </exception>
    public bool Arrive(SceneChange change, TScene scene)
    {
        ArgumentNullException.ThrowIfNull(change);
        ArgumentNullException.ThrowIfNull(scene);
        RefuseInCallback();
        if (Expecting(change) is not { } request)
            return false;
        // Another scene is in the place of the one that was played.
        if (_game is { } before)
            before.IsLeft = true;
        RestoreScene(request, () =>
        {
            var live = request.Game.Live = _bindings.Begin(scene);
            return BeginRestore(live, request);
        });
        return true;
    }

    /// <summary>
    /// The game keeps the current scene: it is restored in place as it was left or saved, or as it was authored where it never was.
    /// </summary>
    /// <param name="change">The change that the game was asked for, which says that it can stay.</param>
    /// <returns>False where something else was asked for meanwhile.</returns>
    /// <exception cref="SessionException">It cannot stay: another scene was asked for, or none stands.</exception>
    /// <exception cref="SaveException">The scene cannot be restored: it is as it was, and what was played before goes on.</exception>
    public bool Stay(SceneChange change)
    {
        ArgumentNullException.ThrowIfNull(change);
        RefuseInCallback();
        if (Expecting(change) is not { } request)
            return false;
        if (!change.CanStay || _game is not { Live: { } standing } before)
            throw new SessionException(SaveErrorCode.NoSuchScene, $"The scene \"{change.Scene}\" is not the current scene.",
                remedy: "Build it, and call Arrive.");
        before.IsLeft = false;
        request.IsInPlace = true;
        RestoreScene(request, () =>
        {
            request.Game.Live = standing;
            return BeginRestore(standing, request) ?? standing.BeginRestoreAuthored();
        });
        return true;
    }

    /// <summary>
    /// The game cannot build the scene that it was asked for: a level file is missing, or the player gave up. The change fails with
    /// the problem, and the game before it goes on.
    /// </summary>
    /// <param name="change">The change that the game was asked for.</param>
    /// <param name="problem">Why.</param>
    /// <param name="sceneRemains">
    /// Whether the scene that was played before is still there. Otherwise travel to <see cref="Place"/>, which builds it again and restores
    /// it as it was left, or load a save; nothing can be saved until then.
    /// </param>
    /// <returns>False where something else was asked for meanwhile.</returns>
    public bool Fail(SceneChange change, Exception problem, bool sceneRemains = false)
    {
        ArgumentNullException.ThrowIfNull(change);
        ArgumentNullException.ThrowIfNull(problem);
        RefuseInCallback();
        if (Expecting(change) is not { } request)
            return false;
        if (_game is { } before)
            before.IsLeft = !sceneRemains;
        TakeBack(request, InWords(problem, $"when the scene \"{change.Scene}\" was being built"));
        Tell();
        return true;
    }

    /// <summary>The request whose scene the game is building; null if it was asked for something else since.</summary>
    private SessionRequest<TSave, TScene>? Expecting(SceneChange change) =>
        _request is { Restoration: null } request && request.Shown == change ? request : null;

    private SceneChange ChangeTo(ScenePlace place, SceneChangeCause cause) =>
        new(place, cause, canStay: _game is { IsWhole: true } game && game.Place.Scene == place.Scene);

    /// <summary>
    /// The one step: what is played becomes what the request leads to, and the game is asked for its scene. Until that is ready, everything
    /// can be taken back.
    /// </summary>
    /// <returns>Done when the scene is ready.</returns>
    /// <exception cref="SaveException">Code of the game failed within the call; what was played before goes on.</exception>
    private Task<SessionArrival> Change(SessionRequest<TSave, TScene> request)
    {
        DropLoading();
        request.Before = DropRequest();
        if (request is { Puts: not null, Before: null })
            CallBack(() => RememberSubsystems(request));
        if (request is { Shown.Cause: not SceneChangeCause.Travel, IsWithinScene: false } && _game is { IsWhole: true } left)
            CallBack(() => CaptureIfPossible(left));
        _request = request;
        if (request.Played is { } played)
        {
            request.ClockBefore = Clock.Read();
            Clock.StartFrom(played);
        }
        try
        {
            CallBack(() => request.Puts?.ForEach(put => put()));
        }
        catch (SaveException problem)
        {
            TakeBack(request, problem);
            Tell();
            throw;
        }
        if (_request != request)
        {
            Tell();
            return request.Done.Task;
        }
        if (request.IsWithinScene)
        {
            request.IsInPlace = true;
            var standing = request.Game.Live = _game!.Live!;
            RestoreScene(request, () => _options.RestoreBudget is null
                ? standing.BeginReadAndRestore(request.Game.State.Scenes, request.Game.Place.Scene)
                : standing.BeginRestoreFrom(request.Game.State.Scenes, request.Game.Place.Scene));
        }
        else
        {
            AskForScene(request);
        }
        Tell();
        return request.Problem is null ? request.Done.Task : throw request.Problem;
    }

    /// <summary>Asks the game for the scene. It may have it at hand, and arrive before this returns; or ask for something else.</summary>
    private void AskForScene(SessionRequest<TSave, TScene> request)
    {
        try
        {
            if (_build is null)
                _options.ChangeScene!(request.Shown);
            else if (request.Shown.CanStay)
                Stay(request.Shown);
            else
                Arrive(request.Shown, _build(request.Shown));
        }
        catch (Exception exception) when (exception is not OutOfMemoryException && _request == request)
        {
            var problem = InWords(exception,
                $"when it was asked for the scene \"{request.Shown.Scene}\"{(_build is null ? " (ChangeScene)" : "")}");
            TakeBack(request, problem);
            Tell();
            throw problem;
        }
        // From here on the game may be tearing the scene down, unless it has said that it stays.
        if (_request == request && _game is { } before && !request.IsInPlace)
            before.IsLeft = true;
    }

    private void RestoreScene(SessionRequest<TSave, TScene> request, Func<SceneRestoration<TScene>?> begin)
    {
        RestoreReport? restored = null;
        try
        {
            CallBack(() =>
            {
                request.Restoration = begin();
                if (_options.RestoreBudget is null)
                    restored = request.Restoration?.Finish();
            });
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            var problem = InWords(exception, $"when the scene \"{request.Shown.Scene}\" was being restored");
            TakeBack(request, problem);
            Tell();
            throw problem;
        }
        if (request.Restoration is null || restored is not null)
            Settle(request, restored);
    }

    private void GoOnRestoring(SessionRequest<TSave, TScene> request, SceneRestoration<TScene> restoration)
    {
        var isDone = false;
        try
        {
            CallBack(() => { isDone = restoration.Step(_options.RestoreBudget ?? Timeout.InfiniteTimeSpan); });
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            TakeBack(request, InWords(exception, $"when the scene \"{request.Shown.Scene}\" was being restored"));
            Tell();
        }
        if (isDone)
            Settle(request, restoration.Report);
    }

    /// <summary>Begins to restore the scene, read in the background if the restoration is sliced; null if it was never visited.</summary>
    private SceneRestoration<TScene>? BeginRestore(LiveScene<TScene> live, SessionRequest<TSave, TScene> request)
    {
        var (scenes, name) = (request.Game.State.Scenes, request.Shown.Scene);
        return !scenes.Contains(name) ? null
            : _options.RestoreBudget is null ? live.BeginReadAndRestore(scenes, name)
            : live.BeginRestoreFrom(scenes, name);
    }

    /// <summary>The scene is ready: what was prepared is what is played, and whoever waits for it goes on.</summary>
    private void Settle(SessionRequest<TSave, TScene> request, RestoreReport? restored)
    {
        // A callback may have left the game altogether.
        if (_request != request)
        {
            Tell();
            return;
        }
        (_game, _request) = (request.Game, null);
        CallBack(() => request.Settled?.Invoke());
        var isTravel = request.Shown.Cause == SceneChangeCause.Travel;
        if (isTravel)
            _autosaves.NoticeSceneChange();
        var arrival = new SessionArrival(request.Shown, restored, request.Warnings);
        if (!isTravel)
            _news.Enqueue(() => Loaded?.Invoke(this, arrival));
        _news.Enqueue(() => Arrived?.Invoke(this, arrival));
        _news.Enqueue(() => request.Done.TrySetResult(arrival));
        Tell();
    }

    /// <summary>
    /// The change failed: the game before it is played on, with its slot, its playthrough, its clock and the sections of the game's parts.
    /// If its scene does not stand any more, or a part cannot be restored, nothing can be saved until that is cured.
    /// </summary>
    private void TakeBack(SessionRequest<TSave, TScene> request, SaveException problem)
    {
        request.Problem = problem;
        End(request.Done, problem);
        if (_request != request)
            return;
        _request = null;
        if (request.ClockBefore is { } clock)
            Clock.GoBack(clock);
        (string Name, Exception Problem)? part = null;
        CallBack(() => part = request.Before?.PutBack());
        if (_game is not { } before)
            return;
        SessionTrouble? trouble = null;
        if (request is { IsInPlace: true, Restoration.IsSceneWhole: false })
            trouble = new SessionTrouble(
                $"The scene \"{before.Place.Scene}\" could not be rolled back: {Sentence(problem)}", problem, SessionCure.Travel);
        else if (before.IsLeft)
            trouble = WasLeft(before, $"The change to the scene \"{request.Shown.Scene}\" failed: {Sentence(problem)}", problem);
        if (part is var (name, cause))
            trouble = SessionTrouble.Worse(trouble, new SessionTrouble(
                $"The part \"{name}\" of the game could not be rolled back: {Sentence(cause)}", cause, SessionCure.Load));
        before.Trouble = SessionTrouble.Worse(before.Trouble, trouble);
    }

    /// <summary>
    /// A game whose scene was left for nothing: it can be built again, and be restored as it was captured when it was left.
    /// </summary>
    private static SessionTrouble WasLeft(PlayedGame<TSave, TScene> game, string why, Exception cause) => game.NotTaken is { } problem
        ? new SessionTrouble(
            $"{why} The scene \"{game.Place.Scene}\" was left, and could not be captured: {Sentence(problem)}", cause,
            SessionCure.Return)
        : new SessionTrouble($"{why} The scene \"{game.Place.Scene}\" was left.", cause, SessionCure.Travel);

    /// <summary>
    /// Cancels the change that is under way, as something else is asked for: whoever waits for it is told so, and a scene that was half
    /// restored is rolled back.
    /// </summary>
    /// <returns>What the parts of the game had before the change; null if they were not touched.</returns>
    private SubsystemMemory? DropRequest()
    {
        if (_request is not { } dropped)
            return null;
        _request = null;
        if (dropped.ClockBefore is { } clock)
            Clock.GoBack(clock);
        _news.Enqueue(() => dropped.Done.TrySetCanceled());
        try
        {
            CallBack(() => dropped.Restoration?.Cancel());
        }
        catch (Exception problem) when (problem is not OutOfMemoryException)
        {
            // Of a scene that was built for the change nobody needs anything.
            if (dropped.IsInPlace && _game is { } game)
                game.Trouble = SessionTrouble.Worse(game.Trouble, new SessionTrouble(
                    $"The scene \"{game.Place.Scene}\" could not be rolled back: {Sentence(problem)}", problem, SessionCure.Travel));
        }
        return dropped.Before;
    }

    private void RememberSubsystems(SessionRequest<TSave, TScene> request)
    {
        request.Before = new SubsystemMemory();
        foreach (var subsystem in _subsystems.Values)
            request.Before.Remember(subsystem);
    }

    /// <summary>Takes the scene down into the archive.</summary>
    private static void Capture(PlayedGame<TSave, TScene> game)
    {
        game.Live!.CaptureTo(game.State.Scenes, game.Place.Scene);
        game.NotTaken = null;
    }

    /// <summary>
    /// Takes the scene down before it is left for a load, so that nothing of it is lost where that fails. The scene may be in any
    /// condition, and what cannot be captured does not be in the way of the load.
    /// </summary>
    private static void CaptureIfPossible(PlayedGame<TSave, TScene> game)
    {
        try
        {
            Capture(game);
        }
        catch (Exception problem) when (problem is not OutOfMemoryException)
        {
            game.NotTaken = InWords(problem, "when the scene was captured");
        }
    }

    /// <summary>What an error says, as a whole sentence, without what is to be done about it.</summary>
    private static string Sentence(Exception problem)
    {
        var words = problem is SaveException ours ? ours.Problem : problem.Message;
        return words is [.., '.' or '!' or '?'] ? words : words + ".";
    }

    /// <summary>Whoever waits for a request is told that it failed; an error that nobody waits for is not an unobserved one.</summary>
    private void End(TaskCompletionSource<SessionArrival> done, Exception problem) => _news.Enqueue(() =>
    {
        if (done.TrySetException(problem))
            _ = done.Task.Exception;
    });
}
