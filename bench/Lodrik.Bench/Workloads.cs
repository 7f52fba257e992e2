using MemoryPack;
using MessagePack;

namespace Lodrik.Bench;

/// <summary>One of many entities: nine members, as a scene has them by the thousand.</summary>
[StateType]
[MemoryPackable]
[MessagePackObject(keyAsPropertyName: true)]
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
[MessagePackObject(keyAsPropertyName: true)]
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

/// <summary>A save of scenes.</summary>
[SaveFile("bench-scenes")]
public sealed partial class ScenesSave
{
    public SceneArchive Scenes { get; set; } = new();
}

/// <summary>A large save.</summary>
[SaveFile("bench-large")]
public sealed partial class BigSave
{
    public World World { get; set; } = new();
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

/// <summary>Containers full of things of three sorts.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Hoard
{
    public List<Chest> Chests { get; set; } = [];

    /// <summary>300 chests of 20 things each.</summary>
    public static Hoard Make()
    {
        var random = new Random(5);
        var hoard = new Hoard();
        for (var i = 0; i < 300; i++)
        {
            var chest = new Chest { Name = $"chest {i}", Locked = random.Next(2) == 0 };
            for (var j = 0; j < 20; j++)
            {
                chest.Contents.Add(random.Next(3) switch
                {
                    0 => new OilCan { Weight = random.Next(9), Litres = random.NextSingle() },
                    1 => new Letter { Weight = 1, To = $"keeper {random.Next(40)}", Pages = random.Next(5) },
                    _ => new Rope { Weight = random.Next(4), Length = random.Next(60), Knots = [random.Next(9), random.Next(9)] },
                });
            }
            hoard.Chests.Add(chest);
        }
        return hoard;
    }
}

/// <summary>A container.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Chest
{
    public string Name { get; set; } = "";
    public bool Locked { get; set; }
    public List<Content> Contents { get; set; } = [];
}

/// <summary>A thing in a container.</summary>
[StateType]
[SaveVariant("oil can", typeof(OilCan))]
[SaveVariant("letter", typeof(Letter))]
[SaveVariant("rope", typeof(Rope))]
[MemoryPackable]
[MemoryPackUnion(0, typeof(OilCan))]
[MemoryPackUnion(1, typeof(Letter))]
[MemoryPackUnion(2, typeof(Rope))]
public abstract partial class Content
{
    public int Weight { get; set; }
}

/// <summary>Oil.</summary>
[StateType]
[MemoryPackable]
public sealed partial class OilCan : Content
{
    public float Litres { get; set; }
}

/// <summary>A letter.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Letter : Content
{
    public string To { get; set; } = "";
    public int Pages { get; set; }
}

/// <summary>A rope.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Rope : Content
{
    public int Length { get; set; }
    public int[] Knots { get; set; } = [];
}

/// <summary>What was said to whom, which is mostly text.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Dialogue
{
    public List<Line> Lines { get; set; } = [];

    /// <summary>10,000 lines.</summary>
    public static Dialogue Make()
    {
        var random = new Random(11);
        string[] words = ["the", "tide", "turns", "at", "nine", "and", "beacon", "keeper", "says", "oil", "is", "low", "\u00fcber", "marsh", "heron", "calls"];
        var dialogue = new Dialogue();
        for (var i = 0; i < 10_000; i++)
        {
            dialogue.Lines.Add(new Line
            {
                Speaker = $"speaker {random.Next(30)}",
                Text = string.Join(' ', Enumerable.Range(0, random.Next(4, 20)).Select(_ => words[random.Next(words.Length)])),
                Mood = words[random.Next(5)],
                Heard = random.Next(3) == 0,
            });
        }
        return dialogue;
    }
}

/// <summary>One line of dialogue.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Line
{
    public string Speaker { get; set; } = "";
    public string Text { get; set; } = "";
    public string Mood { get; set; } = "";
    public bool Heard { get; set; }
}

/// <summary>1,500 posts with four lanterns each: many short lists.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Posts
{
    public List<Post> All { get; set; } = [];

    public static Posts Make()
    {
        var random = new Random(13);
        var posts = new Posts();
        for (var i = 0; i < 1_500; i++)
        {
            var post = new Post { Number = i };
            for (var j = 0; j < 4; j++)
                post.Lanterns.Add(new Lantern { Name = $"lantern {random.Next(40)}", Number = random.Next(100), Oil = random.NextSingle(), Lit = random.Next(2) == 0 });
            posts.All.Add(post);
        }
        return posts;
    }
}

/// <summary>A post.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Post
{
    public int Number { get; set; }
    public List<Lantern> Lanterns { get; set; } = [];
}

/// <summary>What hangs on a post.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Lantern
{
    public string Name { get; set; } = "";
    public int Number { get; set; }
    public float Oil { get; set; }
    public bool Lit { get; set; }
}

/// <summary>A small save as most games have it: the keeper, things, tasks, flags.</summary>
[SaveFile("bench-journey")]
[MemoryPackable]
public sealed partial class Journey
{
    public Keeper Keeper { get; set; } = new();
    public List<Carried> Carried { get; set; } = [];
    public List<Errand> Errands { get; set; } = [];
    public Dictionary<string, int> Counters { get; set; } = [];

    /// <param name="size">One for some 2 KB, three for 6, eight for 17, as the reference writes it.</param>
    public static Journey Make(int size)
    {
        var random = new Random(17);
        var journey = new Journey { Keeper = { Tools = [.. Enumerable.Range(0, 6)] } };
        for (var i = 0; i < 36 * size; i++)
            journey.Carried.Add(new Carried { Name = $"thing {i % 12}", Count = random.Next(20), Worn = random.NextSingle(), Sold = random.Next(2) == 0 });
        for (var i = 0; i < 6 * size; i++)
        {
            journey.Errands.Add(new Errand
            {
                Name = $"the errand of keeper {i}",
                Stage = random.Next(5),
                Steps = [.. Enumerable.Range(0, 3).Select(j => new Step { Text = $"step {j}", Done = j == 0 })],
            });
        }
        for (var i = 0; i < 24 * size; i++)
            journey.Counters[$"counter-{i}"] = random.Next(100);
        return journey;
    }
}

/// <summary>The keeper of the small save.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Keeper
{
    public string Name { get; set; } = "Isolde";
    public int Level { get; set; } = 12;
    public float Stamina { get; set; } = 81.5f;
    public float X { get; set; } = 12.25f;
    public float Y { get; set; } = -3.5f;
    public bool Awake { get; set; } = true;
    public string Place { get; set; } = "the north sluice";
    public int[] Tools { get; set; } = [];
}

/// <summary>Something that is carried.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Carried
{
    public string Name { get; set; } = "";
    public int Count { get; set; }
    public float Worn { get; set; }
    public bool Sold { get; set; }
}

/// <summary>A task.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Errand
{
    public string Name { get; set; } = "";
    public int Stage { get; set; }
    public List<Step> Steps { get; set; } = [];
}

/// <summary>A part of a task.</summary>
[StateType]
[MemoryPackable]
public sealed partial class Step
{
    public string Text { get; set; } = "";
    public bool Done { get; set; }
}
