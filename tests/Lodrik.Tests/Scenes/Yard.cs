using System.Globalization;
using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>A small scene: barrels that can be taken, a wagon that is always there, sparrows that come and go.</summary>
public sealed class Yard
{
    public List<Barrel> Barrels { get; } = [];
    public List<Barrel> Crates { get; } = [];
    public List<Wagon> Wagons { get; } = [];
    public List<Sparrow> Sparrows { get; } = [];
    public SpawnNumbers Numbers { get; } = new();

    public static Yard Author()
    {
        var yard = new Yard();
        for (var i = 1; i <= 3; i++)
            yard.Barrels.Add(new Barrel($"b{i}") { At = new Vector2(i, 0) });
        yard.Wagons.Add(new Wagon("w1"));
        return yard;
    }

    public static SceneBindings<Yard> Bindings(bool sparrows = true, Action<Yard, Barrel>? settled = null)
    {
        var bindings = new SceneBindings<Yard>()
            .SpawnNumbers(yard => yard.Numbers)
            .Kind("barrel", yard => yard.Barrels, barrel => barrel
                .Id(one => one.Name)
                .Part("spot", one => new Spot(one.At), (one, spot) => one.At = spot.At)
                .Spawn((yard, id) => Add(yard.Barrels, new Barrel(id.ToString())))
                .Remove((yard, one) => yard.Barrels.Remove(one))
                .Settled((yard, one) => settled?.Invoke(yard, one)))
            .Kind("wagon", yard => yard.Wagons, wagon => wagon.Id(one => one.Name));
        return !sparrows ? bindings : bindings.Kind("sparrow", yard => yard.Sparrows, sparrow => sparrow
            .Id(one => one.Number)
            .Parent(one => one.On, (one, wagon) => one.On = wagon)
            .Part("plumage", one => new Plumage { Song = one.Song, Feathers = one.Feathers }, (one, plumage) => (one.Song, one.Feathers) = (plumage.Song, plumage.Feathers))
            .Spawn((yard, id) => Add(yard.Sparrows, new Sparrow(id.Number)))
            .Remove((yard, one) => yard.Sparrows.Remove(one)));
    }

    public Barrel Barrel(string name) => Barrels.Single(barrel => barrel.Name == name);

    public Sparrow Spawn(string song) => Add(Sparrows, new Sparrow(Numbers.Next()) { Song = song });

    public Sparrow Arrive(EntityId id) => Add(Sparrows, new Sparrow(id.Number));

    public string Print() => string.Join('\n', Barrels.Select(barrel => string.Create(CultureInfo.InvariantCulture, $"{barrel.Name} {barrel.At}"))
        .Concat(Sparrows.Select(sparrow => $"#{sparrow.Number} {sparrow.Song} {sparrow.On?.Name} {string.Join(' ', sparrow.Feathers)}")).Order(StringComparer.Ordinal));

    private static T Add<T>(List<T> list, T item)
    {
        list.Add(item);
        return item;
    }
}

public sealed class Barrel(string name)
{
    public string Name { get; } = name;
    public Vector2 At { get; set; }
}

public sealed class Wagon(string name)
{
    public string Name { get; } = name;
}

public sealed class Sparrow(long number)
{
    public long Number { get; } = number;
    public string Song { get; set; } = "";
    public List<string> Feathers { get; set; } = [];
    public Wagon? On { get; set; }
}

[StateType]
public partial record struct Spot(Vector2 At);

[StateType]
public sealed partial class Plumage
{
    public string Song { get; set; } = "";
    public List<string> Feathers { get; set; } = [];
}

[SaveFile("yard")]
public sealed partial class YardSave
{
    public SceneArchive Scenes { get; set; } = new();
}

/// <summary>A world of components in arrays, in which an entity is a number.</summary>
public sealed class NumberedWorld
{
    public EntityId[] Ids { get; } = new EntityId[16];
    public Vector2[] At { get; } = new Vector2[16];
    public int[] Owner { get; } = [.. Enumerable.Repeat(-1, 16)];

    public IEnumerable<int> Alive => Enumerable.Range(0, Ids.Length).Where(entity => Ids[entity] != default);

    public int Add(EntityId id)
    {
        var entity = Array.IndexOf(Ids, default);
        Ids[entity] = id;
        return entity;
    }
}
