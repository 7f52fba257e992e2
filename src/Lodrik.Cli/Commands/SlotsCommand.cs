using System.CommandLine;
using System.Globalization;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik slots</c>: what a save screen would show of a folder.</summary>
internal static class SlotsCommand
{
    public static Command Create()
    {
        var folder = new Argument<string>("folder") { Description = "The folder of a game's saves." };
        var command = new Command("slots", "Lists the slots of a folder, newest first.") { folder };
        command.SetAction(parsed => Run(parsed.GetRequiredValue(folder)));
        return command;
    }

    private static int Run(string folder)
    {
        if (!Directory.Exists(folder))
            throw new StorageException("There is no such folder.", new SaveLocation { File = folder }, "Check the path.");
        var slots = SlotList.Read(new DirectoryStorage(folder));
        if (slots.Count == 0)
        {
            Screen.Out.MarkupLineInterpolated($"There are no slots in {folder}.");
            return ExitCode.Fine;
        }
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        foreach (var column in (string[])["slot", "kind", "title", "summary", "played", "saved", "version", "form"])
            table.AddColumn(new TableColumn($"[{Screen.Faint}]{column}[/]"));
        table.AddColumn(new TableColumn($"[{Screen.Faint}]size[/]").RightAligned());
        table.AddColumn(new TableColumn($"[{Screen.Faint}]generations[/]").RightAligned());
        table.AddColumn(new TableColumn($"[{Screen.Faint}]health[/]"));
        foreach (var slot in slots)
        {
            var header = slot.Header;
            table.AddRow(
                $"[{Screen.Name}]{slot.Slot}[/]",
                header?.Kind.ToString().ToLowerInvariant() ?? "",
                Screen.Text(slot.Title),
                Screen.Text(string.Join(", ", header?.Summary.Select(pair => $"{pair.Key} {Short(pair.Value)}") ?? [])),
                header is null ? "" : Screen.Duration(slot.Played),
                Screen.Time(slot.Saved),
                header?.Version.ToString(CultureInfo.InvariantCulture) ?? "",
                header is null ? "" : header.Content.DisplayName(),
                Screen.Size(slot.Bytes),
                slot.Generations.ToString(CultureInfo.InvariantCulture),
                slot.Health switch
                {
                    SlotHealth.Readable => $"[{Screen.Good}]readable[/]",
                    SlotHealth.FellBack => $"[{Screen.Notice}]newest damaged, shows {slot.Generation}[/]",
                    _ => $"[{Screen.Bad}]damaged[/]",
                });
        }
        Screen.Out.Write(table);
        foreach (var slot in slots.Where(slot => slot.Problem is not null))
            Screen.Out.MarkupLineInterpolated($"[{Screen.Notice}]{slot.Slot}: {Screen.Visible(slot.Problem!.Message)}[/]");
        return slots.All(slot => slot.Health == SlotHealth.Readable) ? ExitCode.Fine : ExitCode.FoundWrong;
    }

    private static string Short(SaveValue value) => value.ToString() ?? "";
}
