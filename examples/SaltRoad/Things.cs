using Lodrik;
using Lodrik.Scenes;
using Lodrik.State;
using MarshEngine;

[assembly: SaveFields(OfAssemblyOf = typeof(Node))]

namespace SaltRoad;

// What is saved. The nodes and their structs are the engine's, which knows nothing of saving.

/// <summary>Everything that a save of the game holds.</summary>
[SaveFile("salt-road", Version = 1)]
public sealed partial class RoadSave : ISessionSave
{
    public Walker Walker { get; set; } = new();

    public Dictionary<string, Quest> Quests { get; set; } = [];

    public SceneArchive Scenes { get; set; } = new();

    public SessionArchive Session { get; set; } = new();
}

/// <summary>The player.</summary>
[StateType]
public sealed partial class Walker
{
    public int Health { get; set; } = 10;

    public List<string> Carries { get; set; } = [];
}

/// <summary>How far a quest has got.</summary>
[StateType]
public sealed partial class Quest
{
    public int Stage { get; set; }

    public bool IsDone { get; set; }
}

/// <summary>One level: a node with all that is in it below.</summary>
[SceneType("ford", "salt pans", "lighthouse")]
public sealed partial class Level : Node
{
    public SpawnNumbers Numbers { get; } = new();

    /// <summary>How high the water stands: the level's own state.</summary>
    public float Water { get; set; } = 0.5f;

    [Entities]
    public IEnumerable<Thing> Things() => Below(this).OfType<Thing>();

    [Spawns]
    public void Add(Thing thing) => AddChild(thing);

    /// <summary>Hangs a lamp onto something, which shows the way to a gate.</summary>
    public void Hang(Thing onto, Gate towards) => onto.AddChild(new Lamp { Id = Numbers.Next(), ShowsTheWayTo = towards });

    private static IEnumerable<Node> Below(Node node) => node.Children.SelectMany(child => Below(child).Prepend(child));
}

/// <summary>A node that takes part in the game. The engine keeps one that is destroyed until the end of the frame.</summary>
[EntityType, Removes(nameof(QueueFree)), Inherited(nameof(Name), nameof(Pose), nameof(Visible))]
[Inherited(nameof(Parent), As = InheritedAs.Parent, PutBy = nameof(Reparent)), Inherited(nameof(IsQueuedForDeletion), As = InheritedAs.Gone)]
public abstract partial class Thing : Node
{
    public EntityId Id { get; set; }
}

[EntityType("gate")]
public sealed partial class Gate : Thing
{
    public bool IsOpen { get; set; }
}

[EntityType("chest")]
public sealed partial class Chest : Thing
{
    public List<string> Holds { get; set; } = [];

    /// <summary>The gate that its key opens.</summary>
    public Gate? Unlocks { get; set; }
}

[EntityType("raft")]
public sealed partial class Raft : Thing
{
    public float Wear { get; set; }
}

/// <summary>A lamp that the player hangs onto something; it comes while playing.</summary>
[EntityType("lamp")]
public sealed partial class Lamp : Thing
{
    public Tint Glow { get; set; }

    public Gate? ShowsTheWayTo { get; set; }
}
