using MarshEngine;

namespace SaltRoad;

/// <summary>The levels as their designer left them. Nothing here is about saving.</summary>
public static class Levels
{
    public static Level Build(string name)
    {
        var level = new Level { Name = name };
        foreach (var thing in (Thing[])(name switch
        {
            "ford" => [new Gate { Name = "weir" }, new Raft { Name = "raft" }],
            "salt pans" => [new Gate { Name = "sluice" }],
            _ => [new Gate { Name = "door" }],
        }))
            Place(level, thing);
        if (name == "ford")
            Place(level, new Chest { Name = "chest", Holds = { "key", "bread" }, Unlocks = level.Take<Gate>("weir") });
        _ = new Tree(level);
        return level;
    }

    /// <summary>What is called that, below a level.</summary>
    public static T Take<T>(this Level level, string name) where T : Thing =>
        level.Things().OfType<T>().Single(thing => thing.Name == name);

    private static void Place(Level level, Thing thing)
    {
        thing.Id = thing.Name;
        level.AddChild(thing);
    }
}
