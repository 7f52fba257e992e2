using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>What restorations need for a moment only comes from pools: that it is shared must not be seen.</summary>
public class RoomTests
{
    [Fact]
    public void Restorations_that_take_turns_do_not_disturb_each_other()
    {
        var bindings = Bindings();
        var scenes = Enumerable.Range(0, 5).Select(number => Level(number, 40 + (number * 30))).ToList();
        var live = scenes.ConvertAll(bindings.Begin);
        var records = live.ConvertAll(one => one.Capture());
        foreach (var shoal in scenes)
            Play(shoal);
        var played = scenes.ConvertAll(Describe);

        var restorations = live.Zip(records, (one, record) => one.BeginRestore(record)).ToList();
        var other = Level(9, 70);
        var expected = Describe(other);
        var otherLive = bindings.Begin(other);
        var otherRecord = otherLive.Capture();
        for (var turn = 0; restorations.Any(one => !one.IsDone); turn++)
        {
            var at = turn % restorations.Count;
            if (!restorations[at].IsDone)
                restorations[at].Step(TimeSpan.Zero);
            // One is given up on the way, and another scene comes and goes meanwhile.
            if (at == 2 && restorations[at].Progress.Phase == RestorePhase.Referring && !restorations[at].IsDone)
                restorations[at].Cancel();
            if (turn % 40 == 0)
            {
                Play(other);
                otherLive.Restore(otherRecord);
                Assert.Equal(expected, Describe(other));
            }
        }
        for (var number = 0; number < scenes.Count; number++)
            Assert.Equal(number == 2 ? played[number] : Describe(Level(number, 40 + (number * 30))), Describe(scenes[number]));
    }

    [Fact]
    public void A_restoration_makes_hardly_any_garbage()
    {
        var shoal = Level(1, 5_000);
        var live = Bare(kind =>
        {
            Shoal.HasParent(kind);
            Shoal.HasReference(kind);
        }).Begin(shoal);
        var record = live.Capture();
        var before = 0L;
        // The first few fill the pools.
        for (var run = 0; run < 4; run++)
        {
            before = GC.GetAllocatedBytesForCurrentThread();
            live.Restore(record);
        }
        // What is left is the plan and an index, some seventy bytes for each, and what code boxes that has not been optimized yet.
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, 10_000 * 250);
    }

    [Fact]
    public void A_phase_with_little_to_do_looks_at_the_time_as_well()
    {
        var steps = StepsOf(Bare(_ => { }, shoal => shoal.All.Skip(1)).Kind("torch", shoal => shoal.All.Take(1), kind => kind
            .Id(one => one.Id)
            .Reference("leads", one => one.Leads, (one, leads) => one.Leads = leads)
            .Settled((_, _) => { })));
        Assert.InRange(steps[RestorePhase.Referring], 50, 70);
        Assert.InRange(steps[RestorePhase.Settling], 50, 70);
    }

    [Fact]
    public void A_phase_with_nothing_to_do_is_passed_over()
    {
        var steps = StepsOf(Bare(_ => { }));
        Assert.InRange(steps[RestorePhase.Putting], 4_000, 4_010);
        Assert.DoesNotContain(RestorePhase.Parenting, steps.Keys);
        Assert.DoesNotContain(RestorePhase.Referring, steps.Keys);
        Assert.InRange(steps.GetValueOrDefault(RestorePhase.Settling), 0, 1);
    }

    /// <summary>How many steps without time each phase takes.</summary>
    private static Dictionary<RestorePhase, int> StepsOf(SceneBindings<Shoal> bindings)
    {
        var live = bindings.Begin(Level(1, 2_000));
        var restoration = live.BeginRestore(live.Capture());
        var steps = new Dictionary<RestorePhase, int>();
        while (!restoration.Step(TimeSpan.Zero))
            steps[restoration.Progress.Phase] = steps.GetValueOrDefault(restoration.Progress.Phase) + 1;
        return steps;
    }

    [Fact]
    public void A_step_may_have_as_much_time_as_it_likes()
    {
        var bindings = Bindings();
        var shoal = Level(1, 50);
        var live = bindings.Begin(shoal);
        var archive = new SceneArchive();
        archive.Put("reef", Shoal.Through(live.Capture(), SaveForm.Binary));
        Play(shoal);
        Assert.True(live.BeginRestoreFrom(archive, "reef")!.Step(TimeSpan.MaxValue));
        Assert.Equal(Describe(Level(1, 50)), Describe(shoal));
        // No time at all is a step.
        Play(shoal);
        var restoration = live.BeginRestoreFrom(archive, "reef")!;
        while (!restoration.Step(TimeSpan.FromMilliseconds(-5)))
        {
        }
        Assert.Equal(Describe(Level(1, 50)), Describe(shoal));
    }

    private static SceneBindings<Shoal> Bindings() => Shoal.Bindings(kind =>
    {
        Shoal.HasParent(kind);
        Shoal.HasReference(kind);
    });

    private static SceneBindings<Shoal> Bare(
        Action<KindBinding<Shoal, Float>> more, Func<Shoal, IEnumerable<Float>>? which = null) =>
        new SceneBindings<Shoal>().SpawnNumbers(one => one.Numbers).Kind("float", which ?? (one => one.All), kind => more(kind
            .Id(one => one.Id)
            .Spawn((scene, id) => scene.Add(new Float(id)))
            .Remove((scene, one) => scene.All.Remove(one))));

    private static Shoal Level(int number, int count)
    {
        var shoal = Shoal.Of([.. Enumerable.Range(0, count).Select(i => $"float-{number}-{i}")]);
        for (var i = 0; i < count; i++)
            shoal.Spawn().At = new Vector2(number, i);
        for (var i = 1; i < 2 * count; i++)
            (shoal.All[i].TiedTo, shoal.All[i].Leads) = (shoal.All[i / 2], shoal.All[i * 7 % count]);
        return shoal;
    }

    private static void Play(Shoal shoal)
    {
        for (var i = 0; i < shoal.All.Count; i++)
            (shoal.All[i].At, shoal.All[i].TiedTo, shoal.All[i].Leads) = (new Vector2(-1, i), null, shoal.All[0]);
        shoal.All.RemoveRange(shoal.All.Count / 3, shoal.All.Count / 4);
        for (var i = 0; i < 7; i++)
            shoal.Spawn().Leads = shoal.All[i];
    }

    private static List<string> Describe(Shoal shoal) =>
        [.. shoal.All.OrderBy(one => one.Id).Select(one => $"{one.Id} {one.At} {one.TiedTo?.Id} {one.Leads?.Id}")];
}
