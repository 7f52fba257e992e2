using System.CommandLine;
using System.Globalization;
using Lodrik.Cli.Views;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik history</c>: the saves that a slot still has.</summary>
internal static class HistoryCommand
{
    public static Command Create()
    {
        var folder = SaveArgument.Create("folder", "The folder of a game's saves; or of one slot, as <folder>/<slot>.");
        var slot = new Argument<string?>("slot")
        {
            Description = "The slot name. Omit it when <folder>/<slot> is given.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        var json = Screen.JsonOption();
        var command = new Command("history", "Lists the generations of a slot, newest first.") { folder, slot, json };
        var key = new KeyOptions(command, headersOnly: true);
        command.SetAction(parsed =>
        {
            var (place, name) = (parsed.GetRequiredValue(folder), parsed.GetValue(slot));
            if (name is null)
                (place, name) = SaveArgument.Of(place) is { Store: { } store, Slot: { } found }
                    ? (store, found.ToString())
                    : throw new ArgumentException("A single file has no history: give a slot, as <folder>/<slot>.");
            return Run(place, name, parsed.GetValue(json), key.Of(parsed));
        });
        return command;
    }

    private static int Run(string folder, string slot, bool json, ToolKey? key)
    {
        var generations = SavePlace.Slots(folder, key).History(slot);
        var exit = generations.All(one => one.Problem is null) ? ExitCode.Fine : ExitCode.FoundWrong;
        if (json)
        {
            Screen.Json(generations.Select(one => new GenerationLine(
                one.Number, one.Header?.Title, one.Header?.Played.TotalSeconds, one.Header?.Saved, one.Header?.Version,
                one.Header?.Content.ToString(),
                one.ByteCount, one.File, one.Problem?.Message)).ToList(), ToolJson.Readable.ListGenerationLine);
            return exit;
        }
        var table = new FittingTable()
            .Column("generation", 10, right: true).Column("title", 9).Column("played", 7).Column("saved", 8).Column("version", 2)
                .Column("form", 3).Column("size", 6, right: true).Column("file", 1);
        foreach (var one in generations)
        {
            table.Row(
                $"[{Screen.Name}]{one.Number}[/]",
                one.Header is { HasHiddenTitles: true }
                    ? $"[{Screen.Faint}]hidden: shown with --key[/]"
                    : one.Problem is null
                    ? Screen.Text(one.Header?.Title ?? "")
                    : $"[{Screen.Bad}]damaged[/]",
                one.Header is null ? "" : Screen.Duration(one.Header.Played),
                one.Header is null ? "" : Screen.Time(one.Header.Saved),
                one.Header?.Version.ToString(CultureInfo.InvariantCulture) ?? "",
                one.Header?.Content.DisplayName() ?? "",
                Screen.Size(one.ByteCount),
                Screen.Text(one.File));
        }
        table.Write();
        foreach (var one in generations.Where(one => one.Problem is not null))
            Screen.Out.MarkupLineInterpolated($"[{Screen.Notice}]{one.Number}: {Screen.Visible(one.Problem!.Message)}[/]");
        if (generations.Count > 1)
            Screen.Out.MarkupLineInterpolated(
                $"[{Screen.Faint}]Make an older one the newest again: lodrik reinstate {folder} {slot} {generations[^1].Number}[/]");
        return exit;
    }
}
