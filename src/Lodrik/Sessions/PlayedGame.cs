using Lodrik.Scenes;

namespace Lodrik.Sessions;

/// <summary>
/// A game that is being played, or is about to be: what belongs together and is exchanged as a whole. A session has one of them, and a
/// second one as long as a change of scenes is under way.
/// </summary>
/// <param name="state">The state above the scenes.</param>
/// <param name="place">Where the player is.</param>
/// <param name="checkpoints">What the player can be restored to, the newest last.</param>
/// <param name="renamed">The former names of scenes that do not occur in the state any more.</param>
internal sealed class PlayedGame<TSave, TScene>(
    TSave state, ScenePlace place, List<CheckpointSection> checkpoints, IReadOnlyCollection<string> renamed)
{
    public TSave State => state;

    public ScenePlace Place => place;

    public List<CheckpointSection> Checkpoints => checkpoints;

    public IReadOnlyCollection<string> Renamed => renamed;

    /// <summary>The current scene, or stood when it was left; null if none was put up yet.</summary>
    public LiveScene<TScene>? Live { get; set; }

    /// <summary>Whether the game may have torn the scene down, as it was asked for another one.</summary>
    public bool IsLeft { get; set; }

    /// <summary>Why the scene could not be taken down when it was left; null if it was.</summary>
    public SaveException? NotTaken { get; set; }

    /// <summary>Why it cannot be played on and saved as it is; null if it can.</summary>
    public SessionTrouble? Trouble { get; set; }

    /// <summary>Whether the scene is ready and is as it is to be.</summary>
    public bool IsWhole => Trouble is null && !IsLeft && Live is not null;

    /// <summary>The same game at another place.</summary>
    public PlayedGame<TSave, TScene> At(ScenePlace other) => new(state, other, checkpoints, renamed);
}

/// <summary>What gets a session out of trouble. What is enough for one is enough for those before it.</summary>
internal enum SessionCure
{
    /// <summary>Going to a scene, the same or another one.</summary>
    Travel,

    /// <summary>Going back to a checkpoint.</summary>
    Return,

    /// <summary>Loading a save, or a new game.</summary>
    Load,
}

/// <summary>Why what is being played is not whole, and must not be saved.</summary>
/// <param name="Problem">What is wrong.</param>
/// <param name="Cause">The error that led to it.</param>
/// <param name="Cure">What makes it whole again.</param>
internal sealed record SessionTrouble(string Problem, Exception Cause, SessionCure Cure)
{
    public SessionException ToException() => new(SaveErrorCode.NotReady, Problem, remedy: Cure switch
    {
        SessionCure.Travel => "Go to a scene, or load a save. Traveling to the session's Place builds the scene again and restores it.",
        SessionCure.Return => "Return to a checkpoint, or load a save.",
        _ => "Load a save, or start a new game.",
    }, innerException: Cause);

    /// <summary>The worse one of two, as far as the cure goes.</summary>
    public static SessionTrouble? Worse(SessionTrouble? one, SessionTrouble? other) =>
        one is null || (other is not null && other.Cure > one.Cure) ? other : one;
}
