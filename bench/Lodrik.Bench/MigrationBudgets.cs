using System.Diagnostics;
using System.Numerics;
using Lodrik.Migrations;
using Lodrik.Scenes;

namespace Lodrik.Bench;

/// <summary>What it costs to bring a large scene up ten versions, against loading it as it is.</summary>
internal static class MigrationBudgets
{
    private const int Count = 100_000;

    private static readonly SceneBindings<List<Buoy>> Bindings = new SceneBindings<List<Buoy>>()
        .OwnNumbers()
        .Kind("buoy", scene => scene, buoy => buoy
            .Id(one => one.Id)
            .Placement(one => new Placement2D(one.At), (one, place) => one.At = place.Position)
            .Part("wear", one => new Wear(one.Used), (one, wear) => one.Used = wear.Used)
            .Spawn((scene, id) => Add(scene, new Buoy(id)))
            .Remove((scene, one) => scene.Remove(one)));

    /// <summary>Ten steps that each touch every entity, and leave them as they were.</summary>
    private static readonly MigrationChain Steps = Enumerable.Range(1, 10).Aggregate(new MigrationChain(), (chain, version) => chain.From(version, step => step
        .ForEachPart("buoy", "wear", wear => wear.Rename(version % 2 == 1 ? "/used" : "/use", version % 2 == 1 ? "use" : "used"))));

    /// <summary>A step on a section beside the scene.</summary>
    private static readonly MigrationChain Beside = Enumerable.Range(1, 10).Aggregate(new MigrationChain(), (chain, version) => chain.From(version, step => step
        .Convert("/tally", "counts the steps", tally => tally.AsInt64() + 1)));

    public static IEnumerable<BudgetLine> Lines()
    {
        var scene = Enumerable.Range(1, Count).Select(i => new Buoy(EntityId.Spawned(i)) { At = new Vector2(i, -i), Used = i }).ToList();
        var (older, today) = (new BuoysV1(), new Buoys());
        var live = Bindings.Begin(scene);
        live.CaptureTo(older.Scenes, "sea");
        live.CaptureTo(today.Scenes, "sea");
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            var (old, now) = (StateFile.ToBytes(older, form), StateFile.ToBytes(today, form));
            var (all, beside, unmigrated) = (new List<double>(), new List<double>(), new List<double>());
            for (var run = 0; run < 7; run++)
            {
                Measure(all, () => Load(Steps.FromBytes<Buoys>(old)));
                Measure(beside, () => Load(Beside.FromBytes<Buoys>(old)));
                Measure(unmigrated, () => Load(StateFile.FromBytes<Buoys>(now)));
            }
            // The design sets no budget for this one. In binary, a table that is quick to load has to be taken apart for it.
            yield return BudgetLine.Of($"{form.DisplayName()}: {Count:N0} entities through ten steps / loaded unmigrated (ms)", Median(all), Median(unmigrated), form == SaveForm.Binary ? 40 : 10);
            yield return BudgetLine.Of($"{form.DisplayName()}: ten steps beside {Count:N0} entities / loaded unmigrated (ms)", Median(beside), Median(unmigrated), 1.1);
        }
    }

    private static void Load(Buoys save)
    {
        if (save.Scenes.Get("sea", Bindings.Types)!.Entities.Count != Count)
            throw new InvalidOperationException("Entities are missing.");
    }

    private static void Measure(List<double> times, Action act)
    {
        GC.Collect();
        var started = Stopwatch.GetTimestamp();
        act();
        times.Add(Stopwatch.GetElapsedTime(started).TotalMilliseconds);
    }

    private static double Median(List<double> times)
    {
        times.Sort();
        return times[times.Count / 2];
    }

    private static Buoy Add(List<Buoy> scene, Buoy buoy)
    {
        scene.Add(buoy);
        return buoy;
    }

    private sealed class Buoy(EntityId id)
    {
        public EntityId Id { get; } = id;

        public Vector2 At { get; set; }

        public int Used { get; set; }
    }
}

/// <summary>The save of the first of eleven versions.</summary>
[SaveFile("buoys", Version = 1)]
public sealed partial class BuoysV1
{
    public SceneArchive Scenes { get; set; } = new();

    public int Tally { get; set; }
}

/// <summary>The same save of today.</summary>
[SaveFile("buoys", Version = 11)]
public sealed partial class Buoys
{
    public SceneArchive Scenes { get; set; } = new();

    public int Tally { get; set; }
}
