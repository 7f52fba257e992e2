using System.Globalization;
using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>A harbour in which everything is bound that can be: boats that tow each other, refer to buoys and to a crew, and may have a cargo.</summary>
public sealed class Fleet
{
    public List<Boat> Boats { get; } = [];
    public List<Buoy> Buoys { get; } = [];
    public List<Sailor> Sailors { get; } = [];
    public SpawnNumbers Numbers { get; } = new();
    public List<string> Told { get; } = [];

    /// <summary>Runs in every callback, with its name: where a test makes one fail.</summary>
    public Action<string> Fault { get; set; } = _ => { };

    public static Fleet Author()
    {
        var fleet = new Fleet();
        for (var i = 1; i <= 4; i++)
            fleet.Boats.Add(new Boat($"boat-{i}") { Place = new Placement2D(new Vector2(i, 0)) });
        for (var i = 1; i <= 6; i++)
            fleet.Buoys.Add(new Buoy($"buoy-{i}") { Bearing = { Degrees = i * 10 } });
        fleet.Boats[1].Tows(fleet.Boats[0]);
        return fleet;
    }

    public static SceneBindings<Fleet> Bindings(Fleet? faulty = null)
    {
        Action<string> call = name => faulty?.Fault(name);
        return new SceneBindings<Fleet>()
            .SpawnNumbers(fleet => fleet.Numbers)
            .CurtainDown(fleet => Tell(fleet, "curtain down"))
            .Settled(fleet => Tell(fleet, "settled"))
            .CurtainUp(fleet => Tell(fleet, "curtain up"))
            .Kind("boat", fleet => fleet.Boats, boat => boat
                .Id(one => one.Id)
                .Parent(one => one.TowedBy, (one, by) => Do(call, "parent", () => one.TowedBy = by))
                .Placement(one => one.Place, (one, place) => Do(call, "placement", () => one.Place = place))
                .Active(one => one.Afloat, (one, afloat) => Do(call, "active", () => one.Afloat = afloat))
                .Name(one => one.Title, (one, title) => Do(call, "name", () => one.Title = title))
                .Part("cargo", one => one.Cargo, (one, cargo) => Do(call, "cargo", () => one.Cargo = cargo), clear: one => Do(call, "clear", () => one.Cargo = null))
                .Reference("mooring", one => one.Mooring, (one, buoy) => Do(call, "mooring", () => one.Mooring = buoy))
                .ReferenceList("crew", one => one.Crew, (one, crew) => Do(call, "crew", () => one.Crew = [.. crew]))
                .Spawn((fleet, id) => Do(call, "spawn boat", () => Add(fleet.Boats, new Boat(id))))
                .Remove((fleet, one) => Do(call, "remove boat", () => fleet.Sink(one)))
                .Settled((fleet, one) => Tell(fleet, $"{one.Id} settled")))
            .Kind("buoy", fleet => fleet.Buoys, buoy => buoy
                .Id(one => one.Id)
                .OnlyIfChanged()
                .PartInto("bearing", one => one.Bearing)
                .Part("light", one => new Light(one.Lit), (one, light) => Do(call, "light", () => one.Lit = light.Lit))
                .Spawn((fleet, id) => Do(call, "spawn buoy", () => Add(fleet.Buoys, new Buoy(id))))
                .Remove((fleet, one) => Do(call, "remove buoy", () => fleet.Buoys.Remove(one))))
            .Kinds(["mate", "cook"], fleet => fleet.Sailors, one => one is Cook ? "cook" : "mate", sailor => sailor
                .Id(one => one.Id)
                .Part("rank", one => new Rank(one.Years), (one, rank) => Do(call, "rank", () => one.Years = rank.Years))
                .Part("soup", one => new Soup(((Cook)one).Soup), (one, soup) => Do(call, "soup", () => ((Cook)one).Soup = soup.Name), when: one => one is Cook)
                .Spawn((fleet, id, kind) => Do(call, "spawn sailor", () => Add(fleet.Sailors, kind == "cook" ? new Cook(id) : new Sailor(id))))
                .Remove((fleet, one) => Do(call, "remove sailor", () => fleet.Sailors.Remove(one))));

        void Tell(Fleet fleet, string what) => Do(call, what, () => fleet.Told.Add(what));
    }

    public Boat Spawn() => Add(Boats, new Boat(Numbers.Next()));

    /// <summary>Takes a boat out, with the boats that it tows, as the engine of this game does.</summary>
    public void Sink(Boat boat)
    {
        Boats.Remove(boat);
        foreach (var towed in Boats.Where(one => one.TowedBy == boat).ToList())
            Sink(towed);
    }

    public string Print() => string.Join('\n',
        Boats.OrderBy(one => one.Id).Select(one => string.Create(CultureInfo.InvariantCulture, $"{one.Id} at {one.Place.Position} {one.Afloat} '{one.Title}' by {one.TowedBy?.Id} at {one.Mooring?.Id} with {string.Join(',', one.Crew.Select(who => who.Id))} has {one.Cargo}"))
        .Concat(Buoys.OrderBy(one => one.Id).Select(one => string.Create(CultureInfo.InvariantCulture, $"{one.Id} {one.Bearing.Degrees} {one.Lit}")))
        .Concat(Sailors.OrderBy(one => one.Id).Select(one => string.Create(CultureInfo.InvariantCulture, $"{one.GetType().Name} {one.Id} {one.Years} {(one as Cook)?.Soup}"))));

    private static void Do(Action<string> call, string name, Action act)
    {
        call(name);
        act();
    }

    private static T Do<T>(Action<string> call, string name, Func<T> act)
    {
        call(name);
        return act();
    }

    private static T Add<T>(List<T> list, T item)
    {
        list.Add(item);
        return item;
    }
}

public sealed class Boat(EntityId id)
{
    public EntityId Id { get; } = id;
    public Placement2D Place { get; set; }
    public bool Afloat { get; set; } = true;
    public string Title { get; set; } = "";
    public Cargo? Cargo { get; set; }
    public Boat? TowedBy { get; set; }
    public Buoy? Mooring { get; set; }
    public List<Sailor> Crew { get; set; } = [];

    public void Tows(Boat other) => other.TowedBy = this;
}

public sealed class Buoy(EntityId id)
{
    public EntityId Id { get; } = id;
    public Bearing Bearing { get; } = new();
    public bool Lit { get; set; }
}

public class Sailor(EntityId id)
{
    public EntityId Id { get; } = id;
    public int Years { get; set; }
}

public sealed class Cook(EntityId id) : Sailor(id)
{
    public string Soup { get; set; } = "";
}

[StateType]
public sealed partial class Cargo
{
    public List<string> Crates { get; set; } = [];

    public override string ToString() => string.Join('+', Crates);
}

[StateType]
public sealed partial class Bearing
{
    public int Degrees { get; set; }
}

[StateType]
public partial record struct Light(bool Lit);

[StateType]
public partial record struct Rank(int Years);

[StateType]
public partial record struct Soup(string Name);
