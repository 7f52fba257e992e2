using System.Globalization;
using Lodrik.Inspection;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Views;

/// <summary>Shows a piece of a save: a scene as a table for each kind of its entities, anything else as a tree.</summary>
/// <param name="full">Whether long lists are shown to their end.</param>
/// <param name="depth">How deep it unfolds.</param>
internal sealed class ContentView(bool full, int depth)
{
    private const int Folded = 10;
    private const int MostColumns = 8;

    private readonly TreeView _tree = new(full, depth);

    /// <summary>How deep it unfolds.</summary>
    public int Depth => depth;

    public void Show(string name, SaveValue value, string? note = null)
    {
        if (SceneContent.Of(name, value) is { } scene && depth > 0)
            ShowScene(scene, (SaveMap)value, note);
        else
            Screen.Out.Write(_tree.Of(name, value, note));
    }

    private void ShowScene(SceneContent scene, SaveMap content, string? note)
    {
        var rest = new SaveMap();
        // What the kinds had is in the columns of their tables.
        foreach (var (key, value) in content.Where(entry => entry.Key != "entities" && (full || entry.Key != "kinds")))
            rest[key] = value;
        Screen.Out.Write(_tree.Of(scene.Section, rest, $"{(note is null ? "" : note + ", ")}{Count(scene.EntityCount)}"));
        if (depth < 2 && !full)
        {
            foreach (var kind in scene.Entities.GroupBy(entity => entity.Kind).OrderByDescending(kind => kind.Count()))
                Screen.Out.MarkupLine(
                    $"    [{Screen.Name}]{Screen.Text(kind.Key)}[/] "
                        + $"[{Screen.Faint}]({kind.Count().ToString(CultureInfo.InvariantCulture)})[/]");
            return;
        }
        foreach (var kind in scene.Tables())
            ShowKind(kind);
    }

    private void ShowKind(EntityTable kind)
    {
        var table = new Table().Border(TableBorder.None);
        table.AddColumn(
            Column(
            $"[{Screen.Name} underline]{Screen.Text(kind.Kind.Length == 0 ? "no kind" : kind.Kind)}[/] "
                + $"[{Screen.Faint}]({kind.Entities.Count.ToString(CultureInfo.InvariantCulture)})[/]"));
        var hasParents = kind.Entities.Any(entity => entity.Parent is not null);
        if (hasParents)
            table.AddColumn(Column($"[{Screen.Faint}]parent[/]"));
        var columns = full ? kind.Columns : [.. kind.Columns.Take(MostColumns)];
        foreach (var column in columns)
            table.AddColumn(Column($"[{Screen.Faint}]{Screen.Text(DiffView.Spoken(column))}[/]"));
        var shown = full || kind.Entities.Count <= Folded + 2 ? kind.Entities.Count : Folded;
        foreach (var entity in kind.Entities.Take(shown))
        {
            List<string> cells = [Screen.Text(entity.Id.ToString())];
            if (hasParents)
                cells.Add(Screen.Text(entity.Parent ?? ""));
            cells.AddRange(columns.Select(column => EntityTable.Value(entity, column) is { } value ? DiffView.Short(value) : ""));
            table.AddRow([.. cells]);
        }
        Screen.Out.Write(new Padder(table, new Padding(4, 0, 0, 0)));
        string[] cut = [.. shown < kind.Entities.Count ? [$"{shown} of {kind.Entities.Count} rows"] : Array.Empty<string>(),
            .. columns.Count < kind.Columns.Count ? [$"{columns.Count} of {kind.Columns.Count} columns"] : Array.Empty<string>()];
        if (cut.Length > 0)
            Screen.Out.MarkupLine($"    [{Screen.Faint}]{string.Join(", ", cut)}; --full shows all[/]");
    }

    private static TableColumn Column(string title) => new TableColumn(title).Padding(0, 0, 2, 0);

    private static string Count(int entities) =>
        entities == 1 ? "1 entity" : string.Create(CultureInfo.InvariantCulture, $"{entities} entities");
}
