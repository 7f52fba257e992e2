using System.Numerics;
using Lodrik;
using Lodrik.Scenes;

namespace SceneWorlds;

/// <summary>A world in which an entity is a number, and what it has stands in tables of components.</summary>
public static class Drift
{
    private static readonly SceneBindings<World> Bindings = new SceneBindings<World>()
        .SpawnNumbers(world => world.Numbers)
        .Kind("flotsam", world => world.Alive.Select(number => new Entity(world, number)), entity => entity
            .Id(one => one.World.Ids[one.Number])
            .Part("drift", one => new Drifting(one.World.At[one.Number], one.World.Speed[one.Number]), (one, drift) =>
                (one.World.At[one.Number], one.World.Speed[one.Number]) = (drift.At, drift.Speed))
            // A component that not every entity has: after loading those have it that had it.
            .OptionalPart<Lamp>("lamp", one => one.World.Lamps.TryGetValue(one.Number, out var oil) ? new Lamp(oil) : null, (one, lamp) => one.World.PutLamp(one.Number, lamp?.Oil))
            .Spawn((world, id) => new Entity(world, world.Create(id)))
            .Remove((world, one) => world.Destroy(one.Number)));

    public static IEnumerable<string> Play()
    {
        var world = new World();
        var live = Bindings.Begin(world);
        var crate = world.Create(world.Numbers.Next());
        world.At[crate] = new Vector2(1, 2);
        var raft = world.Create(world.Numbers.Next());
        world.Speed[raft] = new Vector2(0.5f, 0);
        world.Lamps[raft] = 7;
        var record = live.Capture();
        yield return Print(world);

        world.Destroy(raft);
        world.Lamps[crate] = 1;
        world.At[crate] = new Vector2(9, 9);
        world.Create(world.Numbers.Next());
        yield return Print(world);
        live.Restore(record);
        yield return Print(world);
    }

    private static string Print(World world) => string.Join(", ", world.Alive.OrderBy(number => world.Ids[number]).Select(number =>
        FormattableString.Invariant($"{world.Ids[number]} at ({world.At[number].X:0.#}, {world.At[number].Y:0.#}){(world.Lamps.TryGetValue(number, out var oil) ? $" with {oil} l" : "")}")));

    private readonly record struct Entity(World World, int Number);
}

public sealed class World
{
    private int _next;

    public Dictionary<int, EntityId> Ids { get; } = [];
    public Dictionary<int, Vector2> At { get; } = [];
    public Dictionary<int, Vector2> Speed { get; } = [];
    public Dictionary<int, int> Lamps { get; } = [];
    public SpawnNumbers Numbers { get; } = new();
    public IReadOnlyList<int> Alive => [.. Ids.Keys];

    public int Create(EntityId id)
    {
        var number = _next++;
        Ids.Add(number, id);
        At.Add(number, default);
        Speed.Add(number, default);
        return number;
    }

    public void PutLamp(int number, int? oil)
    {
        if (oil is { } litres)
            Lamps[number] = litres;
        else
            Lamps.Remove(number);
    }

    public void Destroy(int number)
    {
        Ids.Remove(number);
        At.Remove(number);
        Speed.Remove(number);
        Lamps.Remove(number);
    }
}

[StateType]
public partial record struct Drifting(Vector2 At, Vector2 Speed);

[StateType]
public partial record struct Lamp(int Oil);
