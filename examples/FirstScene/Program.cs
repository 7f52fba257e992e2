using System.Numerics;
using Lodrik;
using Lodrik.Scenes;

using var store = SaveStore<MarshSave>.Open("saves");       // without a folder: the platform's place for the game
var marsh = Marsh.AsDesigned();
var live = LiveScene.Begin(marsh);                          // what is there now is what the designer placed

var save = store.LoadOrNew("evening");                      // the slot, or a fresh state with its initial values
live.RestoreFrom(save.Scenes, "marsh");                     // does nothing on the first visit

save.Oil += 1;                                              // the player collects one can, and sets a lantern adrift
marsh.OilCans.RemoveAll(can => can.Id == "oil-1");
marsh.Lanterns.Add(new Lantern(marsh.Numbers.Next()) { At = new(4, 2) });
live.CaptureTo(save.Scenes, "marsh");
Console.WriteLine(store.Save("evening", save, new SaveLabel { Title = "Evening on the marsh" }));

marsh.OilCans.Clear();                                      // plays on, and regrets it
marsh.Lanterns.ForEach(lantern => lantern.At = new(9, 9));
Console.WriteLine(live.RestoreFrom(store.Load("evening").State.Scenes, "marsh")!.Plan);
Console.WriteLine($"{marsh.OilCans.Count} can left, {marsh.Lanterns.Count} lantern(s) adrift");

[SaveFile("marsh-walk", Version = 1)]
public sealed partial class MarshSave
{
    public int Oil { get; set; } = 3;
    public SceneArchive Scenes { get; set; } = new();
}

[SceneType]
public sealed partial class Marsh
{
    public List<OilCan> OilCans { get; } = [];
    public List<Lantern> Lanterns { get; } = [];
    public SpawnNumbers Numbers { get; } = new();            // numbers are handed out once, also after a load

    public static Marsh AsDesigned() =>
        new() { OilCans = { new OilCan("oil-1") { At = new(1, 1) }, new OilCan("oil-2") { At = new(7, 3) } } };
}

[EntityType("oilCan")]
public sealed partial class OilCan(string id)               // a string: what the designer placed has a name
{
    public string Id { get; } = id;
    public Vector2 At { get; set; }
}

[EntityType("lantern")]
public sealed partial class Lantern(long id)                // a number: comes while playing
{
    public long Id { get; } = id;
    public Vector2 At { get; set; }
}
