using System.Numerics;
using Lodrik;
using Lodrik.Scenes;
using Lodrik.State;
using Tidewarden;

[assembly: SaveAdapter(typeof(CatalogueAdapter<Glass, Glasses>))]

namespace Tidewarden;

// The game's own objects. They share no base class; what of each is saved, and in which part, is said by attributes.

/// <summary>A tidal beacon on its post.</summary>
[EntityType("beacon"), Placed]
public sealed partial class Beacon(string name, Vector2 at)
{
    [EntityId]
    public string Name { get; } = name;

    [NotSaved]
    public Vector2 At { get; } = at;

    [Part("flame")]
    public bool Lit { get; set; }

    [Part("flame")]
    public int Oil { get; set; } = 1;
}

/// <summary>A gate that lets the water in or keeps it out.</summary>
[EntityType("sluice"), Placed]
public sealed partial class Sluice(string name, Vector2 at)
{
    [EntityId]
    public string Name { get; } = name;

    [NotSaved]
    public Vector2 At { get; } = at;

    [Part("gate")]
    public GateSetting Setting { get; set; }
}

/// <summary>A can of lamp oil, there to be picked up.</summary>
[EntityType("oilCan"), Part("place")]
public sealed partial class OilCan(string name, Vector2 at)
{
    [EntityId]
    public string Name { get; } = name;

    public Vector2 At { get; set; } = at;
}

/// <summary>A letter that waits to be delivered.</summary>
[EntityType("letter"), Part("place")]
public sealed partial class Letter(string name, Vector2 at)
{
    [EntityId]
    public string Name { get; } = name;

    public Vector2 At { get; set; } = at;
}

/// <summary>A heron, which stalks about. There are many, and few of them stir: only those are saved.</summary>
[EntityType("heron", OnlyIfChanged = true), Part("mood")]
public sealed partial class Heron(string name, Vector2 at)
{
    [EntityId]
    public string Name { get; } = name;

    [Part("place")]
    public Vector2 At { get; set; } = at;

    public bool Wary { get; set; }

    public int FishCaught { get; set; }
}

/// <summary>The warden's flat boat.</summary>
[EntityType("punt"), Placed, Part("place")]
public sealed partial class Punt(string name, Vector2 at)
{
    [EntityId]
    public string Name { get; } = name;

    public Vector2 At { get; set; } = at;
}

/// <summary>A drift lantern that the player sets out, on the water or tied to the punt.</summary>
[EntityType("driftLantern"), Part("candle")]
public sealed partial class DriftLantern(long number)
{
    [EntityId]
    public long Number { get; } = number;

    [Part("place")]
    public Vector2 At { get; set; }

    public float Burnt { get; set; }

    public Glass Glass { get; set; } = Glasses.Amber;

    [Parent]
    public Punt? TiedTo { get; set; }

    /// <summary>The beacon that it shows the way to.</summary>
    public Beacon? Guides { get; set; }
}

/// <summary>One place of the game with all that is in it.</summary>
[SceneType("marsh", "harbour", "saltworks")]
public sealed partial class Scene(string name)
{
    public const int Width = 24;
    public const int Height = 9;

    [NotSaved]
    public string Name { get; } = name;

    public List<Beacon> Beacons { get; } = [];

    public List<Sluice> Sluices { get; } = [];

    public List<OilCan> OilCans { get; } = [];

    public List<Letter> Letters { get; } = [];

    public List<Heron> Herons { get; } = [];

    public List<Punt> Punts { get; } = [];

    public List<DriftLantern> Lanterns { get; } = [];

    public SpawnNumbers Numbers { get; } = new();

    /// <summary>Where one comes in.</summary>
    [NotSaved]
    public IReadOnlyDictionary<string, Vector2> Entrances { get; } = new Dictionary<string, Vector2>
    {
        ["shelter"] = new(2, 4),
        ["jetty"] = new(3, 4),
        ["quay"] = new(1, 5),
        ["dike"] = new(22, 2),
    };

    /// <summary>Whether the screen is covered, so that nobody sees what comes and goes.</summary>
    [NotSaved]
    public bool IsCovered { get; set; }

    /// <summary>A scene as its designer left it.</summary>
    /// <param name="name">The scene.</param>
    /// <param name="release">The release of the game.</param>
    public static Scene Author(string name, int release = 1)
    {
        var scene = new Scene(name);
        var map = name switch
        {
            Scenes.Marsh => Marsh,
            Scenes.Harbour => Harbour,
            Scenes.Saltworks => Saltworks,
            _ => throw new ArgumentException($"There is no scene \"{name}\".", nameof(name)),
        };
        // An object is named after its kind and its place in the reading order: "beacon-3" is the third beacon of the map.
        for (var y = 0; y < map.Length; y++)
        {
            for (var x = 0; x < map[y].Length; x++)
                scene.AddAuthored(map[y][x], new Vector2(x, y));
        }
        if (release > 1 && name == Scenes.Marsh)
            scene.Rework();
        return scene;
    }

    static partial void Describe(SceneBindings<Scene> bindings) => bindings
        .CurtainDown(scene => scene.IsCovered = true)
        .CurtainUp(scene => scene.IsCovered = false);

    /// <summary>What the second release changed: an oil can less, a letter and a heron more.</summary>
    private void Rework()
    {
        OilCans.RemoveAll(can => can.Name == "oil-4");
        Letters.Add(new Letter("letter-under-the-bridge", new Vector2(6, 2)));
        Herons.Add(new Heron("heron-of-the-weir", new Vector2(17, 8)));
    }

    private static string[] Marsh =>
    [
        "   b          o      b  ",
        " o        h             ",
        "      s          h      ",
        "  l          b      o   ",
        "   p    o          s    ",
        "              h       l ",
        " h   s     o      b     ",
        "        l      s       o",
        "  b   h     o       h   ",
    ];

    private static string[] Harbour =>
    [
        "  b              b      ",
        "      o                 ",
        "            h       o   ",
        "   s                    ",
        "         l       b      ",
        "                        ",
        "  o   h       s      h  ",
        "                        ",
        "      b           o     ",
    ];

    private static string[] Saltworks =>
    [
        "       b                ",
        "   o         l          ",
        "                  h     ",
        "       s    s    s      ",
        "                        ",
        "   h           b        ",
        "         o              ",
        "                   h    ",
        "    b         h         ",
    ];

    private void AddAuthored(char sign, Vector2 at)
    {
        switch (sign)
        {
            case 'b':
                Beacons.Add(new Beacon($"beacon-{Beacons.Count + 1}", at));
                break;
            case 's':
                Sluices.Add(new Sluice($"sluice-{Sluices.Count + 1}", at));
                break;
            case 'o':
                OilCans.Add(new OilCan($"oil-{OilCans.Count + 1}", at));
                break;
            case 'l':
                Letters.Add(new Letter($"letter-{Letters.Count + 1}", at));
                break;
            case 'h':
                Herons.Add(new Heron($"heron-{Herons.Count + 1}", at));
                break;
            case 'p':
                Punts.Add(new Punt("punt", at));
                break;
        }
    }
}
