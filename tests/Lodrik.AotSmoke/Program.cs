using Lodrik;
using Lodrik.AotSmoke;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Scenes;
using Lodrik.Screens;
using Lodrik.State;
using Lodrik.Tests.State;
using Tidewarden;

if (args is ["first", var wanted, var how])
{
    FirstTimes.Print(Enum.Parse<SaveForm>(wanted), how == "warm");
    return 0;
}

// Saves and loads in every form, in a program without a just-in-time compiler. It prints one line per check, and ends with
// an error where one fails.
var failed = 0;
var folder = Directory.CreateTempSubdirectory("lodrik-aot-");
try
{
    foreach (var form in Enum.GetValues<SaveForm>())
    {
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Folder = Path.Combine(folder.FullName, form.ToString()), Form = form });
        var story = Story.Play(store);
        Check($"{form}: the scene is as it was at the save", story.Loaded.Shows(story.AtSave));
        Check($"{form}: the slots are listed", store.List().Count == 3);

        var lit = story.Checkpoint.Facts.Single(fact => fact.Name == "beacons lit");
        Check($"{form}: a checkpoint is gone back to, and the season survives", lit.After == lit.Marked && lit.Before != lit.Marked && story.Checkpoint.Facts[^1].After.Contains("floods 1"));
        Check($"{form}: a later release puts the scene back by its plan", story.Updated.Count(RestoreAction.TakenOut) == 1);
        using (var game = new Game(store))
        {
            game.Session.Load("evening");
            await game.Session.LoadTask;
            game.Session.Mark("in the save", inSave: true);
            game.Light("beacon-2");
            game.Session.Save("night", overwrite: Overwrite.Allowed);
        }
        using (var game = new Game(store))
        {
            game.Session.Load("night");
            await game.Session.LoadTask;
            var before = game.Scene.Beacons.Count(beacon => beacon.Lit);
            await game.Session.ReturnAsync("in the save");
            var screen = game.Session.Screen();
            var file = Path.Combine(folder.FullName, $"night.{form}.zip");
            var isKept = screen.Press(ScreenAction.SaveAs, "雪山").IsDone && screen.Press(ScreenAction.Export, file).IsDone
                && screen.Press(ScreenAction.Delete).Question is not null && screen.Answer(true).IsDone && screen.Press(ScreenAction.Undo).IsDone
                && (await screen.PressAsync(ScreenAction.Import, file)).IsDone && screen.Press(ScreenAction.ClearAll).Question is { Count: > 3 };
            Check($"{form}: a save screen saves, deletes, brings back, exports and imports", isKept && screen.Selected?.Caption == "雪山 (2)");
            Check($"{form}: a checkpoint in a save is gone back to", game.Scene.Beacons.Count(beacon => beacon.Lit) == before - 1 && game.Weather.WindKnots == 36);
        }

        var path = Path.Combine(folder.FullName, $"flags.{form}");
        StateFile.Write(path, new Flags { Marks = { [3] = Mark.Seen | Mark.Lit }, Numbers = { 1, 2, 3 }, Remark = null }, form);
        var flags = StateFile.Read<Flags>(path);
        Check($"{form}: a state type comes back", flags.Marks[3] == (Mark.Seen | Mark.Lit) && flags.Numbers.Count == 3 && flags.Letter.To == "the miller");
        Check($"{form}: a save can be looked into without its types", SavedFile.Open(path).ReadSection("state").ToString() == "4 entries");

        var rows = Rows.Make();
        var reread = StateFile.FromBytes<Rows>(StateFile.ToBytes(rows, form));
        Check($"{form}: rows, variants, shared objects and former names come back", StateContent.AreEqual(rows, reread) && ReferenceEquals(reread.All[3].Lamp, reread.All[7].Lamp));
        Check($"{form}: generic types, structs that are not ours and variants of an interface come back",
            reread.All[9].Pouch.Others[1].X == 9 && reread.All[9].Own.Best == "best 9" && reread.All[8].Named is Knot { Number: 8 });
        Check($"{form}: a copy is equal and shares nothing", StateContent.AreEqual(StateContent.Copy(rows), rows) && !ReferenceEquals(StateContent.Copy(rows).All[3].Lamp, rows.All[3].Lamp));

        var everything = Everything.Make();
        var whole = StateFile.ToBytes(everything, form);
        Check($"{form}: every type that can be saved comes back", StateFile.FromBytes<SampleSave>(whole).Content().Equals(everything.Content()));
        Check($"{form}: and through every other form", Enum.GetValues<SaveForm>().All(other =>
            StateFile.FromBytes<SampleSave>(SavedFile.FromBytes(whole).ToForm(other)).Content().Equals(everything.Content())));

        var bytes = File.ReadAllBytes(path);
        var old = SaveHistory.Migrations.FromBytes<TidewardenSave>(SavedFile.FromBytes(SaveHistory.SaveOfFirstRelease()).ToForm(form));
        Check($"{form}: a save of the first release loads today", old.Season.Tally.OilBurnt == 4 && old.Warden.Satchel[0].What == "tinderbox");
        var key = SaveKey.FromBytes("smoke", [.. Enumerable.Range(1, SaveKey.SecretBytes).Select(i => (byte)i)]);
        foreach (var protection in new[] { SaveProtection.With(key), SaveProtection.Encrypted(key) })
        {
            using var guarded = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = new Lodrik.Storage.MemoryStorage(), Form = form, Protection = protection });
            guarded.Save("night", old);
            Check($"{form}: a save of the level {protection.Level} loads", guarded.Load("night").State.Warden.Oil == old.Warden.Oil);
        }
        Check($"{form}: lists and dictionaries at the root come back", Journey.ComesBack(form));
        Check($"{form}: a declared hierarchy with components is put back", Hierarchy.ComesBack(form));
        Check($"{form}: a declared level of an engine's nodes is put back", Hierarchy.NodesComeBack(form));
        Check($"{form}: a cut save is refused", Refuses(() => StateFile.FromBytes<Flags>(bytes.AsMemory(0, bytes.Length / 2))));
    }
}
finally
{
    folder.Delete(recursive: true);
}
return failed == 0 ? 0 : 1;

void Check(string what, bool holds)
{
    Console.WriteLine($"{(holds ? "ok" : "FAILED")}  {what}");
    failed += holds ? 0 : 1;
}

static bool Refuses(Action act)
{
    try
    {
        act();
        return false;
    }
    catch (SaveException)
    {
        return true;
    }
}

[Flags]
internal enum Mark
{
    None = 0,
    Seen = 1,
    Lit = 2,
}

[StateType]
internal sealed partial class Flags
{
    public Dictionary<int, Mark> Marks { get; set; } = [];

    public HashSet<long> Numbers { get; } = [];

    public string? Remark { get; init; } = "none";

    public Note Letter { get; set; } = new("the miller", 2);
}

[StateType]
internal sealed partial record Note(string To, int Pages);
