using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Bench;

/// <summary>The scene of the measurements, declared.</summary>
[SceneType]
public sealed partial class DeclaredScene
{
    public List<DeclaredThing> Things { get; } = [];

    public SpawnNumbers Numbers { get; } = new();

    public static DeclaredScene Of(int count)
    {
        var scene = new DeclaredScene();
        for (var i = 1; i <= count; i++)
            scene.Things.Add(new DeclaredThing(ThingIds.Of(i)) { At = new Vector2(i, -i) });
        return scene;
    }
}

/// <summary>A thing of two parts.</summary>
[EntityType("thing")]
public sealed partial class DeclaredThing(EntityId id)
{
    public EntityId Id { get; } = id;

    [Part("place")]
    public Vector2 At { get; set; }

    [Part("wear")]
    public int Used { get; set; }
}

/// <summary>The scene with parents and references.</summary>
[SceneType]
public sealed partial class LinkedScene
{
    public List<LinkedThing> Things { get; } = [];

    public SpawnNumbers Numbers { get; } = new();

    public static LinkedScene Of(int count)
    {
        var things = new LinkedThing[count];
        for (var i = 0; i < count; i++)
            things[i] = new LinkedThing(ThingIds.Of(i + 1)) { At = new Vector2(i, -i) };
        for (var i = 1; i < count; i++)
            (things[i].On, things[i].Next) = (things[i / 8], things[(int)((long)i * 7919 % count)]);
        return new LinkedScene { Things = { Capacity = count } }.With(things);
    }

    private LinkedScene With(LinkedThing[] things)
    {
        Things.AddRange(things);
        return this;
    }
}

/// <summary>A thing of two parts that belongs to another and refers to one.</summary>
[EntityType("thing")]
public sealed partial class LinkedThing(EntityId id)
{
    public EntityId Id { get; } = id;

    [Part("place")]
    public Vector2 At { get; set; }

    [Part("wear")]
    public int Used { get; set; }

    [Parent]
    public LinkedThing? On { get; set; }

    public LinkedThing? Next { get; set; }
}

/// <summary>The scene of which only that is saved which has changed.</summary>
[SceneType]
public sealed partial class SparseScene
{
    public List<SparseThing> Things { get; } = [];

    public static SparseScene Of(int count)
    {
        var scene = new SparseScene();
        for (var i = 1; i <= count; i++)
            scene.Things.Add(new SparseThing($"thing-{i:D6}") { At = new Vector2(i, -i) });
        return scene;
    }
}

/// <summary>A thing of two parts, saved if it has changed.</summary>
[EntityType("thing", OnlyIfChanged = true)]
public sealed partial class SparseThing(string id)
{
    public string Id { get; } = id;

    [Part("place")]
    public Vector2 At { get; set; }

    [Part("wear")]
    public int Used { get; set; }
}

internal static class ThingIds
{
    public static EntityId Of(int i) => i % 2 == 0 ? EntityId.Placed($"thing-{i:D6}") : EntityId.Spawned(i);
}
