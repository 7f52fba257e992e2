using System.Numerics;
using Lodrik;
using Lodrik.State;

namespace Tidewarden;

/// <summary>Everything that a save of the game holds. Each member is a section of the file.</summary>
[SaveFile("tidewarden", Version = 4)]
public sealed partial class TidewardenSave : ISessionSave
{
    public Warden Warden { get; set; } = new();

    public Season Season { get; set; } = new();

    public Dictionary<string, Errand> Errands { get; set; } = new() { ["lights"] = new Errand { Title = "Light every beacon of the marsh" } };

    public SceneArchive Scenes { get; set; } = new();

    public SessionArchive Session { get; set; } = new();
}

/// <summary>The keeper of the beacons: the player.</summary>
[StateType]
public sealed partial class Warden
{
    public string Name { get; set; } = "Isolde Reedmere";

    public Vector2 Position { get; set; } = new(2, 4);

    public float Stamina { get; set; } = 100;

    [Saved("oil")]
    private int _oil = 3;

    public List<Item> Satchel { get; set; } = [new Item { What = "tinderbox" }];

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
    public string What { get; set; } = "";

    /// <summary>The scene that it is from; empty for what the warden had from the start.</summary>
    public string From { get; set; } = "";

    public int Count { get; set; } = 1;
}

/// <summary>How far the tides and the days have got.</summary>
[StateType]
public sealed partial class Season
{
    public int Day { get; set; } = 1;

    public Tide Tide { get; set; } = Tide.Ebb;

    public TimeSpan SinceTurn { get; set; }

    public Tally Tally { get; set; } = new();
}

/// <summary>What is counted over a whole playthrough.</summary>
[StateType]
public sealed partial class Tally
{
    public int LettersDelivered { get; set; }

    /// <summary>Litres of oil.</summary>
    public int OilBurnt { get; set; }

    /// <summary>How often the flood took the warden.</summary>
    public int Floods { get; set; }
}

/// <summary>The weather over the marsh.</summary>
[StateType]
public sealed partial class Weather
{
    public float WindKnots { get; set; } = 12;

    public bool Fog { get; set; }
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

    public ErrandState State { get; set; }

    public int Steps { get; set; }
}

/// <summary>The states of an errand.</summary>
public enum ErrandState
{
    Open,
    Done,
}

/// <summary>The settings of a sluice gate.</summary>
public enum GateSetting
{
    Shut,
    Ajar,
    Open,
}

/// <summary>The glass of a drift lantern. A save has its name in the catalogue.</summary>
/// <param name="Tint">The color of its light, as #RRGGBB.</param>
public sealed record Glass(string Tint);

/// <summary>The glasses that the game knows, by the names that saves have.</summary>
public sealed class Glasses : ICatalogueSource<Glass>
{
    public static Glass Amber { get; } = new("#ffb347");

    public static Glass Green { get; } = new("#5fbf77");

    public static Glass White { get; } = new("#f4f1e8");

    public static Glass Red { get; } = new("#c8553d");

    public static Catalogue<Glass> Catalogue { get; } = new("glasses")
    {
        { "amber", Amber, ["yellow"] },
        { "green", Green },
        { "white", White },
        { "red", Red },
    };
}
