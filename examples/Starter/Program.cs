using System.Numerics;
using Starter;

// Plays two rooms with the code of GameSaves.cs, and loads them again.
var folder = args.Length > 0 ? args[0] : Path.Combine(AppContext.BaseDirectory, "saves");
using (var saves = new GameSaves(Build, folder))
{
    saves.Session.StartNew();
    saves.Session.State.Player.Name = "Isolde";
    var pier = saves.Session.Scene.Scene;
    pier.Things.RemoveAll(thing => thing.Id.ToString() == "oil can");
    pier.Things.Add(new Thing(pier.Numbers.Next()) { Position = new Vector2(2, 5) });
    saves.Session.State.Player.Carries.Add("oil can");
    saves.Session.State.Flags.Add("met the ferrywoman");

    saves.Session.Travel(new(Room.Scenes.Boathouse));
    Console.WriteLine(saves.QuickSave());
}

using (var saves = new GameSaves(Build, folder))
{
    Console.WriteLine($"{saves.Continue()} \"{saves.Slots[0].Title}\"");
    saves.Session.Travel(new(Room.Scenes.Pier));
    var things = saves.Session.Scene.Scene.Things.Select(thing => $"{thing.Id} at {thing.Position.X}, {thing.Position.Y}");
    Console.WriteLine($"On the {saves.Session.Place.Scene}: {string.Join(", ", things)}");
}

static Room Build(string name) => name == Room.Scenes.Pier
    ? new() { Things = { new Thing("gate"), new Thing("oil can") { Position = new Vector2(3, 1) } } }
    : new() { Things = { new Thing("punt") } };
