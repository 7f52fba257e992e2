using System.Globalization;
using System.Text;

namespace Lodrik.Scenes;

/// <summary>What a restoration does with one entity.</summary>
public enum RestoreAction
{
    /// <summary>It is there, and gets the parts of the save.</summary>
    Update,

    /// <summary>It was spawned or brought into the scene before the save, and is created again.</summary>
    Spawn,

    /// <summary>It was placed and has been removed since the save; it is created again.</summary>
    BringBack,

    /// <summary>It came since the save, or it was placed and is gone in the save; it is removed.</summary>
    Remove,

    /// <summary>
    /// The save does not mention it: the designer placed it after the save was made, or it had not changed. It is put as the designer left
    /// it.
    /// </summary>
    AsAuthored,

    /// <summary>The game has no such kind; it is kept, and goes into the next save.</summary>
    UnknownKind,

    /// <summary>The designer has taken it out of the scene; it is kept, and goes into the next save.</summary>
    TakenOut,

    /// <summary>It would have to be created or removed, and its kind does not say how.</summary>
    Stuck,
}

/// <summary>One line of a plan.</summary>
/// <param name="Id">The entity.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Action">What happens to it.</param>
/// <param name="Reason">Why, in words.</param>
public readonly record struct RestoreStep(EntityId Id, string Kind, RestoreAction Action, string Reason);

/// <summary>What a restoration is going to do, made before anything is touched.</summary>
public sealed class RestorePlan
{
    private const int MostLines = 40;

    private readonly int[] _counts = new int[Enum.GetValues<RestoreAction>().Length];
    private readonly BlockList<RestoreStep> _steps = new();
    private readonly List<string> _warnings = [];

    internal RestorePlan()
    {
    }

    /// <summary>
    /// What happens to each entity, of the save and of the live scene. Those that a save leaves out because they are as the designer left
    /// them (<c>OnlyIfChanged</c>) are counted only.
    /// </summary>
    public IReadOnlyList<RestoreStep> Steps => _steps;

    /// <summary>What in the save does not hold together and is passed over, such as a parent that is not there.</summary>
    public IReadOnlyList<string> Warnings => _warnings;

    internal void Add(EntityId id, string kind, RestoreAction action, string reason)
    {
        _steps.Add(new RestoreStep(id, kind, action, reason));
        _counts[(int)action]++;
    }

    /// <summary>Counts an entity that is not in the save because it is as the designer left it.</summary>
    internal void CountUnchanged() => _counts[(int)RestoreAction.AsAuthored]++;

    internal void AddWarning(string warning) => _warnings.Add(warning);

    /// <summary>How many entities something happens to.</summary>
    public int Count(RestoreAction action) => _counts[(int)action];

    /// <summary>The entities that something happens to, as <see cref="Steps"/> has them.</summary>
    public IEnumerable<RestoreStep> Of(RestoreAction action) => Steps.Where(step => step.Action == action);

    /// <summary>
    /// The plan in words, as <see cref="Print"/> has it with at most 40 lines for what happens and as many for the warnings.
    /// </summary>
    public override string ToString() => Print(MostLines);

    /// <summary>The plan in words: a line of counts, then a line for every entity that is not simply updated, and every warning.</summary>
    /// <param name="lines">How many lines of each there are at most.</param>
    public string Print(int lines = int.MaxValue)
    {
        var text = new StringBuilder();
        text.AppendJoin(", ",
            Enum.GetValues<RestoreAction>().Where(action => Count(action) > 0).Select(action => $"{Describe(action)} {Count(action)}"));
        if (_counts.Sum() == 0)
            text.Append("nothing to do");
        // What stays as it was authored is the normal case of a large scene, and is counted only.
        Append(text, lines, [.. Steps.Where(step => step.Action is not (RestoreAction.Update or RestoreAction.AsAuthored))
            .Take(lines > MostLines ? lines : lines + 1)
            .Select(step => $"{Describe(step.Action)} {step.Kind} {step.Id}: {step.Reason}")],
                _counts.Sum() - Count(RestoreAction.Update) - Count(RestoreAction.AsAuthored));
        Append(text, lines, [.. Warnings.Take(lines).Select(warning => $"warning: {warning}")], Warnings.Count);
        return text.ToString();
    }

    private static void Append(StringBuilder text, int most, List<string> lines, int count)
    {
        foreach (var line in lines.Take(most))
            text.AppendLine().Append("  ").Append(line);
        if (count > most)
            text.AppendLine().Append(CultureInfo.InvariantCulture, $"  … {count - most} more");
    }

    private static string Describe(RestoreAction action) => action switch
    {
        RestoreAction.Update => "update",
        RestoreAction.Spawn => "spawn",
        RestoreAction.BringBack => "bring back",
        RestoreAction.Remove => "remove",
        RestoreAction.AsAuthored => "as authored",
        RestoreAction.UnknownKind => "unknown kind",
        RestoreAction.TakenOut => "taken out",
        _ => "stuck",
    };
}

/// <summary>Where a restoration is, in this order.</summary>
public enum RestorePhase
{
    /// <summary>It is found out what has to be done. Nothing is touched.</summary>
    Planning,

    /// <summary>The screen is covered.</summary>
    CurtainDown,

    /// <summary>What is there is taken down, to restore it should anything fail.</summary>
    Remembering,

    /// <summary>What is not in the save is removed.</summary>
    Removing,

    /// <summary>What is in the save and not there is created, parents first.</summary>
    Spawning,

    /// <summary>It is checked that what was removed is gone, and that nothing is there twice.</summary>
    Checking,

    /// <summary>Everything gets what it belongs to.</summary>
    Parenting,

    /// <summary>Everything gets its parts.</summary>
    Putting,

    /// <summary>Everything gets what it refers to.</summary>
    Referring,

    /// <summary>The engine gets the frames that it needs for what was spawned.</summary>
    Waiting,

    /// <summary>Everything is there, and the game does what follows from it.</summary>
    Settling,

    /// <summary>The screen is uncovered.</summary>
    CurtainUp,

    /// <summary>All is done.</summary>
    Done,
}

/// <summary>How far a restoration has got.</summary>
/// <param name="Phase">What is being done.</param>
/// <param name="Done">How many of all single steps are done.</param>
/// <param name="Total">How many there are; more than enough until the plan is made.</param>
public readonly record struct RestoreProgress(RestorePhase Phase, int Done, int Total);

/// <summary>The time that a phase of a restoration took.</summary>
/// <param name="Phase">The phase.</param>
/// <param name="Time">Its time, the game's own callbacks included.</param>
public readonly record struct PhaseTime(RestorePhase Phase, TimeSpan Time);

/// <summary>What a restoration did.</summary>
/// <param name="Plan">The plan that was carried out; what could not be done is in it as stuck, and why.</param>
/// <param name="Planning">The time the plan took.</param>
/// <param name="Acting">The time the rest took, the game's own callbacks included.</param>
/// <param name="Phases">The time that each phase took.</param>
public sealed record RestoreReport(
    RestorePlan Plan, TimeSpan Planning, TimeSpan Acting, IReadOnlyList<PhaseTime> Phases)
{
    /// <summary>The plan in words, and below it the time of each phase.</summary>
    public override string ToString() => string.Create(
        CultureInfo.InvariantCulture,
        $"{Plan}{Environment.NewLine}  planned in {Planning.TotalMilliseconds:F2} ms; "
            + $"{string.Join(", ", Phases.Select(one =>
                string.Create(CultureInfo.InvariantCulture, $"{Describe(one.Phase)} {one.Time.TotalMilliseconds:F2} ms")))}");

    private static string Describe(RestorePhase phase) => phase switch
    {
        RestorePhase.CurtainDown => "curtain down",
        RestorePhase.CurtainUp => "curtain up",
        _ => phase.ToString().ToLowerInvariant(),
    };
}
