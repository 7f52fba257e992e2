using Lodrik.Migrations;
using Lodrik.Scenes;

namespace Lodrik.Cli.Demo;

/// <summary>A game that plays a short story by itself: all that the tool knows of a game, and the only way to one.</summary>
internal interface IGameDemo
{
    /// <summary>What the game is called, and what happens in its story, one sentence each.</summary>
    string Name { get; }

    /// <inheritdoc cref="Name"/>
    string Plot { get; }

    /// <summary>The file name of the game's assembly, for commands that look into it.</summary>
    string AssemblyFile { get; }

    /// <summary>How wide a map of the scene is, in characters.</summary>
    int MapWidth { get; }

    /// <summary>How saves of earlier releases are brought up to today's.</summary>
    MigrationChain Migrations { get; }

    /// <summary>Plays the story once, with saves as the options say.</summary>
    DemoStory Play(SaveStoreOptions options);

    /// <summary>A save that the game's first release made.</summary>
    byte[] SaveOfFirstRelease();

    /// <summary>Loads a save of the first release, and says what became of it.</summary>
    /// <param name="options">Where the save is.</param>
    /// <param name="slot">Its slot.</param>
    /// <param name="outcome">What it says in today's release, one line.</param>
    /// <returns>The version that it was migrated from.</returns>
    int LoadFirstRelease(SaveStoreOptions options, SlotName slot, out string outcome);

    /// <summary>The style in which a character of the map is shown; null for the faint one.</summary>
    string? StyleOf(char sign);

    /// <summary>What the characters of the map are.</summary>
    IReadOnlyList<KeyValuePair<char, string>> Legend { get; }
}

/// <summary>The scene at one moment of the story.</summary>
/// <param name="Title">What moment it is.</param>
/// <param name="Map">The scene's rows, one character for each place.</param>
/// <param name="Facts">What is to be known beside the map; the same names in the same order at every moment.</param>
internal sealed record DemoMoment(string Title, IReadOnlyList<string> Map, IReadOnlyList<KeyValuePair<string, string>> Facts)
{
    /// <summary>Whether two moments show the same scene.</summary>
    public bool Shows(DemoMoment other) => Map.SequenceEqual(other.Map) && Facts.SequenceEqual(other.Facts);
}

/// <summary>One fact about a checkpoint: when it was marked, before the player died, and back again.</summary>
internal sealed record DemoFact(string Name, string Marked, string Before, string After);

/// <summary>What the story showed.</summary>
/// <param name="Moments">As the designer left the scene, at the save, after playing on, and after loading.</param>
/// <param name="Receipts">All saves that were made.</param>
/// <param name="Restored">What the load did to the scene.</param>
/// <param name="Checkpoint">A death and a checkpoint.</param>
/// <param name="Updated">What a later release of the game does with the save.</param>
internal sealed record DemoStory(
    IReadOnlyList<DemoMoment> Moments, IReadOnlyList<SaveReceipt> Receipts, RestoreReport Restored, IReadOnlyList<DemoFact> Checkpoint,
    RestorePlan Updated)
{
    public DemoMoment AtSave => Moments[1];

    public DemoMoment PlayedOn => Moments[2];

    public DemoMoment Loaded => Moments[3];
}
