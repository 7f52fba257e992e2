using System.Numerics;
using Lodrik;
using Lodrik.Scenes;

namespace Starter;

// The save code of a game, to copy into yours. Change what is marked with »; the rest can stay.
// It needs the package Lodrik, and nothing else.

/// <summary>Everything that the game remembers. Each member is a section of the save; a new member needs nothing but its initial value.</summary>
[SaveFile("my-game", Version = 1)] // » your game's id, once and for all. Raise the version when something saved is renamed, moved or taken out: docs/migrations.md
public sealed partial class GameState
{
    public Player Player { get; set; } = new();

    /// <summary>What has happened: doors opened, people met, endings seen.</summary>
    public HashSet<string> Flags { get; set; } = [];

    public Dictionary<string, int> Counters { get; set; } = [];

    /// <summary>The rooms that were visited, each as it was left.</summary>
    public SceneArchive Rooms { get; set; } = new();
}

/// <summary>» What is saved of the player.</summary>
[StateType]
public sealed partial class Player
{
    public string Name { get; set; } = "";
    public string Room { get; set; } = "start";
    public Vector2 Position { get; set; }
    public int Health { get; set; } = 100;
    public List<string> Carries { get; set; } = [];
    public TimeSpan Played { get; set; }
}

/// <summary>» A room, as your engine or your own code has it: a list of the things in it will do.</summary>
public sealed class Room
{
    public List<Thing> Things { get; } = [];

    public SpawnNumbers Numbers { get; } = new();
}

/// <summary>» A thing in a room. Those that the designer placed have a name, those that come while playing have a number.</summary>
public sealed class Thing(EntityId id)
{
    public EntityId Id { get; } = id;
    public Vector2 Position { get; set; }
    public bool IsOpen { get; set; }
}

/// <summary>» What is saved of a thing.</summary>
[StateType]
public partial record struct ThingState(Vector2 Position, bool IsOpen);

/// <summary>The saves of the game: its slots, and the state that is being played.</summary>
public sealed class GameSaves : IDisposable
{
    /// <summary>What a thing is to a save: who it is, what of it is saved, how it comes into a room and how it leaves.</summary>
    private static readonly SceneBindings<Room> Bindings = new SceneBindings<Room>()
        .SpawnNumbers(room => room.Numbers)
        .Kind("thing", room => room.Things, thing => thing
            .Id(one => one.Id)
            .Part("state", one => new ThingState(one.Position, one.IsOpen), (one, state) => (one.Position, one.IsOpen) = (state.Position, state.IsOpen))
            .Spawn((room, id) =>
            {
                var one = new Thing(id);
                room.Things.Add(one);
                return one;
            })
            .Remove((room, one) => room.Things.Remove(one)));

    private readonly SaveStore<GameState> _store;
    private LiveScene<Room>? _room;

    /// <param name="folder">Where the saves are; null for the platform's own place for the game's data.</param>
    public GameSaves(string? folder = null)
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
    }

    /// <summary>What is being played.</summary>
    public GameState State { get; private set; } = new();

    /// <summary>Whether the title screen offers "continue".</summary>
    public bool CanContinue => _store.HasSaves();

    /// <summary>The slot list, newest first. It reads a few kilobytes of each save.</summary>
    public IReadOnlyList<SlotSummary> Slots => _store.List();

    public void NewGame()
    {
        _store.StartPlaythrough(); // Keeps quick and automatic saves of the one before.
        (State, _room) = (new GameState(), null);
    }

    /// <summary>Says that a room stands as its designer left it; puts it back as the player left it. The room that was played before is remembered as it is.</summary>
    public void Enter(string name, Room room)
    {
        Remember();
        State.Player.Room = name;
        _room = Bindings.Begin(room);
        _room.RestoreFrom(State.Rooms, name);
    }

    /// <summary>Saves to a slot of the player's choice. Ask first where <see cref="WouldReplace"/> says so.</summary>
    /// <returns>What to show the player: that it worked, or why not.</returns>
    public string Save(SlotName slot) => Told(() => $"Saved: {Captured(label => _store.Save(slot, State, label, Overwrite.Allowed)).Slot}.");

    /// <summary>What a save to this slot would replace; null where nothing of another game is lost.</summary>
    public SlotSummary? WouldReplace(SlotName slot) => _store.WouldOverwrite(slot);

    public string QuickSave() => Told(() => $"Saved: {Captured(label => _store.QuickSave(State, label)).Slot}.");

    public string AutoSave() => Told(() => $"Saved: {Captured(label => _store.AutoSave(State, label)).Slot}.");

    /// <summary>Loads a slot. Afterwards build the room that <see cref="State"/> says the player is in, and <see cref="Enter"/> it.</summary>
    /// <returns>What to show the player.</returns>
    public string Load(SlotName slot) => Told(() => Take(_store.Load(slot)));

    public string QuickLoad() => Told(() => Take(_store.QuickLoad()));

    public string Continue() => Told(() => Take(_store.Continue()));

    public void Dispose() => _store.Dispose(); // Waits for what is still being written.

    private void Remember() => _room?.CaptureTo(State.Rooms, State.Player.Room);

    private SaveReceipt Captured(Func<SaveLabel, SaveReceipt> save)
    {
        Remember();
        return save(new SaveLabel
        {
            Title = SaveLabel.TitleOf(State.Player.Name, State.Player.Room), // » what a slot list shows
            Played = State.Player.Played,
        });
    }

    private string Take(LoadResult<GameState> loaded)
    {
        if (!loaded.Found)
            return "There is nothing to load.";
        (State, _room) = (loaded.State, null);
        return loaded.PassedOver.Count == 0 ? "Loaded." : "The newest save was damaged. The one before it was loaded.";
    }

    /// <summary>Whatever can go wrong with a save says what happened and what to do. What was played goes on.</summary>
    private static string Told(Func<string> act)
    {
        try
        {
            return act();
        }
        catch (SaveException problem)
        {
            return problem.Message;
        }
    }
}
