using System.CommandLine;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik check</c>: whether saves are as they were written.</summary>
internal static class CheckCommand
{
    public static Command Create()
    {
        var path = new Argument<string>("path") { Description = "A save, or a folder with saves in it." };
        var command = new Command("check", "Checks whether saves are as they were written, section by section; with a key, whether their seals fit.") { path };
        var key = new KeyOptions(command);
        command.SetAction(parsed => Run(parsed.GetRequiredValue(path), key.Of(parsed)));
        return command;
    }

    private static int Run(string path, ToolKey? key)
    {
        if (!Directory.Exists(path))
            return CheckFile(path, key, details: true) ? ExitCode.Fine : ExitCode.FoundWrong;
        var files = Directory.EnumerateFiles(path, "*", SearchOption.AllDirectories)
            .Where(file => Path.GetExtension(file) is not (".png" or ".tmp" or ".holder" or ".jwk" or ".jws" or ".pub") && Path.GetFileName(file) != "lock")
            .Order(StringComparer.Ordinal)
            .ToList();
        if (files.Count == 0)
            throw new StorageException("There are no saves in the folder.", new SaveLocation { File = path }, "Check the path.");
        var wrong = files.Count(file => !CheckFile(file, key, details: false));
        Screen.Out.MarkupLine(wrong == 0
            ? $"[{Screen.Good}]{files.Count} {(files.Count == 1 ? "file" : "files")}, nothing wrong.[/]"
            : $"[{Screen.Bad}]{files.Count} {(files.Count == 1 ? "file" : "files")}, {wrong} not as written.[/]");
        return wrong == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
    }

    /// <summary>Checks one file and says what it found; true where nothing is wrong.</summary>
    private static bool CheckFile(string path, ToolKey? key, bool details)
    {
        SavedFile? file = null;
        try
        {
            file = SavedFile.Open(path);
            if (key is not null)
                file.CheckSeal(key.For(file));
            if (key is not null || !file.IsEncrypted)
                Decode(file);
        }
        catch (TamperedSaveException exception)
        {
            var finding = exception.Code switch
            {
                SaveErrorCode.UnknownKey => "another key",
                SaveErrorCode.Unprotected => "no seal",
                _ => "tampered with",
            };
            Screen.Out.MarkupLineInterpolated($"[{Screen.Bad}]{finding}[/]  {Screen.Visible(exception.Message)}");
            return false;
        }
        catch (SaveException exception) when (exception is not StorageException)
        {
            // Under a seal, what a text editor leaves well-formed is refused as well, and still no accident.
            var finding = file is { Health: SectionHealth.EditedByHand } ? "edited by hand" : "damaged";
            Screen.Out.MarkupLineInterpolated($"[{Screen.Bad}]{finding}[/]  {Screen.Visible(exception.Message)}");
            return false;
        }
        var (color, word) = file.Health switch
        {
            SectionHealth.Intact when key is not null => (Screen.Good, "intact, and the seal fits"),
            SectionHealth.Intact => (Screen.Good, file.IsEncrypted ? "intact, encrypted" : file.HasSeal ? "intact, sealed" : "intact"),
            SectionHealth.EditedByHand => (Screen.Notice, "edited by hand"),
            SectionHealth.Unchecked => (Screen.Notice, "written by hand, nothing to check against"),
            _ => (Screen.Bad, "damaged"),
        };
        Screen.Out.MarkupLineInterpolated($"[{color}]{word}[/]  {path}");
        var sections = new Grid().AddColumn(new GridColumn().Padding(2, 0, 2, 0)).AddColumn(new GridColumn().RightAligned()).AddColumn();
        foreach (var section in file.Sections.Where(section => details || section.Health is not (SectionHealth.Intact or SectionHealth.Unchecked)))
        {
            var mark = section.Health switch
            {
                SectionHealth.Intact => $"[{Screen.Good}]intact[/]",
                SectionHealth.EditedByHand => $"[{Screen.Notice}]edited by hand[/]",
                SectionHealth.Unchecked => $"[{Screen.Faint}]unchecked[/]",
                _ => $"[{Screen.Bad}]damaged[/]",
            };
            sections.AddRow($"[{Screen.Name}]{Screen.Text(section.Name)}[/]", Screen.Size(section.Bytes), mark);
        }
        foreach (var section in file.MissingSections)
            sections.AddRow($"[{Screen.Name}]{Screen.Text(section)}[/]", "", $"[{Screen.Notice}]taken out[/]");
        if (sections.Rows.Count > 0)
            Screen.Out.Write(sections);
        return file.Health is SectionHealth.Intact or SectionHealth.Unchecked;
    }

    /// <summary>Reads every section that can be read, so that what is no well-formed value is found as well.</summary>
    private static void Decode(SavedFile file)
    {
        foreach (var section in file.Sections.Where(section => section.Health != SectionHealth.Damaged))
            file.ReadSection(section.Name);
    }
}
