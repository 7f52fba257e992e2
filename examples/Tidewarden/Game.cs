using System.Numerics;
using Lodrik;

namespace Tidewarden;

/// <summary>The running game: the warden, the season, and the scenes that have been entered.</summary>
public sealed class Game
{
    private static readonly SceneBindings<Scene> Bindings = MarshBindings.Create();

    private readonly Dictionary<string, (Scene Scene, LiveScene<Scene> Live)> _entered = [];

    public Game() => Enter(Warden.Scene);

    public Warden Warden { get; private set; } = new();

    public Season Season { get; private set; } = new();

    public Dictionary<string, Errand> Errands { get; private set; } = new()
    {
        ["lights"] = new Errand { Title = "Light every beacon of the marsh" },
    };

    /// <summary>The scene that the warden is in.</summary>
    public Scene Scene => _entered[Warden.Scene].Scene;

    /// <summary>Goes to another scene, which stays as it was left.</summary>
    public void Travel(string scene, Vector2 at)
    {
        Enter(scene);
        Warden.Scene = scene;
        Warden.Position = at;
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
        Warden.Satchel.Add(new Item { Name = $"{Warden.Scene} {name}" });
        Errands.TryAdd(name, new Errand { Title = $"Deliver {name} of the {Warden.Scene}" });
    }

    public void DeliverLetters()
    {
        Season.LettersDelivered += Warden.Satchel.RemoveAll(item => item.Name.Contains("letter", StringComparison.Ordinal));
        foreach (var errand in Errands.Where(errand => errand.Key.StartsWith("letter", StringComparison.Ordinal)))
            errand.Value.Done = true;
    }

    public void Light(string name)
    {
        var beacon = Scene.Beacons.Single(beacon => beacon.Name == name);
        Walk(beacon.At);
        beacon.Oil += 1;
        Warden.Oil -= 1;
        beacon.Lit = true;
        Errands["lights"].Steps++;
    }

    public void Turn(string sluice, GateSetting setting)
    {
        var gate = Scene.Sluices.Single(gate => gate.Name == sluice);
        Walk(gate.At);
        gate.Setting = setting;
    }

    /// <summary>Sets a drift lantern out on the water, or tied to the punt.</summary>
    public void SetOut(Vector2 at, string color, bool tied = false)
    {
        Scene.Lanterns.Add(new DriftLantern(Scene.Numbers.Next())
        {
            At = at,
            Color = color,
            TiedTo = tied ? Scene.Punts[0] : null,
        });
        Pass(TimeSpan.FromMinutes(1));
    }

    public void Startle(string heron, Vector2 to)
    {
        var bird = Scene.Herons.Single(bird => bird.Name == heron);
        bird.Alert = true;
        bird.At = to;
    }

    /// <summary>What a save of this moment holds.</summary>
    public TidewardenSave ToSave()
    {
        var save = new TidewardenSave { Warden = Warden, Season = Season, Errands = Errands };
        foreach (var (name, entered) in _entered)
            entered.Live.CaptureTo(save.Scenes, name);
        return save;
    }

    /// <summary>Goes on from a save: into the scenes as they are, or into fresh ones that the save was never in.</summary>
    public IReadOnlyList<RestoreReport> GoOnFrom(TidewardenSave save)
    {
        var reports = new List<RestoreReport>();
        foreach (var name in save.Scenes.Names)
        {
            Enter(name);
            reports.Add(_entered[name].Live.RestoreFrom(save.Scenes, name)!);
        }
        foreach (var name in _entered.Keys.Except(save.Scenes.Names).ToList())
            _entered.Remove(name);
        (Warden, Season, Errands) = (save.Warden, save.Season, save.Errands);
        Enter(Warden.Scene);
        return reports;
    }

    /// <summary>What the slot list shows of a save of this moment.</summary>
    public SaveLabel Label(string title) => new()
    {
        Title = title,
        Played = Season.Played,
        Summary =
        [
            new("place", Warden.Scene),
            new("day", Season.Day),
            new("beacons lit", _entered.Values.Sum(entered => entered.Scene.Beacons.Count(beacon => beacon.Lit))),
        ],
    };

    private void Enter(string scene)
    {
        if (_entered.ContainsKey(scene))
            return;
        var authored = Scene.Author(scene);
        _entered.Add(scene, (authored, Bindings.Begin(authored)));
    }

    private void Pass(TimeSpan time)
    {
        Season.Played += time;
        Season.SinceTurn += time;
        while (Season.SinceTurn >= TimeSpan.FromHours(3))
        {
            Season.SinceTurn -= TimeSpan.FromHours(3);
            Season.Day += Season.Tide == Tide.High ? 1 : 0;
            Season.Tide = (Tide)(((int)Season.Tide + 1) % 4);
        }
        foreach (var lantern in _entered.Values.SelectMany(entered => entered.Scene.Lanterns))
            lantern.Burnt = MathF.Min(1, lantern.Burnt + ((float)time.TotalHours / 8));
    }
}
