using System.Numerics;
using Lodrik;
using Lodrik.Scenes;

namespace SceneWorlds;

/// <summary>A world in which an entity is a number, and what it has stands in tables of components.</summary>
public static class Drift
{
    private static readonly SceneBindings<World> Bindings = new SceneBindings<World>()
        .SpawnNumbers(world => world.Numbers)
        .Table("flotsam", world => world.Ids, flotsam => flotsam
            .Column("body", world => world.Bodies)
            // A component that not every entity has: after loading those have it that had it.
            .Column("lamp", world => world.Lamps)
            .Parent(world => world.TiedTo)
            .Spawn((world, id) => world.Create(id))
            .Remove((world, number) => world.Destroy(number)));

    public static IEnumerable<string> Play()
    {
        var world = new World();
        var live = Bindings.Begin(world);
        var crate = world.Create(world.Numbers.Next());
        world.Bodies[crate].At = new Vector2(1, 2);
        var raft = world.Create(world.Numbers.Next());
        world.Bodies[raft].Speed = new Vector2(0.5f, 0);
        world.Lamps[raft] = new Lamp(7);
        world.TiedTo[crate] = raft;
        var record = live.Capture();
        yield return Print(world);

        world.Destroy(raft);
        world.Lamps[crate] = new Lamp(1);
        world.Bodies[crate].At = new Vector2(9, 9);
        world.Create(world.Numbers.Next());
        yield return Print(world);
        live.Restore(record);
        yield return Print(world);
    }

    private static string Print(World world) => string.Join(", ", world.Alive.Select(number =>
        FormattableString.Invariant($"{world.Ids[number]} at ({world.Bodies[number].At.X:0.#}, {world.Bodies[number].At.Y:0.#})")
        + (world.Lamps.TryGetValue(number, out var lamp) ? $" with {lamp.Oil} l" : "")
        + (world.TiedTo.TryGetValue(number, out var other) ? $" tied to {world.Ids[other]}" : "")));
}

public sealed class World
{
    private int _top;

    /// <summary>An id for each entity; the places of those that are not set are free.</summary>
    public EntityId[] Ids { get; private set; } = new EntityId[2];

    /// <summary>All have a body.</summary>
    public Body[] Bodies { get; private set; } = new Body[2];

    /// <summary>Some have a lamp.</summary>
    public Dictionary<int, Lamp> Lamps { get; } = [];

    public Dictionary<int, int> TiedTo { get; } = [];

    public SpawnNumbers Numbers { get; } = new();

    public IEnumerable<int> Alive => Enumerable.Range(0, _top).Where(number => Ids[number] != default).OrderBy(number => Ids[number]);

    public int Create(EntityId id)
    {
        var number = Array.FindIndex(Ids, 0, _top, one => one == default);
        if (number < 0)
        {
            number = _top++;
            if (number == Ids.Length)
            {
                var (ids, bodies) = (Ids, Bodies);
                Array.Resize(ref ids, 2 * number);
                Array.Resize(ref bodies, 2 * number);
                (Ids, Bodies) = (ids, bodies);
            }
        }
        (Ids[number], Bodies[number]) = (id, default);
        return number;
    }

    public void Destroy(int number)
    {
        Ids[number] = default;
        Lamps.Remove(number);
        TiedTo.Remove(number);
    }
}

[StateType]
public partial struct Body
{
    public Vector2 At;
    public Vector2 Speed;
}

[StateType]
public partial record struct Lamp(int Oil);
