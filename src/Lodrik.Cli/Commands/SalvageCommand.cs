using System.CommandLine;
using System.Text.Json;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik salvage</c>: what is whole of a damaged save, as a new save.</summary>
internal static class SalvageCommand
{
    public static Command Create()
    {
        var file = SaveArgument.Create("save", "The damaged save, which stays as it is: " + SaveArgument.Description[8..]);
        var output = new Option<string>("--output", "-o") { Description = "The file for the new save.", Required = true };
        var json = Screen.JsonOption();
        var command = new Command("salvage", "Recovers the intact sections of a damaged save into a new one, and lists what is lost.")
        {
            file,
            output,
            json,
        };
        var key = new KeyOptions(command);
        command.SetAction(parsed =>
            Run(parsed.GetRequiredValue(file), parsed.GetRequiredValue(output), parsed.GetValue(json), key.Of(parsed)));
        return command;
    }

    private static int Run(string path, string output, bool json, ToolKey? key)
    {
        if (File.Exists(output))
            throw new StorageException("A file with this name already exists.",
                new SaveLocation { File = output }, "Choose another with --output.");
        path = SaveArgument.FileOf(path);
        var (saved, protection) = Open(path, key);
        var bytes = saved.ToBytes(protection);
        var lost = saved.Sections.Count(section => section.Outcome == SalvageOutcome.Lost);
        var isNothing = lost == saved.Sections.Count;
        if (!isNothing)
            new Storage.DirectoryStorage(Path.GetDirectoryName(Path.GetFullPath(output))!)
                .Write(Path.GetFileName(output), bytes, replace: false);
        if (json)
        {
            Screen.Json(new SalvageLine(
                isNothing ? null : output, isNothing ? null : bytes.Length,
                [.. saved.Sections.Select(section => new SectionLine(section.Name, null,
                    JsonNamingPolicy.CamelCase.ConvertName(section.Outcome.ToString()), section.Reason))]), ToolJson.Readable.SalvageLine);
            return lost == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
        }
        var grid = new Grid().AddColumn(new GridColumn().NoWrap().PadRight(2)).AddColumn();
        foreach (var section in saved.Sections)
        {
            grid.AddRow($"[{Screen.Name}]{Screen.Text(section.Name)}[/]", section.Outcome switch
            {
                SalvageOutcome.Intact => $"[{Screen.Good}]intact[/]",
                SalvageOutcome.Changed => $"[{Screen.Notice}]changed since it was written; copied unchanged[/]",
                _ => $"[{Screen.Bad}]lost[/]  {Screen.Text(section.Reason ?? "")}",
            });
        }
        Screen.Out.Write(grid);
        if (isNothing)
        {
            Screen.Out.MarkupLine($"[{Screen.Bad}]Nothing is intact, so no save was written.[/]");
            return ExitCode.FoundWrong;
        }
        Screen.Out.MarkupLineInterpolated(
            $"{saved.Sections.Count - lost} of {saved.Sections.Count} sections, {(protection is null
                ? "without a seal" : $"under the {protection.Keys.Current}")}, {Screen.Size(bytes.Length)}  [{Screen.Faint}]{output}[/]");
        if (lost > 0)
            Screen.Out.MarkupLine($"[{Screen.Notice}]What is missing has its initial values when the game loads the save.[/]");
        return lost == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
    }

    /// <summary>What is whole under the key, encrypted or only sealed; a damaged file may not be able to say which.</summary>
    private static (SalvagedSave, SaveProtection?) Open(string path, ToolKey? key)
    {
        if (key is null)
            return (SavePlace.Salvage(path, null), null);
        var saved = SavePlace.Salvage(path, key.ForHeaders);
        return (saved, key.For(saved.IsEncrypted, saved.HasHiddenTitles));
    }
}
