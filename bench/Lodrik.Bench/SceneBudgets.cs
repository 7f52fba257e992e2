using System.Diagnostics;
using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Bench;

/// <summary>What capturing and restoring a scene cost for each entity, at three sizes.</summary>
internal static class SceneBudgets
{
    private static readonly SceneBindings<List<Thing>> Bindings = new SceneBindings<List<Thing>>()
        .Kind("thing", scene => scene, thing => thing
            .Id(one => one.Id)
            .Placement(one => new Placement2D(one.At), (one, place) => one.At = place.Position)
            .Part("wear", one => new Wear(one.Used), (one, wear) => one.Used = wear.Used)
            .Spawn((scene, id) => Add(scene, new Thing(id)))
            .Remove((scene, one) => scene.Remove(one)));

    private static readonly SceneBindings<List<Thing>> Sparse = new SceneBindings<List<Thing>>()
        .Kind("thing", scene => scene, thing => thing
            .Id(one => one.Id)
            .OnlyIfChanged()
            .Placement(one => new Placement2D(one.At), (one, place) => one.At = place.Position)
            .Part("wear", one => new Wear(one.Used), (one, wear) => one.Used = wear.Used)
            .Spawn((scene, id) => Add(scene, new Thing(id)))
            .Remove((scene, one) => scene.Remove(one)));

    public static IEnumerable<BudgetLine> Lines()
    {
        var perEntity = new List<(int Count, double Capture, double Restore)>();
        foreach (var count in (int[])[1_000, 10_000, 100_000])
        {
            var (capture, restore) = Measure(count);
            perEntity.Add((count, capture, restore));
            yield return BudgetLine.Of($"capture of {count:N0} entities of two parts / 1 (us each)", capture, 1, 1);
            yield return BudgetLine.Of($"restoration of {count:N0} entities of two parts / 1 (us each)", restore, 1, 1);
        }
        yield return BudgetLine.Of("restoration, an entity of 100,000 / one of 10,000 (us)", perEntity[2].Restore, perEntity[1].Restore, 1.6);

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

    private static (double Capture, double Restore) Measure(int count)
    {
        var things = Author(count);
        var live = Bindings.Begin(things);
        var record = live.Capture();
        var (capture, restore) = (new List<double>(), new List<double>());
        for (var warm = Stopwatch.GetTimestamp(); Stopwatch.GetElapsedTime(warm) < TimeSpan.FromSeconds(1.5);)
        {
            live.Capture();
            live.Restore(record);
        }
        for (var run = 0; run < (count < 50_000 ? 60 : 15); run++)
        {
            var started = Stopwatch.GetTimestamp();
            live.Capture();
            capture.Add(Stopwatch.GetElapsedTime(started).TotalMicroseconds / count);
            started = Stopwatch.GetTimestamp();
            live.Restore(record);
            restore.Add(Stopwatch.GetElapsedTime(started).TotalMicroseconds / count);
        }
        return (Median(capture), Median(restore));
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
