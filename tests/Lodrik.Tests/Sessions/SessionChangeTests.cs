using System.Numerics;
using Lodrik.Scenes;
using Lodrik.Slots;
using Lodrik.Storage;
using Lodrik.Tests.Scenes;
using Lodrik.Tests.Slots;
using Microsoft.Extensions.Time.Testing;

namespace Lodrik.Tests.Sessions;

/// <summary>A change of a session is prepared whole and taken over in one step; whatever fails, the session is wholly in one state.</summary>
public sealed class SessionChangeTests : IDisposable
{
    private readonly GatedStorage _storage = new();
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2031, 5, 6, 7, 8, 9, TimeSpan.Zero));
    private readonly SaveStore<RunSave> _store;
    private readonly Weather _radio = new();
    private readonly List<SceneChange> _asked = [];
    private readonly List<string> _told = [];
    private Action<SceneChange>? _insteadOfBuilding;
    private Func<Exception?> _radioFails = () => null;
    private Func<Exception?> _settlingFails = () => null;
    private Yard _yard = new();

    public SessionChangeTests() => _store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = _storage, Clock = _clock });

    public void Dispose() => _store.Dispose();

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    private GameSession<RunSave, Yard> Session(TimeSpan? budget = null, AutosavePolicy? autosave = null, Func<RunSave, ScenePlace>? placeOf = null)
    {
        GameSession<RunSave, Yard>? session = null;
        session = new GameSession<RunSave, Yard>(
            _store,
            Yard.Bindings(settled: (_, _) =>
            {
                if (_settlingFails() is { } problem)
                    throw problem;
            }),
            new SessionOptions<RunSave>
            {
                Start = new ScenePlace("yard", "gate"),
                Clock = _clock,
                RestoreBudget = budget,
                PlaceOf = placeOf,
                Autosave = autosave ?? AutosavePolicy.Never,
                ChangeScene = change =>
                {
                    _asked.Add(change);
                    if (_insteadOfBuilding is { } instead)
                        instead(change);
                    else
                        Build(session!, change);
                },
            });
        session.Register("radio", () => new Weather { Wind = _radio.Wind }, state =>
        {
            _radio.Wind = state.Wind;
            if (_radioFails() is { } problem)
                throw problem;
        });
        session.Loaded += (_, arrival) => _told.Add($"loaded {arrival.Change.Scene}");
        session.Arrived += (_, arrival) => _told.Add($"arrived in {arrival.Change.Scene}");
        return session;
    }

    private bool Build(GameSession<RunSave, Yard> session, SceneChange change) => session.Arrive(change, _yard = Yard.Author());

    /// <summary>A save "first" of Wren, radio 1, in the yard; then a game of Rook, radio 2, in the mill, saved as "second" and played on.</summary>
    private GameSession<RunSave, Yard> Played(TimeSpan? budget = null)
    {
        var session = Session(budget);
        session.StartNew();
        TickUntilReady(session);
        session.State.Runner.Name = "Wren";
        _radio.Wind = 1;
        _yard.Spawn("trill");
        session.Save("first");
        session.StartNew();
        TickUntilReady(session);
        session.State.Runner.Name = "Rook";
        session.Travel(new ScenePlace("mill", "door"));
        TickUntilReady(session);
        _clock.Advance(TimeSpan.FromMinutes(7));
        _yard.Spawn("caw");
        session.Save("second");
        _radio.Wind = 2;
        _yard.Barrel("b2").At = new Vector2(8, 8);
        _told.Clear();
        _asked.Clear();
        return session;
    }

    /// <summary>The session is wholly in the second game, as if nothing had happened; and saving it does not touch the first one.</summary>
    private void AssertPlaysOnWithTheSecond(GameSession<RunSave, Yard> session)
    {
        Assert.True(session.IsReady);
        Assert.Equal("Rook", session.State.Runner.Name);
        Assert.Equal(new ScenePlace("mill", "door"), session.Place);
        Assert.Equal(TimeSpan.FromMinutes(7), session.Clock.Played);
        Assert.Equal(2, _radio.Wind);
        Assert.Equal(new Vector2(8, 8), _yard.Barrel("b2").At);
        Assert.Equal("second", _store.CurrentSlot?.ToString());
        Assert.Equal(2, session.SaveToCurrent().Generation);
        Assert.Equal("Wren", _store.Load("first").State.Runner.Name);
        var saved = _store.Load("second").State;
        Assert.Equal(("Rook", 2), (saved.Runner.Name, saved.Session.Get<Weather>("radio")!.Wind));
    }

    private static void TickUntilReady(GameSession<RunSave, Yard> session)
    {
        for (var frame = 0; !session.IsReady && frame < 10_000; frame++)
            session.Tick();
        Assert.True(session.IsReady);
    }

    private static async Task<T> Ticked<T>(GameSession<RunSave, Yard> session, Task<T> task)
    {
        while (!task.IsCompleted)
        {
            session.Tick();
            await Task.Yield();
        }
        return await task;
    }

    [Theory, InlineData(false, false), InlineData(false, true), InlineData(true, false), InlineData(true, true)]
    public async Task A_part_of_the_game_that_throws_when_it_is_given_its_state_leaves_everything_as_it_was(bool asynchronous, bool checkpoint)
    {
        var session = Played();
        if (checkpoint)
        {
            _radio.Wind = 1;
            session.Mark("dry ground");
            _radio.Wind = 2;
        }
        var throws = true;
        _radioFails = () => throws && _radio.Wind == 1 ? new InvalidOperationException("static") : null;
        var problem = asynchronous
            ? await Assert.ThrowsAsync<SessionException>(() => Ticked(session, checkpoint ? session.ReturnAsync() : session.LoadAsync("first", cancellationToken: Cancellation)))
            : Assert.Throws<SessionException>(() =>
            {
                if (checkpoint)
                    session.Return();
                else
                    session.Load("first");
            });
        Assert.Equal(SaveErrorCode.ForeignFailure, problem.Code);
        Assert.StartsWith("The part \"radio\" of the game failed while it was receiving its state: static", problem.Message, StringComparison.Ordinal);
        Assert.Same(problem, (await Assert.ThrowsAsync<SessionException>(() => session.LoadTask)));
        Assert.Empty(_asked);
        Assert.Empty(_told);
        AssertPlaysOnWithTheSecond(session);
        throws = false;
        session.Load("first");
        Assert.Equal(("Wren", 1, "first"), (session.State.Runner.Name, _radio.Wind, _store.CurrentSlot?.ToString()));
    }

    [Theory, InlineData(false), InlineData(true)]
    public async Task A_save_that_does_not_fit_a_part_of_the_game_does_not_become_the_slot_that_is_saved_to(bool asynchronous)
    {
        var session = Played();
        var odd = _store.Load("first").State;
        odd.Session.Put("radio", new LoudWeather { Wind = "loud" });
        _store.Save("odd", odd);
        _store.Load("second");
        var playthrough = _store.Playthrough;
        if (asynchronous)
            await Assert.ThrowsAnyAsync<SaveException>(() => Ticked(session, session.LoadAsync("odd", cancellationToken: Cancellation)));
        else
            Assert.ThrowsAny<SaveException>(() => session.Load("odd"));
        Assert.Equal(playthrough, _store.Playthrough);
        AssertPlaysOnWithTheSecond(session);
    }

    [Theory, InlineData(false, false), InlineData(false, true), InlineData(true, false), InlineData(true, true)]
    public async Task A_scene_that_cannot_be_put_back_takes_the_session_back_to_what_was_played(bool asynchronous, bool sliced)
    {
        var session = Played(sliced ? TimeSpan.Zero : null);
        _settlingFails = () => new InvalidOperationException("creak");
        var loading = asynchronous ? session.LoadAsync("first", cancellationToken: Cancellation) : Began();
        await Assert.ThrowsAsync<SceneException>(() => Ticked(session, loading));
        Assert.Empty(_told);
        Assert.False(session.IsReady);
        Assert.Equal(("Rook", 2, "second"), (session.State.Runner.Name, _radio.Wind, _store.CurrentSlot?.ToString()));
        var problem = Assert.Throws<SessionException>(() => session.Save("second"));
        Assert.Contains("The change to the scene \"yard\" failed: ", problem.Message, StringComparison.Ordinal);
        Assert.Contains("creak. The scene \"mill\" was left.", problem.Message, StringComparison.Ordinal);
        Assert.Contains("Traveling to the session's Place builds the scene again", problem.Message, StringComparison.Ordinal);

        // What was played since the last save is not lost by a load that failed.
        _settlingFails = () => null;
        session.Travel(session.Place);
        TickUntilReady(session);
        AssertPlaysOnWithTheSecond(session);

        Task<SessionArrival> Began()
        {
            try
            {
                session.Load("first");
            }
            catch (SceneException) when (!sliced)
            {
            }
            return session.LoadTask;
        }
    }

    [Fact]
    public void A_scene_that_could_neither_be_captured_nor_kept_is_left_for_a_load_or_a_checkpoint_only()
    {
        var session = Played();
        session.Mark();
        _yard.Barrels.Add(new Barrel("b1"));
        _settlingFails = () => new InvalidOperationException("creak");
        Assert.Throws<SceneException>(() => session.Load("first"));
        _settlingFails = () => null;
        Assert.Contains("could not be captured", Assert.Throws<SessionException>(() => session.Travel(session.Place)).Message, StringComparison.Ordinal);
        Assert.Throws<SessionException>(() => session.Save("second"));
        session.Return();
        Assert.Equal(new Vector2(8, 8), _yard.Barrel("b2").At);
        session.Save("second");
    }

    [Fact]
    public void The_scene_that_is_left_need_not_be_sound_for_a_load()
    {
        var session = Played();
        _yard.Barrels.Add(new Barrel("b1"));
        session.Load("first");
        Assert.Equal("Wren", session.State.Runner.Name);
        Assert.Single(_yard.Sparrows);
    }

    [Theory, InlineData(false), InlineData(true)]
    public async Task A_game_that_cannot_change_scenes_is_played_on_where_it_is(bool load)
    {
        var session = Played();
        _insteadOfBuilding = _ => throw new FileNotFoundException("no such level");
        var problem = Assert.Throws<SessionException>(() =>
        {
            if (load)
                session.Load("first");
            else
                session.Travel(new ScenePlace("yard"));
        });
        Assert.Equal(SaveErrorCode.ForeignFailure, problem.Code);
        Assert.Contains("no such level", problem.Message, StringComparison.Ordinal);
        Assert.IsType<FileNotFoundException>(problem.InnerException);
        await Assert.ThrowsAsync<SessionException>(() => load ? session.LoadAsync("first", cancellationToken: Cancellation) is var loading ? Ticked(session, loading) : null! : session.TravelAsync(new ScenePlace("yard")));
        AssertPlaysOnWithTheSecond(session);
        _insteadOfBuilding = null;
        session.Travel(new ScenePlace("yard"));
        Assert.Equal(["arrived in yard"], _told);
        Assert.Equal("yard", session.Place.Scene);
    }

    [Theory, InlineData(false), InlineData(true)]
    public async Task A_level_that_fails_frames_later_is_a_failed_change(bool stands)
    {
        var session = Played();
        _insteadOfBuilding = _ => { };
        var travelling = session.TravelAsync(new ScenePlace("yard"));
        Assert.False(session.Fail(new SceneProbe(session).Other(_asked), new FileNotFoundException("no such level"), stands));
        Assert.True(session.Fail(_asked[0], new FileNotFoundException("no such level"), stands));
        Assert.False(session.Fail(_asked[0], new FileNotFoundException("no such level"), stands));
        Assert.Contains("no such level", (await Assert.ThrowsAsync<SessionException>(() => travelling)).Message, StringComparison.Ordinal);
        Assert.False(Build(session, _asked[0]));
        _insteadOfBuilding = null;
        if (!stands)
        {
            Assert.Throws<SessionException>(() => session.Save("second"));
            session.Travel(session.Place);
            Assert.False(_asked[^1].CanStay);
            Assert.Equal("caw", Assert.Single(_yard.Sparrows).Song);
            Assert.Equal(new Vector2(8, 8), _yard.Barrel("b2").At);
        }
        Assert.True(session.IsReady);
        session.Save("second");
    }

    /// <summary>A change that the session does not wait for.</summary>
    private sealed class SceneProbe(GameSession<RunSave, Yard> session)
    {
        public SceneChange Other(List<SceneChange> asked)
        {
            Assert.False(session.IsReady);
            var store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
            SceneChange? other = null;
            using var elsewhere = new GameSession<RunSave, Yard>(store, Yard.Bindings(), new SessionOptions<RunSave> { Start = new("yard"), ChangeScene = change => other = change });
            elsewhere.StartNew();
            store.Dispose();
            Assert.DoesNotContain(other, asked);
            return other!;
        }
    }

    [Fact]
    public async Task Each_request_has_a_task_and_an_end_of_its_own()
    {
        var session = Played();
        // In the background the first save, then the second on this thread.
        var first = session.LoadAsync("first", cancellationToken: Cancellation);
        session.Load("second");
        var second = session.LoadTask;
        Assert.NotSame(first, second);
        Assert.Equal(["loaded mill", "arrived in mill"], _told);
        Assert.True(first.IsCanceled);
        Assert.True(second.IsCompletedSuccessfully);
        _store.WaitForBackground();
        for (var frame = 0; frame < 50; frame++)
            session.Tick();
        Assert.Equal(("Rook", "second"), (session.State.Runner.Name, _store.CurrentSlot?.ToString()));

        // Two in the background: the later one counts, whichever is read first.
        first = session.LoadAsync("first", cancellationToken: Cancellation);
        second = session.LoadAsync("second", cancellationToken: Cancellation);
        await Assert.ThrowsAsync<TaskCanceledException>(() => first);
        Assert.Equal("mill", (await Ticked(session, second)).Change.Scene);
        Assert.Equal("second", _store.CurrentSlot?.ToString());

        // A new game while a load is read is a playthrough of its own.
        var playthrough = _store.Playthrough;
        first = session.LoadAsync("first", cancellationToken: Cancellation);
        session.StartNew();
        await Assert.ThrowsAsync<TaskCanceledException>(() => first);
        for (var frame = 0; frame < 50; frame++)
            session.Tick();
        Assert.Equal("", session.State.Runner.Name);
        Assert.NotEqual(playthrough, _store.Playthrough);
        Assert.Null(_store.CurrentSlot);
        Assert.Throws<SlotTakenException>(() => session.Save("first"));
    }

    [Fact]
    public async Task A_load_that_fails_does_not_end_the_travel_that_is_under_way()
    {
        var session = Played();
        _insteadOfBuilding = _ => { };
        var travelling = session.TravelAsync(new ScenePlace("yard"));
        Assert.Throws<SlotException>(() => session.Load("nothing"));
        await Assert.ThrowsAsync<SlotException>(() => Ticked(session, session.LoadAsync("nothing", cancellationToken: Cancellation)));
        Assert.False(travelling.IsCompleted);
        Assert.True(Build(session, _asked[0]));
        Assert.Equal("yard", (await travelling).Change.Scene);
        Assert.Equal("Rook", session.State.Runner.Name);
    }

    [Fact]
    public async Task A_load_that_is_asked_for_when_one_is_done_is_told_of_its_own_arrival()
    {
        var session = Played();
        Task<SessionArrival>? second = null;
        session.Loaded += (_, _) =>
        {
            if (second is not null)
                return;
            _insteadOfBuilding = _ => { };
            second = session.LoadAsync("second", cancellationToken: Cancellation);
        };
        session.Load("first");
        var first = session.LoadTask;
        Assert.Same(first, second);
        Assert.False(second!.IsCompleted);
        while (_asked.Count == 1)
        {
            session.Tick();
            await Task.Yield();
        }
        Assert.False(second.IsCompleted);
        Assert.True(Build(session, _asked[1]));
        Assert.Equal("mill", (await second).Change.Scene);
        Assert.Equal(["loaded yard", "arrived in yard", "loaded mill", "arrived in mill"], _told);
    }

    [Fact]
    public void Arrivals_are_told_in_their_order_also_where_one_is_asked_for_within_another()
    {
        var session = Played();
        var more = new Queue<string>(["second", "first"]);
        session.Loaded += (_, _) =>
        {
            if (more.TryDequeue(out var slot))
                session.Load(slot);
        };
        session.Load("first");
        Assert.Equal(["loaded yard", "arrived in yard", "loaded mill", "arrived in mill", "loaded yard", "arrived in yard"], _told);
        Assert.True(session.LoadTask.IsCompletedSuccessfully);
        Assert.Equal("Wren", session.State.Runner.Name);
    }

    [Fact]
    public async Task A_handler_that_throws_does_not_undo_the_arrival()
    {
        var session = Played();
        session.Loaded += (_, _) => throw new InvalidOperationException("handler");
        Assert.Equal("handler", Assert.Throws<InvalidOperationException>(() => session.Load("first")).Message);
        Assert.True(session.LoadTask.IsCompletedSuccessfully);
        Assert.Equal(["loaded yard", "arrived in yard"], _told);
        Assert.Equal(("Wren", "first"), (session.State.Runner.Name, _store.CurrentSlot?.ToString()));
        var loading = session.LoadAsync("second", cancellationToken: Cancellation);
        await Assert.ThrowsAsync<InvalidOperationException>(() => Ticked(session, loading));
        Assert.Equal("mill", (await loading).Change.Scene);
        Assert.True(session.IsReady);
    }

    [Fact]
    public async Task The_scene_that_was_asked_for_last_is_the_one_that_is_travelled_to()
    {
        var session = Played();
        session.Mark("mill");
        _insteadOfBuilding = _ => { };
        var toYard = session.TravelAsync(new ScenePlace("yard"));
        var toShed = session.TravelAsync(new ScenePlace("shed"));
        await Assert.ThrowsAsync<TaskCanceledException>(() => toYard);
        Assert.Equal("shed", session.Place.Scene);
        Assert.False(Build(session, _asked[0]));
        Assert.True(Build(session, _asked[1]));
        Assert.Equal("shed", (await toShed).Change.Scene);
        _insteadOfBuilding = null;
        session.Travel(new ScenePlace("mill"));
        Assert.Equal("caw", Assert.Single(_yard.Sparrows).Song);

        // The flood does not wait until the warden has arrived.
        _insteadOfBuilding = _ => { };
        toShed = session.TravelAsync(new ScenePlace("shed"));
        var returning = session.ReturnAsync("mill");
        await Assert.ThrowsAsync<TaskCanceledException>(() => toShed);
        Assert.True(Build(session, _asked[^1]));
        Assert.Equal(SceneChangeCause.Checkpoint, (await returning).Change.Cause);

        // On the way to a loaded game nothing else is asked for but another load.
        session.Load("first");
        Assert.Throws<SessionException>(() => session.Travel(new ScenePlace("shed")));
        Assert.Throws<SessionException>(() => session.Return());
        session.Load("second");
        Assert.True(Build(session, _asked[^1]));
    }

    [Fact]
    public void A_load_that_takes_the_place_of_another_and_fails_goes_back_to_what_was_played_before_both()
    {
        var session = Played();
        _insteadOfBuilding = _ => { };
        session.Load("first");
        session.Load("first");
        Assert.Equal((1, TimeSpan.Zero), (_radio.Wind, session.Clock.Played));
        Assert.True(session.Fail(_asked[^1], new FileNotFoundException("no such level"), sceneRemains: true));
        AssertPlaysOnWithTheSecond(session);
    }

    [Fact]
    public void A_game_may_send_the_player_elsewhere_when_it_is_asked_for_a_scene()
    {
        var session = Played();
        _insteadOfBuilding = change =>
        {
            if (change.Scene == "yard")
                session.Travel(new ScenePlace("shed"));
            else
                Build(session, change);
        };
        var travelling = session.TravelAsync(new ScenePlace("yard"));
        Assert.True(travelling.IsCanceled);
        Assert.Equal("shed", session.Place.Scene);
        Assert.True(session.IsReady);
    }

    [Fact]
    public async Task A_half_restored_scene_that_is_not_needed_any_more_is_put_back_before_anything_else()
    {
        var session = Played(TimeSpan.Zero);
        var mill = _yard;
        var before = mill.Print();
        session.Mark();
        _yard.Barrels.RemoveAt(0);
        _yard.Spawn("trill");
        var (played, radio) = (mill.Print(), _radio.Wind);
        var returning = session.ReturnAsync();
        while (mill.Print() == played)
            session.Tick();
        Assert.False(returning.IsCompleted);
        _insteadOfBuilding = _ => throw new FileNotFoundException("no such level");
        Assert.Throws<SessionException>(() => session.Load("first"));
        await Assert.ThrowsAsync<TaskCanceledException>(() => returning);
        Assert.Equal(played, mill.Print());
        Assert.Equal(radio, _radio.Wind);
        Assert.True(session.IsReady);
        returning = session.ReturnAsync();
        await Ticked(session, returning);
        Assert.Equal(before, mill.Print());
    }

    [Fact]
    public void Callbacks_cannot_ask_for_a_change_or_a_save_in_the_middle_of_one()
    {
        var session = Played();
        var attempts = new List<Action>
        {
            () => session.Load("second"), () => session.StartNew(), () => session.Travel(new ScenePlace("shed")), () => session.Return(),
            () => session.Save("third"), () => session.Mark(), () => session.Tick(), () => session.Print(), () => session.Quit(),
            () => session.Register("more", () => new Weather(), _ => { }), () => session.Arrive(_asked[^1], new Yard()), () => session.Stay(_asked[^1]),
            () => session.Fail(_asked[^1], new InvalidOperationException()),
        };
        session.Mark();
        foreach (var attempt in attempts)
        {
            Exception? refused = null;
            _settlingFails = () => refused ??= Record.Exception(attempt);
            Assert.Throws<SceneException>(() => session.Load("first"));
            Assert.Contains("tried to load, travel or save", Assert.IsType<SessionException>(refused).Message, StringComparison.Ordinal);
            _settlingFails = () => null;
            refused = null;
            _radioFails = () => refused is null ? refused = Record.Exception(attempt) : null;
            Assert.Throws<SessionException>(() => session.Load("first"));
            Assert.Contains("tried to load, travel or save", Assert.IsType<SessionException>(refused).Message, StringComparison.Ordinal);
            _radioFails = () => null;
            session.Travel(session.Place);
        }
        AssertPlaysOnWithTheSecond(session);
    }

    [Fact]
    public void Leaving_in_the_middle_of_a_change_leaves_nothing_behind()
    {
        var session = Played();
        _radioFails = () =>
        {
            session.Dispose();
            return null;
        };
        session.Load("first");
        Assert.True(session.LoadTask.IsCanceled);
        Assert.Empty(_asked);
        Assert.Throws<SessionException>(() => session.State);
        _radioFails = () => null;
        session.Load("second");
        _settlingFails = () =>
        {
            session.Dispose();
            return null;
        };
        session.Load("first");
        Assert.True(session.LoadTask.IsCanceled);
        Assert.False(session.IsReady);
        Assert.True(session.Clock.IsPaused);
        _settlingFails = () => null;
        session.Load("second");
        AssertPlaysOnAs("Rook", session);

        static void AssertPlaysOnAs(string name, GameSession<RunSave, Yard> session) =>
            Assert.Equal((true, name), (session.IsReady, session.State.Runner.Name));
    }

    [Fact]
    public void A_part_that_cannot_be_put_back_is_never_saved_with_the_rest()
    {
        var session = Played();
        _radioFails = () => new InvalidOperationException("static");
        Assert.Throws<SessionException>(() => session.Load("first"));
        Assert.False(session.IsReady);
        Assert.Contains(
            "The part \"radio\" of the game could not be rolled back", Assert.Throws<SessionException>(() => session.Save("second")).Message, StringComparison.Ordinal);
        Assert.Throws<SessionException>(() => session.Travel(new ScenePlace("yard")));
        _radioFails = () => null;
        session.Load("second");
        session.Save("second");
    }

    [Fact]
    public async Task A_part_that_is_registered_late_gets_what_is_played_or_nothing_of_it_is_registered()
    {
        var session = Played();
        var map = new Weather { Wind = 5 };
        session.Register("map", () => map, state => map = state);
        Assert.Equal(0, map.Wind);
        map.Wind = 6;
        session.Save("second");
        _store.WaitForBackground();

        using var late = Session();
        late.Load("second");
        var fails = true;
        Assert.Throws<SessionException>(() => late.Register("map", () => map, state => map = fails ? throw new InvalidOperationException("torn") : state));
        fails = false;
        // While another save is read, the part gets what is played, as that load may fail.
        var loading = late.LoadAsync("nothing", cancellationToken: Cancellation);
        late.Register("map", () => map, state => map = fails ? throw new InvalidOperationException("torn") : state);
        Assert.Equal(6, map.Wind);
        await Assert.ThrowsAsync<SlotException>(() => Ticked(late, loading));
        map.Wind = 7;
        late.Save("second");

        // One that is registered on the way to another game goes back with the others.
        using var way = Session();
        way.Load("second");
        _insteadOfBuilding = _ => { };
        way.Load("first");
        var (chart, given) = (new Weather(), 0);
        way.Register("map", () => chart, state =>
        {
            given++;
            chart = state;
        });
        Assert.Equal((0, 1), (chart.Wind, given));
        way.Fail(_asked[^1], new FileNotFoundException(), sceneRemains: true);
        Assert.Equal((7, 2), (chart.Wind, given));
    }

    [Fact]
    public void What_survives_is_checked_when_the_session_is_made()
    {
        var problem = Assert.Throws<SessionException>(() => Surviving("tally", "runer"));
        Assert.Equal(SaveErrorCode.NoSuchSection, problem.Code);
        Assert.Contains("let the section \"runer\" survive", problem.Message, StringComparison.Ordinal);
        Assert.Contains("Did you mean \"runner\"?", problem.Message, StringComparison.Ordinal);
        Assert.Contains("survives: true", Assert.Throws<SessionException>(() => Surviving("of no similarity")).Message, StringComparison.Ordinal);
        Assert.Contains("cannot survive", Assert.Throws<SessionException>(() => Surviving("session/")).Message, StringComparison.Ordinal);
        Surviving("tally", "runner").Dispose();

        GameSession<RunSave, Yard> Surviving(params string[] names) => new(
            _store, Yard.Bindings(), new SessionOptions<RunSave> { Start = new ScenePlace("yard"), ChangeScene = _ => { }, Survives = names });
    }

    [Fact]
    public void Bindings_that_wait_for_frames_need_a_budget_for_a_frame()
    {
        var bindings = new SceneBindings<Yard>().SettleAfter(1);
        var problem = Assert.Throws<SessionException>(() => new GameSession<RunSave, Yard>(
            _store, bindings, new SessionOptions<RunSave> { Start = new ScenePlace("yard"), ChangeScene = _ => { } }));
        Assert.Contains("Set RestoreBudget", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Code_of_the_game_that_says_where_the_player_is_may_fail()
    {
        var fails = false;
        var session = Session(placeOf: _ => fails ? throw new InvalidOperationException("lost") : new ScenePlace("yard"));
        session.StartNew();
        session.Save("first");
        fails = true;
        Assert.Contains("lost", Assert.Throws<SessionException>(() => session.Load("first")).Message, StringComparison.Ordinal);
        await Assert.ThrowsAsync<SessionException>(() => Ticked(session, session.LoadAsync("first", cancellationToken: Cancellation)));
        Assert.True(session.IsReady);
    }

    [Fact]
    public async Task What_is_kept_of_the_state_follows_it_across_loads()
    {
        var session = Session();
        var runner = session.Follow(save => save.Runner);
        Assert.Throws<SessionException>(() => runner.Value);
        session.StartNew();
        runner.Value.Name = "Wren";
        session.Save("first");
        session.StartNew();
        Assert.Equal("", runner.Value.Name);
        session.Load("first");
        runner.Value.Deaths = 3;
        Assert.Equal(("Wren", 3), (session.State.Runner.Name, session.State.Runner.Deaths));
        session.Mark();
        session.Return();
        Assert.Same(session.State.Runner, runner.Value);
        var loading = session.LoadAsync("first", cancellationToken: Cancellation);
        Assert.Contains("being loaded", Assert.Throws<SessionException>(() => runner.Value).Message, StringComparison.Ordinal);
        await Ticked(session, loading);
        Assert.Equal("Wren", runner.Value.Name);
    }

    [Fact]
    public async Task An_automatic_save_of_the_game_before_that_fails_is_nothing_to_a_new_one()
    {
        var session = Session(autosave: new AutosavePolicy { Interval = TimeSpan.FromMinutes(5), MinimumSpacing = TimeSpan.Zero, OnQuit = false });
        session.StartNew();
        var playthrough = _store.Playthrough;
        _storage.Shut();
        _storage.Failure = _ => new StorageException("The disk is full.");
        _clock.Advance(TimeSpan.FromMinutes(6));
        session.Tick();
        var saving = session.LastAutosave!;
        session.StartNew();
        Assert.NotEqual(playthrough, _store.Playthrough);
        _storage.Open();
        await Assert.ThrowsAsync<StorageException>(() => saving);
        _storage.Failure = _ => null;
        session.Tick();
        _clock.Advance(TimeSpan.FromMinutes(1));
        session.Tick();
        Assert.Same(saving, session.LastAutosave);
        _clock.Advance(TimeSpan.FromMinutes(5));
        session.Tick();
        Assert.NotSame(saving, session.LastAutosave);
        await session.LastAutosave!;
    }

    [Fact]
    public async Task Leaving_while_saves_are_written_waits_for_them_and_ends_the_session_once()
    {
        var session = Played();
        _storage.Shut();
        var saving = session.SaveAsync("second", cancellationToken: Cancellation);
        session.Travel(new ScenePlace("yard"));
        var leaving = session.QuitAsync(Cancellation);
        Assert.True(session.IsReady);
        session.State.Runner.Name = "Robin";
        var leavingAgain = session.QuitAsync(Cancellation);
        _storage.Open();
        await leaving;
        await leavingAgain;
        Assert.Equal(2, (await saving).Generation);
        Assert.False(session.IsReady);
        Assert.Empty((await leaving).FailedSaves);
        Assert.Equal("Rook", _store.Load("second").State.Runner.Name);
    }

    [Theory, InlineData(false, false), InlineData(false, true), InlineData(true, false), InlineData(true, true)]
    public async Task Leaving_on_the_way_to_another_scene_loses_nothing(bool asynchronous, bool isBuilt)
    {
        var session = Session(budget: TimeSpan.Zero, autosave: new AutosavePolicy { Interval = null, OnSceneChange = false });
        session.StartNew();
        _yard.Spawn("trill");
        session.Travel(new ScenePlace("mill"));
        _yard.Spawn("caw");
        session.State.Runner.Name = "Wren";
        _radio.Wind = 4;
        _insteadOfBuilding = _ => { };
        session.Travel(new ScenePlace("yard", "gate"));
        if (isBuilt)
        {
            Build(session, _asked[^1]);
            session.Tick();
            Assert.False(session.IsReady);
        }
        Assert.NotNull((asynchronous ? await session.QuitAsync(Cancellation) : session.Quit()).Receipt);

        _insteadOfBuilding = null;
        session.Continue();
        TickUntilReady(session);
        Assert.Equal(("Wren", 4, new ScenePlace("yard", "gate")), (session.State.Runner.Name, _radio.Wind, session.Place));
        Assert.Equal("trill", Assert.Single(_yard.Sparrows).Song);
        session.Travel(new ScenePlace("mill"));
        TickUntilReady(session);
        Assert.Equal("caw", Assert.Single(_yard.Sparrows).Song);

        // On the way to a game that is being loaded there is nothing to save.
        _insteadOfBuilding = _ => { };
        session.Continue();
        Assert.Null(session.Quit().Receipt);
    }

    [Fact]
    public async Task A_load_that_is_cancelled_before_it_begins_does_not_end_the_one_before()
    {
        var session = Played();
        var first = session.LoadAsync("first", cancellationToken: Cancellation);
        using var cancelled = new CancellationTokenSource();
        await cancelled.CancelAsync();
        await Assert.ThrowsAsync<TaskCanceledException>(() => session.LoadAsync("second", cancellationToken: cancelled.Token));
        Assert.Equal("yard", (await Ticked(session, first)).Change.Scene);
        Assert.Equal("Wren", session.State.Runner.Name);
    }

    [Fact]
    public void Half_a_character_pair_is_refused_in_every_name()
    {
        var session = Played();
        var otter = char.ConvertFromUtf32(0x1F9A6);
        foreach (var name in new[] { otter[..1], otter[1..], $"an {otter[..1]} and more" })
        {
            Assert.Throws<ArgumentException>(() => session.Mark(name));
            Assert.Throws<SessionException>(() => session.Register(name, () => new Weather(), _ => { }));
            Assert.Throws<ArgumentException>(() => session.Travel(new ScenePlace(name)));
            Assert.Throws<ArgumentException>(() => session.Travel(new ScenePlace("yard", name)));
        }
        AssertPlaysOnWithTheSecond(session);
    }
}

[StateType]
public sealed partial class LoudWeather
{
    public string Wind { get; set; } = "";
}
