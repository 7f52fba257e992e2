using System.Globalization;
using System.Numerics;
using Lodrik;
using Lodrik.Scenes;

namespace Tidewarden;

/// <summary>What a scene looks like at one moment, for comparing two.</summary>
/// <param name="Title">The moment.</param>
/// <param name="Map">The scene from above, a line of signs for each row.</param>
/// <param name="Facts">What there is to count and to measure, in a fixed order.</param>
public sealed record Moment(string Title, IReadOnlyList<string> Map, IReadOnlyList<(string Name, string Value)> Facts)
{
    /// <summary>Whether two moments show the same scene.</summary>
    public bool Shows(Moment other) => Map.SequenceEqual(other.Map) && Facts.SequenceEqual(other.Facts);

    public static Moment Of(string title, Game game)
    {
        var scene = game.Scene;
        var map = Enumerable.Range(0, Scene.Height).Select(_ => new string('·', Scene.Width).ToCharArray()).ToArray();
        Draw(map, scene.Sluices, sluice => (sluice.At, sluice.Setting == GateSetting.Shut ? 's' : 'S'));
        Draw(map, scene.Beacons, beacon => (beacon.At, beacon.Lit ? 'B' : 'b'));
        Draw(map, scene.OilCans, can => (can.At, 'o'));
        Draw(map, scene.Letters, letter => (letter.At, 'l'));
        Draw(map, scene.Herons, heron => (heron.At, heron.Wary ? 'H' : 'h'));
        Draw(map, scene.Punts, punt => (punt.At, 'p'));
        Draw(map, scene.Lanterns, lantern => (lantern.At, '*'));
        Draw(map, [game.Warden], warden => (warden.Position, '@'));
        return new Moment(title, [.. map.Select(row => new string(row))],
        [
            ("place", $"{game.Session.Place.Scene}, day {game.Season.Day}, {game.Season.Tide.ToString().ToLowerInvariant()}"),
            ("warden", $"{At(game.Warden.Position)}, stamina {game.Warden.Stamina.ToString("F1", CultureInfo.InvariantCulture)}"),
            ("oil and satchel", $"{game.Warden.Oil} l, {string.Join(", ", game.Warden.Satchel.Select(item => item.From.Length > 0 ? $"{item.From} {item.What}" : item.What))}"),
            ("beacons lit", $"{scene.Beacons.Count(beacon => beacon.Lit)} of {scene.Beacons.Count}"),
            ("sluices open", $"{scene.Sluices.Count(sluice => sluice.Setting != GateSetting.Shut)} of {scene.Sluices.Count}"),
            ("oil cans left", Count(scene.OilCans)),
            ("letters left", Count(scene.Letters)),
            ("herons alert", $"{scene.Herons.Count(heron => heron.Wary)} of {scene.Herons.Count}"),
            ("punt", string.Join(" ", scene.Punts.Select(punt => At(punt.At)))),
            ("weather", FormattableString.Invariant($"wind {game.Weather.WindKnots:0} kn{(game.Weather.Fog ? ", fog" : "")}")),
            ("drift lanterns", scene.Lanterns.Count == 0 ? "none" : string.Join(" ", scene.Lanterns.OrderBy(lantern => lantern.Number).Select(lantern =>
                $"#{lantern.Number}{(lantern.TiedTo is null ? "" : " tied")}"))),
            ("they guide to", scene.Lanterns.Count == 0 ? "nothing" : string.Join(" ", scene.Lanterns.OrderBy(lantern => lantern.Number).Select(lantern => lantern.Guides?.Name ?? "nothing"))),
        ]);
    }

    private static void Draw<T>(char[][] map, IEnumerable<T> things, Func<T, (Vector2 At, char Sign)> look)
    {
        foreach (var thing in things)
        {
            var (at, sign) = look(thing);
            map[(int)at.Y][(int)at.X] = sign;
        }
    }

    private static string At(Vector2 at) => FormattableString.Invariant($"({at.X:0.#}, {at.Y:0.#})");

    private static string Count<T>(List<T> things) => things.Count.ToString(CultureInfo.InvariantCulture);
}

/// <summary>What came of one run of the scripted play-through.</summary>
/// <param name="Authored">The marsh as its designer left it.</param>
/// <param name="AtSave">The marsh at the save.</param>
/// <param name="PlayedOn">After playing on.</param>
/// <param name="Loaded">After loading the save into the running scene.</param>
/// <param name="Receipts">Of the saves that the story makes itself.</param>
/// <param name="Restored">What the load did to the marsh.</param>
/// <param name="Checkpoint">What the way back to a checkpoint changed and what survived it.</param>
/// <param name="Updated">What the second release of the game does to put the marsh of that save back.</param>
public sealed record StoryResult(
    Moment Authored, Moment AtSave, Moment PlayedOn, Moment Loaded,
    IReadOnlyList<SaveReceipt> Receipts, RestoreReport Restored, CheckpointTale Checkpoint, RestorePlan Updated);

/// <summary>A death and a checkpoint: the same facts when the checkpoint was marked, before the flood, and after it.</summary>
public sealed record CheckpointTale(IReadOnlyList<(string Name, string Marked, string Before, string After)> Facts);

/// <summary>
/// The scripted play-through: explore, collect, light beacons, set lanterns out, travel, save, play on, load; then drown, and come back to a
/// checkpoint; and at last load the save with a later release of the game.
/// </summary>
public static class Story
{
    public static StoryResult Play(SaveStore<TidewardenSave> store)
    {
        ArgumentNullException.ThrowIfNull(store);
        using var game = new Game(store);
        game.Session.StartNew();
        var authored = Moment.Of("as authored", game);
        var receipts = new List<SaveReceipt> { game.Session.Save(SlotName.Auto, game.Label("The first ebb")) };

        Explore(game);
        receipts.Add(game.Session.QuickSave(game.Label("Before the harbour")));
        RoundTrip(game);
        store.WaitForBackground();
        var atSave = Moment.Of("at the save", game);
        receipts.Add(game.Session.Save("evening", game.Label("Evening on the marsh"), Overwrite.Allowed));

        PlayOn(game);
        var playedOn = Moment.Of("after playing on", game);
        receipts.Add(game.Session.Save(SlotName.Auto, game.Label("Third flood")));

        SessionArrival? arrival = null;
        game.Session.Loaded += (_, done) => arrival = done;
        game.Session.Load("evening");
        var loaded = Moment.Of("after loading", game);
        var restored = arrival!.Restored!;
        return new StoryResult(authored, atSave, playedOn, loaded, receipts, restored, Drown(game), Update(store));
    }

    private static void Explore(Game game)
    {
        game.Light("beacon-1");
        game.PickUpOil("oil-2");
        game.PickUpLetter("letter-1");
        game.Turn("sluice-1", GateSetting.Open);
        game.SetOut(new Vector2(9, 3), Glasses.Amber);
        game.SetOut(new Vector2(16, 4), Glasses.Green);
        game.Startle("heron-1", new Vector2(12, 1));
    }

    private static void RoundTrip(Game game)
    {
        game.Travel("harbour", "quay");
        game.Light("beacon-4");
        game.PickUpOil("oil-3");
        game.SetOut(new Vector2(12, 5), Glasses.White);
        game.DeliverLetters();
        game.Travel("saltworks", "dike");
        game.Turn("sluice-2", GateSetting.Ajar);
        game.PickUpOil("oil-1");
        game.Travel("marsh", "jetty");
        game.SetOut(new Vector2(4, 4), Glasses.Amber, tied: true);
        game.PuntTo(new Vector2(12, 5));
        game.Light("beacon-3");
    }

    private static void PlayOn(Game game)
    {
        game.PickUpOil("oil-5");
        game.PickUpLetter("letter-3");
        game.PickUpLetter("letter-2");
        game.Light("beacon-4");
        game.Turn("sluice-4", GateSetting.Ajar);
        game.Scene.Lanterns.RemoveAt(0);
        game.SetOut(new Vector2(20, 7), Glasses.Red);
        game.SetOut(new Vector2(21, 6), Glasses.Red);
        game.PuntTo(new Vector2(18, 1));
        game.Startle("heron-4", new Vector2(3, 7));
    }

    /// <summary>The warden marks a checkpoint, goes too far out, and is put back; the season's tally stays.</summary>
    private static CheckpointTale Drown(Game game)
    {
        game.Session.Mark("dry ground", inSave: true);
        var marked = Facts(game);
        game.Light("beacon-2");
        game.PickUpOil("oil-1");
        game.SetOut(new Vector2(22, 3), Glasses.Red);
        game.PickUpLetter("letter-2");
        game.DeliverLetters();
        var before = Facts(game);
        game.Drown();
        var after = Facts(game);
        return new CheckpointTale([.. marked.Select((fact, i) => (fact.Name, fact.Value, before[i].Value, after[i].Value))]);
    }

    /// <summary>A later release of the game finds the save of the one before.</summary>
    private static RestorePlan Update(SaveStore<TidewardenSave> store)
    {
        using var game = new Game(store, release: 2);
        SessionArrival? arrival = null;
        game.Session.Loaded += (_, done) => arrival = done;
        game.Session.Load("evening");
        return arrival!.Restored!.Plan;
    }

    private static List<(string Name, string Value)> Facts(Game game) =>
    [
        ("warden", FormattableString.Invariant($"{game.Warden.Oil} l of oil, stamina {game.Warden.Stamina:F1}")),
        ("beacons lit", FormattableString.Invariant($"{game.Scene.Beacons.Count(beacon => beacon.Lit)}")),
        ("drift lanterns", FormattableString.Invariant($"{game.Scene.Lanterns.Count}")),
        ("season", FormattableString.Invariant($"delivered {game.Season.Tally.LettersDelivered}, burnt {game.Season.Tally.OilBurnt} l, floods {game.Season.Tally.Floods}")),
    ];
}
