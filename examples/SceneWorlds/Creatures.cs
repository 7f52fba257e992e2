using System.Numerics;
using Lodrik;
using Lodrik.Scenes;

namespace SceneWorlds;

/// <summary>A scene whose creatures derive from one class. One description stands for all of them; a part may be only some kinds'.</summary>
public static class Creatures
{
    private static readonly SceneBindings<List<Creature>> Bindings = new SceneBindings<List<Creature>>()
        .OwnNumbers()
        .Kinds(["heron", "otter"], scene => scene, one => one is Heron ? "heron" : "otter", creature => creature
            .Id(one => one.Id)
            .Placement(one => new Placement2D(one.At), (one, place) => one.At = place.Position)
            .Part("nest", one => new Nest(((Heron)one).Eggs), (one, nest) => ((Heron)one).Eggs = nest.Eggs, when: one => one is Heron)
            .Reference("follows", one => one.Follows, (one, other) => one.Follows = other)
            .Spawn((scene, id, kind) => Add(scene, kind == "heron" ? new Heron(id) : new Otter(id)))
            .Remove((scene, one) => scene.Remove(one)));

    public static IEnumerable<string> Play()
    {
        var scene = new List<Creature> { new Heron("grey") { Eggs = 3 }, new Otter("old") { At = new Vector2(4, 1) } };
        var live = Bindings.Begin(scene);
        // Two otters that follow each other: a reference is put when both are there.
        var one = Add(scene, new Otter(1));
        var other = Add(scene, new Otter(2) { Follows = one });
        one.Follows = other;
        var record = live.Capture();
        yield return Print(scene);

        scene.Clear();
        yield return "all of them gone";
        var report = live.Restore(record);
        yield return Print(scene);
        yield return report.Plan.ToString().Split('\n')[0];
    }

    private static string Print(IEnumerable<Creature> scene) => string.Join(", ", scene.OrderBy(one => one.Id).Select(one =>
        $"{one.GetType().Name} {one.Id}{(one is Heron heron ? $" on {heron.Eggs} eggs" : "")}{(one.Follows is { } followed ? $" follows {followed.Id}" : "")}"));

    private static Creature Add(List<Creature> scene, Creature creature)
    {
        scene.Add(creature);
        return creature;
    }
}

public abstract class Creature(EntityId id)
{
    public EntityId Id { get; } = id;
    public Vector2 At { get; set; }
    public Creature? Follows { get; set; }
}

public sealed class Heron(EntityId id) : Creature(id)
{
    public int Eggs { get; set; }
}

public sealed class Otter(EntityId id) : Creature(id);

[StateType]
public partial record struct Nest(int Eggs);
