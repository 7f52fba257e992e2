using System.Numerics;
using Lodrik;

namespace Tidewarden.Play;

/// <summary>A fog bank, which drifts towards the warden while the weather is thick. A part of the game with a section of its own.</summary>
[StateType]
public sealed partial class FogBank
{
    public Vector2 At { get; set; }

    /// <summary>The scene that it is in; empty while there is none.</summary>
    public string Scene { get; set; } = "";
}

/// <summary>
/// The rules of the night, in steps of a thirtieth of a second. It plays on what the session gives, and knows of saving only that a scene
/// may be another one after each step.
/// </summary>
public sealed class Night
{
    /// <summary>The length of a step in seconds.</summary>
    public const float Step = 1 / 30f;

    /// <summary>How fast the time in the marsh passes: a tide in a minute, a night in five.</summary>
    private const float Haste = 3 * 3600 / 60f;

    private const float BurnsFor = 45;
    private const float ReachOfLight = 3;

    private readonly NightSaves _saves;
    private Vector2 _heading;
    private float _strokeLeft;
    private float _burnt;
    private float _landing;

    /// <param name="saves">What is played.</param>
    public Night(NightSaves saves)
    {
        _saves = saves;
        saves.Session.Loaded += (_, arrival) => Message = arrival.Warnings is [var warning, ..] ? warning : "You go on where you were.";
    }

    /// <summary>What has just happened, for the player to read.</summary>
    public string Message { get; private set; } = "";

    public GameSession<TidewardenSave, Scene> Session => _saves.Session;

    public Scene Scene => Session.Scene.Scene;

    public Warden Warden => Session.State.Warden;

    public Season Season => Session.State.Season;

    public Terrain Terrain => Terrain.Of(Scene.Name);

    public FogBank Fog => _saves.Fog;

    /// <summary>How long the season has lasted.</summary>
    public TimeSpan Elapsed => TimeSpan.FromHours((((Season.Day - 1) * 4) + (int)Season.Tide) * 3) + Season.SinceTurn;

    /// <summary>The time of the night, which begins at six in the evening.</summary>
    public string Hour => (TimeSpan.FromHours(18) + Elapsed).ToString("hh\\:mm", System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>How far the fog is; infinity where there is none.</summary>
    public float FogDistance => Fog.Scene == Scene.Name ? Vector2.Distance(Fog.At, Warden.Position) : float.PositiveInfinity;

    /// <summary>Begins a new night.</summary>
    public void Begin()
    {
        Session.StartNew();
        Session.Mark();
        Message = "The tide is falling. Light the beacons before the fog comes in.";
    }

    /// <summary>A stroke of the oar, or a few steps.</summary>
    public void Go(Vector2 direction)
    {
        // A key that is held down must not take one straight back out of a scene.
        if (_landing <= 0)
            (_heading, _strokeLeft) = (direction, 0.4f);
    }

    /// <summary>Lets a step of time pass.</summary>
    public void Pass()
    {
        Move();
        TurnTide();
        BurnOil();
        DriftFog();
        StartleHerons();
        TakeWhatIsHere();
        if (!Terrain.IsWater && Terrain.IsFlooded(Scene, Season.Tide, Warden.Position))
        {
            Warden.Stamina -= 6 * Step;
            Message = "The water is up to your knees.";
        }
        if (Warden.Stamina <= 0)
            Drown();
    }

    /// <summary>Does what there is to be done here: lights a beacon, turns a sluice, or delivers letters.</summary>
    public void Act()
    {
        var at = Warden.Position;
        if (IsAtQuay && HasLetters)
            Deliver();
        else if (Scene.Beacons.Where(one => !one.Lit && IsNear(one.At)).MinBy(one => Vector2.Distance(one.At, at)) is { } beacon)
            Light(beacon);
        else if (Scene.Sluices.Where(one => IsNear(one.At)).MinBy(one => Vector2.Distance(one.At, at)) is { } sluice)
            Turn(sluice);
        else
            Message = "There is nothing to be done here.";
    }

    /// <summary>Sets a drift lantern out on the water, or ties one to the punt.</summary>
    public void SetOut(bool tied)
    {
        if (tied && (!Terrain.IsWater || Scene.Punts.Count == 0))
            Message = "The punt is not here.";
        else if (Warden.Oil == 0)
            Message = "There is no oil left for a lantern.";
        else
        {
            Warden.Oil--;
            Scene.Lanterns.Add(new DriftLantern(Scene.Numbers.Next())
            {
                At = Warden.Position,
                Glass = tied ? Glasses.Amber : Glasses.Green,
                TiedTo = tied ? Scene.Punts[0] : null,
                Guides = Scene.Beacons.MinBy(one => Vector2.Distance(one.At, Warden.Position)),
            });
            Message = tied ? "A lantern swings from the punt." : "A lantern drifts out on the water.";
        }
    }

    private bool IsAtQuay => Scene.Name == Scene.Scenes.Harbour && IsNear(Scene.Entrances["quay"]);

    private bool HasLetters => Warden.Satchel.Exists(IsLetter);

    private static bool IsLetter(Item item) => item.What.StartsWith("letter", StringComparison.Ordinal);

    private bool IsNear(Vector2 at) => Vector2.Distance(at, Warden.Position) <= 1.6f;

    private void Move()
    {
        _landing -= Step;
        if (_strokeLeft <= 0)
            return;
        _strokeLeft -= Step;
        var to = Warden.Position + (_heading * (Step * 2.5f));
        if (Terrain.Exits.FirstOrDefault(exit => exit.IsWest ? to.X < -0.4f : to.X > Scene.Width - 0.6f) is { } exit)
        {
            Travel(exit);
            return;
        }
        // A side that leads elsewhere can be gone up to, and a little further.
        var inside = Vector2.Clamp(to, Vector2.Zero, new Vector2(Scene.Width - 1, Scene.Height - 1));
        if (to.Y != inside.Y || !Terrain.IsOpen(Scene, Season.Tide, inside) && Terrain.IsOpen(Scene, Season.Tide, Warden.Position))
            return;
        var stroke = to - Warden.Position;
        Warden.Position = to;
        if (Terrain.IsWater && Scene.Punts is [var punt, ..])
        {
            punt.At = to;
            foreach (var lantern in Scene.Lanterns.Where(one => one.TiedTo == punt))
                lantern.At += stroke;
        }
    }

    private void Travel(Exit exit)
    {
        (_strokeLeft, _landing) = (0, 0.8f);
        Session.Travel(new ScenePlace(exit.Scene, exit.Entrance));
        Warden.Position = Scene.Entrances[exit.Entrance];
        if (Terrain.IsWater && Scene.Punts is [var punt, ..])
            punt.At = Warden.Position;
        Session.Mark();
        Message = $"You come to the {Scene.Name}.";
    }

    private void TurnTide()
    {
        Season.SinceTurn += TimeSpan.FromSeconds(Step * Haste);
        if (Season.SinceTurn < TimeSpan.FromHours(3))
            return;
        Season.SinceTurn -= TimeSpan.FromHours(3);
        Season.Tide = (Tide)(((int)Season.Tide + 1) % 4);
        Message = Season.Tide switch
        {
            Tide.Low => "Low tide: the flats are bare, and fog is coming in.",
            Tide.Flood => "The tide is rising.",
            Tide.High => "High tide: the flats can be rowed over, the causeways are under water.",
            _ => $"Dawn of day {++Season.Day}: {Session.State.Errands["lights"].Steps} beacons lit, {Season.Tally.LettersDelivered} letters delivered.",
        };
        _saves.Weather.WindKnots = (_saves.Weather.WindKnots + 12) % 42;
        _saves.Weather.Fog = Season.Tide is Tide.Low or Tide.Flood;
        if (_saves.Weather.Fog && Fog.Scene.Length == 0)
            (Fog.Scene, Fog.At) = (Scene.Name, new Vector2(Warden.Position.X < Scene.Width / 2 ? Scene.Width - 1 : 0, Scene.Height - 1));
        if (!_saves.Weather.Fog)
            Fog.Scene = "";
    }

    private void BurnOil()
    {
        foreach (var lantern in Scene.Lanterns)
            lantern.Burnt = MathF.Min(1, lantern.Burnt + (Step / (3 * BurnsFor)));
        _burnt += Step;
        if (_burnt < BurnsFor)
            return;
        _burnt = 0;
        foreach (var beacon in Scene.Beacons.Where(one => one.Lit))
        {
            beacon.Oil--;
            Season.Tally.OilBurnt++;
            if (beacon.Oil > 0)
                continue;
            beacon.Lit = false;
            Message = "A beacon has burnt out.";
        }
    }

    private void DriftFog()
    {
        var distance = FogDistance;
        _saves.HoldAutosaves(distance < 4);
        if (float.IsPositiveInfinity(distance))
        {
            Warden.Stamina = MathF.Min(100, Warden.Stamina + (2 * Step));
            return;
        }
        var isKeptOff = Scene.Beacons.Exists(one => one.Lit && Vector2.Distance(one.At, Warden.Position) < ReachOfLight);
        var direction = distance < 0.1f ? Vector2.Zero : (Warden.Position - Fog.At) / distance;
        Fog.At += direction * (Step * (isKeptOff ? -0.7f : 0.7f));
        if (distance < 1.5f)
        {
            Warden.Stamina -= 12 * Step;
            Message = "The fog is all around you.";
        }
    }

    private void StartleHerons()
    {
        foreach (var heron in Scene.Herons.Where(one => Vector2.Distance(one.At, Warden.Position) is > 0.1f and < 2))
        {
            heron.Wary = true;
            heron.At = Vector2.Clamp(
                heron.At + (Vector2.Normalize(heron.At - Warden.Position) * (Step * 4)), Vector2.Zero, new(Scene.Width - 1, Scene.Height - 1));
        }
    }

    private void TakeWhatIsHere()
    {
        var at = Warden.Position;
        if (Scene.OilCans.Find(one => Vector2.Distance(one.At, at) < 1) is { } can)
        {
            Scene.OilCans.Remove(can);
            Warden.Oil += 2;
            Message = "Two litres of oil.";
        }
        if (Scene.Letters.Find(one => Vector2.Distance(one.At, at) < 1) is { } letter)
        {
            Scene.Letters.Remove(letter);
            Warden.Satchel.Add(new Item { What = letter.Name, From = Scene.Name });
            Session.State.Errands.TryAdd(letter.Name, new Errand { Title = $"Deliver {letter.Name} of the {Scene.Name}" });
            Message = "A letter, to be delivered at the quay of the harbour.";
        }
    }

    private void Light(Beacon beacon)
    {
        if (Warden.Oil == 0)
        {
            Message = "There is no oil left.";
            return;
        }
        Warden.Oil--;
        beacon.Oil++;
        beacon.Lit = true;
        Session.State.Errands["lights"].Steps++;
        Session.Mark();
        Message = $"The beacon is lit: {Scene.Beacons.Count(one => one.Lit)} of {Scene.Beacons.Count}.";
    }

    private void Turn(Sluice sluice)
    {
        sluice.Setting = (GateSetting)(((int)sluice.Setting + 1) % 3);
        Message = $"The sluice is {sluice.Setting.ToString().ToLowerInvariant()}.";
    }

    private void Deliver()
    {
        foreach (var letter in Warden.Satchel.Where(IsLetter))
        {
            Season.Tally.LettersDelivered += letter.Count;
            if (Session.State.Errands.TryGetValue(letter.What, out var errand))
                errand.State = ErrandState.Done;
        }
        Warden.Satchel.RemoveAll(IsLetter);
        Message = $"Letters delivered so far: {Season.Tally.LettersDelivered}.";
    }

    private void Drown()
    {
        Season.Tally.Floods++;
        _strokeLeft = 0;
        Session.Return();
        Warden.Stamina = MathF.Max(Warden.Stamina, 60);
        Fog.Scene = "";
        Message = "The marsh takes you, and you wake where you last felt safe.";
    }
}
