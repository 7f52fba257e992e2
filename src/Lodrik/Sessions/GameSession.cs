using System.Runtime.ExceptionServices;
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
/// within <see cref="Arrive"/> or <see cref="Tick"/>. A change is prepared whole and then takes the place of what was played in one step;
/// where anything fails, what was played before is played on. Every load brings a new state object: ask the session for it each time, or
/// use <see cref="Follow"/>.
/// </remarks>
public sealed partial class GameSession<TSave, TScene> : IDisposable where TSave : class, IStateRoot<TSave>, ISessionSave
{
    private readonly SaveStore<TSave> _store;
    private readonly SceneBindings<TScene> _bindings;
    private readonly SessionOptions<TSave> _options;
    private readonly Func<SceneChange, TScene>? _build;
    private readonly SceneNames _names;
    private readonly Dictionary<string, ISubsystem> _subsystems = new(StringComparer.Ordinal);
    private readonly AutosaveWatch _autosaves;
    private readonly Queue<Action> _news = new();
    private Task? _failedAutosave;

    /// <summary>What is played, entirely: the state, the place, the scene and the checkpoints belong together. Null for nothing.</summary>
    private PlayedGame<TSave, TScene>? _game;

    /// <summary>
    /// The change that is under way, with the game that it leads to. Until it is done, nothing of <see cref="_game"/> is lost.
    /// </summary>
    private SessionRequest<TSave, TScene>? _request;

    private SessionLoading<TSave>? _loading;
    private TaskCompletionSource<SessionArrival> _loaded = new();
    private bool _isLoadAsked;
    private bool _isCallingBack;
    private bool _isTelling;
    private Exception? _failureOfHandler;

    /// <summary>Creates a session without a game: start a new one or load a save.</summary>
    /// <param name="store">The game's saves. The session does not close it.</param>
    /// <param name="bindings">What the objects of the game's scenes are.</param>
    /// <param name="options">How the session works, and what it asks of the game.</param>
    /// <exception cref="SessionException">
    /// An option names a section or a scene that does not exist, or the bindings wait for frames and no budget for a frame is set.
    /// </exception>
    public GameSession(SaveStore<TSave> store, SceneBindings<TScene> bindings, SessionOptions<TSave> options)
        : this(store, bindings, options, [], null)
    {
    }

    // The scenes are those that the game has, if the options do not name any. Without a function that builds one at once, the options have
    // what changes scenes.
    internal GameSession(
        SaveStore<TSave> store, SceneBindings<TScene> bindings, SessionOptions<TSave> options, IReadOnlyCollection<string> scenes,
        Func<SceneChange, TScene>? build)
    {
        ArgumentNullException.ThrowIfNull(store);
        ArgumentNullException.ThrowIfNull(bindings);
        ArgumentNullException.ThrowIfNull(options);
        ArgumentException.ThrowIfNullOrEmpty(options.Start.Scene, nameof(options));
        if (options.ChangeScene is null == build is null)
            throw new ArgumentException(
                build is null
                    ? "The session does not know how to build scenes. Set ChangeScene, or begin the session with a function that builds "
                        + "a scene."
                    : "The session is begun with a function that builds a scene, and ChangeScene is set as well. Leave one out.",
                nameof(options));
        (_store, _bindings, _options, _build) = (store, bindings, options, build);
        _names = new SceneNames(options.Scenes.Count > 0 ? options.Scenes : scenes, options.FormerScenes, options.Start, options.Fallback);
        CheckSurvivors(options.Survives);
        if (bindings.FramesToSettle > 0 && options.RestoreBudget is null)
            throw new SessionException(
                SaveErrorCode.BadBinding, "The bindings wait for engine frames (SettleAfter), but scenes are restored in one go.",
                remedy: "Set RestoreBudget to restore the scene over the ticks that follow.");
        Clock = new PlayClock(options.Clock);
        _autosaves = new AutosaveWatch(options.Autosave, Clock);
    }

    /// <summary>The state above the scenes. Every load brings a new one.</summary>
    /// <exception cref="SessionException">Nothing was loaded yet, or a load is under way; the error says what to wait for.</exception>
    public TSave State
    {
        get
        {
            if (_loading is not null)
                throw NotReady(
                    "The state is still being loaded.", "Await LoadTask, or ask IsReady.");
            return Current?.State ?? throw NotReady(
                "No game has been started or loaded yet.", "Call StartNew, Load or Continue, and await LoadTask.");
        }
    }

    /// <summary>
    /// A part of the state, looked up again each time: what a display or a script may keep for good, as the part itself is another object
    /// after every load.
    /// </summary>
    /// <param name="part">Gives the part of a state.</param>
    public FollowedState<TPart> Follow<TPart>(Func<TSave, TPart> part)
    {
        ArgumentNullException.ThrowIfNull(part);
        return new FollowedState<TPart>(() => part(State));
    }

    /// <summary>Whether a game is loaded, its scene is ready, and everything in it is as it was.</summary>
    public bool IsReady => _game is { Trouble: null } && _loading is null && _request is null;

    /// <summary>The load that was begun last, of a save or of a new game: done when the scene is ready.</summary>
    public Task<SessionArrival> LoadTask => _loaded.Task;

    /// <summary>
    /// A load is done, and there is a new <see cref="State"/>; a new game and the way back to a checkpoint are loads too.
    /// </summary>
    public event EventHandler<SessionArrival>? Loaded;

    /// <summary>The player has arrived in a scene, for whatever cause.</summary>
    public event EventHandler<SessionArrival>? Arrived;

    /// <summary>Where the player is, or is going.</summary>
    public ScenePlace Place => Current?.Place ?? default;

    /// <summary>The scene that is being played.</summary>
    /// <exception cref="SessionException">None is, or not yet.</exception>
    public LiveScene<TScene> Scene => RequireReady().Live!;

    /// <summary>The time played in this playthrough. Pause it in menus.</summary>
    public PlayClock Clock { get; }

    /// <summary>What is played, or what the change that is under way leads to.</summary>
    private PlayedGame<TSave, TScene>? Current => _request?.Game ?? _game;

    /// <summary>Lets a part of the game keep its own section, beside the members of the save root.</summary>
    /// <param name="name">The section's name, after "session/".</param>
    /// <param name="take">Gets the part's state when it is saved. It is copied.</param>
    /// <param name="put">Gives the part its state after a load: what was saved, or a fresh one where nothing was.</param>
    /// <param name="survives">Whether the part stays as it is when the player goes back to a checkpoint.</param>
    /// <exception cref="SessionException">
    /// The name is another part's, or one of the session's own. Or a game is loaded already, and the part did not take what it has for it.
    /// </exception>
    /// <exception cref="SaveException">
    /// A game is loaded already, and what it has for the part does not fit. The part is not registered.
    /// </exception>
    public void Register<T>(string name, Func<T> take, Action<T> put, bool survives = false) where T : IStateType<T>
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        RefuseInCallback();
        if (name is SessionArchive.PlaceSection or SessionArchive.ClockSection or SessionArchive.NamesSection
            || name.StartsWith(SessionArchive.CheckpointPrefix, StringComparison.Ordinal) || name.Contains('/', StringComparison.Ordinal)
            || LoneSurrogates.AreIn(name))
            throw new SessionException(SaveErrorCode.BadBinding,
                $"\"{name}\" cannot be the name of a part of the game: the session uses it itself, or it contains a slash or a lone "
                    + "surrogate.");
        var subsystem = new Subsystem<T>(name, take, put, survives);
        if (_subsystems.ContainsKey(name))
            throw new SessionException(
                SaveErrorCode.BadBinding, $"Two parts of the game are registered as \"{name}\".", remedy: "Give each its own name.");
        if (Current is { } game)
            CallBack(subsystem.Prepare(game.State.Session));
        _subsystems.Add(name, subsystem);
        if (_game is { } before)
            _request?.Before?.Remember(subsystem, before.State.Session);
    }

    /// <summary>
    /// Starts a new game: a fresh state, its own playthrough, the first scene as it was authored. The scene is ready once the game has
    /// built it; <see cref="LoadTask"/> is done then.
    /// </summary>
    /// <exception cref="SaveException">
    /// The game arrived within the call, and the first scene could not be put up. What was played before goes on.
    /// </exception>
    public void StartNew() => StartNewGame();

    /// <summary>Starts a new game: a fresh state, its own playthrough, the first scene as it was authored.</summary>
    /// <returns>Done when the scene is ready.</returns>
    /// <exception cref="SaveException">The first scene cannot be put up. What was played before goes on.</exception>
    public Task<SessionArrival> StartNewAsync() => InTask(StartNewGame);

    /// <summary>
    /// Loads a slot on the calling thread and asks the game to build the scene in the save. <see cref="LoadTask"/> completes when that
    /// scene is ready.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="progress">Receives the progress of the load.</param>
    /// <exception cref="SaveException">The slot does not exist or cannot be loaded. The current game continues.</exception>
    public void Load(SlotName slot, IProgress<SaveProgress>? progress = null) => LoadNow(new WhichSave(slot), progress);

    /// <summary>Loads a slot in the background. The load is completed on the game's thread, in <see cref="Tick"/>.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="progress">Receives the progress of the load.</param>
    /// <param name="cancellationToken">Cancels the load while it is in the background.</param>
    /// <returns>A task that completes when the scene is ready. It is canceled if another change is requested first.</returns>
    /// <exception cref="SaveException">The slot does not exist or cannot be loaded. The current game continues.</exception>
    public Task<SessionArrival> LoadAsync(
        SlotName slot, IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        LoadBehind(new WhichSave(slot), progress, cancellationToken);

    /// <summary>Loads the newest quick save of this playthrough on the calling thread.</summary>
    /// <param name="progress">Receives the progress of the load.</param>
    /// <inheritdoc cref="Load"/>
    public void QuickLoad(IProgress<SaveProgress>? progress = null) => LoadNow(WhichSave.Quick, progress);

    /// <summary>Loads the newest quick save of this playthrough in the background.</summary>
    /// <param name="progress">Receives the progress of the load.</param>
    /// <param name="cancellationToken">Cancels the load while it is in the background.</param>
    /// <inheritdoc cref="LoadAsync"/>
    public Task<SessionArrival> QuickLoadAsync(
        IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        LoadBehind(WhichSave.Quick, progress, cancellationToken);

    /// <summary>Loads the newest save that can be loaded, on the calling thread.</summary>
    /// <param name="progress">Receives the progress of the load.</param>
    /// <inheritdoc cref="Load"/>
    public void Continue(IProgress<SaveProgress>? progress = null) => LoadNow(WhichSave.Newest, progress);

    /// <summary>Loads the newest save that can be loaded, in the background.</summary>
    /// <param name="progress">Receives the progress of the load.</param>
    /// <param name="cancellationToken">Cancels the load while it is in the background.</param>
    /// <inheritdoc cref="LoadAsync"/>
    public Task<SessionArrival> ContinueAsync(
        IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        LoadBehind(WhichSave.Newest, progress, cancellationToken);

    /// <summary>
    /// Takes the player to another scene. The one that is left is remembered as it is, in memory until the next save. The new scene stands
    /// once the game has built it; <see cref="Arrived"/> is raised then.
    /// </summary>
    /// <param name="to">The scene, and where the player comes in.</param>
    /// <exception cref="SessionException">There is no such scene, or no game is being played, or a load is under way.</exception>
    /// <exception cref="SaveException">The scene cannot be captured; the player stays there.</exception>
    public void Travel(ScenePlace to) => TravelTo(to);

    /// <summary>Takes the player to another scene. The one that is left is remembered as it is, in memory until the next save.</summary>
    /// <param name="to">The scene, and where the player comes in.</param>
    /// <returns>A task that completes when the scene is ready. It is canceled if another change is requested first.</returns>
    /// <inheritdoc cref="Travel" path="/exception"/>
    public Task<SessionArrival> TravelAsync(ScenePlace to) => InTask(() => TravelTo(to));

    private Task<SessionArrival> TravelTo(ScenePlace to)
    {
        var game = RequireChangeable(SessionCure.Travel);
        _names.Check(to);
        // If the player is on the way already, the scene was captured when it was left.
        if (_request is null && game.IsWhole)
            CallBack(() => Capture(game));
        return Change(new SessionRequest<TSave, TScene>(
            ChangeTo(to, SceneChangeCause.Travel), game.At(to), new TaskCompletionSource<SessionArrival>(), []));
    }

    /// <summary>
    /// Goes on with what takes its time: finishes loads, restores the scene bit by bit, saves automatically when that is due. Called once a
    /// frame.
    /// </summary>
    public void Tick()
    {
        RefuseInCallback();
        BeginForScreens();
        if (_loading is { Result.IsCompleted: true } loading)
            FinishLoading(loading);
        if (_request is { Restoration: { IsDone: false } restoration } request)
            GoOnRestoring(request, restoration);
        if (LastAutosave is { IsFaulted: true } failed && failed != _failedAutosave)
        {
            _failedAutosave = failed;
            _autosaves.NoticeFailure();
        }
        if (IsReady && _autosaves.Due() is not null)
            SaveByItself();
    }

    /// <summary>
    /// Leaves the game: nothing is played any more until the next load, and what was under way is cancelled. The store stays open.
    /// </summary>
    public void Dispose()
    {
        DropForScreens();
        DropLoading();
        DropRequest();
        Clock.Stop();
        _game = null;
        _loaded.TrySetCanceled();
        Tell();
    }

    private PlayedGame<TSave, TScene> RequireReady()
    {
        _ = State;
        if (_request is { } request)
            throw NotReady(
                $"The scene \"{request.Game.Place.Scene}\" is not ready yet.",
                "Await LoadTask or what TravelAsync returned, or ask IsReady.");
        return _game!.Trouble is { } trouble ? throw trouble.ToException() : _game;
    }

    /// <summary>What is played, where the player may leave it: not while a load is under way, but on the way to another scene.</summary>
    /// <param name="cure">What is asked for: it may get the session out of trouble.</param>
    private PlayedGame<TSave, TScene> RequireChangeable(SessionCure cure)
    {
        RefuseInCallback();
        if (_loading is null && _game is { } game
            && (_request is null ? game.Trouble is { } trouble && trouble.Cure <= cure : _request.Shown.Cause == SceneChangeCause.Travel))
            return game;
        return RequireReady();
    }

    private static SessionException NotReady(string problem, string remedy) => new(SaveErrorCode.NotReady, problem, remedy: remedy);

    /// <summary>
    /// The game's callbacks see a session in the middle of a change. What they ask of it is refused: it would be taken back, or would save
    /// half of a scene.
    /// </summary>
    private void RefuseInCallback()
    {
        if (_isCallingBack)
            throw NotReady(
                "A callback of the session or of the scene's bindings tried to load, travel or save.",
                "Do it after the change, in Loaded, Arrived or the next frame.");
    }

    /// <summary>Calls code of the game, which must not change anything of the session.</summary>
    private void CallBack(Action callback)
    {
        var before = _isCallingBack;
        _isCallingBack = true;
        try
        {
            callback();
        }
        finally
        {
            _isCallingBack = before;
        }
    }

    private TResult CallBack<TResult>(Func<TResult> callback)
    {
        TResult result = default!;
        CallBack(() => { result = callback(); });
        return result;
    }

    /// <summary>An asynchronous call gives all its errors by its task.</summary>
    private Task<TResult> InTask<TResult>(Func<Task<TResult>> begin)
    {
        try
        {
            return begin();
        }
        catch (Exception problem) when (problem is not OutOfMemoryException && problem != _failureOfHandler)
        {
            return Task.FromException<TResult>(problem);
        }
    }

    /// <summary>An error of the game's own code, as what the session says of it.</summary>
    private static SaveException InWords(Exception problem, string doing) => problem as SaveException ?? new SessionException(
        SaveErrorCode.ForeignFailure, $"The game's code failed {doing}: {problem.Message}", innerException: problem);

    /// <summary>
    /// Tells whoever waits what has become of the requests, in order, once the session is whole again. What they ask for then is done at
    /// once, and told after this.
    /// </summary>
    private void Tell()
    {
        if (_isTelling || _isCallingBack)
            return;
        _isTelling = true;
        ExceptionDispatchInfo? failed = null;
        try
        {
            while (_news.TryDequeue(out var news))
            {
                try
                {
                    news();
                }
                catch (Exception problem)
                {
                    failed ??= ExceptionDispatchInfo.Capture(problem);
                }
            }
        }
        finally
        {
            _isTelling = false;
        }
        // The request that was told of has not failed by that.
        _failureOfHandler = failed?.SourceException;
        failed?.Throw();
    }
}
