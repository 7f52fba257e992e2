using Lodrik;
using Lodrik.Codes;
using Lodrik.Scenes;
using Lodrik.Storage;
using Sequel;
using Tidewarden;

// The layout as a file for the tool: lodrik code explain --layout journey.json
if (args is ["layout", var file])
{
    File.WriteAllText(file, Journey.CodeLayout.ToJson() + "\n");
    return 0;
}

// At the end of Tidewarden, the player writes a code down.
using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
Story.Play(store);
var journey = Journey.Of(store.Load("evening").State);
var code = Journey.CodeLayout.ToText(journey);
Console.WriteLine($"Tidewarden: {Told(journey)}");
Console.WriteLine($"  Write this down: {code}");
Console.WriteLine();

// Years later, in the sequel, it is typed in: in small letters, without the dashes, and with a mistake.
var typed = Spoilt(code.Replace("-", "", StringComparison.Ordinal).ToLowerInvariant(), 5);
Console.WriteLine($"The sequel. Your code? {typed}");
var decoded = Journey.CodeLayout.FromText(typed);
foreach (var position in decoded.Corrected)
    Console.WriteLine($"  ({position} should be {position.Meant}; it was corrected)");
Console.WriteLine($"  Welcome back. {Told(decoded.State)}");

// With two mistakes it is not guessed at, and what is no code of this game says so.
foreach (var wrong in new[] { Spoilt(typed, 9), "HELLO", "TIDE-WARD-EN!" })
{
    try
    {
        Journey.CodeLayout.FromText(wrong);
        return 1;
    }
    catch (CodeException problem)
    {
        Console.WriteLine($"  {wrong}: {problem.ForPlayer}");
    }
}
Console.WriteLine();

// The marsh of the sequel: as its designer left it, but for what the code says.
var marsh = Scene.Author("marsh");
var live = LiveScene.Begin(marsh);
live.Restore(live.Sketch(sketch =>
{
    sketch.Gone(decoded.State.CansTaken);
    foreach (var beacon in decoded.State.MarshBeacons)
        sketch.Set(beacon, Beacon.Parts.Flame, "lit", true);
}));
Console.WriteLine($"Its marsh: lit {string.Join(", ", marsh.Beacons.Where(beacon => beacon.Lit).Select(beacon => beacon.Name))}; {marsh.OilCans.Count} oil cans left, {marsh.Letters.Count} letters as authored");

var same = Told(decoded.State) == Told(journey) && marsh.Beacons.Where(beacon => beacon.Lit).Select(beacon => (EntityId)beacon.Name).ToHashSet().SetEquals(journey.MarshBeacons);
Console.WriteLine(same ? "Everything came along." : "SOMETHING WAS LOST.");
return same ? 0 : 1;

static string Told(Journey journey) =>
    $"beacons lit {journey.MarshBeacons.Count + journey.HarbourBeacons.Count} of nine, day {journey.Day}, {journey.Tide.ToString().ToLowerInvariant()}, letters delivered {journey.LettersDelivered}, oil {journey.Oil} l, oil cans taken {journey.CansTaken.Count}";

static string Spoilt(string code, int at) => $"{code[..at]}{(code[at] == '7' ? '8' : '7')}{code[(at + 1)..]}";
