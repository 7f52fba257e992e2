using Lodrik.Codes;
using Lodrik.Scenes;

namespace Tidewarden.Play;

/// <summary>What a player takes to another machine on a slip of paper: the marsh and the season, not where everything drifts.</summary>
[TransferCode("tidewarden-night")]
public sealed partial class NightCode
{
    [InCode("beacon-1", "beacon-2", "beacon-3", "beacon-4", "beacon-5")]
    public HashSet<EntityId> Lit { get; } = [];
    [InCode("oil-1", "oil-2", "oil-3", "oil-4", "oil-5", "oil-6", "oil-7")]
    public HashSet<EntityId> Taken { get; } = [];
    [InCode(1, 99)]
    public int Day { get; set; } = 1;
    [InCode]
    public Tide Tide { get; set; }
    [InCode(0, 30)]
    public int Oil { get; set; }
    [InCode(0, 99)]
    public int LettersDelivered { get; set; }

    /// <summary>The code of a night in the marsh.</summary>
    public static string Of(Night night)
    {
        var code = new NightCode
        {
            Day = Math.Min(night.Season.Day, 99),
            Tide = night.Season.Tide,
            Oil = Math.Min(night.Warden.Oil, 30),
            LettersDelivered = Math.Min(night.Season.Tally.LettersDelivered, 99),
        };
        var authored = Scene.Author(Scene.Scenes.Marsh);
        code.Lit.UnionWith(night.Scene.Beacons.Where(one => one.Lit).Select(one => EntityId.Placed(one.Name)));
        code.Taken.UnionWith(authored.OilCans.Select(one => one.Name).Except(night.Scene.OilCans.Select(one => one.Name)).Select(EntityId.Placed));
        return CodeLayout.ToText(code);
    }

    /// <summary>Begins a night as a code says.</summary>
    public static void Begin(Night night, string text)
    {
        var code = CodeLayout.FromText(text).State;
        night.Begin();
        (night.Season.Day, night.Season.Tide, night.Warden.Oil) = (code.Day, code.Tide, code.Oil);
        night.Season.Tally.LettersDelivered = code.LettersDelivered;
        foreach (var beacon in night.Scene.Beacons)
            beacon.Lit = code.Lit.Contains(EntityId.Placed(beacon.Name));
        night.Scene.OilCans.RemoveAll(can => code.Taken.Contains(EntityId.Placed(can.Name)));
    }
}
