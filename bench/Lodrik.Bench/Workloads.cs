using MemoryPack;

namespace Lodrik.Bench;

/// <summary>One of many entities: nine members, as a scene has them by the thousand.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Entity
{
    public int Id { get; set; }
    public string Kind { get; set; } = "";
    public string Name { get; set; } = "";
    public float X { get; set; }
    public float Y { get; set; }
    public float Heading { get; set; }
    public int Health { get; set; }
    public bool Active { get; set; }
    public int[] Marks { get; set; } = [];
}

/// <summary>All the entities.</summary>
[StateType]
[MemoryPackable]
public sealed partial class World
{
    public List<Entity> Entities { get; set; } = [];

    /// <param name="count">How many entities.</param>
    /// <param name="distinct">Whether no two strings are the same.</param>
    public static World Make(int count, bool distinct)
    {
        var random = new Random(7);
        string[] kinds = ["beacon", "sluice", "heron", "oil can", "letter", "drift lantern"];
        var world = new World();
        for (var i = 0; i < count; i++)
        {
            world.Entities.Add(new Entity
            {
                Id = i,
                Kind = distinct ? $"{kinds[i % kinds.Length]} {i}" : kinds[random.Next(kinds.Length)],
                Name = distinct ? $"the name of number {i}" : $"name {random.Next(500)}",
                X = random.NextSingle() * 1000,
                Y = random.NextSingle() * 1000,
                Heading = random.Next(360),
                Health = random.Next(100),
                Active = random.Next(2) == 0,
                Marks = [random.Next(10), random.Next(10), random.Next(10)],
            });
        }
        return world;
    }
}

/// <summary>A small save: a player and fifty items.</summary>
[SaveFile("bench")]
public sealed partial class SmallSave
{
    public Player Player { get; set; } = new();

    public static SmallSave Make()
    {
        var save = new SmallSave();
        for (var i = 0; i < 50; i++)
            save.Player.Items.Add(new Thing { Name = $"thing {i % 12}", Count = i, Worn = i / 50f });
        return save;
    }
}

/// <summary>The player of the small save.</summary>
[StateType]
public sealed partial class Player
{
    public string Name { get; set; } = "Isolde";
    public int Level { get; set; } = 12;
    public float Stamina { get; set; } = 81.5f;
    public List<Thing> Items { get; set; } = [];
}

/// <summary>A thing that the player has.</summary>
[StateType]
public sealed partial class Thing
{
    public string Name { get; set; } = "";
    public int Count { get; set; }
    public float Worn { get; set; }
}

/// <summary>A map of tiles.</summary>
[StateType]
public sealed partial class TileMap
{
    public ushort[] Tiles { get; set; } = [];
}
