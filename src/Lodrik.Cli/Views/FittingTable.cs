using Spectre.Console;

namespace Lodrik.Cli.Views;

/// <summary>
/// A table that leaves out what matters least where the terminal is too narrow for all of it, rather than breaking every word.
/// </summary>
internal sealed class FittingTable
{
    private const int CellFrame = 3;

    private readonly List<(string Name, bool IsRight, int Importance)> _columns = [];
    private readonly List<string[]> _rows = [];

    /// <summary>Adds a column; the one with the least importance is the first to go.</summary>
    public FittingTable Column(string name, int importance, bool right = false)
    {
        _columns.Add((name, right, importance));
        return this;
    }

    /// <summary>Adds a row of markup, a cell for each column.</summary>
    public void Row(params string[] cells) => _rows.Add(cells);

    public void Write()
    {
        var shown = Enumerable.Range(0, _columns.Count).ToList();
        while (shown.Count > 1 && 1 + shown.Sum(Width) > Screen.Out.Profile.Width)
            shown.Remove(shown.MinBy(i => _columns[i].Importance));
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        foreach (var i in shown)
        {
            var column = new TableColumn($"[{Screen.Faint}]{_columns[i].Name}[/]");
            table.AddColumn(_columns[i].IsRight ? column.RightAligned() : column);
        }
        foreach (var row in _rows)
            table.AddRow([.. shown.Select(i => row[i])]);
        Screen.Out.Write(table);
        if (shown.Count < _columns.Count)
            Screen.Out.MarkupLine(
                $"[{Screen.Faint}]Not shown for lack of room: "
                    + $"{string.Join(", ", _columns.Where((_, i) => !shown.Contains(i)).Select(column => column.Name))}. A wider terminal "
                + "or --json shows it.[/]");
    }

    private int Width(int column) =>
        CellFrame + _rows.Select(row => new Markup(row[column]).Length).Append(_columns[column].Name.Length).Max();
}
