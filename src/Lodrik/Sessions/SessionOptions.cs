using Lodrik.Scenes;

namespace Lodrik;

/// <summary>Where the player is: a scene, and the place in it where the player comes in.</summary>
/// <param name="Scene">The scene's name.</param>
/// <param name="Entrance">The entrance's name in the game's own spelling; may be empty.</param>
public readonly record struct ScenePlace(string Scene, string Entrance = "");

/// <summary>Why the game is asked to change scenes.</summary>
public enum SceneChangeCause
{
    /// <summary>A new game begins.</summary>
    NewGame,

    /// <summary>A save was loaded.</summary>
    Load,

    /// <summary>The player goes to another scene.</summary>
    Travel,

    /// <summary>The player is restored to a checkpoint.</summary>
    Checkpoint,
}

/// <summary>A change of scenes that the game is asked for; the game hands it back when it has arrived.</summary>
public sealed class SceneChange
{
    internal SceneChange(ScenePlace to, SceneChangeCause cause, bool canStay) =>
        (Scene, Entrance, Cause, CanStay) = (to.Scene, to.Entrance, cause, canStay);

    /// <summary>The scene to go to.</summary>
    public string Scene { get; }

    /// <summary>Where the player comes in; may be empty.</summary>
    public string Entrance { get; }

    /// <summary>Why.</summary>
    public SceneChangeCause Cause { get; }

    /// <summary>
    /// Whether the current scene is the one that is asked for: then the game may keep it and call <c>Stay</c>, and it is restored in
    /// place.
    /// </summary>
    public bool CanStay { get; }
}

/// <summary>What a session is to do, and what it asks of the game.</summary>
/// <typeparam name="TSave">The game's save root.</typeparam>
public sealed class SessionOptions<TSave>
{
    /// <summary>Where a new game begins.</summary>
    public required ScenePlace Start { get; init; }

    /// <summary>
    /// Begins to build a scene as its designer left it, and to leave the one before. It may take many frames; when the scene is ready, the
    /// game calls <c>Arrive</c> with the change that it was given; if it cannot be built, <c>Fail</c>. If this throws, the scene before
    /// has to stop: it is played on. Not needed where a session is begun with what builds a scene at once.
    /// </summary>
    public Action<SceneChange>? ChangeScene { get; init; }

    /// <summary>
    /// Says where the player is by what the save says of the progress; null goes by where the player was when it was saved.
    /// </summary>
    public Func<TSave, ScenePlace>? PlaceOf { get; init; }

    /// <summary>
    /// The scenes that the game has. Empty for those that a declared scene names, and where any name may be one.
    /// </summary>
    public IReadOnlyCollection<string> Scenes { get; init; } = [];

    /// <summary>
    /// The names of today for scenes that had another one in earlier saves. A new scene may get a former name: saves that were made since
    /// say which scene they mean.
    /// </summary>
    public IReadOnlyDictionary<string, string> FormerScenes { get; init; } = new Dictionary<string, string>();

    /// <summary>Where a player goes whose scene the game no longer has; null for the start.</summary>
    public ScenePlace? Fallback { get; init; }

    /// <summary>
    /// What survives the way back to a checkpoint: names of sections of the save root. Everything else is as it was when the checkpoint was
    /// marked. A part of the game with a section of its own says so where it is registered.
    /// </summary>
    public IReadOnlyCollection<string> Survives { get; init; } = [];

    /// <summary>What the slot list shows of a save for which the game gives no label; the time played is filled in.</summary>
    public Func<TSave, SaveLabel>? Label { get; init; }

    /// <summary>When the session saves by itself.</summary>
    public AutosavePolicy Autosave { get; init; } = new();

    /// <summary>How much of a frame may go into restoring a scene, in <c>Tick</c>; null restores in one go on arrival.</summary>
    public TimeSpan? RestoreBudget { get; init; }

    /// <summary>What tells the time; null for the system's.</summary>
    public TimeProvider? Clock { get; init; }
}

/// <summary>What came of a change of scenes.</summary>
/// <param name="Change">The change that was asked for.</param>
/// <param name="Restored">What was done to restore the scene; null for one that was never visited.</param>
/// <param name="Warnings">
/// What the player may want to know, a sentence each: what is odd about the save (<see cref="LoadResult{T}.Warnings"/>), and what is not as
/// the save has it, such as a scene that the game no longer has.
/// </param>
public sealed record SessionArrival(SceneChange Change, RestoreReport? Restored, IReadOnlyList<string> Warnings);

/// <summary>A state of the session that the player can be restored to.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Place">Where the player was.</param>
/// <param name="Played">How long had been played.</param>
/// <param name="IsInSave">Whether it goes into the save, or is gone when the game is left.</param>
public sealed record SessionCheckpoint(string Name, ScenePlace Place, TimeSpan Played, bool IsInSave);
