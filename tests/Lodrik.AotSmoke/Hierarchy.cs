using Lodrik;
using Lodrik.Scenes;
using Lodrik.Tests.Declared;
using MarshEngine;

/// <summary>Declared scenes of derived classes, generic bases and components, and of an engine's nodes.</summary>
internal static class Hierarchy
{
    public static bool NodesComeBack(SaveForm form)
    {
        Assets.Register("crate", () => new Thing());
        Assets.Register("door", () => new Door());
        var level = new Level();
        var tree = new Tree(level);
        var door = (Door)level.Make("door", EntityId.Placed("gate"));
        var live = LiveScene.Begin(level);
        door.IsOpen = true;
        level.Make("crate", level.Numbers.Next()).Target = door;
        var save = new FenSave();
        live.CaptureTo(save.Scenes, "level");
        save = StateFile.FromBytes<FenSave>(StateFile.ToBytes(save, form));

        foreach (var thing in level.Things().ToList())
            thing.QueueFree();
        tree.EndOfFrame();
        live.RestoreFrom(save.Scenes, "level");
        return level.Things().OfType<Door>().Single() is { IsOpen: true, Swung: 1 } back
            && level.Things().Single(thing => thing.Target is not null).Target == back;
    }

    public static bool ComesBack(SaveForm form)
    {
        var fen = new Fen();
        var heron = new Heron(EntityId.Placed("grey")) { Eggs = 2, Traits = { new Health { Points = 7 } } };
        fen.Creatures.Add(heron);
        fen.Creatures.Add(new EelMonger(EntityId.Placed("monger")) { Stock = { new Eel { Weight = 2 } } });
        var live = LiveScene.Begin(fen);
        fen.Creatures.Add(new Otter(fen.Numbers.Next()) { Follows = heron, Traits = { new Temper { Anger = 0.5f, Grudge = heron } } });
        var save = new FenSave();
        live.CaptureTo(save.Scenes, "fen");
        save = StateFile.FromBytes<FenSave>(StateFile.ToBytes(save, form));

        fen.Creatures.RemoveRange(1, 2);
        (heron.Eggs, ((Health)heron.Traits[0]).Points) = (9, 1);
        live.RestoreFrom(save.Scenes, "fen");
        return heron.Eggs == 2 && heron.Traits is [Health { Points: 7 }]
            && fen.Creatures.OfType<EelMonger>().Single() is { Coins: 10, Stock: [{ Weight: 2 }] }
            && fen.Creatures.OfType<Otter>().Single() is { Traits: [Temper temper], Follows: { } follows }
            && follows == heron && temper.Grudge == heron;
    }
}

[SaveFile("fen")]
internal sealed partial class FenSave
{
    public SceneArchive Scenes { get; set; } = new();
}
