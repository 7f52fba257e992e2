using Lodrik.Scenes;

namespace Lodrik.Sessions;

/// <summary>
/// A change of scenes that was asked for and prepared: the game that it leads to, and what is needed to take everything back. It ends once:
/// the scene stands, it failed, or something else was asked for.
/// </summary>
/// <param name="shown">The change as the game sees it.</param>
/// <param name="game">What will be played.</param>
/// <param name="done">Whoever waits for it.</param>
/// <param name="warnings">What is not as the save has it.</param>
internal sealed class SessionRequest<TSave, TScene>(
    SceneChange shown, PlayedGame<TSave, TScene> game, TaskCompletionSource<SessionArrival> done, List<string> warnings)
{
    public SceneChange Shown => shown;

    public PlayedGame<TSave, TScene> Game => game;

    public TaskCompletionSource<SessionArrival> Done => done;

    public List<string> Warnings => warnings;

    /// <summary>What puts the sections of the game's parts; null if they stay as they are.</summary>
    public List<Action>? Puts { get; init; }

    /// <summary>The time played that counting goes on from; null if it just goes on.</summary>
    public TimeSpan? Played { get; init; }

    /// <summary>What becomes valid once the scene is ready, such as the slot that is saved to.</summary>
    public Action? Settled { get; init; }

    /// <summary>Whether the current scene is restored at once, and the game is not asked for one.</summary>
    public bool IsWithinScene { get; init; }

    /// <summary>What the parts of the game had before; null if they were not touched.</summary>
    public SubsystemMemory? Before { get; set; }

    /// <summary>What the clock had counted before; null if it just goes on.</summary>
    public PlayClock.Reading? ClockBefore { get; set; }

    /// <summary>What restores the scene, as soon as there is one.</summary>
    public SceneRestoration<TScene>? Restoration { get; set; }

    /// <summary>Whether the restoration is one of the scene that was being played.</summary>
    public bool IsInPlace { get; set; }

    /// <summary>Why it failed; null if it did not.</summary>
    public SaveException? Problem { get; set; }
}

/// <summary>A save that is being read in the background.</summary>
/// <param name="Result">What comes of it.</param>
/// <param name="Cancel">Cancels it.</param>
/// <param name="Done">Whoever waits until it is played.</param>
internal sealed record SessionLoading<TSave>(
    Task<LoadResult<TSave>> Result, CancellationTokenSource Cancel, TaskCompletionSource<SessionArrival> Done)
    where TSave : State.IStateRoot<TSave>
{
    /// <summary>Nobody needs it any more; what still fails is nobody's error.</summary>
    public void Drop()
    {
        Cancel.Cancel();
        Result.ContinueWith(
            static (ended, cancel) =>
            {
                _ = ended.Exception;
                ((CancellationTokenSource)cancel!).Dispose();
            }, Cancel, CancellationToken.None, TaskContinuationOptions.ExecuteSynchronously, TaskScheduler.Default);
    }
}
