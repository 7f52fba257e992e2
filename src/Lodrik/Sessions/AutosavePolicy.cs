using Lodrik.Slots;

namespace Lodrik;

/// <summary>When a session saves by itself.</summary>
public sealed record AutosavePolicy
{
    /// <summary>How much is played between two automatic saves; null for none by time.</summary>
    public TimeSpan? Interval { get; init; } = TimeSpan.FromMinutes(5);

    /// <summary>Whether to save when the player has gone to another scene. Loading never counts as that.</summary>
    public bool OnSceneChange { get; init; } = true;

    /// <summary>Whether to save when the game is left.</summary>
    public bool OnQuit { get; init; } = true;

    /// <summary>How much has to be played between two automatic saves at least; one that is due earlier is made up for then.</summary>
    public TimeSpan MinimumSpacing { get; init; } = TimeSpan.FromSeconds(30);

    /// <summary>No automatic saves at all.</summary>
    public static AutosavePolicy Never { get; } = new() { Interval = null, OnSceneChange = false, OnQuit = false };
}

/// <summary>What came of leaving the game.</summary>
/// <param name="Receipt">The automatic save; null if none was made.</param>
/// <param name="FailedSaves">The saves that failed in the background, of slots that were not saved to since.</param>
public sealed record QuitResult(SaveReceipt? Receipt, IReadOnlyList<SaveFailure> FailedSaves);

/// <summary>Why a session saves by itself.</summary>
public enum AutosaveCause
{
    /// <summary>Enough was played since the last time.</summary>
    Interval,

    /// <summary>The player has gone to another scene.</summary>
    SceneChange,

    /// <summary>The game is left.</summary>
    Quit,
}
