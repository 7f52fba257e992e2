using System.CommandLine;
using System.Globalization;
using Lodrik.Inspection;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik weigh</c>: what takes the space in a save.</summary>
internal static class WeighCommand
{
    // Beside the bar stand the other columns, some seventy cells wide.
    private static readonly int BarCells = Math.Clamp(Screen.Out.Profile.Width - 70, 8, 30);
    private const double LeastShare = 0.01;

    public static Command Create()
    {
        var save = SaveArgument.Create("save");
        var depth = WholeNumber.Option("--depth", "How deep it looks into sections: 1 for kinds and members, 2 for their parts, …",
            least: 0, otherwise: 1);
        var full = new Option<bool>("--full") { Description = "Shows also what takes less than a hundredth." };
        var json = Screen.JsonOption();
        var command = new Command("weigh", "Shows what takes the space in a save: sections, kinds, parts, members.")
        {
            save,
            depth,
            full,
            json,
        };
        var key = new KeyOptions(command);
        command.SetAction(parsed => Run(
            SaveArgument.Of(parsed.GetRequiredValue(save)), parsed.GetValue(depth), parsed.GetValue(full), parsed.GetValue(json),
            key.Of(parsed)));
        return command;
    }

    private static int Run(SaveArgument save, int depth, bool full, bool json, ToolKey? key)
    {
        var file = save.Open(key, mayBePlain: true);
        var weight = Screen.WithProgress("Weighing", file.ByteCount, progress => SaveWeight.Of(file, progress));
        if (json)
        {
            Screen.Json(weight, ToolJson.Readable.SaveWeight);
            return ExitCode.Fine;
        }
        var content = Math.Max(weight.Sections.Sum(section => section.Content.ByteCount), 1);
        var whole = $"{Screen.Size(weight.ByteCount)} of {weight.Form.DisplayName()}";
        var frame = $"{Screen.Size(weight.FrameByteCount)} of it are header, list of sections, seal and layout";
        Screen.Out.MarkupLineInterpolated($"[bold]{Screen.Visible(save.Name)}[/]: {whole}; {frame}");
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        table.AddColumn($"[{Screen.Faint}]what[/]");
        foreach (var column in (string[])["content", "in the file", "count", "each"])
            table.AddColumn(new TableColumn($"[{Screen.Faint}]{column}[/]").RightAligned());
        table.AddColumn($"[{Screen.Faint}]share[/]");
        foreach (var section in weight.Sections)
        {
            table.AddRow(
                $"[{Screen.Name}]{Screen.Text(section.Section)}[/]", Screen.Size(section.Content.ByteCount),
                section.FileByteCount == section.Content.ByteCount
                    ? $"[{Screen.Faint}]the same[/]"
                    : $"{Screen.Size(section.FileByteCount)} "
                        + $"[{Screen.Faint}]{100.0 * section.FileByteCount / Math.Max(section.Content.ByteCount, 1):F0} %[/]",
                "", "", Bar(section.Content.ByteCount, content, Screen.Name));
            AddChildren(table, section.Content, 1, depth, content, full);
        }
        Screen.Out.Write(table);
        return ExitCode.Fine;
    }

    private static void AddChildren(Table table, WeightNode node, int level, int depth, long whole, bool full)
    {
        if (level > depth)
            return;
        foreach (var child in node.Children.Where(child => full || child.ByteCount >= whole * LeastShare))
        {
            table.AddRow(
                $"{new string(' ', 2 * level)}{Screen.Text(child.Name)}", Screen.Size(child.ByteCount), "",
                child.Count > 1 ? child.Count.ToString(CultureInfo.InvariantCulture) : "",
                child.Count > 1 ? Screen.Size(child.ByteCount / child.Count) : "",
                Bar(child.ByteCount, whole, level == 1 ? Screen.Notice : Screen.Faint));
            AddChildren(table, child, level + 1, depth, whole, full);
        }
    }

    private static string Bar(long bytes, long whole, string color) => string.Create(
        CultureInfo.InvariantCulture,
        $"[{color}]{new string('━', (int)Math.Round((double)bytes / whole * BarCells))}[/] "
            + $"[{Screen.Faint}]{100.0 * bytes / whole:F0} %[/]");
}
