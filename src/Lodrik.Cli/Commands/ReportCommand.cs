using System.CommandLine;
using System.Text;
using Lodrik.Cli.Report;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik report</c>: a page of what is in saves, for the browser.</summary>
internal static class ReportCommand
{
    private const int DetailedSlots = 12;
    private const int StartOfPage = 4096;

    public static Command Create()
    {
        var path = SaveArgument.Create("save", "A store's folder, or one save: " + SaveArgument.Description[8..]);
        var output = new Option<string>("--output", "-o") { Description = "The HTML file to write.", Required = true };
        var details = WholeNumber.Option("--details", "The number of slots, newest first, whose content is shown. The others are listed.",
            least: 1, otherwise: DetailedSlots);
        var overwrite = new Option<bool>("--overwrite") { Description = "Replaces the file even if it is not an earlier report." };
        var command =
            new Command("report", "Writes one page for the browser: slots, history, changes, scenes from above, what takes the space, "
                + "health.") { path, output, details, overwrite };
        var key = new KeyOptions(command);
        command.SetAction(parsed => Run(
            parsed.GetRequiredValue(path), parsed.GetRequiredValue(output), parsed.GetValue(details), parsed.GetValue(overwrite),
            key.Of(parsed)));
        return command;
    }

    private static int Run(string path, string output, int details, bool overwrite, ToolKey? key)
    {
        var report = SaveReport.Of(path, details, key);
        var page = Encoding.UTF8.GetBytes(ReportPage.Write(report));
        var folder = new DirectoryStorage(Path.GetDirectoryName(Path.GetFullPath(output))!);
        var name = Path.GetFileName(output);
        if (!overwrite && folder.ReadRange(name, 0, StartOfPage) is { } there && !ReportPage.IsPage(there))
            throw new StorageException(
                "A file with this name already exists, and it is not a report.", new SaveLocation { File = output },
                "Choose another with --output, or replace it with --overwrite.");
        folder.Write(name, page, replace: true);
        var bad = report.Slots.Count(slot => slot.IsBad);
        Screen.Out.MarkupLineInterpolated(
            $"{report.Slots.Count} {(report.Slots.Count == 1
                ? "slot" : "slots")}, {Screen.Size(page.Length)}  [{Screen.Faint}]{output}[/]");
        if (bad > 0)
            Screen.Out.MarkupLineInterpolated($"[{Screen.Bad}]{bad} with something wrong; the page says what.[/]");
        return bad == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
    }
}
