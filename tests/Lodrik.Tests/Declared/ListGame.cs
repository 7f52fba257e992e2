using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Declared;

/// <summary>A game of plain lists of plain classes.</summary>
[SceneType]
public sealed partial class Marsh
{
    public SpawnNumbers Numbers { get; } = new();

    public List<OilCan> OilCans { get; } = [];

    public List<Lantern> Lanterns { get; } = [];

    public Dictionary<string, Punt> Punts { get; } = [];

    public float Fog { get; set; } = 0.5f;

    public static Marsh AsDesigned()
    {
        var marsh = new Marsh();
        marsh.OilCans.Add(new OilCan("oil-1") { At = new(1, 1) });
        marsh.OilCans.Add(new OilCan("oil-2") { At = new(7, 3) });
        marsh.Punts.Add("punt", new Punt("punt") { At = new(2, 2), Crew = { "keeper" } });
        return marsh;
    }
}

[EntityType("oilCan", OnlyIfChanged = true)]
public sealed partial class OilCan(string name)
{
    [EntityId]
    public string Name { get; } = name;

    public Vector2 At { get; set; }

    public float Oil { get; set; } = 5;

    [NotSaved]
    public bool IsHovering { get; set; }
}

[EntityType("punt")]
public sealed partial class Punt(string name)
{
    [EntityId]
    public string Name { get; } = name;

    public Vector2 At { get; set; }

    public List<string> Crew { get; } = [];
}

[EntityType("lantern")]
public sealed partial class Lantern(long number)
{
    [EntityId]
    public long Number { get; } = number;

    public Vector2 At { get; set; }

    public string Colour { get; set; } = "white";

    public OilCan? Near { get; set; }

    public List<Punt> Passed { get; } = [];

    [Parent]
    public Punt? TiedTo { get; set; }
}
