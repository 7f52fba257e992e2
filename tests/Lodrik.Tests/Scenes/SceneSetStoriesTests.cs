using System.Globalization;
using System.Numerics;
using CsCheck;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>
/// Random stories of three scenes that are there together and refer to each other, restored together or one by one, against a model of plain
/// values. LODRIK_STORIES tells more of them.
/// </summary>
public sealed class SceneSetStoriesTests
{
    private static readonly string[] SceneNames = ["east", "north", "west"];
    private static readonly string[] Placed = ["a", "b", "c"];

    private enum Act
    {
        Move, Lead, Lead2, LeadNowhere, Take, Spawn, Save, Restore, RestoreOne, RestoreAnew, Throw, Cancel,
    }

    [Fact]
    public void In_any_story_all_scenes_are_as_the_model_says()
    {
        var stories = long.TryParse(Environment.GetEnvironmentVariable("LODRIK_STORIES"), CultureInfo.InvariantCulture, out var many) ? many : 400;
        Gen.Select(Gen.Enum<Act>(), Gen.Int[0, 11], Gen.Int[0, 11], Gen.Enum<SaveForm>()).Array[1, 40].Sample(
            story =>
            {
                var game = new Game();
                foreach (var (act, which, other, form) in story)
                    game.Do(act, which, other, form);
            },
            iter: stories, threads: 2, print: story => string.Join(' ', story.Select(step => $"{step.Item1}({step.Item2},{step.Item3})")));
    }

    /// <summary>What is known of an entity; what it leads to has the name of its scene.</summary>
    private sealed record Known(Vector2 At, string? Leads);

    private sealed class Game
    {
        private readonly SceneBindings<Shoal> _bindings;
        private readonly Dictionary<string, Shoal> _shoals = [];
        private SpawnNumbers _numbers = new();
        private SceneSet<Shoal> _set = null!;
        private Action _fault = () => { };

        // What the game has not been able to show since the scenes were restored.
        private readonly Dictionary<string, string> _lost = [];
        private (byte[] Bytes, Dictionary<string, Known> Entities)? _saved;

        public Game()
        {
            _bindings = Shoal.Bindings(kind => kind.Reference("leads", one => one.Leads, (one, target) =>
            {
                _fault();
                one.Leads = target;
            }));
            Begin();
        }

        public void Do(Act act, int which, int other, SaveForm form)
        {
            var all = SceneNames.SelectMany(scene => _shoals[scene].All).ToList();
            var one = all.Count == 0 ? null : all[which % all.Count];
            switch (act)
            {
                case Act.Move when one is not null:
                    one.At += new Vector2(other, 1);
                    break;
                case Act.Lead or Act.Lead2 when one is not null:
                    one.Leads = all[other % all.Count];
                    break;
                case Act.LeadNowhere when one is not null:
                    one.Leads = null;
                    break;
                case Act.Take when one is not null:
                    _shoals[SceneOf(one)!].All.Remove(one);
                    ForgetWhatIsGone();
                    break;
                case Act.Spawn:
                    _shoals[SceneNames[which % 3]].Spawn().At = new Vector2(other, 7);
                    break;
                case Act.Save:
                    Save(form);
                    break;
                case Act.Restore when _saved is { } saved:
                    _set.RestoreFrom(Scenes(saved.Bytes));
                    _lost.Clear();
                    Compare(Present(saved.Entities));
                    break;
                case Act.RestoreOne when _saved is { } saved:
                    RestoreOne(SceneNames[which % 3], saved.Bytes, saved.Entities);
                    break;
                case Act.RestoreAnew when _saved is { } saved:
                    Begin();
                    _set.RestoreFrom(Scenes(saved.Bytes));
                    _lost.Clear();
                    Compare(Present(saved.Entities));
                    break;
                case Act.Throw or Act.Cancel when _saved is { } saved:
                    Fail(saved.Bytes, act == Act.Cancel, which + (7 * other));
                    break;
            }
        }

        private void Begin()
        {
            (_numbers, _set) = (new SpawnNumbers(), new SceneSet<Shoal>(_bindings));
            _lost.Clear();
            foreach (var scene in SceneNames)
            {
                var shoal = _shoals[scene] = new Shoal { Numbers = _numbers };
                foreach (var name in Placed)
                    shoal.Add(new Float(name));
                _set.Begin(scene, shoal);
            }
        }

        private static SceneArchive Scenes(byte[] bytes) => StateFile.FromBytes<ShoalSave>(bytes).Scenes;

        private string? SceneOf(Float one) => SceneNames.FirstOrDefault(scene => _shoals[scene].All.Contains(one));

        private string? NameOf(Float? one) => one is not null && SceneOf(one) is { } scene ? $"{scene}:{one.Id}" : null;

        /// <summary>The game clears what leads to something that is not there any more, as it has to.</summary>
        private void ForgetWhatIsGone()
        {
            foreach (var one in _shoals.Values.SelectMany(shoal => shoal.All).Where(one => one.Leads is { } target && SceneOf(target) is null))
                one.Leads = null;
        }

        private Dictionary<string, Known> Live() => SceneNames
            .SelectMany(scene => _shoals[scene].All.Select(one => (Name: $"{scene}:{one.Id}", One: one)))
            .ToDictionary(one => one.Name, one => new Known(one.One.At, NameOf(one.One.Leads)));

        private void Save(SaveForm form)
        {
            var save = new ShoalSave();
            _set.CaptureTo(save.Scenes);
            var entities = Live();
            foreach (var (name, known) in entities.ToList())
            {
                if (known.Leads is null && _lost.TryGetValue(name, out var lost))
                    entities[name] = known with { Leads = lost };
                else
                    _lost.Remove(name);
            }
            _saved = (StateFile.ToBytes(save, form), entities);
        }

        /// <summary>What leads to something that is not there leads nowhere, and is kept for a save in which it is.</summary>
        private Dictionary<string, Known> Present(Dictionary<string, Known> entities) => entities.ToDictionary(one => one.Key, one =>
        {
            if (one.Value.Leads is not { } leads || entities.ContainsKey(leads))
                return one.Value;
            _lost[one.Key] = leads;
            return one.Value with { Leads = null };
        });

        private void RestoreOne(string scene, byte[] bytes, Dictionary<string, Known> saved)
        {
            var wanted = Live().Where(one => !one.Key.StartsWith(scene + ":", StringComparison.Ordinal)).ToDictionary();
            foreach (var (name, known) in saved.Where(one => one.Key.StartsWith(scene + ":", StringComparison.Ordinal)))
                wanted[name] = known;
            var before = _shoals[scene].All.ToDictionary(one => one.Id.ToString());
            _set[scene]!.RestoreFrom(Scenes(bytes), scene);
            foreach (var name in _lost.Keys.Where(name => name.StartsWith(scene + ":", StringComparison.Ordinal)).ToList())
                _lost.Remove(name);
            foreach (var (name, known) in wanted.ToList())
            {
                if (known.Leads is not { } leads)
                    continue;
                var isOfScene = name.StartsWith(scene + ":", StringComparison.Ordinal);
                if (isOfScene && !wanted.ContainsKey(leads))
                {
                    _lost[name] = leads;
                    wanted[name] = known with { Leads = null };
                }
                else if (!isOfScene && leads.StartsWith(scene + ":", StringComparison.Ordinal)
                    && !(before.TryGetValue(leads[(scene.Length + 1)..], out var old) && _shoals[scene].All.Contains(old)))
                {
                    // It led to an object that was removed, whatever has its id now.
                    wanted[name] = known with { Leads = null };
                }
            }
            ForgetWhatIsGone();
            Compare(wanted);
        }

        private void Fail(byte[] bytes, bool cancels, int after)
        {
            var before = Print(Live());
            var numbers = _numbers.Upcoming;
            var restoration = _set.BeginRestoreFrom(Scenes(bytes));
            if (cancels)
            {
                for (var step = 0; step < after && !restoration.IsDone; step++)
                    restoration.Step(TimeSpan.Zero);
            }
            else
            {
                _fault = () => _ = after-- == 0 ? throw new InvalidOperationException("a fault") : 0;
                try
                {
                    restoration.Finish();
                }
                catch (SceneException)
                {
                }
                _fault = () => { };
            }
            if (cancels ? restoration.IsDone : after >= 0)
            {
                // The story has fewer steps or callbacks than that: it was restored.
                _lost.Clear();
                Compare(Present(_saved!.Value.Entities));
                return;
            }
            restoration.Cancel();
            Assert.Equal(before, Print(Live()));
            Assert.True(_numbers.Upcoming >= numbers);
        }

        private void Compare(Dictionary<string, Known> wanted) => Assert.Equal(Print(wanted), Print(Live()));

        private static string Print(Dictionary<string, Known> entities) => string.Join(
            '\n', entities.OrderBy(one => one.Key, StringComparer.Ordinal).Select(one => string.Create(CultureInfo.InvariantCulture, $"{one.Key} {one.Value.At} {one.Value.Leads}")));
    }
}
