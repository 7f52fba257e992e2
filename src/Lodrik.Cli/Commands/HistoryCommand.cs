using System.CommandLine;
using System.Globalization;
using System.Text.Json;
using Lodrik.Slots;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik history</c>: the saves that a slot still has.</summary>
internal static class HistoryCommand
{
    public static Command Create()
    {
        var folder = new Argument<string>("folder") { Description = "The folder of a game's saves." };
        var slot = new Argument<string>("slot") { Description = "The slot." };
        var json = new Option<bool>("--json") { Description = "Writes JSON, for scripts." };
        var command = new Command("history", "Lists the generations of a slot, newest first.") { folder, slot, json };
        var key = new KeyOptions(command, headersOnly: true);
        command.SetAction(parsed => Run(parsed.GetRequiredValue(folder), parsed.GetRequiredValue(slot), parsed.GetValue(json), key.Of(parsed)));
        return command;
    }

    private static int Run(string folder, string slot, bool json, ToolKey? key)
    {
        var generations = SlotHistory.Read(Screen.Folder(folder), slot, key?.ForHeaders);
        var exit = generations.All(one => one.Problem is null) ? ExitCode.Fine : ExitCode.FoundWrong;
        if (json)
        {
            Console.WriteLine(JsonSerializer.Serialize(generations.Select(one => new GenerationLine(
                one.Number, one.Header?.Title, one.Header?.Played.TotalSeconds, one.Header?.Saved, one.Header?.Version, one.Header?.Content.ToString(),
                one.Bytes, one.File, one.Problem?.Message)).ToList(), ToolJson.Default.ListGenerationLine));
            return exit;
        }
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        table.AddColumn(new TableColumn($"[{Screen.Faint}]generation[/]").RightAligned());
        foreach (var column in (string[])["title", "played", "saved", "version", "form"])
            table.AddColumn(new TableColumn($"[{Screen.Faint}]{column}[/]"));
        table.AddColumn(new TableColumn($"[{Screen.Faint}]size[/]").RightAligned());
        table.AddColumn(new TableColumn($"[{Screen.Faint}]file[/]"));
        foreach (var one in generations)
        {
            table.AddRow(
                $"[{Screen.Name}]{one.Number}[/]",
                one.Header is { HasHiddenLabel: true } ? $"[{Screen.Faint}]hidden: shown with --key[/]" : one.Problem is null ? Screen.Text(one.Header?.Title ?? "") : $"[{Screen.Bad}]damaged[/]",
                one.Header is null ? "" : Screen.Duration(one.Header.Played),
                one.Header is null ? "" : Screen.Time(one.Header.Saved),
                one.Header?.Version.ToString(CultureInfo.InvariantCulture) ?? "",
                one.Header?.Content.DisplayName() ?? "",
                Screen.Size(one.Bytes),
                Screen.Text(one.File));
        }
        Screen.Out.Write(table);
        foreach (var one in generations.Where(one => one.Problem is not null))
            Screen.Out.MarkupLineInterpolated($"[{Screen.Notice}]{one.Number}: {Screen.Visible(one.Problem!.Message)}[/]");
        if (generations.Count > 1)
            Screen.Out.MarkupLineInterpolated($"[{Screen.Faint}]Make an older one the newest again: lodrik reinstate {folder} {slot} {generations[^1].Number}[/]");
        return exit;
    }
}
