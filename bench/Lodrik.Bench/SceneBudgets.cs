using System.Diagnostics;
using System.Globalization;
using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Bench;

/// <summary>What capturing and restoring a scene cost for each entity, at three sizes.</summary>
internal static class SceneBudgets
{
    private static readonly SceneBindings<List<Thing>> Bindings = new SceneBindings<List<Thing>>()
        .OwnNumbers()
        .Kind("thing", scene => scene, thing => thing
            .Id(one => one.Id)
            .Placement(one => new Placement2D(one.At), (one, place) => one.At = place.Position)
            .Part("wear", one => new Wear(one.Used), (one, wear) => one.Used = wear.Used)
            .Spawn((scene, id) => Add(scene, new Thing(id)))
            .Remove((scene, one) => scene.Remove(one)));

    private static readonly SceneBindings<List<Thing>> Sparse = new SceneBindings<List<Thing>>()
        .OwnNumbers()
        .Kind("thing", scene => scene, thing => thing
            .Id(one => one.Id)
            .OnlyIfChanged()
            .Placement(one => new Placement2D(one.At), (one, place) => one.At = place.Position)
            .Part("wear", one => new Wear(one.Used), (one, wear) => one.Used = wear.Used)
            .Spawn((scene, id) => Add(scene, new Thing(id)))
            .Remove((scene, one) => scene.Remove(one)));

    // In games like this the position of what belongs to something and refers to something else is saved too.
    private static readonly SceneBindings<List<Thing>> Linked = new SceneBindings<List<Thing>>()
        .OwnNumbers()
        .Kind("thing", scene => scene, thing => thing
            .Id(one => one.Id)
            .Parent(one => one.On, (one, parent) => one.On = parent)
            .Reference("next", one => one.Next, (one, next) => one.Next = next)
            .Placement(one => new Placement2D(one.At), (one, place) => one.At = place.Position)
            .Part("wear", one => new Wear(one.Used), (one, wear) => one.Used = wear.Used)
            .Spawn((scene, id) => Add(scene, new Thing(id)))
            .Remove((scene, one) => scene.Remove(one)));

    public static IEnumerable<BudgetLine> Lines()
    {
        var perEntity = new List<(int Count, double Capture, double Restore)>();
        foreach (var count in (int[])[1_000, 10_000, 100_000])
        {
            var (capture, restore) = Measure(count, Bindings, Author(count));
            perEntity.Add((count, capture, restore));
            yield return BudgetLine.Of($"capture of {count:N0} entities of two parts / 0.5 (us each)", capture, 0.5, 1);
            yield return BudgetLine.Of($"restoration of {count:N0} entities of two parts / 0.6 (us each)", restore, 0.6, 1);
        }
        yield return BudgetLine.Of("capture, an entity of 100,000 / one of 10,000 (us)", perEntity[2].Capture, perEntity[1].Capture, 1.3);
        yield return BudgetLine.Of("restoration, an entity of 100,000 / one of 10,000 (us)", perEntity[2].Restore, perEntity[1].Restore, 1.3);

        var (linkedCapture, linkedRestore) = Measure(100_000, Linked, Link(Author(100_000)));
        yield return BudgetLine.Of("capture of 100,000 with a parent and a reference / 2 (us each)", linkedCapture, 2, 1);
        yield return BudgetLine.Of("restoration of 100,000 with a parent and a reference / 2 (us each)", linkedRestore, 2, 1);
        foreach (var line in Declared())
            yield return line;

        var (steps, idle) = Steps(200_000);
        yield return BudgetLine.Of("longest step of 2 ms, restoring 200,000 / of a loop that does nothing (ms)", steps[^1], idle[^1], 1.5);
        yield return BudgetLine.Of(
            "99 % of the steps of 2 ms take at most / those of a loop that does nothing (ms)", At99(steps), At99(idle), 1.5);

        var things = Author(50_000, spawned: false);
        var live = Sparse.Begin(things);
        for (var i = 0; i < 200; i++)
            things[i * 250].Used = i + 1;
        var save = new SceneSave();
        live.CaptureTo(save.Scenes, "marsh");
        var all = new SceneSave();
        Bindings.Begin(things).CaptureTo(all.Scenes, "marsh");
        yield return BudgetLine.Of(
            "save of 50,000 of which 200 changed / with all (KB)", StateFile.ToBytes(save, SaveForm.Binary).Length / 1e3, StateFile.ToBytes(all, SaveForm.Binary).Length / 1e3, 0.02);
    }

    /// <summary>
    /// The same scenes, declared. Against getters and setters each is measured in a process of its own: code that both share is compiled for
    /// the one that runs first, and a game has one of them.
    /// </summary>
    private static IEnumerable<BudgetLine> Declared()
    {
        var (bound, declared, linked) = (Alone("bound"), Alone("declared"), Alone("linked"));
        yield return BudgetLine.Of("capture of 10,000, declared / half of 0.8 (us each)", declared.Capture, 0.4, 1);
        yield return BudgetLine.Of("restoration of 10,000, declared / half of 0.8 (us each)", declared.Restore, 0.4, 1);
        yield return BudgetLine.Of("capture of 10,000, declared / by getters and setters (us each)", declared.Capture, bound.Capture, 1);
        yield return BudgetLine.Of("restoration of 10,000, declared / by getters and setters (us each)", declared.Restore, bound.Restore, 1);
        yield return BudgetLine.Of("capture of 100,000 linked, declared / 2 (us each)", linked.Capture, 2, 1);
        yield return BudgetLine.Of("restoration of 100,000 linked, declared / 2 (us each)", linked.Restore, 2, 1);

        var live = LiveScene.Begin(SparseScene.Of(50_000));
        var record = live.Capture();
        live.Restore(record);
        var before = GC.GetAllocatedBytesForCurrentThread();
        record = live.Capture();
        yield return BudgetLine.Of(
            "capture of an unchanged entity of 50,000, declared / 1 (bytes allocated)", (GC.GetAllocatedBytesForCurrentThread() - before) / 50_000.0, 1, 1);
        before = GC.GetAllocatedBytesForCurrentThread();
        live.Restore(record);
        yield return BudgetLine.Of(
            "restoration of an unchanged entity of 50,000, declared / 1 (bytes allocated)", (GC.GetAllocatedBytesForCurrentThread() - before) / 50_000.0, 1, 1);
    }

    /// <summary>Measures one scene, for another process, and prints the two figures.</summary>
    public static void MeasureAlone(string which)
    {
        var (capture, restore) = which switch
        {
            "bound" => Measure(10_000, Bindings, Author(10_000)),
            "declared" => Measure(10_000, LiveScene.Begin(DeclaredScene.Of(10_000))),
            _ => Measure(100_000, LiveScene.Begin(LinkedScene.Of(100_000))),
        };
        Console.WriteLine(FormattableString.Invariant($"{capture} {restore}"));
    }

    private static (double Capture, double Restore) Alone(string which)
    {
        using var process = Process.Start(new ProcessStartInfo(Environment.ProcessPath!, [Environment.GetCommandLineArgs()[0], "scene", which])
        {
            RedirectStandardOutput = true,
        })!;
        var printed = process.StandardOutput.ReadToEnd().Split(' ');
        process.WaitForExit();
        return (double.Parse(printed[0], CultureInfo.InvariantCulture), double.Parse(printed[1], CultureInfo.InvariantCulture));
    }

    private static List<Thing> Link(List<Thing> things)
    {
        for (var i = 1; i < things.Count; i++)
            (things[i].On, things[i].Next) = (things[i / 8], things[(i * 7919) % things.Count]);
        return things;
    }

    private static double Idle()
    {
        var started = Stopwatch.GetTimestamp();
        while (Stopwatch.GetElapsedTime(started).TotalMilliseconds < 2)
        {
        }
        return Stopwatch.GetElapsedTime(started).TotalMilliseconds;
    }

    private static double At99(List<double> steps) => steps[steps.Count * 99 / 100];

    /// <summary>
    /// Restores a scene that was built anew and lacks half of what was spawned, in slices of 2 ms. A loop that only looks at the clock for
    /// 2 ms shows what the machine adds. Gives the lengths of both, the longest last.
    /// </summary>
    private static (List<double> Steps, List<double> Idle) Steps(int count)
    {
        var save = new SceneSave();
        var things = Link(Author(count));
        Linked.Begin(things).CaptureTo(save.Scenes, "marsh");
        var archive = StateFile.FromBytes<SceneSave>(StateFile.ToBytes(save, SaveForm.Binary)).Scenes;
        var (steps, idle) = (new List<double>(), new List<double>());
        for (var run = 0; run < 4; run++)
        {
            var fresh = Link(Author(count).FindAll(one => !one.Id.IsSpawned || one.Id.Number % 4 == 1));
            var live = Linked.Begin(fresh);
            GC.Collect();
            for (var step = 0; step < 200; step++)
                idle.Add(Idle());
            var restoration = live.BeginRestoreFrom(archive, "marsh")!;
            var isDone = false;
            while (!isDone)
            {
                var pause = GC.GetTotalPauseDuration();
                var started = Stopwatch.GetTimestamp();
                isDone = restoration.Step(TimeSpan.FromMilliseconds(2));
                if (restoration.Progress.Done == 0)
                {
                    // The save is still being read in the background.
                    Thread.Sleep(1);
                    continue;
                }
                if (run > 0)
                    steps.Add(Stopwatch.GetElapsedTime(started).TotalMilliseconds);
                if (Environment.GetEnvironmentVariable("LODRIK_STEPS") is not null && run > 0 && steps[^1] > 3)
                    Console.WriteLine($"{steps[^1]:F2} ms in {restoration.Progress} gc {(GC.GetTotalPauseDuration() - pause).TotalMilliseconds:F1}");
            }
        }
        steps.Sort();
        idle.Sort();
        return (steps, idle);
    }

    private static (double Capture, double Restore) Measure(int count, SceneBindings<List<Thing>> bindings, List<Thing> things) =>
        Measure(count, bindings.Begin(things));

    private static (double Capture, double Restore) Measure<TScene>(int count, LiveScene<TScene> live)
    {
        var record = live.Capture();
        var (capture, restore) = (new List<double>(), new List<double>());
        for (var warm = Stopwatch.GetTimestamp(); Stopwatch.GetElapsedTime(warm) < TimeSpan.FromSeconds(1.5);)
        {
            live.Capture();
            live.Restore(record);
        }
        var (pause, gen2, wall) = (GC.GetTotalPauseDuration(), GC.CollectionCount(2), Stopwatch.GetTimestamp());
        for (var run = 0; run < (count < 50_000 ? 60 : 15); run++)
        {
            var started = Stopwatch.GetTimestamp();
            live.Capture();
            capture.Add(Stopwatch.GetElapsedTime(started).TotalMicroseconds / count);
            started = Stopwatch.GetTimestamp();
            var report = live.Restore(record);
            if (run == 9 && Environment.GetEnvironmentVariable("LODRIK_STEPS") is not null)
                Console.WriteLine(report);
            restore.Add(Stopwatch.GetElapsedTime(started).TotalMicroseconds / count);
        }
        if (Environment.GetEnvironmentVariable("LODRIK_STEPS") is not null)
            Console.WriteLine($"pause {(GC.GetTotalPauseDuration() - pause).TotalMilliseconds} of {Stopwatch.GetElapsedTime(wall).TotalMilliseconds} gen2 {GC.CollectionCount(2) - gen2}");
        return (Median(capture), Median(restore));
    }

    /// <summary>Captures a scene of 100,000, for a profiler to watch.</summary>
    public static Action Capturing()
    {
        var live = Bindings.Begin(Author(100_000));
        return () => live.Capture();
    }

    /// <summary>Restores a scene of 100,000, for a profiler to watch.</summary>
    public static Action Restoring()
    {
        var live = Bindings.Begin(Author(100_000));
        var record = live.Capture();
        return () => live.Restore(record);
    }

    private static double Median(List<double> times)
    {
        times.Sort();
        return times[times.Count / 2];
    }

    private static List<Thing> Author(int count, bool spawned = true) =>
        [.. Enumerable.Range(1, count).Select(i => new Thing(i % 2 == 0 || !spawned ? EntityId.Placed($"thing-{i:D6}") : EntityId.Spawned(i)) { At = new Vector2(i, -i) })];

    private static Thing Add(List<Thing> scene, Thing thing)
    {
        scene.Add(thing);
        return thing;
    }

    private sealed class Thing(EntityId id)
    {
        public EntityId Id { get; } = id;

        public Vector2 At { get; set; }

        public Thing? On { get; set; }

        public Thing? Next { get; set; }

        public int Used { get; set; }
    }
}

/// <summary>How worn a thing is.</summary>
[StateType]
public partial record struct Wear(int Used);

/// <summary>A save that has scenes only.</summary>
[SaveFile("scenes-only")]
public sealed partial class SceneSave
{
    public SceneArchive Scenes { get; set; } = new();
}
