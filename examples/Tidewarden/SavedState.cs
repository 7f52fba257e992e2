using System.Numerics;
using Lodrik;

namespace Tidewarden;

/// <summary>Everything that a save of the game holds. Each member is a section of the file.</summary>
[SaveFile("tidewarden", Version = 1)]
public sealed partial class TidewardenSave
{
    public Warden Warden { get; set; } = new();

    public Season Season { get; set; } = new();

    public Dictionary<string, Errand> Errands { get; set; } = [];

    public SceneArchive Scenes { get; set; } = new();
}

/// <summary>The keeper of the beacons: the player.</summary>
[StateType]
public sealed partial class Warden
{
    public string Name { get; set; } = "Isolde Reedmere";

    public string Scene { get; set; } = "marsh";

    public Vector2 Position { get; set; } = new(2, 4);

    public float Stamina { get; set; } = 100;

    [Saved("oil")]
    private int _oil = 3;

    public List<Item> Satchel { get; set; } = [new Item { Name = "tinderbox" }];

    /// <summary>Litres of oil in the can at the warden's belt.</summary>
    [NotSaved]
    public int Oil
    {
        get => _oil;
        set => _oil = Math.Max(0, value);
    }

    /// <summary>Whether the warden stands on planks that creak; only of the moment.</summary>
    [NotSaved]
    public bool IsCreaking { get; set; }
}

/// <summary>A thing in the satchel.</summary>
[StateType]
public sealed partial class Item
{
    public string Name { get; set; } = "";

    public int Count { get; set; } = 1;
}

/// <summary>How far the tides and the days have got.</summary>
[StateType]
public sealed partial class Season
{
    public int Day { get; set; } = 1;

    public Tide Tide { get; set; } = Tide.Ebb;

    public TimeSpan SinceTurn { get; set; }

    public TimeSpan Played { get; set; }

    public int LettersDelivered { get; set; }
}

/// <summary>The four turns of the tide.</summary>
public enum Tide
{
    Ebb,
    Low,
    Flood,
    High,
}

/// <summary>How far an errand has got.</summary>
[StateType]
public sealed partial class Errand
{
    public string Title { get; set; } = "";

    public bool Done { get; set; }

    public int Steps { get; set; }
}

// The parts of the objects in a scene: what of each is saved.

/// <summary>Where an object is.</summary>
[StateType]
public partial record struct Place(Vector2 At);

/// <summary>A beacon's flame.</summary>
[StateType]
public partial record struct Flame(bool Lit, int Oil);

/// <summary>How far a sluice is open.</summary>
[StateType]
public partial record struct Gate(GateSetting Setting);

/// <summary>The settings of a sluice gate.</summary>
public enum GateSetting
{
    Shut,
    Half,
    Open,
}

/// <summary>What a heron is about.</summary>
[StateType]
public partial record struct Mood(bool Alert, int FishCaught);

/// <summary>A drift lantern's candle.</summary>
[StateType]
public partial record struct Candle(float Burnt, string Color);
