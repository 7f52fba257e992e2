using System.CommandLine;
using System.Globalization;
using System.Text.Json;
using Lodrik.Cli.Views;
using Lodrik.Inspection;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik slots</c>: what a save screen would show of a folder.</summary>
internal static class SlotsCommand
{
    public static Command Create()
    {
        var folder = new Argument<string>("folder") { Description = "The folder of a game's saves." };
        var json = Screen.JsonOption();
        var command = new Command("slots", "Lists the slots of a folder, newest first.") { folder, json };
        var key = new KeyOptions(command, headersOnly: true);
        command.SetAction(parsed => Run(parsed.GetRequiredValue(folder), parsed.GetValue(json), key.Of(parsed)));
        return command;
    }

    private static int Run(string folder, bool json, ToolKey? key)
    {
        var slots = SavePlace.Slots(folder, key).List();
        var exit = slots.All(slot => slot.Health == SlotHealth.Readable) ? ExitCode.Fine : ExitCode.FoundWrong;
        if (json)
        {
            Screen.Json(slots.Select(slot => new SlotLine(
                slot.Slot.ToString(), slot.Name, slot.Header?.Kind.ToString(), slot.Title, slot.Header?.Summary.ToDictionary(
                    pair => pair.Key, pair => JsonDocument.Parse(SaveJson.Write(pair.Value)).RootElement) ?? [],
                slot.Played.TotalSeconds, slot.Header?.Saved, slot.Header?.Version, slot.Header?.Content.ToString(), slot.ByteCount,
                slot.Generation, slot.GenerationCount,
                slot.File, slot.Health.ToString(), slot.Problem?.Message)).ToList(), ToolJson.Readable.ListSlotLine);
            return exit;
        }
        if (slots.Count == 0)
        {
            Screen.Out.MarkupLineInterpolated($"There are no slots in {folder}.");
            return ExitCode.Fine;
        }
        var table = new FittingTable()
            .Column("slot", 10).Column("kind", 3).Column("title", 9).Column("summary", 6).Column("played", 7).Column("saved", 8)
                .Column("version", 1).Column("form", 2)
            .Column("size", 5, right: true).Column("generations", 4, right: true).Column("health", 10);
        foreach (var slot in slots)
        {
            var header = slot.Header;
            table.Row(
                $"[{Screen.Name}]{slot.Slot}[/]",
                header?.Kind.ToString().ToLowerInvariant() ?? "",
                Named(slot.Name, header is { HasHiddenTitles: true }
                    ? $"[{Screen.Faint}]hidden: shown with --key[/]" : Screen.Text(slot.Title)),
                Screen.Text(string.Join(", ", header?.Summary.Select(pair => $"{pair.Key} {Short(pair.Value)}") ?? [])),
                header is null ? "" : Screen.Duration(slot.Played),
                Screen.Time(slot.Saved),
                header?.Version.ToString(CultureInfo.InvariantCulture) ?? "",
                header is null ? "" : header.Content.DisplayName(),
                Screen.Size(slot.ByteCount),
                slot.GenerationCount.ToString(CultureInfo.InvariantCulture),
                slot.Health switch
                {
                    SlotHealth.Readable => $"[{Screen.Good}]readable[/]",
                    SlotHealth.FellBack => $"[{Screen.Notice}]newest damaged, shows {slot.Generation}[/]",
                    _ => $"[{Screen.Bad}]damaged[/]",
                });
        }
        table.Write();
        foreach (var slot in slots.Where(slot => slot.Problem is not null))
            Screen.Out.MarkupLineInterpolated($"[{Screen.Notice}]{slot.Slot}: {Screen.Visible(slot.Problem!.Message)}[/]");
        return exit;
    }

    /// <summary>A title, after what the player calls the slot.</summary>
    private static string Named(string name, string title) =>
        name.Length == 0 ? title : title.Length == 0 ? Screen.Text(name) : $"{Screen.Text(name)}: {title}";

    private static string Short(SaveValue value) => value.ToString() ?? "";
}
