using Lodrik;
using MarshEngine;
using SaltRoad;

// A walk over three levels: what a large game saves, and with how little. Everything that Lodrik needs to know is in this file and in
// Things.cs.
using var store = SaveStore<RoadSave>.Open(args.Length > 0 ? args[0] : Path.Combine(AppContext.BaseDirectory, "saves"));
using var session = GameSession.Begin(store, change => Levels.Build(change.Scene), new() { Start = new(Level.Scenes.Ford) });
RoadSave Save() => session.State;
Level Here() => session.Scene.Scene;
void Go(string level) => session.Travel(new(level));                // saves by itself, too

// The ford: empties the chest, pushes the raft, and hangs a lamp onto it.
session.StartNew();
Save().Quests["reach the lighthouse"] = new Quest();
Save().Walker.Carries.AddRange(Here().Take<Chest>("chest").Holds);
Here().Take<Chest>("chest").QueueFree();
Here().Take<Raft>("raft").Pose = new Pose { Origin = new(4, 0, 9) };
Here().Hang(Here().Take<Raft>("raft"), Here().Take<Gate>("weir"));
EndFrame();

// The salt pans: opens a gate, rests, and is caught by the flood: what was done since the rest is undone.
Go(Level.Scenes.SaltPans);
Here().Take<Gate>("sluice").IsOpen = true;
Here().Water = 0.1f;
session.Mark();
Here().Take<Gate>("sluice").IsOpen = false;
Save().Walker.Health = 0;
session.Return();
Console.WriteLine($"After the flood: the sluice is {(Here().Take<Gate>("sluice").IsOpen ? "open" : "shut")}, health {Save().Walker.Health}.");

// The lighthouse: the end of the quest, and a save.
Go(Level.Scenes.Lighthouse);
Save().Quests["reach the lighthouse"].IsDone = true;
session.Save("evening", overwrite: Overwrite.Allowed);

// Everything goes wrong afterwards; the save puts it right, and the ford is as it was left.
Save().Quests.Clear();
Here().Take<Gate>("door").QueueFree();
EndFrame();
session.Load("evening");
Console.WriteLine($"Loaded: the quest is {(Save().Quests["reach the lighthouse"].IsDone ? "done" : "open")}, the {Here().Take<Gate>("door").Name} stands.");
Go(Level.Scenes.Ford);
EndFrame();
var raft = Here().Take<Raft>("raft");
var lamp = raft.Children.OfType<Lamp>().Single();
Console.WriteLine($"The ford: the raft is at {raft.Pose.Origin.X}, {raft.Pose.Origin.Z}, its lamp shows the way to the {lamp.ShowsTheWayTo!.Name}, and {(Here().Things().OfType<Chest>().Any() ? "a" : "no")} chest is left.");

void EndFrame()
{
    session.Tick();
    Here().Tree!.EndOfFrame();
}
