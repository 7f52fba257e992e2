using System.Numerics;
using Lodrik;
using Lodrik.Scenes;

// Said once: what the objects of a scene are. They are the game's own classes, without a base class of ours.
var bindings = new SceneBindings<Marsh>()
    .SpawnNumbers(marsh => marsh.Numbers)
    .Kind("oilCan", marsh => marsh.OilCans, can => can
        .Id(one => one.Name)
        .Part("place", one => new Place(one.At), (one, place) => one.At = place.At)
        .Spawn((marsh, id) => marsh.Add(new OilCan(id.ToString(), default)))
        .Remove((marsh, one) => marsh.OilCans.Remove(one)))
    .Kind("lantern", marsh => marsh.Lanterns, lantern => lantern
        .Id(one => one.Number)
        .Part("place", one => new Place(one.At), (one, place) => one.At = place.At)
        .Spawn((marsh, id) => marsh.Add(new Lantern(id.Number, default)))
        .Remove((marsh, one) => marsh.Lanterns.Remove(one)));

using var store = SaveStore<MarshSave>.Open("saves");       // without a folder: the platform's place for the game
var marsh = Marsh.AsDesigned();
var live = bindings.Begin(marsh);                           // what is there now is what the designer placed

var save = store.LoadOrNew("evening");                      // the slot, or a fresh state with its initial values
live.RestoreFrom(save.Scenes, "marsh");                     // does nothing on the first visit

save.Oil += 1;                                              // the player collects one can, and sets a lantern adrift
marsh.OilCans.RemoveAll(can => can.Name == "oil-1");
marsh.Add(new Lantern(marsh.Numbers.Next(), new Vector2(4, 2)));
live.CaptureTo(save.Scenes, "marsh");
Console.WriteLine(store.Save("evening", save, new SaveLabel { Title = "Evening on the marsh" }));

marsh.OilCans.Clear();                                      // plays on, and regrets it
marsh.Add(new Lantern(marsh.Numbers.Next(), new Vector2(9, 9)));
var report = live.RestoreFrom(store.Load("evening").State.Scenes, "marsh");
Console.WriteLine(report!.Plan);
Console.WriteLine($"{marsh.OilCans.Count} can left, {marsh.Lanterns.Count} lantern(s) adrift");

[SaveFile("marsh-walk", Version = 1)]
public sealed partial class MarshSave
{
    public int Oil { get; set; } = 3;
    public SceneArchive Scenes { get; set; } = new();
}

[StateType]
public partial record struct Place(Vector2 At);

public sealed class Marsh
{
    public List<OilCan> OilCans { get; } = [];
    public List<Lantern> Lanterns { get; } = [];
    public SpawnNumbers Numbers { get; } = new();

    public static Marsh AsDesigned() => new() { OilCans = { new OilCan("oil-1", new(1, 1)), new OilCan("oil-2", new(7, 3)) } };

    public OilCan Add(OilCan can)
    {
        OilCans.Add(can);
        return can;
    }

    public Lantern Add(Lantern lantern)
    {
        Lanterns.Add(lantern);
        return lantern;
    }
}

public sealed class OilCan(string name, Vector2 at)
{
    public string Name { get; } = name;
    public Vector2 At { get; set; } = at;
}

public sealed class Lantern(long number, Vector2 at)
{
    public long Number { get; } = number;
    public Vector2 At { get; set; } = at;
}
