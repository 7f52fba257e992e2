using Lodrik.Codes;
using Lodrik.Scenes;
using Lodrik.State;
using Tidewarden;

namespace Sequel;

/// <summary>What the player takes along from Tidewarden into its sequel. The generator makes the layout of its codes: <c>Journey.CodeLayout</c>.</summary>
[TransferCode("tidewarden-journey")]
public sealed partial class Journey
{
    /// <summary>The beacons of the marsh that were lit.</summary>
    [InCode("beacon-1", "beacon-2", "beacon-3", "beacon-4", "beacon-5")]
    public HashSet<EntityId> MarshBeacons { get; } = [];

    /// <summary>The beacons of the harbour that were lit.</summary>
    [InCode("beacon-1", "beacon-2", "beacon-3", "beacon-4")]
    public HashSet<EntityId> HarbourBeacons { get; } = [];

    /// <summary>The oil cans of the marsh that were taken.</summary>
    [InCode("oil-1", "oil-2", "oil-3", "oil-4", "oil-5", "oil-6")]
    public HashSet<EntityId> CansTaken { get; } = [];

    [InCode(1, 90)]
    public int Day { get; set; } = 1;

    [InCode]
    public Tide Tide { get; set; }

    [InCode(0, 40)]
    public int LettersDelivered { get; set; }

    /// <summary>Litres.</summary>
    [InCode(0, 30)]
    public int Oil { get; set; }

    /// <summary>What a save of Tidewarden has of it.</summary>
    public static Journey Of(TidewardenSave save)
    {
        var (marsh, harbour) = (save.Scenes.Get("marsh")!, save.Scenes.Get("harbour"));
        var journey = new Journey
        {
            Day = Math.Min(save.Season.Day, 90),
            Tide = save.Season.Tide,
            LettersDelivered = Math.Min(save.Season.Tally.LettersDelivered, 40),
            Oil = Math.Min(save.Warden.Oil, 30),
        };
        journey.MarshBeacons.UnionWith(Lit(marsh));
        journey.HarbourBeacons.UnionWith(harbour is null ? [] : Lit(harbour));
        journey.CansTaken.UnionWith(marsh.Gone.Where(id => id.Name!.StartsWith("oil-", StringComparison.Ordinal)));
        return journey;
    }

    private static IEnumerable<EntityId> Lit(SceneRecord scene)
    {
        foreach (var entity in scene.Entities)
        {
            if (entity.Kind == "beacon" && scene.TryGetPart<SaveValue>(entity.Id, "flame", out var flame) && ((SaveMap)flame)["lit"].AsBool())
                yield return entity.Id;
        }
    }
}
