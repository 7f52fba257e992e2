using Lodrik.Scenes;
using Lodrik.State;
using MarshEngine;

[assembly: SaveFields(typeof(Vec3), typeof(Tint), typeof(Axes), typeof(Pose))]

namespace Lodrik.Tests.Declared;

/// <summary>A game of an engine's nodes: a base that is not its own, a tree, destruction at the end of the frame, a factory by name.</summary>
[SceneType]
public sealed partial class Level : Node
{
    public SpawnNumbers Numbers { get; } = new();

    [Entities]
    public IEnumerable<Thing> Things() => Below(this).OfType<Thing>();

    [Spawns]
    public Thing Make(string kind, EntityId id)
    {
        var made = (Thing)Assets.Instantiate(kind);
        (made.SaveId, made.Asset) = (id, kind);
        AddChild(made);
        return made;
    }

    private static IEnumerable<Node> Below(Node node) => node.Children.SelectMany(child => Below(child).Prepend(child));
}

[EntityType(KindFrom = nameof(Asset), KindsFrom = "MarshEngine.Assets.Names")]
[Inherited(nameof(Pose), nameof(Visible), Part = "node")]
[Inherited(nameof(Parent), As = InheritedAs.Parent, PutBy = nameof(Reparent))]
[Inherited(nameof(IsQueuedForDeletion), As = InheritedAs.Gone)]
[Removes(nameof(QueueFree))]
public partial class Thing : Node
{
    [EntityId]
    public EntityId SaveId { get; set; }

    [NotSaved]
    public string Asset { get; set; } = "";

    public Tint Glow { get; set; }

    public Thing? Target { get; set; }
}

[Part("door")]
public sealed partial class Door : Thing
{
    public bool IsOpen { get; set; }

    [NotSaved]
    public int Swung { get; private set; }

    [Settled]
    internal void Swing() => Swung++;
}
