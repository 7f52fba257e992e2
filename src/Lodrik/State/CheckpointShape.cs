namespace Lodrik.State;

/// <summary>A checkpoint unchanged in a save.</summary>
[StateType]
internal sealed partial class CheckpointState
{
    public int Order { get; set; }

    public string Scene { get; set; } = "";

    public string Entrance { get; set; } = "";

    public TimeSpan Played { get; set; }

    public SaveValue Sections { get; set; } = SaveValue.Null;
}

/// <summary>
/// How a checkpoint is told from other sections by those who do not know the game's types: it has the sections of a whole save in it.
/// </summary>
internal static class CheckpointShape
{
    /// <summary>What the name of such a section begins with, after its group's.</summary>
    public const string Prefix = "checkpoint ";

    /// <summary>The key of the sections within it.</summary>
    public const string Sections = "sections";

    private static readonly string[] Keys = ["order", "scene", "entrance", "played", Sections];

    public static bool IsName(string section) =>
        section.IndexOf('/', StringComparison.Ordinal) is > 0 and var slash
            && section.AsSpan(slash + 1).StartsWith(Prefix, StringComparison.Ordinal);

    /// <summary>The sections within it; null if it is none.</summary>
    public static SaveMap? SectionsOf(SaveValue tree) =>
        tree is SaveMap map && map.Keys.All(Keys.Contains) && map.TryGet(Sections, out var sections) ? sections as SaveMap : null;
}
