using Lodrik.Inspection;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Views;

/// <summary>Shows what is different between two saves: a summary first, then value by value.</summary>
internal static class DiffView
{
    private const int ShownRows = 60;

    public static string Summary(SaveComparison comparison)
    {
        if (comparison.IsEmpty)
            return "no differences";
        var scenes = comparison.Entities.GroupBy(entity => entity.Scene)
            .Select(scene =>
            $"{scene.Key}: {string.Join(", ", scene.GroupBy(entity => entity.Outcome)
                .OrderBy(group => group.Key)
                .Select(group => $"{group.Count()} {Word(group.Key)}"))}");
        var values = comparison.Values.Count;
        return string.Join("; ", (values > 0 ? [$"{values} {(values == 1 ? "value" : "values")}"] : Array.Empty<string>()).Concat(scenes));
    }

    public static void Show(SaveComparison comparison, bool full)
    {
        if (comparison.IsEmpty)
            return;
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        table.AddColumn($"[{Screen.Faint}]where[/]").AddColumn($"[{Screen.Faint}]before[/]").AddColumn($"[{Screen.Faint}]after[/]");
        var rows = comparison.Values.Select(change =>
            (Path: $"[{Screen.Name}]{Screen.Text(Spoken(change.Path[1..]))}[/]", Before: Short(change.Before), After: Short(change.After)))
            .Concat(comparison.Entities.SelectMany(Rows)).ToList();
        foreach (var (path, before, after) in full ? rows : rows.Take(ShownRows))
            table.AddRow(path, before, after);
        Screen.Out.Write(table);
        if (!full && rows.Count > ShownRows)
            Screen.Out.MarkupLineInterpolated($"[{Screen.Faint}]… and {rows.Count - ShownRows} more; --full shows them.[/]");
    }

    private static IEnumerable<(string Path, string Before, string After)> Rows(EntityChange entity)
    {
        var color = entity.Outcome switch { EntityOutcome.Added => Screen.Good, EntityOutcome.Removed => Screen.Bad, _ => Screen.Notice };
        yield return
            ($"[{Screen.Name}]{Screen.Text($"{entity.Scene} {entity.Id}")}[/] "
                + $"[{Screen.Faint}]{(entity.Id.ToString().StartsWith(entity.Kind, StringComparison.Ordinal)
                    ? "" : Screen.Text(entity.Kind))}[/] [{color}]{Word(entity.Outcome)}[/]", "", "");
        foreach (var change in entity.Changes)
            yield return ($"  [{Screen.Faint}]{Screen.Text(change.Path[1..])}[/]", Side(change.Before, entity.Outcome),
                Side(change.After, entity.Outcome));
    }

    /// <summary>What stands for a value of an entity that a save does not have: where it is as authored, that is not nothing.</summary>
    public static string Absent(EntityOutcome outcome) =>
        outcome is EntityOutcome.NoLongerAuthored or EntityOutcome.AuthoredAgain ? "as authored" : "–";

    private static string Side(SaveValue? value, EntityOutcome outcome) =>
        value is null ? $"[{Screen.Faint}]{Absent(outcome)}[/]" : Short(value);

    /// <summary>A path as a person writes it: the slash within a section's name is one like the others.</summary>
    public static string Spoken(string path) =>
        path.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal);

    public static string Short(SaveValue? value)
    {
        if (value is null)
            return $"[{Screen.Faint}]–[/]";
        var text = ShortText(value);
        return value is SaveScalar { Kind: SaveValueKind.Text } ? Screen.Text(text) : $"[{Screen.Number}]{Screen.Text(text)}[/]";
    }

    /// <summary>A value on one line, cut where it is long.</summary>
    public static string ShortText(SaveValue value) => SaveJson.WriteShort(value, 50);

    public static string Word(EntityOutcome outcome) => outcome switch
    {
        EntityOutcome.Added => "added",
        EntityOutcome.Removed => "gone",
        EntityOutcome.Moved => "moved",
        EntityOutcome.NoLongerAuthored => "no longer as authored",
        EntityOutcome.AuthoredAgain => "as authored again",
        _ => "changed",
    };
}
