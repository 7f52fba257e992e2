using System.Globalization;
using System.Numerics;
using Lodrik;
using Lodrik.Screens;

namespace Tidewarden.Play;

/// <summary>
/// Plays a night from a file, a command a line, as fast as the machine can: for tests, and for whoever wants to see the game without
/// playing it. The commands are the cases of <see cref="Do"/>.
/// </summary>
public sealed class Script : IDisposable
{
    private readonly MarshTime _clock = new();
    private readonly TextWriter _output;
    private readonly SaveTerms _terms;
    private NightSaves _saves;
    private Night _night;

    public Script(SaveTerms terms, TextWriter output)
    {
        (_terms, _output) = (terms, output);
        (_saves, _night) = Open(terms);
    }

    /// <summary>Plays all lines.</summary>
    /// <returns>Whether everything came out as the script expected.</returns>
    public bool Play(IEnumerable<string> lines)
    {
        var number = 0;
        foreach (var line in lines)
        {
            number++;
            var words = line.Split('#')[0].Split(' ', StringSplitOptions.RemoveEmptyEntries);
            if (words.Length == 0)
                continue;
            try
            {
                Do(words[0], words[1..]);
            }
            catch (Exception problem) when (problem is SaveException or ArgumentException or FormatException or IndexOutOfRangeException or InvalidOperationException)
            {
                _output.WriteLine($"Line {number}, \"{line.Trim()}\": {problem.Message}");
                return false;
            }
        }
        _saves.Store.WaitForBackground();
        foreach (var fact in Facts())
            _output.WriteLine(fact);
        return true;
    }

    public void Dispose() => _saves.Dispose();

    private void Do(string command, string[] rest)
    {
        switch (command)
        {
            case "new":
                _night.Begin();
                break;
            case "continue":
                _night.Session.Continue();
                break;
            case "wait":
                Pass(Number(rest[0]));
                break;
            case "go":
                GoTo(new Vector2(Number(rest[0]), Number(rest[1])));
                break;
            case "row":
                var direction = rest[0] switch
                {
                    "west" => new Vector2(-1, 0),
                    "east" => new Vector2(1, 0),
                    "north" => new Vector2(0, -1),
                    "south" => new Vector2(0, 1),
                    _ => throw new FormatException($"\"{rest[0]}\" is not a direction."),
                };
                var scene = _night.Scene.Name;
                for (var left = Number(rest[1]); left > 0 && _night.Scene.Name == scene; left -= Night.Step)
                {
                    _night.Go(direction);
                    Pass(Night.Step);
                }
                break;
            case "act":
                _night.Act();
                break;
            case "lantern":
                _night.SetOut(tied: rest is ["tied"]);
                break;
            case "save":
                SaveAs(string.Join(' ', rest));
                break;
            case "load":
                _night.Session.Load(SlotName.FromTitle(string.Join(' ', rest)));
                break;
            case "quick":
                _output.WriteLine(_night.Session.QuickSave());
                break;
            case "back":
                _night.Session.QuickLoad();
                break;
            case "again":
                // The program ends, and is started again.
                _night.Session.Quit();
                _saves.Dispose();
                (_saves, _night) = Open(_terms);
                break;
            case "form":
                _saves.Store.Form = Enum.Parse<SaveForm>(rest[0], ignoreCase: true);
                break;
            case "guard":
                _saves.Change(Enum.Parse<Guard>(rest[0], ignoreCase: true)).GetAwaiter().GetResult();
                break;
            case "code":
                _output.WriteLine($"code: {NightCode.Of(_night)}");
                break;
            case "begin":
                NightCode.Begin(_night, string.Join(' ', rest));
                break;
            case "wander":
                new Wanderer(_saves, _night, Pass, _output).Play(int.Parse(rest[0], CultureInfo.InvariantCulture));
                break;
            case "expect":
                var expected = string.Join(' ', rest);
                if (!Facts().Any(fact => fact.Contains(expected, StringComparison.Ordinal)))
                    throw new InvalidOperationException($"Nothing says so:{Environment.NewLine}{string.Join(Environment.NewLine, Facts())}");
                break;
            default:
                throw new FormatException("There is no such command.");
        }
    }

    /// <summary>Saves as a player does who types a name, and says yes to every question.</summary>
    private void SaveAs(string name)
    {
        var screen = _night.Session.Screen();
        var outcome = screen.Press(ScreenAction.SaveAs, name);
        if (outcome.Kind == ScreenOutcomeKind.Asks)
            outcome = screen.Answer(yes: true);
        _output.WriteLine(outcome.Receipt?.ToString() ?? throw outcome.Problem ?? (Exception)new InvalidOperationException(outcome.Message));
    }

    /// <summary>What there is to be said of the night, each on a line.</summary>
    private List<string> Facts()
    {
        var (scene, warden, season) = (_night.Scene, _night.Warden, _night.Season);
        var tied = scene.Lanterns.Count(one => one.TiedTo is not null);
        return
        [
            $"place: {scene.Name}, day {season.Day}, {season.Tide.ToString().ToLowerInvariant()}",
            FormattableString.Invariant($"warden: {warden.Position.X:0.0}, {warden.Position.Y:0.0}, strength {warden.Stamina:0}, {warden.Oil} l of oil"),
            $"satchel: {string.Join(", ", warden.Satchel.Select(item => item.What))}",
            $"beacons lit: {scene.Beacons.Count(one => one.Lit)} of {scene.Beacons.Count}",
            $"sluices open: {scene.Sluices.Count(one => one.Setting != GateSetting.Shut)} of {scene.Sluices.Count}",
            $"left here: {scene.OilCans.Count} oil cans, {scene.Letters.Count} letters",
            $"lanterns: {scene.Lanterns.Count}, {tied} of them tied to the punt",
            $"season: {season.Tally.LettersDelivered} letters delivered, {season.Tally.OilBurnt} l burnt, drowned {season.Tally.Floods} times",
            $"says: {_night.Message}",
        ];
    }

    private (NightSaves Saves, Night Night) Open(SaveTerms terms)
    {
        Night? night = null;
        var saves = new NightSaves(terms, () => NightSaves.LabelOf(night!), _clock);
        night = new Night(saves);
        return (saves, night);
    }

    private void GoTo(Vector2 to)
    {
        var scene = _night.Scene;
        foreach (var cell in _night.Terrain.Way(scene, _night.Season.Tide, _night.Warden.Position, to))
        {
            for (var tries = 0; tries < 60 && _night.Scene == scene && Vector2.Distance(_night.Warden.Position, cell) > 0.15f; tries++)
            {
                _night.Go(Vector2.Normalize(cell - _night.Warden.Position));
                Pass(Night.Step);
            }
        }
    }

    private void Pass(float seconds)
    {
        for (var left = seconds; left > Night.Step / 2; left -= Night.Step)
        {
            _clock.Pass(TimeSpan.FromSeconds(Night.Step));
            _night.Pass();
            _night.Session.Tick();
        }
    }

    private static float Number(string text) => float.Parse(text, CultureInfo.InvariantCulture);
}
