using Lodrik;

namespace SaveScreen;

/// <summary>The game's state: one evening of a beacon keeper.</summary>
[SaveFile("evening-round")]
public sealed partial class Round
{
    public Keeper Keeper { get; set; } = new();

    public override string ToString() =>
        $"at {Keeper.Place}, {Keeper.Oil} litres of oil, lit: {(Keeper.BeaconsLit.Count > 0 ? string.Join(", ", Keeper.BeaconsLit) : "nothing yet")}";

    /// <summary>What the save screen shows of a save that is made now.</summary>
    public SaveLabel Label() => new()
    {
        Title = SaveLabel.TitleOf($"At {Keeper.Place}", Keeper.BeaconsLit.Count > 0 ? $"{Keeper.BeaconsLit.Count} lit" : null),
        Played = Keeper.Played,
        Summary = [new("oil", Keeper.Oil), new("beacons", Keeper.BeaconsLit.Count)],
        Thumbnail = MarshPicture.Of(Keeper),
    };
}

/// <summary>The keeper.</summary>
[StateType]
public sealed partial class Keeper
{
    public string Place { get; set; } = "the sluice house";
    public int Oil { get; set; } = 12;
    public List<string> BeaconsLit { get; set; } = [];
    public TimeSpan Played { get; set; }

    public void Light(string beacon)
    {
        BeaconsLit.Add(beacon);
        (Place, Oil, Played) = ($"the {beacon}", Oil - 2, Played + TimeSpan.FromMinutes(7));
    }
}
