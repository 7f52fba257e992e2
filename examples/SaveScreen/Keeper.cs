using Lodrik;

namespace SaveScreen;

/// <summary>The game's state: one evening of a beacon keeper.</summary>
[SaveFile("evening-round")]
public sealed partial class Round
{
    public Keeper Keeper { get; set; } = new();
}

/// <summary>The keeper.</summary>
[StateType]
public sealed partial class Keeper
{
    public string Place { get; set; } = "the sluice house";
    public int Oil { get; set; } = 12;
    public List<string> BeaconsLit { get; set; } = [];
    public TimeSpan Played { get; set; }
}
