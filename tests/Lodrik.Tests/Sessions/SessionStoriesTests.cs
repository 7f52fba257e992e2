using System.Globalization;
using System.Numerics;
using CsCheck;
using Lodrik.Scenes;
using Lodrik.Slots;
using Lodrik.Storage;
using Lodrik.Tests.Scenes;

namespace Lodrik.Tests.Sessions;

/// <summary>
/// Random stories of a whole game (travelling, loading, checkpoints, saving and quitting, with everything that can fail) against a model
/// that holds plain values. After every act the session is wholly in the one state that the model says. LODRIK_STORIES tells more of them.
/// </summary>
public sealed class SessionStoriesTests
{
    private enum Act
    {
        Play, Play2, Spawn, Take, Save, SaveBehind, SaveToCurrent, QuickSave, Mark, MarkInSave, Forget,
        StartNew, Load, LoadBehind, LoadTwo, QuickLoad, Travel, TravelAgain, Return, ReturnBehind,
        Build, Build2, Stay, Stale, Fail, FailStanding, Tick, TickOn, Clock, ClockBack, Quit, Leave,
        RadioFails, SettlingFails, ChangeFails, Unsound,
    }

    [Fact]
    public void In_any_story_the_session_is_wholly_in_the_state_that_the_model_says()
    {
        var stories = long.TryParse(Environment.GetEnvironmentVariable("LODRIK_STORIES"), CultureInfo.InvariantCulture, out var many) ? many : 1500;
        Gen.Select(Gen.Bool, Gen.Bool, Gen.Select(Gen.Enum<Act>(), Gen.Int[0, 5]).Array[1, 60]).Sample(
            (isSliced, buildsAtOnce, story) =>
            {
                using var game = new Game(isSliced, buildsAtOnce);
                foreach (var (act, which) in story)
                    game.Do(act, which);
            },
            iter: stories, threads: 2, print: one => $"{one.Item1} {one.Item2} {string.Join(' ', one.Item3.Select(step => $"{step.Item1}({step.Item2})"))}");
    }

    /// <summary>Everything that a save of one moment holds, as plain values.</summary>
    private sealed record World(ScenePlace Place, int Deaths = 0, int Tally = 0, int Radio = 0)
    {
        public int Deaths { get; set; } = Deaths;
        public int Tally { get; set; } = Tally;
        public int Radio { get; set; } = Radio;
        public TimeSpan Played { get; init; }

        /// <summary>The scenes that were visited, as they were when they were left.</summary>
        public Dictionary<string, string> Scenes { get; init; } = [];

        public List<(string Name, bool InSave, World World)> Checkpoints { get; init; } = [];

        public World Copy() => this with { Scenes = new(Scenes), Checkpoints = [.. Checkpoints] };
    }

    /// <summary>What was asked for, and is not done yet.</summary>
    private sealed class Pending
    {
        public required World World { get; init; }
        public required SceneChangeCause Cause { get; init; }
        public bool KeepsClock { get; init; }
        public TimeSpan PlayedBefore { get; set; }
        public Action Settled { get; init; } = () => { };
        public Task<SessionArrival>? Task { get; set; }
        public SceneChange? Change { get; set; }
        public bool IsRestoring { get; set; }
        public bool IsInPlace { get; set; }
    }

    private enum Cure
    {
        None, Travel, Return, Load,
    }

    /// <summary>A clock that a player sets as they like.</summary>
    private sealed class AnyClock : TimeProvider
    {
        private long _stamp = TimeSpan.TicksPerDay;

        public override long TimestampFrequency => TimeSpan.TicksPerSecond;

        public override long GetTimestamp() => _stamp;

        public override DateTimeOffset GetUtcNow() => new(2031, 5, 6, 7, 8, 9, TimeSpan.Zero);

        public void Go(TimeSpan time) => _stamp += time.Ticks;
    }

    private sealed class Game : IDisposable
    {
        private static readonly string[] SceneNames = ["yard", "mill", "shed"];
        private static readonly string[] SlotNames = ["a", "b", "c"];
        private static readonly string Authored = Yard.Author().Print();

        private readonly bool _buildsAtOnce;
        private readonly bool _isSliced;
        private readonly AnyClock _clock = new();
        private readonly SaveStore<RunSave> _store;
        private readonly GameSession<RunSave, Yard> _session;
        private readonly List<(SceneChangeCause Cause, string Scene)> _told = [];
        private readonly Dictionary<string, (World World, Guid Playthrough)> _slots = [];
        private readonly List<(World World, Guid Playthrough)> _quick = [];
        private readonly List<SceneChange> _stale = [];
        private Weather _radio = new();
        private Yard _yard = new();
        private bool _radioFails;
        private bool _isRadioArmed;
        private bool _settlingFails;
        private bool _changeFails;

        // The model.
        private World? _world;
        private bool _stands;
        private Cure _cure;
        private bool _wasTaken = true;
        private Pending? _pending;
        private TimeSpan _played;
        private string _print = "";
        private string? _current;
        private Guid _playthrough;
        private int _arrivals;

        public Game(bool isSliced, bool buildsAtOnce)
        {
            (_isSliced, _buildsAtOnce) = (isSliced, buildsAtOnce);
            _store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Clock = _clock, KeepQuick = 100 });
            _session = new GameSession<RunSave, Yard>(
                _store,
                Yard.Bindings(settled: (_, _) =>
                {
                    if (_settlingFails)
                        throw new InvalidOperationException("creak");
                }),
                new SessionOptions<RunSave>
                {
                    Start = new ScenePlace("yard", "gate"),
                    Scenes = SceneNames,
                    Clock = _clock,
                    Autosave = AutosavePolicy.Never,
                    RestoreBudget = isSliced ? TimeSpan.Zero : null,
                    Survives = [RunSave.Sections.Tally],
                    ChangeScene = ChangeScene,
                });
            _session.Register("radio", () => new Weather { Wind = _radio.Wind }, state =>
            {
                _radio = new Weather { Wind = state.Wind };
                if (!_radioFails)
                    return;
                _radioFails = false;
                throw new InvalidOperationException("static");
            });
            _session.Arrived += (_, arrival) => _told.Add((arrival.Change.Cause, arrival.Change.Scene));
            _playthrough = _store.Playthrough;
        }

        public void Dispose()
        {
            _session.Dispose();
            _store.Dispose();
        }

        /// <summary>Does one thing, and compares.</summary>
        public void Do(Act act, int which)
        {
            if (_pending is { Change: { } change })
                _stale.Add(change);
            _isRadioArmed = _radioFails;
            switch (act)
            {
                case Act.Play or Act.Play2 when IsReady:
                    _session.State.Runner.Deaths = ++_world!.Deaths;
                    _session.State.Tally["letters"] = _world.Tally += which;
                    _radio.Wind = _world.Radio = which + (10 * _world.Radio % 1000);
                    _yard.Barrel("b1").At += new Vector2(which, 1);
                    _print = _yard.Print();
                    break;
                case Act.Spawn when IsReady:
                    _yard.Spawn($"song {which}");
                    _print = _yard.Print();
                    break;
                case Act.Take when IsReady:
                    _yard.Barrels.RemoveAll(barrel => barrel.Name == (which % 2 == 0 ? "b2" : "b3"));
                    _yard.Sparrows.RemoveAll(sparrow => sparrow.Number % 3 == which % 3);
                    _print = _yard.Print();
                    break;
                case Act.Save or Act.SaveBehind:
                    Save(SlotNames[which % 3], act == Act.SaveBehind);
                    break;
                case Act.SaveToCurrent:
                    SaveToCurrent();
                    break;
                case Act.QuickSave:
                    if (Allowed(IsReady, () => _session.QuickSave()))
                        _quick.Add((Saved(), _playthrough));
                    break;
                case Act.Mark or Act.MarkInSave:
                    Mark($"m{which % 2}", act == Act.MarkInSave);
                    break;
                case Act.Forget:
                    var checkpoints = (_pending?.World ?? _world)?.Checkpoints;
                    Assert.Equal(checkpoints?.RemoveAll(one => one.Name == $"m{which % 2}") > 0, _session.DeleteCheckpoint($"m{which % 2}"));
                    break;
                case Act.StartNew:
                    Ask(() => new Pending
                    {
                        World = new World(new ScenePlace("yard", "gate")),
                        Cause = SceneChangeCause.NewGame,
                        Settled = () =>
                        {
                            _current = null;
                            Assert.NotEqual(_playthrough, _store.Playthrough);
                            _playthrough = _store.Playthrough;
                        },
                    }, _session.StartNewAsync, _session.StartNew, which);
                    break;
                case Act.Load or Act.LoadBehind:
                    Load(SlotNames[which % 3], act == Act.LoadBehind, which);
                    break;
                case Act.LoadTwo:
                    LoadTwo(SlotNames[which % 3], SlotNames[(which + 1) % 3]);
                    break;
                case Act.QuickLoad:
                    QuickLoad(which);
                    break;
                case Act.Travel or Act.TravelAgain:
                    Travel(SceneNames[which % 3], which);
                    break;
                case Act.Return or Act.ReturnBehind:
                    Return(which);
                    break;
                case Act.Build or Act.Build2 when _pending is { Change: { } asked, IsRestoring: false }:
                    Arrive(asked);
                    break;
                case Act.Stay when _pending is { Change: { } asked, IsRestoring: false }:
                    Stay(asked);
                    break;
                case Act.Stale:
                    foreach (var old in _stale.Where(old => old != _pending?.Change))
                    {
                        Assert.False(_session.Arrive(old, Yard.Author()));
                        Assert.False(_session.Stay(old));
                        Assert.False(_session.Fail(old, new FileNotFoundException()));
                    }
                    break;
                case Act.Fail or Act.FailStanding when _pending is { Change: { } asked, IsRestoring: false }:
                    // The yards of this game are never torn down.
                    _stands = act == Act.FailStanding && _world is not null && _cure == Cure.None;
                    Assert.True(_session.Fail(asked, new FileNotFoundException("no such level"), _stands));
                    TakeBack();
                    break;
                case Act.Tick:
                    _session.Tick();
                    FollowRestoring();
                    break;
                case Act.TickOn:
                    FinishRestoring();
                    break;
                case Act.Clock:
                    _clock.Go(TimeSpan.FromMinutes(which));
                    if (_world is not null || _pending is { KeepsClock: false })
                        _played += TimeSpan.FromMinutes(which);
                    break;
                case Act.ClockBack:
                    _clock.Go(-TimeSpan.FromHours(which));
                    break;
                case Act.Quit:
                    Assert.Null(_session.Quit().Receipt);
                    Leave();
                    break;
                case Act.Leave:
                    _session.Dispose();
                    Leave();
                    break;
                case Act.RadioFails:
                    _radioFails = true;
                    break;
                case Act.SettlingFails:
                    _settlingFails = true;
                    break;
                case Act.ChangeFails:
                    _changeFails = true;
                    break;
                case Act.Unsound when IsReady:
                    LoadFromUnsound(SlotNames[which % 3]);
                    break;
            }
            Compare();
        }

        private bool IsReady => _world is not null && _stands && _cure == Cure.None && _pending is null;

        private void Compare()
        {
            Assert.Equal(IsReady, _session.IsReady);
            Assert.Equal(_current, _store.CurrentSlot?.ToString());
            Assert.Equal(_playthrough, _store.Playthrough);
            Assert.Equal(_arrivals, _told.Count);
            if ((_pending?.World ?? _world) is not { } world)
            {
                Assert.Throws<SessionException>(() => _session.State);
                return;
            }
            Assert.Equal((world.Deaths, world.Tally), (_session.State.Runner.Deaths, _session.State.Tally.GetValueOrDefault("letters")));
            Assert.Equal(world.Place, _session.Place);
            Assert.Equal(world.Radio, _radio.Wind);
            Assert.Equal(_played, _session.Clock.Played);
            Assert.Equal(world.Checkpoints.Select(one => (one.Name, one.InSave, one.World.Place)), _session.Checkpoints.Select(one => (one.Name, one.IsInSave, one.Place)));
            if (IsReady)
            {
                Assert.Same(_yard, _session.Scene.Scene);
                Assert.Equal(_print, _yard.Print());
                Assert.Equal(_yard.Sparrows.Count, _yard.Sparrows.Select(sparrow => sparrow.Number).Distinct().Count());
            }
            Assert.False(_pending?.Task?.IsCompleted ?? false);
        }

        /// <summary>What a save of this moment holds.</summary>
        private World Saved()
        {
            Capture();
            var saved = _world!.Copy() with { Played = _played };
            saved.Checkpoints.RemoveAll(one => !one.InSave);
            return saved;
        }

        private void Capture()
        {
            _world!.Scenes[_world.Place.Scene] = _print;
            _wasTaken = true;
        }

        private static bool Allowed(bool isAllowed, Action act)
        {
            if (!isAllowed)
                Assert.ThrowsAny<SaveException>(act);
            else
                act();
            return isAllowed;
        }

        private void Save(string slot, bool behind)
        {
            var isTaken = _slots.TryGetValue(slot, out var there) && there.Playthrough != _playthrough && slot != _current;
            if (IsReady && isTaken)
            {
                Assert.Throws<SlotTakenException>(() => _session.Save(slot));
                Capture();
                return;
            }
            if (!Allowed(IsReady, () =>
            {
                if (behind)
                    _session.SaveAsync(slot).GetAwaiter().GetResult();
                else
                    _session.Save(slot);
            }))
                return;
            _slots[slot] = (Saved(), _playthrough);
            _current = slot;
        }

        private void SaveToCurrent()
        {
            if (!Allowed(IsReady && _current is not null, () => _session.SaveToCurrent()))
            {
                if (IsReady)
                    Capture();
                return;
            }
            _slots[_current!] = (Saved(), _playthrough);
        }

        private void Mark(string name, bool inSave)
        {
            if (!Allowed(IsReady, () => _session.Mark(name, inSave)))
                return;
            var marked = Saved();
            _world!.Checkpoints.RemoveAll(one => one.Name == name);
            _world.Checkpoints.Add((name, inSave, marked));
        }

        private void Load(string slot, bool behind, int which)
        {
            if (!_slots.TryGetValue(slot, out var saved))
            {
                Assert.Throws<SlotException>(() => _session.Load(slot));
                var loading = _session.LoadAsync(slot);
                Assert.Throws<SessionException>(() => _session.State);
                FinishLoading(loading);
                Assert.IsType<SlotException>(loading.Exception!.InnerException);
                return;
            }
            if (behind)
                LoadBehind(saved, slot, null);
            else
                Ask(() => Loading(saved, slot), null, () => _session.Load(slot), which);
        }

        private void LoadTwo(string first, string second)
        {
            if (!_slots.ContainsKey(first) || !_slots.TryGetValue(second, out var saved))
                return;
            FinishRestoring();
            var superseded = _session.LoadAsync(first);
            LoadBehind(saved, second, superseded);
        }

        private void QuickLoad(int which)
        {
            var newest = _quick.FindLast(one => one.Playthrough == _playthrough);
            if (newest.World is null)
                Assert.Throws<SlotException>(() => _session.QuickLoad());
            else
                Ask(() => Loading(newest, null), null, () => _session.QuickLoad(), which);
        }

        /// <summary>A load in the background, which comes to an end in a tick.</summary>
        private void LoadBehind((World World, Guid Playthrough) saved, string slot, Task? superseded)
        {
            FinishRestoring();
            var task = _session.LoadAsync(slot);
            Assert.True(superseded?.IsCanceled ?? true);
            Assert.Throws<SessionException>(() => _session.State);
            Assert.Throws<SessionException>(() => _session.Save("a"));
            Ask(() => Loading(saved, slot), () => task, () => { }, 0, () => FinishLoading(task));
        }

        private void FinishLoading(Task loading)
        {
            var asked = _asks;
            while (!loading.IsCompleted && asked == _asks)
            {
                _session.Tick();
                FollowRestoring();
                Thread.Yield();
            }
        }

        private Pending Loading((World World, Guid Playthrough) saved, string? slot) => new()
        {
            World = saved.World.Copy(),
            Cause = SceneChangeCause.Load,
            Settled = () =>
            {
                // The ring of quick saves is no slot to go on saving to.
                _current = slot ?? (saved.Playthrough == _playthrough ? _current : null);
                _playthrough = saved.Playthrough;
            },
        };

        private void Travel(string scene, int which)
        {
            var isPossible = _world is not null && (_pending is null ? _cure <= Cure.Travel : _pending.Cause == SceneChangeCause.Travel);
            if (!isPossible)
            {
                Assert.Throws<SessionException>(() => _session.Travel(new ScenePlace(scene)));
                return;
            }
            Ask(() =>
            {
                if (IsReady)
                    Capture();
                return new Pending
                {
                    World = _world! with { Place = new ScenePlace(scene, $"door {which}") },
                    Cause = SceneChangeCause.Travel,
                    KeepsClock = true,
                };
            }, () => _session.TravelAsync(new ScenePlace(scene, $"door {which}")), () => _session.Travel(new ScenePlace(scene, $"door {which}")), which);
        }

        private void Return(int which)
        {
            var isPossible = _world is not null && (_pending is null ? _cure <= Cure.Return : _pending.Cause == SceneChangeCause.Travel);
            var name = which < 4 ? $"m{which % 2}" : null;
            var marked = (_world?.Checkpoints ?? []).FindLast(one => name is null || one.Name == name).World;
            if (!isPossible || marked is null)
            {
                Assert.Throws<SessionException>(() => _session.Return(name));
                return;
            }
            Ask(() => new Pending
            {
                World = marked.Copy() with { Tally = _world!.Tally, Checkpoints = _world.Checkpoints },
                Cause = SceneChangeCause.Checkpoint,
                KeepsClock = true,
                IsInPlace = IsReady && marked.Place.Scene == _world.Place.Scene,
            }, () => _session.ReturnAsync(name), () => _session.Return(name), which);
        }

        private int _asks;
        private SceneChange? _askedFor;
        private Exception? _buildFailed;

        private void ChangeScene(SceneChange change)
        {
            (_askedFor, _asks) = (change, _asks + 1);
            if (_changeFails)
            {
                _changeFails = false;
                throw new FileNotFoundException("no such level");
            }
            if (!_buildsAtOnce)
                return;
            try
            {
                _session.Arrive(change, _built = Yard.Author());
            }
            catch (SceneException problem)
            {
                _buildFailed = problem;
            }
        }

        private Yard _built = new();

        /// <summary>Asks the session for a change that is possible, and works out what has to become of it.</summary>
        private void Ask(Func<Pending> prepare, Func<Task<SessionArrival>>? begin, Action beginNow, int which, Action? finish = null, bool isUnsound = false)
        {
            var next = prepare();
            var radioFails = _isRadioArmed && next.Cause != SceneChangeCause.Travel;
            _isRadioArmed &= !radioFails;
            // What was under way is given up: of what it led to nothing is left.
            var superseded = _pending;
            if (superseded is { KeepsClock: false })
                _played = superseded.PlayedBefore;
            var isWhole = _world is not null && _stands && _cure == Cure.None;
            // Before a load the scene is captured as it is, for the case that it fails.
            if (isWhole && next is { IsInPlace: false, Cause: not SceneChangeCause.Travel } && !isUnsound)
                Capture();
            if (!next.KeepsClock)
                (next.PlayedBefore, _played) = (_played, next.World.Played);
            var changeFails = _changeFails && !radioFails && !next.IsInPlace;
            _askedFor = null;
            _buildFailed = null;
            Exception? thrown = null;
            if (finish is not null)
            {
                next.Task = begin!();
                finish();
            }
            else if (begin is not null && (which % 2 == 0 || (_isSliced && next.Cause == SceneChangeCause.Travel)))
            {
                next.Task = begin();
            }
            else
            {
                thrown = Record.Exception(beginNow);
                if (next.Cause != SceneChangeCause.Travel && thrown is null)
                    next.Task = _session.LoadTask;
            }
            Assert.True(superseded?.Task?.IsCanceled ?? true);
            _pending = next;
            if (radioFails || changeFails)
            {
                Assert.IsType<SessionException>(thrown ?? next.Task!.Exception!.InnerException);
                Assert.Equal(radioFails, _askedFor is null);
                TakeBack();
                return;
            }
            if (next.IsInPlace)
            {
                Assert.Null(_askedFor);
                BeginRestoring(thrown ?? Failed(next.Task), isThere: true);
                return;
            }
            next.Change = _askedFor!;
            Assert.Equal(isWhole && _world!.Place.Scene == next.World.Place.Scene, next.Change.CanStay);
            Assert.Equal((next.Cause, next.World.Place), (next.Change.Cause, new ScenePlace(next.Change.Scene, next.Change.Entrance)));
            if (_buildsAtOnce)
                Arrived(_buildFailed);
            else
                _stands = false;
        }

        private static Exception? Failed(Task? task) => task?.Exception?.InnerException;

        private void Arrive(SceneChange change)
        {
            _built = Yard.Author();
            Exception? failed = null;
            try
            {
                Assert.True(_session.Arrive(change, _built));
            }
            catch (SceneException problem)
            {
                failed = problem;
            }
            Arrived(failed);
        }

        private void Arrived(Exception? failed)
        {
            _stands = false;
            BeginRestoring(failed, _pending!.World.Scenes.ContainsKey(_pending.World.Place.Scene));
        }

        private void Stay(SceneChange change)
        {
            if (!change.CanStay)
            {
                Assert.Throws<SessionException>(() => _session.Stay(change));
                return;
            }
            _built = _yard;
            _pending!.IsInPlace = true;
            _stands = true;
            BeginRestoring(Record.Exception(() => Assert.True(_session.Stay(change))), isThere: true);
        }

        /// <summary>The scene is there, and is put back now or in the ticks that follow.</summary>
        private void BeginRestoring(Exception? failed, bool isThere)
        {
            var pending = _pending!;
            if (pending.IsInPlace)
                _built = _yard;
            if (_isSliced && isThere)
            {
                Assert.Null(failed);
                pending.IsRestoring = true;
                return;
            }
            if (isThere && _settlingFails)
            {
                Assert.IsType<SceneException>(failed);
                TakeBack();
                return;
            }
            Assert.Null(failed);
            Settle();
        }

        private void FinishRestoring()
        {
            while (_pending is { IsRestoring: true })
            {
                _session.Tick();
                FollowRestoring();
            }
        }

        /// <summary>Whether a restoration is done is for the session to say; what came of it is not.</summary>
        private void FollowRestoring()
        {
            if (_pending is not { IsRestoring: true } pending)
                return;
            if (_told.Count > _arrivals)
                Settle();
            else if (pending.Task!.IsFaulted)
            {
                Assert.True(_settlingFails);
                TakeBack();
            }
        }

        private void Settle()
        {
            var pending = _pending!;
            Assert.Equal(_arrivals + 1, _told.Count);
            Assert.Equal((pending.Cause, pending.World.Place.Scene), _told[^1]);
            Assert.True(pending.Task?.IsCompletedSuccessfully ?? true);
            _arrivals++;
            (_world, _pending, _yard) = (pending.World, null, _built);
            (_stands, _cure, _wasTaken) = (true, Cure.None, true);
            pending.Settled();
            _settlingFails = false;
            _print = _world.Scenes.GetValueOrDefault(_world.Place.Scene, Authored);
        }

        /// <summary>It failed: the game before is played on, once its scene stands again and all parts have what they had.</summary>
        private void TakeBack()
        {
            var pending = _pending!;
            Assert.True(pending.Task?.IsFaulted ?? true);
            _pending = null;
            _settlingFails = false;
            if (!pending.KeepsClock)
                _played = pending.PlayedBefore;
            // It is given its state twice: the second time it goes back, and that is the time that must not fail.
            var isPartLost = _isRadioArmed && pending.Cause != SceneChangeCause.Travel;
            _isRadioArmed &= !isPartLost;
            if (_world is null)
                return;
            var cure = isPartLost ? Cure.Load : _stands ? Cure.None : _wasTaken ? Cure.Travel : Cure.Return;
            _cure = cure > _cure ? cure : _cure;
        }

        /// <summary>A load out of a scene that cannot be captured: where it fails, only a checkpoint or another load gets the game out of that.</summary>
        private void LoadFromUnsound(string slot)
        {
            if (!_slots.TryGetValue(slot, out var saved))
                return;
            _yard.Barrels.Add(new Barrel("b1"));
            Assert.ThrowsAny<SaveException>(() => _session.Save("c", overwrite: Overwrite.Allowed));
            Assert.ThrowsAny<SaveException>(() => _session.Travel(new ScenePlace("shed")));
            _wasTaken = false;
            var yard = _yard;
            Ask(() => Loading(saved, slot), null, () =>
            {
                try
                {
                    _session.Load(slot);
                }
                finally
                {
                    yard.Barrels.RemoveAt(yard.Barrels.Count - 1);
                }
            }, 1, isUnsound: true);
        }

        private void Leave()
        {
            Assert.True(_pending?.Task?.IsCanceled ?? true);
            (_world, _pending, _cure, _stands, _wasTaken) = (null, null, Cure.None, false, true);
        }
    }
}
