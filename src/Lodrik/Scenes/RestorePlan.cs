using System.Text;

namespace Lodrik;

/// <summary>What a restoration does with one entity.</summary>
public enum RestoreAction
{
    /// <summary>It is there, and gets the parts of the save.</summary>
    Update,

    /// <summary>It was spawned before the save, and is created again.</summary>
    Spawn,

    /// <summary>It was placed and has been removed since the save; it is created again.</summary>
    BringBack,

    /// <summary>It was spawned since the save, or it was placed and is gone in the save; it is removed.</summary>
    Remove,

    /// <summary>The designer placed it after the save was made, so the save does not know it; it stays as it is.</summary>
    LeaveAlone,

    /// <summary>The game has no such kind; it is kept, and goes into the next save.</summary>
    UnknownKind,

    /// <summary>It would have to be created or removed, and its kind does not say how.</summary>
    Stuck,
}

/// <summary>One line of a plan.</summary>
/// <param name="Id">The entity.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Action">What happens to it.</param>
/// <param name="Reason">Why, in words.</param>
public sealed record RestoreStep(EntityId Id, string Kind, RestoreAction Action, string Reason);

/// <summary>What a restoration is going to do, made before anything is touched.</summary>
public sealed class RestorePlan
{
    internal RestorePlan(IReadOnlyList<RestoreStep> steps, IReadOnlyList<string> warnings)
    {
        Steps = steps;
        Warnings = warnings;
    }

    /// <summary>What happens to each entity, of the save and of the live scene.</summary>
    public IReadOnlyList<RestoreStep> Steps { get; }

    /// <summary>What in the save does not hold together and is passed over, such as a parent that is not there.</summary>
    public IReadOnlyList<string> Warnings { get; }

    /// <summary>How many entities something happens to.</summary>
    public int Count(RestoreAction action) => Steps.Count(step => step.Action == action);

    /// <summary>The plan in words: a line of counts, then a line for every entity that is not simply updated.</summary>
    public override string ToString()
    {
        var text = new StringBuilder();
        text.AppendJoin(", ", Enum.GetValues<RestoreAction>().Where(action => Count(action) > 0).Select(action => $"{Describe(action)} {Count(action)}"));
        foreach (var step in Steps.Where(step => step.Action != RestoreAction.Update))
            text.AppendLine().Append($"  {Describe(step.Action)} {step.Kind} {step.Id}: {step.Reason}");
        foreach (var warning in Warnings)
            text.AppendLine().Append($"  warning: {warning}");
        return text.ToString();
    }

    private static string Describe(RestoreAction action) => action switch
    {
        RestoreAction.Update => "update",
        RestoreAction.Spawn => "spawn",
        RestoreAction.BringBack => "bring back",
        RestoreAction.Remove => "remove",
        RestoreAction.LeaveAlone => "leave alone",
        RestoreAction.UnknownKind => "unknown kind",
        _ => "stuck",
    };
}

/// <summary>What a restoration did.</summary>
/// <param name="Plan">The plan that was carried out.</param>
/// <param name="Planning">The time the plan took.</param>
/// <param name="Acting">The time the rest took, the game's own callbacks included.</param>
public sealed record RestoreReport(RestorePlan Plan, TimeSpan Planning, TimeSpan Acting);
