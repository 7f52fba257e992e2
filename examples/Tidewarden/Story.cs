using System.Globalization;
using System.Numerics;
using Lodrik;

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
        Draw(map, scene.Herons, heron => (heron.At, heron.Alert ? 'H' : 'h'));
        Draw(map, scene.Punts, punt => (punt.At, 'p'));
        Draw(map, scene.Lanterns, lantern => (lantern.At, '*'));
        Draw(map, [game.Warden], warden => (warden.Position, '@'));
        return new Moment(title, [.. map.Select(row => new string(row))],
        [
            ("place", $"{game.Warden.Scene}, day {game.Season.Day}, {game.Season.Tide.ToString().ToLowerInvariant()}"),
            ("warden", $"{At(game.Warden.Position)}, stamina {game.Warden.Stamina.ToString("F1", CultureInfo.InvariantCulture)}"),
            ("oil and satchel", $"{game.Warden.Oil} l, {string.Join(", ", game.Warden.Satchel.Select(item => item.Name))}"),
            ("beacons lit", $"{scene.Beacons.Count(beacon => beacon.Lit)} of {scene.Beacons.Count}"),
            ("sluices open", $"{scene.Sluices.Count(sluice => sluice.Setting != GateSetting.Shut)} of {scene.Sluices.Count}"),
            ("oil cans left", Count(scene.OilCans)),
            ("letters left", Count(scene.Letters)),
            ("herons alert", $"{scene.Herons.Count(heron => heron.Alert)} of {scene.Herons.Count}"),
            ("punt", string.Join(" ", scene.Punts.Select(punt => At(punt.At)))),
            ("drift lanterns", scene.Lanterns.Count == 0 ? "none" : string.Join(" ", scene.Lanterns.OrderBy(lantern => lantern.Number).Select(lantern =>
                $"#{lantern.Number}{(lantern.TiedTo is null ? "" : " tied")}"))),
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
public sealed record StoryResult(
    Moment Authored, Moment AtSave, Moment PlayedOn, Moment Loaded,
    IReadOnlyList<SaveReceipt> Receipts, IReadOnlyList<RestoreReport> Restored);

/// <summary>
/// The scripted play-through: explore, collect, light beacons, set lanterns out, save, play on, load.
/// </summary>
public static class Story
{
    public static StoryResult Play(SaveStore<TidewardenSave> store)
    {
        ArgumentNullException.ThrowIfNull(store);
        var game = new Game();
        store.StartPlaythrough();
        var authored = Moment.Of("as authored", game);
        var receipts = new List<SaveReceipt> { store.Save(SlotName.Auto, game.ToSave(), game.Label("The first ebb")) };

        Explore(game);
        receipts.Add(store.Save(SlotName.Quick, game.ToSave(), game.Label("Before the harbour")));
        ToTheHarbourAndBack(game);
        var atSave = Moment.Of("at the save", game);
        receipts.Add(store.Save("evening", game.ToSave(), game.Label("Evening on the marsh"), Overwrite.Allowed));

        PlayOn(game);
        var playedOn = Moment.Of("after playing on", game);
        receipts.Add(store.Save(SlotName.Auto, game.ToSave(), game.Label("Third flood")));

        var loaded = store.Load("evening");
        var restored = game.GoOnFrom(loaded.State);
        return new StoryResult(authored, atSave, playedOn, Moment.Of("after loading", game), receipts, restored);
    }

    private static void Explore(Game game)
    {
        game.Light("beacon-1");
        game.PickUpOil("oil-2");
        game.PickUpLetter("letter-1");
        game.Turn("sluice-1", GateSetting.Open);
        game.SetOut(new Vector2(9, 3), "amber");
        game.SetOut(new Vector2(16, 4), "green");
        game.Startle("heron-1", new Vector2(12, 1));
    }

    private static void ToTheHarbourAndBack(Game game)
    {
        game.Travel("harbour", new Vector2(1, 5));
        game.Light("beacon-4");
        game.PickUpOil("oil-3");
        game.SetOut(new Vector2(12, 5), "white");
        game.DeliverLetters();
        game.Travel("marsh", new Vector2(3, 4));
        game.SetOut(new Vector2(4, 4), "amber", tied: true);
        game.PuntTo(new Vector2(12, 5));
        game.Light("beacon-3");
    }

    private static void PlayOn(Game game)
    {
        game.PickUpOil("oil-5");
        game.PickUpLetter("letter-3");
        game.PickUpLetter("letter-2");
        game.Light("beacon-4");
        game.Turn("sluice-4", GateSetting.Half);
        game.Scene.Lanterns.RemoveAt(0);
        game.SetOut(new Vector2(20, 7), "red");
        game.SetOut(new Vector2(21, 6), "red");
        game.PuntTo(new Vector2(18, 1));
        game.Startle("heron-4", new Vector2(3, 7));
    }
}
