using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>The habits of engines: destroying at the end of the frame, ids and positions that come late, callbacks that do more than asked.</summary>
public sealed class EngineTests
{
    private static SceneBindings<Shoal> Deferred(Action<KindBinding<Shoal, Float>>? more = null) => Shoal.Bindings(kind =>
    {
        kind.Remove((shoal, one) => shoal.Destroy(one));
        more?.Invoke(kind);
    });

    [Fact]
    public void What_dies_at_the_end_of_the_frame_is_not_in_the_scene_if_the_bindings_say_so()
    {
        Shoal shoal = null!;
        var live = Deferred(kind => kind.Alive(one => !shoal.IsDying(one))).Begin(shoal = Shoal.Of("a", "b"));
        shoal.Destroy(shoal["a"]);
        var record = live.Capture();
        Assert.Equal("a", Assert.Single(record.Gone).Name);

        // Loaded in the same frame, twice, rolled back once: after the frame it is all there.
        var added = shoal.Spawn();
        added.At = new Vector2(1, 1);
        var withAdded = live.Capture();
        live.RestoreAuthored();
        live.Restore(withAdded);
        live.RestoreAuthored();
        live.Restore(withAdded);
        Assert.Equal(["b", "#1"], shoal.All.Where(one => !shoal.IsDying(one)).Select(one => one.Id.ToString()));
        var restoration = live.BeginRestoreAuthored();
        while (restoration.Progress.Phase < RestorePhase.Parenting)
            restoration.Step(TimeSpan.Zero);
        restoration.Cancel();
        shoal.EndFrame();
        Assert.Equal("float #1 at <1, 1>", shoal[1].Print()[..18]);
        Assert.Equal(["#1", "b"], shoal.All.Select(one => one.Id.ToString()).Order());
    }

    [Fact]
    public void What_is_still_there_after_its_removal_is_an_error_that_says_what_to_do()
    {
        var shoal = Shoal.Of("a");
        var live = Deferred().Begin(shoal);
        shoal.Spawn();
        var problem = Assert.Throws<SceneException>(() => live.RestoreAuthored());
        Assert.Contains("The float #1 is still in the scene after it was removed.", problem.InnerException!.Message, StringComparison.Ordinal);
        Assert.Contains("Alive", ((SceneException)problem.InnerException).Remedy, StringComparison.Ordinal);
    }

    [Fact]
    public void What_a_spawn_callback_creates_beside_is_not_there_twice_and_no_number_is_given_twice()
    {
        foreach (var isFresh in (bool[])[true, false])
        {
            var bindings = Shoal.Bindings(kind => kind.Spawn((shoal, id) =>
            {
                var spawned = shoal.Add(new Float(id));
                if (id == 1)
                    shoal.Spawn().Label = "child";
                return spawned;
            }));
            var shoal = Shoal.Of("a");
            var live = bindings.Begin(shoal);
            shoal.Spawn();
            shoal.Spawn().Label = "child";
            shoal.Spawn();
            var record = Shoal.Through(live.Capture(), SaveForm.Json);
            if (isFresh)
                live = bindings.Begin(shoal = Shoal.Of("a"));
            else
                shoal.All.RemoveAll(one => one.Id.IsSpawned);
            var report = live.Restore(record);
            Assert.Equal(["a", "#1", "#2", "#3"], shoal.All.Select(one => one.Id.ToString()));
            Assert.Equal(
                "float #4 was created by the game's code while the scene was being restored; it is not in the save and was removed again",
                Assert.Single(report.Plan.Warnings));
            Assert.True(shoal.Numbers.Upcoming > 4);
            Assert.Equal(4, live.Capture().Entities.Count);
        }
    }

    [Fact]
    public void What_a_spawn_callback_creates_under_the_id_of_one_that_is_saved_is_there_once()
    {
        var bindings = Shoal.Bindings(kind => kind.Spawn((shoal, id) =>
        {
            var spawned = shoal.Add(new Float(id));
            if (id == "boat")
                shoal.Add(new Float("boat/lamp"));
            return spawned;
        }));
        var shoal = Shoal.Of("boat", "boat/lamp");
        var live = bindings.Begin(shoal);
        shoal["boat/lamp"].Oil = 3;
        var record = live.Capture();
        shoal.All.Clear();
        live.Restore(record);
        Assert.Equal(["boat", "boat/lamp"], shoal.All.Select(one => one.Id.Name));
        live.Capture();
    }

    [Fact]
    public void Ids_and_positions_that_come_a_frame_late_are_waited_for()
    {
        // The engine gives an id at the first frame, and moves what is new to the origin in the same frame.
        var late = new List<(Float Entity, EntityId Id)>();
        var bindings = Shoal.Bindings(kind => kind
            .Alive(one => one.Id != default)
            .Spawn((shoal, id) =>
            {
                var spawned = shoal.Add(new Float(default));
                late.Add((spawned, id));
                return spawned;
            })
            .Settled((_, one) => one.Label = $"settled at {one.At.X}")).SettleAfter(1);
        void Frame()
        {
            foreach (var (entity, id) in late)
                (entity.Id, entity.At) = (id, default);
            late.Clear();
        }

        var shoal = Shoal.Of("a");
        var live = bindings.Begin(shoal);
        shoal.Spawn().At = new Vector2(7, 0);
        var record = Shoal.Through(live.Capture(), SaveForm.Json);
        shoal.All.RemoveAt(1);
        Assert.Contains("BeginRestore", Assert.Throws<SceneException>(() => live.Restore(record)).Message, StringComparison.Ordinal);
        live = bindings.Begin(shoal);
        var restoration = live.BeginRestore(record);
        var frames = 0;
        while (!restoration.Step(TimeSpan.FromMinutes(1)))
        {
            frames++;
            Frame();
        }
        Assert.Equal(1, frames);
        Assert.Equal((new Vector2(7, 0), "settled at 7"), (shoal[1].At, shoal[1].Label));
        // Nothing is spawned: nothing is waited for.
        Assert.True(live.BeginRestore(record).Step(TimeSpan.FromMinutes(1)));
    }

    [Fact]
    public void Pooled_objects_come_back_without_what_they_had()
    {
        var pool = new Stack<Float>();
        var bindings = Shoal.Bindings(kind =>
        {
            Shoal.HasCargo(kind);
            Shoal.HasParent(kind);
            Shoal.HasReference(kind);
            kind.Part<FloatLabel>("label", one => one.Label is { } text ? new FloatLabel { Text = text } : null, (one, label) => one.Label = label.Text, clear: one => one.Label = null)
                .Spawn((shoal, id) =>
                {
                    var one = pool.TryPop(out var pooled) ? pooled : new Float(id);
                    one.Id = id;
                    return shoal.Add(one);
                })
                .Remove((shoal, one) =>
                {
                    shoal.All.Remove(one);
                    pool.Push(one);
                });
        });
        var shoal = Shoal.Of("a");
        var live = bindings.Begin(shoal);
        var spawned = shoal.Spawn();
        var record = live.Capture();
        shoal.All.Remove(spawned);
        var other = shoal.Spawn();
        (other.At, other.Label, other.Cargo, other.Leads, other.TiedTo) = (new Vector2(9, 9), "used", 3, shoal["a"], shoal["a"]);
        live.Restore(record);
        Assert.Same(other, shoal[1]);
        Assert.Equal(new Float(1).Print(), other.Print());
    }

    [Fact]
    public void Setters_get_the_scene_where_they_need_it()
    {
        // In this engine what belongs to nothing belongs to the level.
        var root = new Float("level");
        var bindings = Shoal.Bindings(kind => kind
            .Parent((_, one) => one.TiedTo == root ? null : one.TiedTo, (shoal, one, parent) => one.TiedTo = parent ?? (shoal.All.Count > 0 ? root : null))
            .Part("oil", (shoal, one) => new OilLeft(one.Oil - shoal.All.Count), (shoal, one, oil) => one.Oil = oil.Amount + shoal.All.Count, clear: null, when: (shoal, _) => shoal.All.Count > 0, onlyIfChanged: false)
            .Part("lamp", (_, one) => new FloatLamp(one.IsLit), (shoal, one, lamp) => one.IsLit = lamp.IsLit && shoal.All.Count > 0)
            .Reference<Float>("leads", (_, one) => one.Leads, (shoal, one, target) => one.Leads = target ?? shoal.All[0])
            .ReferenceList<Float>("follows", (_, one) => one.Follows, (shoal, one, targets) => one.Follows = [.. targets, shoal.All[0]])
            .ReferenceId("far", (_, one) => one.Far, (shoal, one, reference, _) => one.Far = reference ?? new EntityReference(shoal.All[0].Id)));
        var shoal = Shoal.Of("a", "b");
        (shoal["a"].TiedTo, shoal["b"].TiedTo, shoal["b"].Oil) = (root, shoal["a"], 12);
        var live = bindings.Begin(shoal);
        var record = live.Capture();
        (shoal["a"].TiedTo, shoal["b"].TiedTo, shoal["b"].Oil) = (shoal["b"], root, 0);
        live.Restore(record);
        Assert.Equal((root, shoal["a"], 12), (shoal["a"].TiedTo, shoal["b"].TiedTo, shoal["b"].Oil));
        Assert.Equal((shoal["a"], shoal["a"], "a"), (shoal["b"].Leads, shoal["b"].Follows.Single(), shoal["b"].Far!.Value.Id.Name));
    }

    [Theory, InlineData("step"), InlineData("finish"), InlineData("cancel"), InlineData("capture"), InlineData("restore")]
    public void A_callback_that_goes_on_with_its_own_restoration_is_refused_and_nothing_is_half_done(string how)
    {
        SceneRestoration<Shoal>? restoration = null;
        LiveScene<Shoal> live = null!;
        var isArmed = false;
        var bindings = Shoal.Bindings(kind => kind.Part("oil", one => new OilLeft(one.Oil), (one, oil) =>
        {
            one.Oil = oil.Amount;
            if (!isArmed)
                return;
            isArmed = false;
            Action act = how switch
            {
                "step" => () => restoration!.Step(TimeSpan.Zero),
                "finish" => () => restoration!.Finish(),
                "cancel" => () => restoration!.Cancel(),
                "capture" => () => live.Capture(),
                _ => () => live.RestoreAuthored(),
            };
            act();
        }));
        var shoal = Shoal.Of("a", "b", "c");
        live = bindings.Begin(shoal);
        foreach (var one in shoal.All)
            (one.Oil, one.At) = (5, new Vector2(5, 5));
        var record = live.Capture();
        foreach (var one in shoal.All)
            (one.Oil, one.At) = (1, new Vector2(1, 1));
        var before = shoal.Print();
        isArmed = true;
        restoration = live.BeginRestore(record);
        var problem = Assert.Throws<SceneException>(() => restoration.Step(Timeout.InfiniteTimeSpan));
        Assert.Equal(SaveErrorCode.NotReady, Assert.IsType<SceneException>(problem.InnerException).Code);
        Assert.True(restoration.IsDone);
        Assert.Equal(before, shoal.Print());
        live.Restore(record);
        Assert.All(shoal.All, one => Assert.Equal(5, one.Oil));
    }

    [Fact]
    public void A_switched_part_is_put_after_what_its_condition_asks_for_and_rolled_back_exactly()
    {
        foreach (var isSwitchedFirst in (bool[])[true, false])
        {
            var bindings = Shoal.Bindings(kind =>
            {
                if (isSwitchedFirst)
                    kind.Part("label", one => new FloatLabel { Text = one.Label! }, (one, label) => one.Label = label.Text, when: one => one.Label is not null && one.Oil > 0)
                        .Part("oil", one => new OilLeft(one.Oil), (one, oil) => (one.Oil, one.Label) = (oil.Amount, one.Label ?? "?"), when: one => one.IsLit);
                kind.Part("lamp", one => new FloatLamp(one.IsLit), (one, lamp) => one.IsLit = lamp.IsLit);
                if (!isSwitchedFirst)
                    kind.Part("oil", one => new OilLeft(one.Oil), (one, oil) => one.Oil = oil.Amount, when: one => one.IsLit);
            });
            var shoal = Shoal.Of("a");
            var live = bindings.Begin(shoal);
            (shoal["a"].IsLit, shoal["a"].Oil, shoal["a"].Label) = (true, 50, "lit");
            var record = Shoal.Through(live.Capture(), SaveForm.Json);
            var fresh = Shoal.Of("a");
            bindings.Begin(fresh).Restore(record);
            Assert.Equal((true, 50, isSwitchedFirst ? "lit" : null), (fresh["a"].IsLit, fresh["a"].Oil, fresh["a"].Label));

            (shoal["a"].IsLit, shoal["a"].Oil, shoal["a"].Label) = (false, 7, "dark");
            var before = shoal.Print();
            var restoration = live.BeginRestore(record);
            while (restoration.Progress.Phase < RestorePhase.Settling)
                restoration.Step(TimeSpan.Zero);
            Assert.Equal(50, shoal["a"].Oil);
            restoration.Cancel();
            Assert.Equal(before, shoal.Print());
        }
    }

    [Fact]
    public void No_step_asks_the_game_for_more_than_a_little_in_any_phase()
    {
        var calls = 0;
        T Count<T>(T value)
        {
            calls++;
            return value;
        }

        var bindings = Shoal.Bindings(kind => kind
            .Id(one => Count(one.Id))
            .Alive(_ => Count(true))
            .Part("oil", one => Count(new OilLeft(one.Oil)), (one, oil) => one.Oil = Count(oil.Amount), when: _ => Count(true))
            .Parent(one => Count(one.TiedTo), (one, parent) => one.TiedTo = Count(parent))
            .Reference("leads", one => Count(one.Leads), (one, target) => one.Leads = Count(target))
            .Spawn((shoal, id) => Count(shoal.Add(new Float(id))))
            .Remove((shoal, one) => Count(shoal.All.Remove(one)))
            .Settled((_, one) => Count(one)));
        var shoal = Level();
        var live = bindings.Begin(shoal);
        for (var i = 0; i < 1000; i++)
            shoal.Spawn().TiedTo = shoal.All[i];
        var record = Shoal.Through(live.Capture(), SaveForm.Binary);
        shoal.All.RemoveRange(500, 1000);
        for (var i = 0; i < 1000; i++)
            shoal.Spawn().TiedTo = shoal.All[i];
        var restoration = live.BeginRestore(record);
        var most = new Dictionary<RestorePhase, int>();
        var isDone = false;
        while (!isDone)
        {
            calls = 0;
            isDone = restoration.Step(TimeSpan.Zero);
            var phase = restoration.Progress.Phase;
            most[phase] = Math.Max(most.GetValueOrDefault(phase), calls);
        }
        // Ids and whether they are alive are asked for sixteen at a time; everything that changes something is one step for each entity.
        Assert.All(most, one => Assert.InRange(one.Value, 0, one.Key is RestorePhase.Planning or RestorePhase.Checking ? 50 : 12));
        Assert.Equal(2000, shoal.All.Count);

        static Shoal Level()
        {
            var shoal = Shoal.Of([.. Enumerable.Range(0, 1000).Select(i => $"float-{i}")]);
            foreach (var one in shoal.All)
                one.Leads = shoal.All[^1];
            return shoal;
        }
    }

    [Fact]
    public void A_long_chain_is_removed_restored_and_rolled_back_link_by_link()
    {
        // Each link is looked at once: climbing from every one to the first would be a billion steps.
        var bindings = new SceneBindings<Dictionary<EntityId, Float>>().OwnNumbers().Kind("float", scene => scene.Values, kind => kind
            .Id(one => one.Id)
            .Parent(one => one.TiedTo, (one, parent) => one.TiedTo = parent)
            .Spawn((scene, id) => scene[id] = new Float(id))
            .Remove((scene, one) => scene.Remove(one.Id)));
        var chain = new Dictionary<EntityId, Float> { ["a"] = new Float("a") };
        var live = bindings.Begin(chain);
        for (var i = 1; i <= 60_000; i++)
            chain[i] = new Float(i) { TiedTo = i == 1 ? chain["a"] : chain[i - 1] };
        var record = live.Capture();
        var restoration = live.BeginRestoreAuthored();
        while (restoration.Progress.Phase < RestorePhase.Parenting)
            restoration.Step(TimeSpan.Zero);
        Assert.Single(chain);
        restoration.Cancel();
        Assert.Equal(60_001, chain.Count);
        Assert.Same(chain[59_999], chain[60_000].TiedTo);
        live.RestoreAuthored();
        live.Restore(record);
        Assert.Same(chain[59_999], chain[60_000].TiedTo);
    }

    [Fact]
    public void Chains_of_spawned_entities_are_rolled_back_children_first()
    {
        // An engine that destroys what belongs to an object along with it, and throws if it is destroyed twice.
        static void Sink(Shoal shoal, Float one)
        {
            Assert.True(shoal.All.Remove(one), $"{one.Id} is not there");
            foreach (var tied in shoal.All.Where(other => other.TiedTo == one).ToList())
                Sink(shoal, tied);
        }

        var bindings = Shoal.Bindings(kind =>
        {
            Shoal.HasParent(kind);
            kind.Remove(Sink);
        });
        var shoal = Shoal.Of("a");
        var live = bindings.Begin(shoal);
        for (var i = 0; i < 5; i++)
        {
            var last = shoal.All[^1];
            shoal.Spawn().TiedTo = last;
        }
        var record = live.Capture();
        live.RestoreAuthored();
        Assert.Single(shoal.All);
        var restoration = live.BeginRestore(record);
        while (restoration.Progress.Phase < RestorePhase.Putting)
            restoration.Step(TimeSpan.Zero);
        Assert.Equal(6, shoal.All.Count);
        restoration.Cancel();
        Assert.Single(shoal.All);
        live.Restore(record);
        Assert.Equal(6, shoal.All.Count);
    }
}
