using Lodrik.Migrations;
using Lodrik.State;

namespace Lodrik.Tests.Migrations;

// One game over three versions: what its save looked like then, and what it is now.

[SaveFile("ferry", Version = 1)]
public sealed partial class FerryV1
{
    public PilotV1 Pilot { get; set; } = new();

    public RouteV1 Route { get; set; } = new();

    public List<string> Log { get; set; } = [];

    public SceneArchive Scenes { get; set; } = new();

    public SessionArchive Session { get; set; } = new();
}

[StateType]
public sealed partial class PilotV1
{
    public string Name { get; set; } = "Bryn Alder";

    public int Hp { get; set; } = 10;

    public double Fuel { get; set; } = 2.5;

    public List<CargoV1> Hold { get; set; } = [];
}

[StateType]
public sealed partial class CargoV1
{
    public string What { get; set; } = "";

    public int Number { get; set; }
}

[StateType]
public sealed partial class RouteV1
{
    public string Weather { get; set; } = "Calm";

    public int Crossings { get; set; }
}

/// <summary>The game of today.</summary>
[SaveFile("ferry", Version = 3)]
public sealed partial class Ferry
{
    public Pilot Pilot { get; set; } = new();

    public Route Route { get; set; } = new();

    public List<string> Log { get; set; } = [];

    public SceneArchive Scenes { get; set; } = new();

    public SessionArchive Session { get; set; } = new();

    public static MigrationChain Chain => new MigrationChain()
        .From(1, step => step
            .Rename("/pilot/hp", "health")
            .Split("/pilot/name", ["first", "last"], "at the blank", name => [.. name.AsText()!.Split(' ', 2).Select(word => (SaveValue)word)])
            .ForEach("/pilot/hold/*", cargo => cargo.Rename("/what", "kind").Rename("/number", "count")))
        .From(2, step => step
            .Move("/route/crossings", "/pilot/tally/crossings")
            .SetDefault("/pilot/tally/storms", 0)
            .RenameEnumValue("/route/weather", "Calm", "Still")
            .Convert("/pilot/fuel", "is rounded to litres", fuel => (long)Math.Round(fuel.AsDouble()))
            .RenameKind("boat", "barge"));
}

[StateType]
public sealed partial class Pilot
{
    public string First { get; set; } = "";

    public string Last { get; set; } = "";

    public int Health { get; set; }

    public int Fuel { get; set; }

    public List<Cargo> Hold { get; set; } = [];

    public Tally Tally { get; set; } = new();
}

[StateType]
public sealed partial class Cargo
{
    public string Kind { get; set; } = "";

    public int Count { get; set; }
}

[StateType]
public sealed partial class Tally
{
    public int Crossings { get; set; }

    public int Storms { get; set; }
}

public enum RiverWeather
{
    Still,
    Gale,
}

[StateType]
public sealed partial class Route
{
    public RiverWeather Weather { get; set; }
}
