using Lodrik.Scenes;
using Lodrik.Sessions;
using Lodrik.Slots;
using Lodrik.State;

namespace Lodrik;

/// <summary>
/// The running game's state, above any scene: it goes from scene to scene without touching the disk, remembers the scenes that were left,
/// brings the game to the right scene when a save is loaded, goes back to checkpoints, and saves by itself.
/// </summary>
/// <typeparam name="TSave">The game's save root.</typeparam>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <remarks>
/// A session is used from the game's own thread, and driven by <see cref="Tick"/>. The tasks that it gives are done on that thread too:
/// within <see cref="Arrive"/> or <see cref="Tick"/>. Whatever reads the state asks the session for it each time, as every load brings a
/// new object.
/// </remarks>
public sealed partial class GameSession<TSave, TScene> : IDisposable where TSave : class, IStateRoot<TSave>, ISessionSave
{
    private readonly SaveStore<TSave> _store;
    private readonly SceneBindings<TScene> _bindings;
    private readonly SessionOptions<TSave> _options;
    private readonly Dictionary<string, ISubsystem> _subsystems = new(StringComparer.Ordinal);
    private readonly AutosaveWatch _autosaves;
    private Task? _failedAutosave;
    private TSave? _state;
    private ScenePlace _place;
    private LiveScene<TScene>? _live;
    private LiveScene<TScene>? _standing;
    private Waiting? _waiting;
    private Task<LoadResult<TSave>>? _loading;
    private TaskCompletionSource<SessionArrival> _loaded = new();
    private SceneRestoration<TScene>? _restoration;
    private Exception? _broken;
    private Action? _takeBack;

    /// <summary>Makes a session. Nothing is loaded: start a new game, or load one.</summary>
    /// <param name="store">The game's saves. The session does not close it.</param>
    /// <param name="bindings">What the objects of the game's scenes are.</param>
    /// <param name="options">What the session is to do.</param>
    /// <exception cref="SessionException">An option names a section or a scene that there is not.</exception>
    public GameSession(SaveStore<TSave> store, SceneBindings<TScene> bindings, SessionOptions<TSave> options)
    {
        ArgumentNullException.ThrowIfNull(store);
        ArgumentNullException.ThrowIfNull(bindings);
        ArgumentNullException.ThrowIfNull(options);
        ArgumentException.ThrowIfNullOrEmpty(options.Start.Scene, nameof(options));
        (_store, _bindings, _options, _survivors) = (store, bindings, options, FindSurvivors(options));
        foreach (var scene in new[] { options.Start.Scene,
            options.Fallback?.Scene ?? options.Start.Scene }.Concat(options.FormerScenes.Values))
        {
            if (!IsKnown(scene))
                throw new SessionException(
                    SaveErrorCode.NoSuchScene, $"The options name the scene \"{scene}\", which is not among the game's scenes.",
                    remedy: $"Those are: {string.Join(", ", options.Scenes)}.");
        }
        Clock = new PlayClock(options.Clock);
        _autosaves = new AutosaveWatch(options.Autosave, Clock);
    }

    /// <summary>The state above the scenes.</summary>
    /// <exception cref="SessionException">Nothing was loaded yet, or a load is under way; the error says what to wait for.</exception>
    public TSave State
    {
        get
        {
            if (_loading is not null)
                throw NotReady("The state is being loaded, and what was played before is about to be replaced.", "Await LoadTask, or ask "
                    + "IsReady.");
            return _state ?? throw NotReady("No game was started or loaded yet.", "Call StartNew, Load or Continue, and await LoadTask.");
        }
    }

    /// <summary>Whether a game is loaded, its scene stands, and everything in it is as it was.</summary>
    public bool IsReady => _state is not null && _loading is null && _waiting is null && _broken is null;

    /// <summary>The load that was begun last, of a save or of a new game: done when the scene stands.</summary>
    public Task<SessionArrival> LoadTask => _loaded.Task;

    /// <summary>A load is done; a new game is a load too.</summary>
    public event EventHandler<SessionArrival>? Loaded;

    /// <summary>The player has arrived in a scene, for whatever cause.</summary>
    public event EventHandler<SessionArrival>? Arrived;

    /// <summary>Where the player is, or is going.</summary>
    public ScenePlace Place => _place;

    /// <summary>The scene that is being played.</summary>
    /// <exception cref="SessionException">None is, or not yet.</exception>
    public LiveScene<TScene> Scene
    {
        get
        {
            EnsureReady();
            return _live!;
        }
    }

    /// <summary>The time played in this playthrough. Pause it in menus.</summary>
    public PlayClock Clock { get; }

    /// <summary>Lets a part of the game keep a section of its own, beside the members of the save root.</summary>
    /// <param name="name">The section's name, after "session/".</param>
    /// <param name="take">Gets the part's state when it is saved. It is copied.</param>
    /// <param name="put">Gives the part its state after a load: what was saved, or a fresh one where nothing was.</param>
    /// <exception cref="SessionException">The name is another part's, or one of the session's own.</exception>
    /// <exception cref="SaveException">A game is loaded already, and what it has for the part does not fit.</exception>
    public void Register<T>(string name, Func<T> take, Action<T> put) where T : IStateType<T>
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        if (name is SessionArchive.PlaceSection or SessionArchive.ClockSection
            || name.StartsWith(SessionArchive.CheckpointPrefix, StringComparison.Ordinal) || name.Contains('/', StringComparison.Ordinal))
            throw new SessionException(SaveErrorCode.BadBinding,
                $"\"{name}\" cannot be the name of a part of the game: the session has it for itself, or it has a slash in it.");
        var subsystem = new Subsystem<T>(name, take, put);
        if (!_subsystems.TryAdd(name, subsystem))
            throw new SessionException(
                SaveErrorCode.BadBinding, $"Two parts of the game are registered as \"{name}\".", remedy: "Give each a name of its own.");
        if (_state is not null && _loading is null)
            subsystem.Prepare(_state.Session)();
    }

    /// <summary>
    /// Starts a new game: a fresh state, a playthrough of its own, the first scene as it was authored. The scene stands once the game has
    /// built it; <see cref="LoadTask"/> is done then.
    /// </summary>
    /// <exception cref="SaveException">The first scene cannot be put up, and arrived within the call.</exception>
    public void StartNew() => Begin(StartNewGame());

    /// <summary>Starts a new game: a fresh state, a playthrough of its own, the first scene as it was authored.</summary>
    /// <returns>Done when the scene stands.</returns>
    /// <exception cref="SaveException">The first scene cannot be put up.</exception>
    public Task<SessionArrival> StartNewAsync() => InTask(StartNewGame);

    /// <summary>
    /// Loads a slot on this thread, and asks the game for the scene of the save. The scene stands once the game has built it;
    /// <see cref="LoadTask"/> is done then.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="progress">Told how far the load has got.</param>
    /// <exception cref="SaveException">There is no such slot, or it cannot be loaded. What was played before goes on.</exception>
    public void Load(SlotName slot, IProgress<SaveProgress>? progress = null) => Begin(Enter(_store.Load(slot, progress: progress)));

    /// <summary>Loads a slot in the background; what is to be done on the game's thread is done in <see cref="Tick"/>.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="progress">Told how far the load has got.</param>
    /// <param name="cancellationToken">Gives the load up, as long as it is in the background.</param>
    /// <returns>Done when the scene stands. Where it fails, what was played before goes on.</returns>
    /// <exception cref="SaveException">There is no such slot, or it cannot be loaded.</exception>
    public Task<SessionArrival> LoadAsync(
        SlotName slot, IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        LoadBehind(_store.LoadAsync(slot, progress: progress, cancellationToken: cancellationToken));

    /// <summary>Loads the newest quick save of this playthrough on this thread.</summary>
    /// <param name="progress">Told how far the load has got.</param>
    /// <inheritdoc cref="Load"/>
    public void QuickLoad(IProgress<SaveProgress>? progress = null) => Begin(Enter(_store.QuickLoad(progress)));

    /// <summary>Loads the newest quick save of this playthrough in the background.</summary>
    /// <param name="progress">Told how far the load has got.</param>
    /// <param name="cancellationToken">Gives the load up, as long as it is in the background.</param>
    /// <inheritdoc cref="LoadAsync"/>
    public Task<SessionArrival> QuickLoadAsync(
        IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        LoadBehind(_store.QuickLoadAsync(progress, cancellationToken));

    /// <summary>Loads the newest save of all that can be loaded, on this thread.</summary>
    /// <param name="progress">Told how far the load has got.</param>
    /// <inheritdoc cref="Load"/>
    public void Continue(IProgress<SaveProgress>? progress = null) => Begin(Enter(_store.Continue(progress: progress)));

    /// <summary>Loads the newest save of all that can be loaded, in the background.</summary>
    /// <param name="progress">Told how far the load has got.</param>
    /// <param name="cancellationToken">Gives the load up, as long as it is in the background.</param>
    /// <inheritdoc cref="LoadAsync"/>
    public Task<SessionArrival> ContinueAsync(
        IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        LoadBehind(_store.ContinueAsync(progress: progress, cancellationToken: cancellationToken));

    /// <summary>
    /// Takes the player to another scene. The one that is left is remembered as it is, in memory until the next save. The new scene stands
    /// once the game has built it; <see cref="Arrived"/> is raised then.
    /// </summary>
    /// <param name="to">The scene, and where the player comes in.</param>
    /// <exception cref="SessionException">There is no such scene, or no game is being played.</exception>
    /// <exception cref="SaveException">The scene cannot be captured; the player stays there.</exception>
    public void Travel(ScenePlace to) => Begin(TravelTo(to));

    /// <summary>Takes the player to another scene. The one that is left is remembered as it is, in memory until the next save.</summary>
    /// <param name="to">The scene, and where the player comes in.</param>
    /// <returns>Done when the scene stands.</returns>
    /// <inheritdoc cref="Travel" path="/exception"/>
    public Task<SessionArrival> TravelAsync(ScenePlace to) => InTask(() => TravelTo(to));

    private Task<SessionArrival> StartNewGame()
    {
        _store.StartPlaythrough();
        return Enter(TSave.CreateState(), SceneChangeCause.NewGame, _options.Start, []);
    }

    private Task<SessionArrival> TravelTo(ScenePlace to)
    {
        if (_broken is null)
            EnsureReady();
        ArgumentException.ThrowIfNullOrEmpty(to.Scene, nameof(to));
        if (!IsKnown(to.Scene))
            throw new SessionException(SaveErrorCode.NoSuchScene, $"There is no scene \"{to.Scene}\".", remedy: Spelling.Nearest(to.Scene,
                _options.Scenes) is { } meant ? $"Did you mean \"{meant}\"?" : $"There are: {string.Join(", ", _options.Scenes)}.");
        CaptureScene();
        return Ask(to, SceneChangeCause.Travel, []);
    }

    private Task<SessionArrival> LoadBehind(Task<LoadResult<TSave>> loading)
    {
        BeginLoad();
        _loading = loading;
        return _loaded.Task;
    }

    /// <summary>A change that nobody waits for by this task; what becomes of it the session says otherwise.</summary>
    private static void Begin(Task<SessionArrival> change) => change.ContinueWith(
        static failed => failed.Exception, CancellationToken.None, TaskContinuationOptions.OnlyOnFaulted, TaskScheduler.Default);

    /// <summary>An asynchronous call gives all its errors by its task.</summary>
    private static Task<TResult> InTask<TResult>(Func<Task<TResult>> begin)
    {
        try
        {
            return begin();
        }
        catch (SaveException problem)
        {
            return Task.FromException<TResult>(problem);
        }
    }

    /// <summary>
    /// Goes on with what takes its time: finishes loads, restores the scene bit by bit, saves automatically when that is due. Called once a
    /// frame.
    /// </summary>
    public void Tick()
    {
        if (_loading is { IsCompleted: true } loading)
            FinishLoading(loading);
        if (_restoration is { IsDone: false } restoration)
            Restore(restoration);
        if (LastAutosave is { IsFaulted: true } failed && failed != _failedAutosave)
        {
            _failedAutosave = failed;
            _autosaves.NoticeFailure();
        }
        if (IsReady && _autosaves.Due() is not null)
            SaveByItself();
    }

    /// <summary>Leaves the game: nothing is played any more until the next load. The store stays open.</summary>
    public void Dispose()
    {
        Clock.Stop();
        _waiting?.Done.TrySetCanceled();
        _waiting = null;
        _loading = null;
        _restoration = null;
        _live = null;
        _state = null;
        _loaded.TrySetCanceled();
    }

    private Task<SessionArrival> Enter(LoadResult<TSave> result)
    {
        // Reading State makes the error where there was nothing to load.
        var state = result.State;
        return Enter(state, SceneChangeCause.Load, null, []);
    }

    /// <summary>A state takes the place of the one before, and the game is asked for its scene.</summary>
    private Task<SessionArrival> Enter(TSave state, SceneChangeCause cause, ScenePlace? start, List<string> warnings)
    {
        // Everything is decoded before anything of what was played before is given up.
        RenameScenes(state.Scenes);
        var place = start ?? WhereIn(state, warnings);
        var played = state.Session.Get<ClockState>(SessionArchive.ClockSection)?.Played ?? TimeSpan.Zero;
        var checkpoints = FindCheckpoints(state.Session);
        var puts = Prepare(state.Session);
        BeginLoad();
        Adopt(state, puts);
        _checkpoints.Clear();
        _checkpoints.AddRange(checkpoints);
        Clock.StartFrom(played);
        _autosaves.Restart();
        return Ask(place, cause, warnings);
    }

    private void BeginLoad()
    {
        _loading = null;
        if (_loaded.Task.IsCompleted)
            _loaded = new TaskCompletionSource<SessionArrival>();
    }

    private void FinishLoading(Task<LoadResult<TSave>> loading)
    {
        _loading = null;
        try
        {
            Enter(loading.GetAwaiter().GetResult());
        }
        catch (OperationCanceledException)
        {
            _loaded.TrySetCanceled();
        }
        catch (SaveException problem)
        {
            _loaded.TrySetException(problem);
        }
    }

    private ScenePlace WhereIn(TSave state, List<string> warnings)
    {
        var saved = state.Session.Get<PlaceState>(SessionArchive.PlaceSection);
        return WhereToday(_options.PlaceOf?.Invoke(state)
            ?? (saved is { Scene.Length: > 0 } ? new ScenePlace(saved.Scene, saved.Entrance) : _options.Start), warnings);
    }

    /// <summary>A place that a save names, under the names of today; the fallback where the game has it no more.</summary>
    private ScenePlace WhereToday(ScenePlace place, List<string> warnings)
    {
        if (_options.FormerScenes.TryGetValue(place.Scene, out var today))
            place = place with { Scene = today };
        if (IsKnown(place.Scene))
            return place;
        var fallback = _options.Fallback ?? _options.Start;
        warnings.Add($"The save is in the scene \"{place.Scene}\", which the game has no more; the player is in \"{fallback.Scene}\" now.");
        return fallback;
    }

    private void RenameScenes(SceneArchive scenes)
    {
        foreach (var (former, today) in _options.FormerScenes)
            scenes.Rename(former, today);
    }

    private bool IsKnown(string scene) => _options.Scenes.Count == 0 || _options.Scenes.Contains(scene);

    /// <summary>Takes the scene down into the archive, unless it is not the one that was left there.</summary>
    private void CaptureScene()
    {
        if (_live is not null && _broken is null)
            _live.CaptureTo(_state!.Scenes, _place.Scene);
    }

    private void EnsureReady()
    {
        if (_broken is not null)
        {
            throw new SessionException(
                SaveErrorCode.NotReady, $"The scene \"{_place.Scene}\" could not be put back as it was: {_broken.Message}",
                remedy: "Load a save, or go to another scene.", innerException: _broken);
        }
        _ = State;
        if (_waiting is not null)
            throw NotReady(
                $"The scene \"{_place.Scene}\" is not ready yet.", "Await LoadTask or what TravelAsync returned, or ask IsReady.");
    }

    private static SessionException NotReady(string problem, string remedy) => new(SaveErrorCode.NotReady, problem, remedy: remedy);
}
