using Lodrik;
using Lodrik.Scenes;

namespace SceneWorlds;

/// <summary>
/// A bed of reeds: ten thousand structs in one array, of which the player cuts a few. An entity is its place in the array, wrapped with the
/// array that it is in; only what changed is saved.
/// </summary>
public static class Reeds
{
    private static readonly SceneBindings<Reed[]> Bindings = new SceneBindings<Reed[]>()
        .Kind("reed", bed => Enumerable.Range(0, bed.Length).Select(index => new ReedAt(bed, index)), reed => reed
            .Id(at => EntityId.Placed($"reed-{at.Index}"))
            .OnlyIfChanged()
            .Part("stalk", at => new Stalk(at.Value.Height, at.Value.IsCut), (at, stalk) => (at.Value.Height, at.Value.IsCut) = (stalk.Height, stalk.IsCut)));

    public static IEnumerable<string> Play()
    {
        var bed = new Reed[10_000];
        for (var i = 0; i < bed.Length; i++)
            bed[i].Height = 1 + (i % 7 * 0.1f);
        var live = Bindings.Begin(bed);
        foreach (var cut in (int[])[12, 13, 4_711])
            (bed[cut].Height, bed[cut].IsCut) = (0.2f, true);
        var record = live.Capture();
        yield return $"{record.Entities.Count} of {bed.Length} reeds in the save: {string.Join(", ", record.Entities.Select(reed => reed.Id))}";

        for (var i = 0; i < bed.Length; i++)
            bed[i].IsCut = true;
        var report = live.Restore(record);
        yield return $"cut after loading: {bed.Count(reed => reed.IsCut)}";
        yield return report.Plan.ToString();
    }

    private readonly record struct ReedAt(Reed[] Bed, int Index)
    {
        public ref Reed Value => ref Bed[Index];
    }
}

public struct Reed
{
    public float Height;
    public bool IsCut;
}

[StateType]
public partial record struct Stalk(float Height, bool IsCut);
