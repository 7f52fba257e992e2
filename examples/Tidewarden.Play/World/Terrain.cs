using System.Numerics;

namespace Tidewarden.Play;

/// <summary>The ground of a scene, which the tide covers and bares. It is the designer's, and not saved.</summary>
public sealed class Terrain
{
    // How high the ground is: 0 is under water at every tide, 1 is dry at low tide only, 2 is dry but at high tide, 3 is always dry.
    private static readonly string[] Marsh =
    [
        "111100001111001111100011",
        "110000000111000111100001",
        "100011000011100011110001",
        "100111100000000001111001",
        "000111111000011000011000",
        "100011111100111100001100",
        "110001122100122110000110",
        "111000022100012221100011",
        "111100011110001121110001",
    ];

    private static readonly string[] Harbour =
    [
        "333222222222222233322221",
        "333322222211111222222221",
        "333321111111111112222222",
        "333321000000000011111122",
        "333322222222222222333322",
        "333333222211111111222211",
        "333322211100001122221111",
        "332221111000011111122111",
        "332222333221111112222211",
    ];

    private static readonly string[] Saltworks =
    [
        "222222333322222222223333",
        "222322222222222222222333",
        "111122211112222111122333",
        "000122331122331122331222",
        "000112221112221112221122",
        "111222111111122233221112",
        "222222222222111122222221",
        "211112222111111111122222",
        "222233322211112222111122",
    ];

    private readonly string[] _heights;

    private Terrain(string[] heights, bool isWater, IReadOnlyList<Exit> exits) => (_heights, IsWater, Exits) = (heights, isWater, exits);

    /// <summary>Whether one is in the punt here; otherwise one is on foot.</summary>
    public bool IsWater { get; }

    /// <summary>Where one leaves the scene.</summary>
    public IReadOnlyList<Exit> Exits { get; }

    public static Terrain Of(string scene) => scene switch
    {
        Scene.Scenes.Harbour => new(Harbour, isWater: false, [new Exit(IsWest: true, Scene.Scenes.Marsh, "jetty")]),
        Scene.Scenes.Saltworks => new(Saltworks, isWater: false, [new Exit(IsWest: false, Scene.Scenes.Marsh, "shelter")]),
        _ => new(Marsh, isWater: true, [new Exit(IsWest: true, Scene.Scenes.Harbour, "quay"), new Exit(IsWest: false, Scene.Scenes.Saltworks, "dike")]),
    };

    /// <summary>Whether a place is under water.</summary>
    public bool IsFlooded(Scene scene, Tide tide, Vector2 at) => HeightAt(at) <= LevelAt(scene, tide, at);

    /// <summary>Whether one can be at a place: in the punt where there is water, on foot where there is none.</summary>
    public bool IsOpen(Scene scene, Tide tide, Vector2 at) =>
        at.X >= 0 && at.Y >= 0 && at.X <= Scene.Width - 1 && at.Y <= Scene.Height - 1 && IsFlooded(scene, tide, at) == IsWater;

    /// <summary>The way from one place to another, a cell at a time; empty where there is none.</summary>
    public IReadOnlyList<Vector2> Way(Scene scene, Tide tide, Vector2 from, Vector2 to)
    {
        var (start, end) = (Cell(from), Cell(to));
        var cameFrom = new Dictionary<Vector2, Vector2> { [start] = start };
        var open = new Queue<Vector2>([start]);
        while (open.TryDequeue(out var at) && at != end)
        {
            foreach (var step in (Vector2[])[new(1, 0), new(-1, 0), new(0, 1), new(0, -1)])
            {
                var next = at + step;
                if ((next == end || IsOpen(scene, tide, next)) && !cameFrom.ContainsKey(next) && IsIn(next))
                {
                    cameFrom[next] = at;
                    open.Enqueue(next);
                }
            }
        }
        var way = new List<Vector2>();
        for (var at = end; cameFrom.TryGetValue(at, out var before) && at != start; at = before)
            way.Insert(0, at);
        return way;
    }

    /// <summary>The cell that a place is in.</summary>
    public static Vector2 Cell(Vector2 at) => new(MathF.Round(at.X), MathF.Round(at.Y));

    private static bool IsIn(Vector2 at) => at.X >= 0 && at.Y >= 0 && at.X < Scene.Width && at.Y < Scene.Height;

    /// <summary>How high the water is: an open sluice lets more of it in around itself.</summary>
    private static float LevelAt(Scene scene, Tide tide, Vector2 at)
    {
        var level = tide switch { Tide.Low => 0f, Tide.High => 2, _ => 1 };
        foreach (var sluice in scene.Sluices)
        {
            if (Vector2.Distance(sluice.At, at) <= 4)
                level = MathF.Max(level, sluice.Setting switch { GateSetting.Open => 2, GateSetting.Ajar => 1, _ => 0 });
        }
        return level;
    }

    /// <summary>How high the ground is: 0 is under water at every tide, 3 is always dry.</summary>
    public int HeightAt(Vector2 at)
    {
        var cell = Vector2.Clamp(Cell(at), Vector2.Zero, new Vector2(Scene.Width - 1, Scene.Height - 1));
        return _heights[(int)cell.Y][(int)cell.X] - '0';
    }
}

/// <summary>A side of a scene that leads to another one.</summary>
/// <param name="IsWest">Whether it is on the left; otherwise on the right.</param>
/// <param name="Scene">Where it leads.</param>
/// <param name="Entrance">Where one comes in there.</param>
public sealed record Exit(bool IsWest, string Scene, string Entrance);
