using System.Numerics;
using Lodrik;

namespace Tidewarden;

/// <summary>The running game. What it has to remember is the session's; the scene that is played is built anew, or kept where that will do.</summary>
public sealed class Game : IDisposable
{
    private readonly int _release;
    private Weather _weather = new();

    /// <param name="store">Where the saves go.</param>
    /// <param name="release">Which release of the game this is: the second one has changed the marsh a little.</param>
    public Game(SaveStore<TidewardenSave> store, int release = 1)
    {
        _release = release;
        Session = GameSession.Begin(store, change => Scene.Author(change.Scene, _release), new SessionOptions<TidewardenSave>
        {
            Start = new ScenePlace(Scene.Scenes.Marsh, "shelter"),
            FormerScenes = new Dictionary<string, string> { ["salt pans"] = Scene.Scenes.Saltworks },
            Survives = [TidewardenSave.Sections.Season],
            Autosave = new AutosavePolicy { Interval = TimeSpan.FromHours(4) },
            Label = save => Label(save, SaveLabel.TitleOf($"In the {Session!.Place.Scene}", $"day {save.Season.Day}")),
            Clock = Time,
        });
        // A part of the game that keeps its own section, and knows nothing of the save root.
        Session.Register("weather", () => _weather, weather => _weather = weather);
    }

    public GameSession<TidewardenSave, Scene> Session { get; }

    /// <summary>The time in the marsh, in which the story is told.</summary>
    public MarshTime Time { get; } = new();

    public Warden Warden => Session.State.Warden;

    public Season Season => Session.State.Season;

    public Weather Weather => _weather;

    public Dictionary<string, Errand> Errands => Session.State.Errands;

    /// <summary>The scene that the warden is in.</summary>
    public Scene Scene => Session.Scene.Scene;

    public void Dispose() => Session.Dispose();

    /// <summary>Goes to another scene, which stays as it was left.</summary>
    public void Travel(string scene, string entrance)
    {
        Session.Travel(new ScenePlace(scene, entrance));
        Warden.Position = Scene.Entrances[entrance];
        Pass(TimeSpan.FromMinutes(50));
    }

    public void Walk(Vector2 to)
    {
        Warden.Stamina -= Vector2.Distance(Warden.Position, to) / 2;
        Warden.Position = to;
        Pass(TimeSpan.FromMinutes(22));
    }

    /// <summary>Punts to a place; lanterns that are tied to the punt come along.</summary>
    public void PuntTo(Vector2 to)
    {
        var punt = Scene.Punts[0];
        foreach (var lantern in Scene.Lanterns.Where(lantern => lantern.TiedTo == punt))
            lantern.At += to - punt.At;
        punt.At = to;
        Walk(to);
    }

    public void PickUpOil(string name)
    {
        var can = Scene.OilCans.Single(can => can.Name == name);
        Walk(can.At);
        Scene.OilCans.Remove(can);
        Warden.Oil += 2;
    }

    public void PickUpLetter(string name)
    {
        var letter = Scene.Letters.Single(letter => letter.Name == name);
        Walk(letter.At);
        Scene.Letters.Remove(letter);
        Warden.Satchel.Add(new Item { What = name, From = Scene.Name });
        Errands.TryAdd(name, new Errand { Title = $"Deliver {name} of the {Scene.Name}" });
    }

    public void DeliverLetters()
    {
        Season.Tally.LettersDelivered += Warden.Satchel.RemoveAll(item => item.What.Contains("letter", StringComparison.Ordinal));
        foreach (var errand in Errands.Where(errand => errand.Key.StartsWith("letter", StringComparison.Ordinal)))
            errand.Value.State = ErrandState.Done;
    }

    public void Light(string name)
    {
        var beacon = Scene.Beacons.Single(beacon => beacon.Name == name);
        Walk(beacon.At);
        beacon.Oil += 1;
        Warden.Oil -= 1;
        Season.Tally.OilBurnt += 1;
        beacon.Lit = true;
        Errands["lights"].Steps++;
    }

    public void Turn(string sluice, GateSetting setting)
    {
        var gate = Scene.Sluices.Single(gate => gate.Name == sluice);
        Walk(gate.At);
        gate.Setting = setting;
    }

    /// <summary>Sets a drift lantern out on the water, or tied to the punt; it shows the way to the nearest beacon.</summary>
    public void SetOut(Vector2 at, Glass glass, bool tied = false)
    {
        Scene.Lanterns.Add(new DriftLantern(Scene.Numbers.Next())
        {
            At = at,
            Glass = glass,
            TiedTo = tied ? Scene.Punts[0] : null,
            Guides = Scene.Beacons.MinBy(beacon => Vector2.Distance(beacon.At, at)),
        });
        Pass(TimeSpan.FromMinutes(1));
    }

    public void Startle(string heron, Vector2 to)
    {
        var bird = Scene.Herons.Single(bird => bird.Name == heron);
        bird.Wary = true;
        bird.At = to;
    }

    /// <summary>The flood takes the warden, who wakes up where the last checkpoint was marked.</summary>
    public void Drown()
    {
        Season.Tally.Floods++;
        Session.Return();
    }

    /// <summary>What the slot list shows of a save.</summary>
    public SaveLabel Label(string title) => Label(Session.State, title);

    private SaveLabel Label(TidewardenSave save, string title) => new()
    {
        Title = title,
        Summary =
        [
            new("place", Session.Place.Scene),
            new("day", save.Season.Day),
            new("beacons lit", save.Errands["lights"].Steps),
        ],
        Thumbnail = Picture.Of(Scene, save.Warden.Position, save.Season.Tide),
    };

    private void Pass(TimeSpan time)
    {
        Time.Pass(time);
        Season.SinceTurn += time;
        while (Season.SinceTurn >= TimeSpan.FromHours(3))
        {
            Season.SinceTurn -= TimeSpan.FromHours(3);
            Season.Day += Season.Tide == Tide.High ? 1 : 0;
            Season.Tide = (Tide)(((int)Season.Tide + 1) % 4);
            _weather.WindKnots = (_weather.WindKnots + 12) % 42;
            _weather.Fog = Season.Tide is Tide.Low or Tide.Flood;
        }
        foreach (var lantern in Scene.Lanterns)
            lantern.Burnt = MathF.Min(1, lantern.Burnt + ((float)time.TotalHours / 8));
        // Once a frame, in a game that has frames: automatic saves are made here.
        Session.Tick();
    }
}

/// <summary>A clock that goes as the story does.</summary>
public sealed class MarshTime : TimeProvider
{
    private long _ticks;

    public override long TimestampFrequency => TimeSpan.TicksPerSecond;

    public override long GetTimestamp() => _ticks;

    public void Pass(TimeSpan time) => _ticks += time.Ticks;
}
