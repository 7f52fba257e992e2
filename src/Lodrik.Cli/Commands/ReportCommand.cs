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
        var path = SaveArgument.Create("save", "A store's folder for all of its slots, or a save: " + SaveArgument.Description[8..]);
        var output = new Option<string>("--output", "-o") { Description = "The file of the page, HTML.", Required = true };
        var details = WholeNumber.Option("--details", "For how many slots, newest first, the content is shown; the others are listed.",
            least: 1, otherwise: DetailedSlots);
        var overwrite = new Option<bool>("--overwrite") { Description = "Replaces the file even if it is no earlier report." };
        var command =
            new Command("report", "Writes a page for the browser: slots, history, what changed, scenes from above, what takes the space, "
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
                "There is a file of this name already, and it is no report.", new SaveLocation { File = output },
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
