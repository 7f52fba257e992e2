using System.Numerics;
using Starter;

// Plays two rooms with the code of GameSaves.cs, and loads them again.
var folder = args.Length > 0 ? args[0] : Path.Combine(AppContext.BaseDirectory, "saves");
using (var saves = new GameSaves(folder))
{
    saves.NewGame();
    saves.State.Player.Name = "Isolde";
    var pier = Pier();
    saves.Enter("pier", pier);
    pier.Things.RemoveAll(thing => thing.Id.ToString() == "oil can");
    pier.Things.Add(new Thing(pier.Numbers.Next()) { Position = new Vector2(2, 5) });
    saves.State.Player.Carries.Add("oil can");
    saves.State.Flags.Add("met the ferrywoman");

    saves.Enter("boathouse", Boathouse());
    Console.WriteLine(saves.QuickSave());
}

using (var saves = new GameSaves(folder))
{
    Console.WriteLine($"{saves.Continue()} \"{saves.Slots[0].Title}\"");
    var pier = Pier();
    saves.Enter("pier", pier);
    Console.WriteLine($"In the {saves.State.Player.Room}: {string.Join(", ", pier.Things.Select(thing => $"{thing.Id} at {thing.Position.X}, {thing.Position.Y}"))}");
}

static Room Pier() => new() { Things = { new Thing("gate"), new Thing("oil can") { Position = new Vector2(3, 1) } } };

static Room Boathouse() => new() { Things = { new Thing("punt") } };
