using System.Numerics;
using Lodrik.Scenes;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Formats;
using Lodrik.Tests.Scenes;
using Microsoft.Extensions.Time.Testing;

namespace Lodrik.Tests.Sessions;

public sealed class SessionTests : IDisposable
{
    private readonly MemoryStorage _storage = new();
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2031, 5, 6, 7, 8, 9, TimeSpan.Zero));
    private readonly List<SaveStore<RunSave>> _stores = [];

    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    public void Dispose() => _stores.ForEach(store => store.Dispose());

    /// <summary>A game of two yards and a mill, which builds a scene at once or when it is told.</summary>
    private sealed class Run
    {
        private readonly SceneBindings<Yard> _bindings;

        public Run(SaveStore<RunSave> store, SceneBindings<Yard>? bindings = null, Func<Run, SessionOptions<RunSave>>? options = null, FakeTimeProvider? clock = null)
        {
            Store = store;
            _bindings = bindings ?? Yard.Bindings();
            Session = new GameSession<RunSave, Yard>(store, _bindings, options?.Invoke(this) ?? Options(clock));
        }

        public SaveStore<RunSave> Store { get; }

        public GameSession<RunSave, Yard> Session { get; }

        public List<SceneChange> Asked { get; } = [];

        public bool ArrivesAtOnce { get; set; } = true;

        public Yard Yard { get; private set; } = new();

        public SessionOptions<RunSave> Options(
            TimeProvider? clock = null, AutosavePolicy? autosave = null, TimeSpan? budget = null, IReadOnlyCollection<string>? survives = null,
            IReadOnlyDictionary<string, string>? former = null, string[]? scenes = null, Func<RunSave, ScenePlace>? placeOf = null) => new()
            {
                Start = new ScenePlace("yard", "gate"),
                ChangeScene = Change,
                Scenes = scenes ?? ["yard", "mill"],
                Clock = clock,
                Autosave = autosave ?? AutosavePolicy.Never,
                RestoreBudget = budget,
                Survives = survives ?? [],
                FormerScenes = former ?? new Dictionary<string, string>(),
                PlaceOf = placeOf,
                Label = save => new SaveLabel { Title = $"by {save.Runner.Name}" },
            };

        public void Change(SceneChange change)
        {
            Asked.Add(change);
            if (ArrivesAtOnce)
                Arrive();
        }

        public bool Stays { get; set; }

        public bool Arrive()
        {
            if (Stays && Asked[^1].CanStay)
                return Session.Stay(Asked[^1]);
            Yard = Yard.Author();
            return Session.Arrive(Asked[^1], Yard);
        }
    }

    private SaveStore<RunSave> Store(SaveForm form = SaveForm.Json)
    {
        var store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = _storage, Form = form, Clock = _clock });
        _stores.Add(store);
        return store;
    }

    [Theory, MemberData(nameof(Forms))]
    public async Task State_goes_from_scene_to_scene_and_through_a_save(SaveForm form)
    {
        var run = new Run(Store(form), clock: _clock);
        await run.Session.StartNewAsync();
        run.Session.State.Runner.Name = "Wren";
        run.Yard.Barrels.RemoveAt(0);
        await run.Session.TravelAsync(new ScenePlace("mill", "door"));
        Assert.Equal(3, run.Yard.Barrels.Count);
        Assert.Equal("Wren", run.Session.State.Runner.Name);
        run.Yard.Spawn("trill");
        await run.Session.TravelAsync(new ScenePlace("yard"));
        Assert.Equal(2, run.Yard.Barrels.Count);
        await run.Session.TravelAsync(new ScenePlace("mill", "loft"));
        Assert.Single(run.Yard.Sparrows);
        _clock.Advance(TimeSpan.FromMinutes(3));
        run.Session.Save("evening", overwrite: Overwrite.Allowed);

        var again = new Run(Store(form), clock: _clock);
        again.Session.Load("evening");
        var arrival = await again.Session.LoadTask;
        Assert.Equal(("mill", "loft", SceneChangeCause.Load), (again.Asked[0].Scene, again.Asked[0].Entrance, again.Asked[0].Cause));
        Assert.Equal(1, arrival.Restored!.Plan.Count(RestoreAction.Spawn));
        Assert.Single(again.Yard.Sparrows);
        Assert.Equal("Wren", again.Session.State.Runner.Name);
        Assert.Equal(TimeSpan.FromMinutes(3), again.Session.Clock.Played);
        Assert.Equal((TimeSpan.FromMinutes(3), "by Wren"), (again.Store.List()[0].Header!.Played, again.Store.List()[0].Header!.Title));
        await again.Session.TravelAsync(new ScenePlace("yard"));
        Assert.Equal(2, again.Yard.Barrels.Count);
    }

    /// <summary>What came of loading "evening" on this thread.</summary>
    private static async Task<SessionArrival> Loaded(GameSession<RunSave, Yard> session)
    {
        session.Load("evening");
        return await session.LoadTask;
    }

    [Fact]
    public void Only_the_scenes_that_are_visited_are_decoded()
    {
        var run = new Run(Store());
        run.Session.StartNew();
        run.Session.Travel(new ScenePlace("mill"));
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        run.Session.State.Scenes.Get("yard");
        var again = new Run(Store());
        again.Session.Load("evening");
        // A section that was not decoded is handed on as it is: the same object, save after save.
        var group = (ISectionGroup)again.Session.State.Scenes;
        Assert.IsType<Lodrik.Saves.Forms.NamedSection>(group.IdentityOf("yard"));
        again.Session.Save("evening");
        Assert.IsType<Lodrik.Saves.Forms.NamedSection>(group.IdentityOf("yard"));
    }

    [Fact]
    public async Task Reading_before_a_load_is_done_is_an_error_that_says_what_to_wait_for()
    {
        var run = new Run(Store()) { ArrivesAtOnce = false };
        var session = run.Session;
        Assert.False(session.IsReady);
        Assert.Contains("StartNew, Load or Continue", Assert.Throws<SessionException>(() => session.State).Message, StringComparison.Ordinal);
        Assert.Throws<SessionException>(() => session.Save("evening"));
        var told = new List<string>();
        session.Loaded += (_, arrival) => told.Add($"loaded {arrival.Change.Scene} {session.IsReady}");
        session.Arrived += (_, arrival) => told.Add($"arrived in {arrival.Change.Scene}");
        var loaded = session.LoadTask;
        var starting = session.StartNewAsync();
        Assert.Same(loaded, starting);
        Assert.False(starting.IsCompleted);
        Assert.Equal("", session.State.Runner.Name);
        var problem = Assert.Throws<SessionException>(() => session.Scene);
        Assert.Equal(SaveErrorCode.NotReady, problem.Code);
        Assert.Contains("\"yard\" is not ready yet. Await LoadTask", problem.Message, StringComparison.Ordinal);
        Assert.Throws<SessionException>(() => session.Save("evening"));
        Assert.Throws<SessionException>(() => session.Travel(new ScenePlace("mill")));
        Assert.Empty(told);
        Assert.True(run.Arrive());
        Assert.False(run.Arrive());
        Assert.Equal(["loaded yard True", "arrived in yard"], told);
        Assert.Equal(SceneChangeCause.NewGame, (await starting).Change.Cause);
        Assert.Null((await starting).Restored);
        session.Save("evening", overwrite: Overwrite.Allowed);

        var loading = session.LoadAsync("evening", cancellationToken: TestContext.Current.CancellationToken);
        Assert.NotSame(starting, loading);
        Assert.Contains("being loaded", Assert.Throws<SessionException>(() => session.State).Message, StringComparison.Ordinal);
        while (run.Asked.Count == 1)
        {
            await Task.Yield();
            session.Tick();
        }
        Assert.Equal("", session.State.Runner.Name);
        Assert.False(loading.IsCompleted);
        run.Arrive();
        Assert.Equal(SceneChangeCause.Load, (await loading).Change.Cause);
        Assert.True(session.IsReady);
    }

    [Fact]
    public async Task A_load_that_fails_leaves_what_was_played_before()
    {
        var run = new Run(Store());
        await run.Session.StartNewAsync();
        run.Session.State.Runner.Name = "Wren";
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        Assert.Throws<SlotException>(() => run.Session.Load("evenings"));
        Assert.Throws<SlotException>(() => run.Session.QuickLoad());
        _storage.Write("slots/broken/00000001.json", "{"u8.ToArray(), replace: false);
        Assert.Throws<DamagedSaveException>(() => run.Session.Load("broken"));
        var loading = run.Session.LoadAsync("broken", cancellationToken: TestContext.Current.CancellationToken);
        while (!loading.IsCompleted)
        {
            await Task.Yield();
            run.Session.Tick();
        }
        await Assert.ThrowsAsync<DamagedSaveException>(() => loading);
        Assert.Equal("Wren", run.Session.State.Runner.Name);
        Assert.True(run.Session.IsReady);
        Assert.Single(run.Asked);
        run.Session.Continue();
        await run.Session.LoadTask;
        Assert.Equal(2, run.Asked.Count);
    }

    [Fact]
    public async Task A_scene_that_stands_may_be_kept_and_is_put_back_in_place()
    {
        var run = new Run(Store()) { Stays = true };
        await run.Session.StartNewAsync();
        var yard = run.Yard;
        yard.Spawn("trill");
        yard.Barrels.RemoveAt(0);
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        yard.Spawn("coo");
        yard.Barrels.RemoveAt(0);
        run.Session.Load("evening");
        var arrival = await run.Session.LoadTask;
        Assert.True(arrival.Change.CanStay);
        Assert.Same(yard, run.Yard);
        Assert.Equal((1, 1), (arrival.Restored!.Plan.Count(RestoreAction.BringBack), arrival.Restored.Plan.Count(RestoreAction.Remove)));
        Assert.Equal("trill", Assert.Single(yard.Sparrows).Song);

        // A new game in the same scene needs no other one either.
        await run.Session.StartNewAsync();
        Assert.Same(yard, run.Yard);
        Assert.Equal((3, 0), (yard.Barrels.Count, yard.Sparrows.Count));
        yard.Spawn("caw");
        Assert.Equal("#3", Assert.Single(run.Session.Scene.Capture().Entities, entity => entity.Kind == "sparrow").Id.ToString());

        await run.Session.TravelAsync(new ScenePlace("mill"));
        Assert.False(run.Asked[^1].CanStay);
        Assert.NotSame(yard, run.Yard);
        run.ArrivesAtOnce = false;
        run.Session.Travel(new ScenePlace("yard"));
        Assert.Throws<SessionException>(() => run.Session.Stay(run.Asked[^1]));
        Assert.False(run.Session.Stay(run.Asked[0]));
    }

    [Fact]
    public void What_is_asked_for_last_counts()
    {
        var run = new Run(Store()) { ArrivesAtOnce = false };
        var first = run.Session.StartNewAsync();
        var second = run.Session.StartNewAsync();
        Assert.True(first.IsCanceled);
        Assert.False(run.Session.Arrive(run.Asked[0], Yard.Author()));
        Assert.True(run.Session.Arrive(run.Asked[1], Yard.Author()));
        Assert.True(second.IsCompletedSuccessfully);
    }

    [Fact]
    public void A_scene_that_cannot_be_put_back_is_never_saved_over_the_one_that_was()
    {
        var store = Store();
        var run = new Run(store);
        run.Session.StartNew();
        run.Yard.Spawn("trill");
        run.Session.Save("evening", overwrite: Overwrite.Allowed);

        var fails = true;
        var bindings = Yard.Bindings(settled: (_, _) =>
        {
            if (fails)
                throw new InvalidOperationException("creak");
        });
        var broken = new Run(Store(), bindings);
        var problem = Assert.Throws<SceneException>(() => broken.Session.Load("evening"));
        Assert.Contains("creak", problem.Message, StringComparison.Ordinal);
        Assert.True(broken.Session.LoadTask.IsFaulted);
        Assert.False(broken.Session.IsReady);
        Assert.Contains("No game has been started or loaded yet", Assert.Throws<SessionException>(() => broken.Session.Save("evening")).Message, StringComparison.Ordinal);
        Assert.Empty(broken.Yard.Sparrows);
        fails = false;
        broken.Session.Load("evening");
        Assert.Single(broken.Yard.Sparrows);

        // A scene that cannot be put back on the way through the game: the player goes back to where the way began, and nothing is lost.
        broken.Yard.Spawn("coo");
        broken.Session.Travel(new ScenePlace("mill"));
        fails = true;
        Assert.Throws<SceneException>(() => broken.Session.Travel(new ScenePlace("yard")));
        Assert.Equal("mill", broken.Session.Place.Scene);
        Assert.Contains(
            "The change to the scene \"yard\" failed: The game's code failed while settling the barrel b1: creak. The scene \"mill\" was left.",
            Assert.Throws<SessionException>(() => broken.Session.Save("evening")).Message, StringComparison.Ordinal);
        fails = false;
        broken.Session.Travel(broken.Session.Place);
        broken.Session.Travel(new ScenePlace("yard"));
        Assert.Equal(2, broken.Yard.Sparrows.Count);
        broken.Session.Save("evening");
    }

    [Fact]
    public async Task Renamed_scenes_are_found_and_the_player_of_a_removed_one_is_put_elsewhere()
    {
        var run = new Run(Store());
        await run.Session.StartNewAsync();
        await run.Session.TravelAsync(new ScenePlace("mill", "loft"));
        run.Yard.Spawn("trill");
        run.Session.Save("evening", overwrite: Overwrite.Allowed);

        var renamed = new Run(Store(), options: one => one.Options(scenes: ["yard", "old mill"], former: new Dictionary<string, string> { ["mill"] = "old mill" }));
        Assert.Empty((await Loaded(renamed.Session)).Warnings);
        Assert.Equal(new ScenePlace("old mill", "loft"), renamed.Session.Place);
        Assert.Single(renamed.Yard.Sparrows);

        var removed = new Run(Store(), options: one => one.Options(scenes: ["yard"]));
        Assert.Contains("\"mill\", which the game no longer has", Assert.Single((await Loaded(removed.Session)).Warnings), StringComparison.Ordinal);
        Assert.Equal(new ScenePlace("yard", "gate"), removed.Session.Place);
        // The scene itself is not forgotten.
        removed.Session.Save("later", overwrite: Overwrite.Allowed);
        Assert.True(removed.Store.Load("later").State.Scenes.Contains("mill"));

        Assert.Contains("Did you mean \"mill\"?", Assert.Throws<SessionException>(() => run.Session.Travel(new ScenePlace("mil"))).Message, StringComparison.Ordinal);
        Assert.Throws<SessionException>(() => new Run(Store(), options: one => one.Options(scenes: ["elsewhere"])));
    }

    [Fact]
    public void A_new_scene_may_have_the_name_that_another_one_had_before()
    {
        // In the first release there is a mill. The second one calls it "old mill", and has a new scene by the name of "mill".
        var first = new Run(Store());
        first.Session.StartNew();
        first.Session.Travel(new ScenePlace("mill", "loft"));
        first.Yard.Spawn("of the old mill");
        first.Session.Mark("loft", inSave: true);
        first.Session.Save("evening");

        Run Second() => new(Store(), options: one => one.Options(scenes: ["yard", "mill", "old mill"], former: new Dictionary<string, string> { ["mill"] = "old mill" }));
        var second = Second();
        second.Session.Load("evening");
        Assert.Equal(new ScenePlace("old mill", "loft"), second.Session.Place);
        Assert.Single(second.Yard.Sparrows);
        second.Session.Travel(new ScenePlace("mill", "door"));
        Assert.Empty(second.Yard.Sparrows);
        second.Yard.Spawn("of the new mill");
        second.Session.Mark("door", inSave: true);
        second.Session.Save("night");

        second = Second();
        second.Session.Load("night");
        Assert.Equal(new ScenePlace("mill", "door"), second.Session.Place);
        Assert.Equal("of the new mill", Assert.Single(second.Yard.Sparrows).Song);
        second.Session.Travel(new ScenePlace("old mill"));
        Assert.Equal("of the old mill", Assert.Single(second.Yard.Sparrows).Song);
        // Each checkpoint means the scene of its own time.
        second.Session.Return("door");
        Assert.Equal("of the new mill", Assert.Single(second.Yard.Sparrows).Song);
        second.Session.Return("loft");
        Assert.Equal(("old mill", "of the old mill"), (second.Session.Place.Scene, Assert.Single(second.Yard.Sparrows).Song));
        second.Session.Save("night");

        // A release that does not know of the renaming any more keeps what its saves say.
        var third = new Run(Store(), options: one => one.Options(scenes: ["yard", "mill", "old mill"]));
        third.Session.Load("night");
        third.Session.Return("door");
        third.Session.Save("night");
        second = Second();
        second.Session.Load("night");
        Assert.Equal("mill", second.Session.Place.Scene);
    }

    [Fact]
    public void Two_scenes_may_exchange_their_names()
    {
        var first = new Run(Store(), options: one => one.Options(scenes: ["yard", "mill", "shed"]));
        first.Session.StartNew();
        first.Session.Travel(new ScenePlace("mill"));
        first.Yard.Spawn("of the mill");
        first.Session.Travel(new ScenePlace("shed"));
        first.Yard.Spawn("of the shed");
        first.Session.Save("evening");
        Run Second() => new(
            Store(), options: one => one.Options(scenes: ["yard", "mill", "shed"], former: new Dictionary<string, string> { ["mill"] = "shed", ["shed"] = "mill" }));
        foreach (var slot in new[] { "evening", "night" })
        {
            var second = Second();
            second.Session.Load(slot);
            Assert.Equal(("mill", "of the shed"), (second.Session.Place.Scene, Assert.Single(second.Yard.Sparrows).Song));
            second.Session.Travel(new ScenePlace("shed"));
            Assert.Equal("of the mill", Assert.Single(second.Yard.Sparrows).Song);
            second.Session.Travel(new ScenePlace("mill"));
            second.Session.Save("night");
        }
    }

    [Fact]
    public void A_scene_whose_new_name_is_another_scenes_keeps_its_own()
    {
        var first = new Run(Store(), options: one => one.Options(scenes: ["yard", "mill", "shed", "barn"]));
        first.Session.StartNew();
        foreach (var scene in new[] { "mill", "shed", "barn" })
        {
            first.Session.Travel(new ScenePlace(scene));
            first.Yard.Spawn(scene);
        }
        first.Session.Travel(new ScenePlace("yard"));
        first.Session.Save("evening");
        var second = new Run(Store(), options: one => one.Options(scenes: [], former: new Dictionary<string, string> { ["barn"] = "mill", ["mill"] = "shed" }));
        second.Session.Load("evening");
        Assert.Equal(["barn", "mill", "shed", "yard"], second.Session.State.Scenes.Names);
        foreach (var scene in new[] { "mill", "shed", "barn" })
        {
            second.Session.Travel(new ScenePlace(scene));
            Assert.Equal(scene, Assert.Single(second.Yard.Sparrows).Song);
        }
    }

    [Fact]
    public void The_place_may_follow_from_the_progress()
    {
        var run = new Run(Store(), options: one => one.Options(placeOf: save => save.Runner.Deaths > 2 ? new ScenePlace("mill", "bed") : new ScenePlace("yard", "gate")));
        run.Session.StartNew();
        run.Session.State.Runner.Deaths = 3;
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        run.Session.Load("evening");
        Assert.Equal(new ScenePlace("mill", "bed"), run.Session.Place);
    }

    [Theory]
    [InlineData(false, false), InlineData(true, false), InlineData(true, true), InlineData(false, true)]
    public async Task A_checkpoint_puts_back_all_but_what_survives(bool elsewhere, bool throughASave)
    {
        var weather = new Weather();
        SessionOptions<RunSave> Options(Run one) => one.Options(_clock, survives: [RunSave.Sections.Tally]);
        var run = new Run(Store(), options: Options);
        var score = new Weather();
        Register(run);
        await run.Session.StartNewAsync();
        run.Session.State.Runner.Name = "Wren";
        run.Yard.Spawn("before");
        weather.Wind = 3;
        run.Session.Mark("shrine", inSave: throughASave);
        Assert.Equal(new SessionCheckpoint("shrine", new ScenePlace("yard", "gate"), TimeSpan.Zero, throughASave), Assert.Single(run.Session.Checkpoints));

        run.Session.State.Runner.Name = "Rook";
        run.Session.State.Runner.Deaths = 1;
        run.Session.State.Tally["letters"] = 7;
        run.Yard.Sparrows.Clear();
        run.Yard.Barrels.Clear();
        weather.Wind = 9;
        score.Wind = 100;
        _clock.Advance(TimeSpan.FromMinutes(2));
        if (elsewhere)
            await run.Session.TravelAsync(new ScenePlace("mill"));
        if (throughASave)
        {
            run.Session.Save("evening", overwrite: Overwrite.Allowed);
            run = new Run(Store(), options: Options);
            Register(run);
            run.Session.Load("evening");
            await run.Session.LoadTask;
            Assert.Equal(9, weather.Wind);
        }
        var asked = run.Asked.Count;
        var arrival = await run.Session.ReturnAsync();
        Assert.Equal(SceneChangeCause.Checkpoint, arrival.Change.Cause);
        Assert.Equal(elsewhere ? asked + 1 : asked, run.Asked.Count);
        Assert.Equal(("Wren", 0, 7), (run.Session.State.Runner.Name, run.Session.State.Runner.Deaths, run.Session.State.Tally["letters"]));
        Assert.Equal((3, 100), (weather.Wind, score.Wind));
        Assert.Equal("before", Assert.Single(run.Yard.Sparrows).Song);
        Assert.Equal(3, run.Yard.Barrels.Count);
        Assert.Equal(TimeSpan.FromMinutes(2), run.Session.Clock.Played);
        Assert.Equal(new ScenePlace("yard", "gate"), run.Session.Place);

        // As often as one likes.
        run.Yard.Sparrows.Clear();
        await run.Session.ReturnAsync("shrine");
        Assert.Single(run.Yard.Sparrows);
        Assert.Contains("There are: shrine", Assert.Throws<SessionException>(() => run.Session.Return("chapel")).Message, StringComparison.Ordinal);
        Assert.True(run.Session.DeleteCheckpoint("shrine"));
        Assert.Equal(SaveErrorCode.NoSuchCheckpoint, Assert.Throws<SessionException>(() => run.Session.Return()).Code);

        void Register(Run one)
        {
            one.Session.Register("weather", () => weather, state => weather = state);
            one.Session.Register("score", () => score, state => score = state, survives: true);
        }
    }

    [Fact]
    public void A_checkpoint_that_cannot_be_restored_changes_nothing()
    {
        var fails = false;
        var run = new Run(Store(), Yard.Bindings(settled: (_, _) =>
        {
            if (fails)
                throw new InvalidOperationException("creak");
        }));
        var weather = new Weather();
        run.Session.Register("weather", () => weather, state => weather = state);
        run.Session.StartNew();
        run.Session.Mark();
        run.Session.State.Runner.Name = "Rook";
        weather.Wind = 8;
        run.Yard.Spawn("after");
        fails = true;
        Assert.Throws<SceneException>(() => run.Session.Return());
        Assert.Equal(("Rook", 8), (run.Session.State.Runner.Name, weather.Wind));
        Assert.Single(run.Yard.Sparrows);
        Assert.True(run.Session.IsReady);
        fails = false;
        run.Session.Return();
        Assert.Empty(run.Yard.Sparrows);
    }

    [Fact]
    public async Task A_checkpoint_that_cannot_be_restored_in_slices_changes_nothing_either()
    {
        var fails = false;
        var bindings = Yard.Bindings(settled: (_, _) =>
        {
            if (fails)
                throw new InvalidOperationException("creak");
        });
        var run = new Run(Store(), bindings, one => one.Options(budget: TimeSpan.Zero));
        await run.Session.StartNewAsync();
        run.Session.Mark();
        run.Session.State.Runner.Name = "Rook";
        run.Yard.Spawn("after");
        fails = true;
        var returning = run.Session.ReturnAsync();
        while (!returning.IsCompleted)
            run.Session.Tick();
        await Assert.ThrowsAsync<SceneException>(() => returning);
        Assert.Equal("Rook", run.Session.State.Runner.Name);
        Assert.Single(run.Yard.Sparrows);
        Assert.True(run.Session.IsReady);
    }

    [Fact]
    public async Task A_scene_that_could_not_be_put_back_after_a_failed_checkpoint_is_not_saved()
    {
        // The game's code fails on the way to the checkpoint, and on the way back again.
        var fails = false;
        var bindings = new SceneBindings<Yard>().Kind("barrel", yard => yard.Barrels, barrel => barrel
            .Id(one => one.Name)
            .Part("spot", one => new Spot(one.At), (one, spot) => one.At = fails ? throw new InvalidOperationException("stuck") : spot.At));
        var run = new Run(Store(), bindings);
        await run.Session.StartNewAsync();
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        run.Session.Mark();
        run.Session.State.Runner.Name = "Rook";
        fails = true;
        Assert.Throws<SceneException>(() => run.Session.Return());
        Assert.Equal("Rook", run.Session.State.Runner.Name);
        Assert.False(run.Session.IsReady);
        Assert.Contains("could not be rolled back", Assert.Throws<SessionException>(() => run.Session.Save("evening")).Message, StringComparison.Ordinal);
        fails = false;
        run.Session.Load("evening");
        await run.Session.LoadTask;
        run.Session.Save("evening");
    }

    [Fact]
    public async Task A_checkpoint_in_an_older_save_follows_renamed_and_removed_scenes()
    {
        var run = new Run(Store());
        await run.Session.StartNewAsync();
        await run.Session.TravelAsync(new ScenePlace("mill", "loft"));
        run.Yard.Spawn("trill");
        run.Session.Mark("loft", inSave: true);
        await run.Session.TravelAsync(new ScenePlace("yard"));
        run.Session.Save("evening", overwrite: Overwrite.Allowed);

        var renamed = new Run(Store(), options: one => one.Options(scenes: ["yard", "old mill"], former: new Dictionary<string, string> { ["mill"] = "old mill" }));
        renamed.Session.Load("evening");
        await renamed.Session.LoadTask;
        Assert.Empty((await renamed.Session.ReturnAsync("loft")).Warnings);
        Assert.Equal(new ScenePlace("old mill", "loft"), renamed.Session.Place);
        Assert.Single(renamed.Yard.Sparrows);

        var removed = new Run(Store(), options: one => one.Options(scenes: ["yard"]));
        removed.Session.Load("evening");
        await removed.Session.LoadTask;
        Assert.Single((await removed.Session.ReturnAsync("loft")).Warnings);
        Assert.Equal("yard", removed.Session.Place.Scene);
    }

    [Theory, MemberData(nameof(Forms))]
    public async Task A_checkpoint_goes_through_a_save_of_every_form(SaveForm form)
    {
        var run = new Run(Store(form));
        await run.Session.StartNewAsync();
        run.Yard.Spawn("trill").Feathers.Add("a < b & \u0001");
        run.Session.Mark("dry ground", inSave: true);
        run.Yard.Sparrows.Clear();
        run.Yard.Barrel("b2").At = new Vector2(0.1f, 2);
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        var again = new Run(Store(form));
        again.Session.Load("evening");
        await again.Session.LoadTask;
        Assert.Empty(again.Yard.Sparrows);
        await again.Session.ReturnAsync("dry ground");
        Assert.Equal("a < b & \u0001", Assert.Single(Assert.Single(again.Yard.Sparrows).Feathers));
        Assert.Equal(new Vector2(2, 0), again.Yard.Barrel("b2").At);
    }

    [Fact]
    public void Checkpoints_in_memory_do_not_go_into_a_save()
    {
        var run = new Run(Store());
        run.Session.StartNew();
        run.Session.Mark("a", inSave: false);
        run.Session.Mark("b");
        run.Session.Mark("a", inSave: false);
        Assert.Equal(["b", "a"], run.Session.Checkpoints.Select(one => one.Name));
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        run.Session.Load("evening");
        Assert.Equal("b", Assert.Single(run.Session.Checkpoints).Name);
        Assert.Single(run.Session.State.Session.Names, name => name.StartsWith("checkpoint", StringComparison.Ordinal));
    }

    [Fact]
    public void Subsystems_keep_sections_of_their_own_and_unknown_ones_are_kept()
    {
        var weather = new Weather { Wind = 4 };
        var run = new Run(Store());
        run.Session.Register("weather", () => weather, state => weather = state);
        run.Session.StartNew();
        Assert.Equal(0, weather.Wind);
        weather.Wind = 5;
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        Assert.Contains("\"session/weather\": {", System.Text.Encoding.UTF8.GetString(_storage.Read("slots/evening/00000001.json")!), StringComparison.Ordinal);

        // A game without the weather saves it all the same; one that registers late gets it.
        var without = new Run(Store());
        without.Session.Load("evening");
        without.Session.Save("evening");
        var late = new Run(Store());
        late.Session.Load("evening");
        late.Session.Register("weather", () => weather, state => weather = state);
        Assert.Equal(5, weather.Wind);
        Assert.Equal(5, late.Session.State.Session.Get<Weather>("weather")!.Wind);
        Assert.Throws<SessionException>(() => late.Session.Register("weather", () => weather, state => weather = state));
        Assert.Throws<SessionException>(() => late.Session.Register("clock", () => weather, state => weather = state));
        Assert.Throws<SessionException>(() => late.Session.Register("a/b", () => weather, state => weather = state));
    }

    [Fact]
    public void What_does_not_fit_a_subsystem_is_an_error_before_anything_is_given_up()
    {
        var weather = new Weather();
        var run = new Run(Store());
        run.Session.Register("weather", () => weather, state => weather = state);
        run.Session.StartNew();
        run.Session.State.Runner.Name = "Wren";
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        var text = System.Text.Encoding.UTF8.GetString(_storage.Read("slots/evening/00000001.json")!);
        _storage.Write("slots/evening/00000001.json", System.Text.Encoding.UTF8.GetBytes(text.Replace("\"wind\": 0", "\"wind\": \"hard\"", StringComparison.Ordinal)), replace: true);
        run.Session.State.Runner.Name = "Rook";
        Assert.Throws<SaveContentException>(() => run.Session.Load("evening"));
        Assert.Equal("Rook", run.Session.State.Runner.Name);
        Assert.True(run.Session.IsReady);
    }

    [Fact]
    public void A_scene_is_restored_in_slices_where_a_frame_has_a_budget()
    {
        var run = new Run(Store());
        run.Session.StartNew();
        for (var i = 0; i < 30; i++)
            run.Yard.Spawn($"song {i}");
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        var sliced = new Run(Store(), options: one => one.Options(budget: TimeSpan.Zero));
        sliced.Session.Load("evening");
        var loading = sliced.Session.LoadTask;
        var ticks = 0;
        for (; !loading.IsCompleted; ticks++)
        {
            Assert.False(sliced.Session.IsReady);
            sliced.Session.Tick();
        }
        Assert.True(ticks > 60);
        Assert.Equal(30, sliced.Yard.Sparrows.Count);
        Assert.True(sliced.Session.IsReady);
    }

    [Fact]
    public async Task Automatic_saves_follow_the_policy_and_are_made_up_for()
    {
        var run = new Run(Store(), options: one => one.Options(_clock, new AutosavePolicy { Interval = TimeSpan.FromMinutes(5), MinimumSpacing = TimeSpan.FromSeconds(30) }));
        var session = run.Session;
        await session.StartNewAsync();
        session.Tick();
        Assert.Null(session.LastAutosave);
        await Play(TimeSpan.FromMinutes(5));
        Assert.Equal(1, Saves());
        await Play(TimeSpan.FromMinutes(4));
        Assert.Equal(1, Saves());

        // A fight puts it off; afterwards it is made up for, once.
        using (session.HoldAutosaves("a fight"))
        {
            using (session.HoldAutosaves("a cut scene"))
                Assert.Equal(["a fight", "a cut scene"], session.AutosaveHeldBy);
            await Play(TimeSpan.FromMinutes(20));
            Assert.Equal(1, Saves());
        }
        await Play(TimeSpan.Zero);
        await Play(TimeSpan.Zero);
        Assert.Equal(2, Saves());

        // Travelling saves, but not twice within the spacing; loading does not.
        await Play(TimeSpan.FromSeconds(40));
        await session.TravelAsync(new ScenePlace("mill"));
        await Play(TimeSpan.Zero);
        Assert.Equal(3, Saves());
        await session.TravelAsync(new ScenePlace("yard"));
        await Play(TimeSpan.FromSeconds(10));
        Assert.Equal(3, Saves());
        await Play(TimeSpan.FromSeconds(25));
        Assert.Equal(4, Saves());
        await Play(TimeSpan.FromSeconds(40));
        session.Save("evening", overwrite: Overwrite.Allowed);
        session.Load("evening");
        await session.LoadTask;
        await Play(TimeSpan.FromSeconds(40));
        Assert.Equal(4, Saves());

        // Time that stands still is no time played.
        using (session.Clock.Pause())
            await Play(TimeSpan.FromHours(1));
        Assert.Equal(4, Saves());

        // A save by hand is as good as an automatic one.
        await Play(TimeSpan.FromMinutes(3));
        session.QuickSave();
        await Play(TimeSpan.FromMinutes(3));
        Assert.Equal(4, Saves());
        Assert.NotNull(session.Quit().Receipt);
        Assert.Equal(5, Saves());
        Assert.Throws<SessionException>(() => session.State);

        async Task Play(TimeSpan time)
        {
            _clock.Advance(time);
            session.Tick();
            if (session.LastAutosave is { } saving)
                await saving;
        }

        int Saves() => run.Store.Exists(SlotName.Auto) ? run.Store.History(SlotName.Auto)[0].Number : 0;
    }

    [Fact]
    public void Leaving_saves_only_where_that_is_wanted_and_possible()
    {
        var run = new Run(Store());
        run.Session.StartNew();
        Assert.Null(run.Session.Quit().Receipt);
        run = new Run(Store(), options: one => one.Options(autosave: new AutosavePolicy()));
        run.Session.StartNew();
        var hold = run.Session.HoldAutosaves("a fight");
        Assert.Null(run.Session.Quit().Receipt);
        hold.Dispose();
        run.Session.StartNew();
        Assert.NotNull(run.Session.Quit().Receipt);
        Assert.Null(new Run(Store(), options: one => one.Options(autosave: new AutosavePolicy())).Session.Quit().Receipt);
    }

    [Fact]
    public async Task An_automatic_save_that_cannot_be_made_does_not_stop_the_game()
    {
        var run = new Run(Store(), options: one => one.Options(_clock, new AutosavePolicy()));
        await run.Session.StartNewAsync();
        run.Yard.Barrels.Add(new Barrel("b1"));
        _clock.Advance(TimeSpan.FromMinutes(6));
        run.Session.Tick();
        await Assert.ThrowsAsync<SceneException>(() => run.Session.LastAutosave!);
        run.Yard.Barrels.RemoveAt(run.Yard.Barrels.Count - 1);
        _clock.Advance(TimeSpan.FromMinutes(6));
        run.Session.Tick();
        await run.Session.LastAutosave!;
    }

    [Fact]
    public async Task A_part_of_the_game_that_throws_in_an_automatic_save_is_one_failed_save_and_not_an_error_of_every_frame()
    {
        var fails = false;
        var run = new Run(Store(), options: one => one.Options(_clock, new AutosavePolicy { Interval = TimeSpan.FromMinutes(5), MinimumSpacing = TimeSpan.FromMinutes(1), OnQuit = false }));
        run.Session.Register("radio", () => fails ? throw new InvalidOperationException("no signal") : new Spot(), _ => { });
        await run.Session.StartNewAsync();
        fails = true;
        _clock.Advance(TimeSpan.FromMinutes(6));
        var attempts = new HashSet<Task>();
        for (var frame = 0; frame < 100; frame++)
        {
            run.Session.Tick();
            attempts.Add(run.Session.LastAutosave!);
        }
        var problem = await Assert.ThrowsAsync<SessionException>(() => Assert.Single(attempts));
        Assert.StartsWith("The part \"radio\" of the game failed while its state was being saved: no signal", problem.Message, StringComparison.Ordinal);
        Assert.IsType<InvalidOperationException>(problem.InnerException);
        Assert.Throws<SessionException>(() => run.Session.Save("evening"));
        fails = false;
        _clock.Advance(TimeSpan.FromMinutes(6));
        run.Session.Tick();
        await run.Session.LastAutosave!;
    }

    [Fact]
    public async Task An_automatic_save_that_failed_is_made_again_after_the_spacing_and_leaving_says_what_was_not_saved()
    {
        var gated = new Slots.GatedStorage();
        var store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = gated, Clock = _clock });
        _stores.Add(store);
        var run = new Run(store, options: one => one.Options(_clock, new AutosavePolicy { MinimumSpacing = TimeSpan.FromSeconds(30), OnQuit = false }));
        await run.Session.StartNewAsync();
        gated.Failure = _ => new StorageException("The disk is full.");
        _clock.Advance(TimeSpan.FromMinutes(6));
        run.Session.Tick();
        var failed = run.Session.LastAutosave!;
        await Assert.ThrowsAsync<StorageException>(() => failed);
        gated.Failure = _ => null;
        _clock.Advance(TimeSpan.FromSeconds(20));
        run.Session.Tick();
        Assert.Same(failed, run.Session.LastAutosave);
        _clock.Advance(TimeSpan.FromSeconds(11));
        run.Session.Tick();
        Assert.Equal(1, (await run.Session.LastAutosave!).Generation);

        gated.Failure = _ => new StorageException("The disk is full.");
        _ = run.Session.SaveAsync("evening", cancellationToken: TestContext.Current.CancellationToken);
        var end = run.Session.Quit();
        Assert.Null(end.Receipt);
        Assert.Equal("evening", Assert.Single(end.FailedSaves).Slot.ToString());
    }

    [Fact]
    public void What_is_played_can_be_printed_and_compared_with_what_was_saved()
    {
        var run = new Run(Store(), clock: _clock);
        run.Session.StartNew();
        run.Session.State.Runner.Name = "Wren";
        run.Session.Save("evening", overwrite: Overwrite.Allowed);
        Assert.Empty(run.Session.UnsavedChanges());
        _clock.Advance(TimeSpan.FromHours(1));
        Assert.Empty(run.Session.UnsavedChanges());
        run.Yard.Barrel("b2").At = new Vector2(9, 9);
        run.Session.State.Runner.Deaths = 1;
        Assert.Equal(
            ["/runner/deaths: 0 became 1", "/scenes~1yard/entities/b2/parts/spot/at/0: 2.0 became 9.0", "/scenes~1yard/entities/b2/parts/spot/at/1: 0.0 became 9.0"],
            run.Session.UnsavedChanges().Select(change => change.ToString()));
        var printed = run.Session.Print();
        Assert.Contains("runner\n├── name \"Wren\"\n├── deaths 1\n└── notes null\n", printed.ReplaceLineEndings("\n"), StringComparison.Ordinal);
        Assert.Contains("b2 { kind \"barrel\", parts { spot { at [9.0, 9.0] } } }", printed, StringComparison.Ordinal);
        Assert.Contains("scene \"yard\"", printed, StringComparison.Ordinal);
    }

    [Fact]
    public void Time_played_is_counted_over_sessions_and_without_pauses()
    {
        var clock = new PlayClock(_clock);
        Assert.True(clock.IsPaused);
        _clock.Advance(TimeSpan.FromMinutes(1));
        Assert.Equal(TimeSpan.Zero, clock.Played);
        clock.StartFrom(TimeSpan.FromMinutes(10));
        _clock.Advance(TimeSpan.FromMinutes(1));
        var menu = clock.Pause();
        var map = clock.Pause();
        _clock.Advance(TimeSpan.FromMinutes(5));
        menu.Dispose();
        menu.Dispose();
        _clock.Advance(TimeSpan.FromMinutes(5));
        Assert.True(clock.IsPaused);
        map.Dispose();
        _clock.Advance(TimeSpan.FromMinutes(2));
        Assert.Equal(TimeSpan.FromMinutes(13), clock.Played);
        clock.Stop();
        _clock.Advance(TimeSpan.FromMinutes(2));
        Assert.Equal(TimeSpan.FromMinutes(13), clock.Played);
        clock.StartFrom(-TimeSpan.FromSeconds(1));
        Assert.Equal(TimeSpan.Zero, clock.Played);
    }
}

[SaveFile("run")]
public sealed partial class RunSave : ISessionSave
{
    public Runner Runner { get; set; } = new();

    public Dictionary<string, int> Tally { get; set; } = [];

    public SceneArchive Scenes { get; set; } = new();

    public SessionArchive Session { get; set; } = new();
}

[StateType]
public sealed partial class Runner
{
    public string Name { get; set; } = "";

    public int Deaths { get; set; }

    public SaveValue Notes { get; set; } = SaveValue.Null;
}

[StateType]
public sealed partial class Weather
{
    public int Wind { get; set; }
}
