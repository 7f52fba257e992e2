using System.Numerics;
using Lodrik;
using Lodrik.Scenes;

namespace Starter;

// The save code of a game, to copy into yours. Change what is marked with »; the rest can stay.
// It needs the package Lodrik, and nothing else.

/// <summary>Everything that the game remembers. Each member is a section of the save; a new member needs nothing but its initial value.</summary>
[SaveFile("my-game", Version = 1)] // » your game's id, once and for all. Raise the version when something saved is renamed, moved or taken out: docs/migrations.md
public sealed partial class GameState : ISessionSave
{
    public Player Player { get; set; } = new();

    /// <summary>What has happened: doors opened, people met, endings seen.</summary>
    public HashSet<string> Flags { get; set; } = [];

    public Dictionary<string, int> Counters { get; set; } = [];

    /// <summary>The rooms that were visited, each as it was left.</summary>
    public SceneArchive Scenes { get; set; } = new();

    /// <summary>Where the player is, and the checkpoints.</summary>
    public SessionArchive Session { get; set; } = new();
}

/// <summary>» What is saved of the player.</summary>
[StateType]
public sealed partial class Player
{
    public string Name { get; set; } = "";
    public Vector2 Position { get; set; }
    public List<string> Carries { get; set; } = [];
}

/// <summary>» A room, as your engine or your own code has it: a list of the things in it will do.</summary>
[SceneType("pier", "boathouse")] // » the names of your rooms
public sealed partial class Room
{
    public List<Thing> Things { get; } = [];
    public SpawnNumbers Numbers { get; } = new();
}

/// <summary>» A thing in a room. Those that the designer placed have a name, those that come while playing have a number.</summary>
[EntityType("thing")]
public sealed partial class Thing(EntityId id)
{
    public EntityId Id { get; } = id;
    public Vector2 Position { get; set; }
    public bool IsOpen { get; set; }
}

/// <summary>The saves of the game: its slots, and what is being played.</summary>
public sealed class GameSaves : IDisposable
{
    private readonly SaveStore<GameState> _store;

    /// <param name="build">Builds a room as its designer left it.</param>
    /// <param name="folder">Where the saves are; null for the platform's own place for the game's data.</param>
    public GameSaves(Func<string, Room> build, string? folder = null)
    {
        _store = SaveStore<GameState>.Open(new SaveStoreOptions
        {
            Folder = folder,
#if DEBUG
            Form = SaveForm.Json, // Readable while developing.
#else
            Form = SaveForm.Binary,
            Compression = SaveCompression.Fast,
            // » So that edits are found: make a key with "lodrik key new game.jwk", and read docs/protection.md for what that is worth.
            // Protection = SaveProtection.With(SaveKey.FromJwk(theKey)),
#endif
            // » Once there is a version 2: Migrations = new MigrationChain().From(1, step => …),
        });
        Session = GameSession.Begin(_store, change => build(change.Scene), new SessionOptions<GameState>
        {
            Start = new ScenePlace(Room.Scenes.Pier), // » where a new game begins
            Label = state => new SaveLabel { Title = SaveLabel.TitleOf(state.Player.Name, Session!.Place.Scene) }, // » what a slot list shows
        });
    }

    /// <summary>What is being played: its State, its Scene, and Travel, Mark, Return. Call its Tick once a frame: it saves by itself.</summary>
    public GameSession<GameState, Room> Session { get; }

    /// <summary>Whether the title screen offers "continue".</summary>
    public bool CanContinue => _store.HasSaves();

    /// <summary>The slot list, newest first. It reads a few kilobytes of each save.</summary>
    public IReadOnlyList<SlotSummary> Slots => _store.List();

    /// <summary>What a save to this slot would replace; null where nothing of another game is lost.</summary>
    public SlotSummary? WouldReplace(SlotName slot) => _store.WouldOverwrite(slot);

    /// <summary>Saves to a slot of the player's choice. Ask first where <see cref="WouldReplace"/> says so.</summary>
    /// <returns>What to show the player: that it worked, or why not.</returns>
    public string Save(SlotName slot) => Told("Saved.", () => Session.Save(slot, overwrite: Overwrite.Allowed));

    public string QuickSave() => Told("Saved.", () => Session.QuickSave());

    public string Load(SlotName slot) => Told("Loaded.", () => Session.Load(slot));

    public string Continue() => Told("Loaded.", () => Session.Continue());

    /// <summary>Waits for what is still being written.</summary>
    public void Dispose()
    {
        Session.Dispose();
        _store.Dispose();
    }

    /// <summary>Whatever can go wrong with a save says what happened and what to do. What was played goes on.</summary>
    private static string Told(string done, Action act)
    {
        try
        {
            act();
            return done;
        }
        catch (SaveException problem)
        {
            return problem.Message;
        }
    }
}
