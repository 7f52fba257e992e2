using System.CommandLine;
using Lodrik.Inspection;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik check</c>: whether saves are as they were written.</summary>
internal static class CheckCommand
{
    public static Command Create()
    {
        var path =
            SaveArgument.Create("save", "A folder, in which all saves are checked; or one save: a file, <folder>/<slot>, "
                + "<folder>/<slot>@6.");
        var json = Screen.JsonOption();
        var command =
            new Command("check", "Checks saves for damage and edits, section by section. With a key, also checks their seals.")
            {
                path,
                json,
            };
        var key = new KeyOptions(command);
        command.SetAction(parsed => Run(parsed.GetRequiredValue(path), parsed.GetValue(json), key.Of(parsed)));
        return command;
    }

    private static int Run(string path, bool json, ToolKey? key)
    {
        var isFolder = SavePlace.IsAddress(path) ? !SavePlace.IsFile(path) && SavePlace.IsStore(path) : Directory.Exists(path);
        var files = isFolder ? FilesOf(path) : [SaveArgument.FileOf(path)];
        var findings = files.Select(file => Check(file, key)).ToList();
        var wrong = findings.Count(finding => !finding.IsFine);
        if (json)
        {
            Screen.Json(findings, ToolJson.Readable.ListCheckLine);
            return wrong == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
        }
        foreach (var finding in findings)
            Show(finding, details: !isFolder);
        if (isFolder)
        {
            Screen.Out.MarkupLine(wrong == 0
                ? $"[{Screen.Good}]{files.Count} {(files.Count == 1 ? "file" : "files")}, nothing wrong.[/]"
                : $"[{Screen.Bad}]{files.Count} {(files.Count == 1 ? "file" : "files")}, {wrong} not as written.[/]");
        }
        return wrong == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
    }

    private static List<string> FilesOf(string folder)
    {
        // No links, pipes or devices, and no folder twice.
        var files = SavePlace.FilesIn(folder)
            .Where(file => Path.GetExtension(file) is not (".png" or ".tmp" or ".holder" or ".jwk" or ".jws" or ".pub")
                && Path.GetFileName(file) != "lock")
            .Order(StringComparer.Ordinal)
            .ToList();
        // If there are stores, only what is in their slots is a save.
        var inSlots = files.FindAll(SavePlace.IsGeneration);
        files = inSlots.Count > 0 ? inSlots : files;
        return files.Count > 0
            ? files
            : throw new StorageException("There are no saves in the folder.", new SaveLocation { File = folder }, "Check the path.");
    }

    /// <summary>Checks one file.</summary>
    private static CheckLine Check(string path, ToolKey? key)
    {
        SavedFile? file = null;
        try
        {
            file = SavePlace.OpenFile(path);
            if (key is not null)
                file.CheckSeal(key.For(file));
            if (key is not null || !file.IsEncrypted)
                Screen.WithProgress("Checking", file.ByteCount, progress => Decode(file, progress));
        }
        catch (TamperedSaveException exception)
        {
            return Wrong(exception.Code switch
            {
                SaveErrorCode.UnknownKey => "anotherKey",
                SaveErrorCode.Unprotected => "unsealed",
                _ => "tampered",
            }, exception);
        }
        catch (SaveException exception) when (exception is not StorageException)
        {
            // Under a seal, what a text editor leaves well-formed is refused as well, and still no accident.
            return Wrong(file is { Health: SectionHealth.EditedByHand } ? "editedByHand" : "damaged", exception);
        }
        var header = file.HeaderHealth == SectionHealth.EditedByHand
            ? new SectionLine[] { new("header", null, Name(file.HeaderHealth)) } : [];
        var sections = header
            .Concat(file.Sections.Select(section => new SectionLine(section.Name, section.ByteCount, Name(section.Health))))
            .Concat(file.MissingSections.Select(section => new SectionLine(section, null, "takenOut")));
        return new CheckLine(path, Name(file.Health), file.Health is SectionHealth.Intact or SectionHealth.Unchecked,
            key is null ? null : true, null, [.. sections])
        {
            IsEncrypted = file.IsEncrypted,
            IsSealed = file.HasSeal,
        };

        CheckLine Wrong(string finding, SaveException exception) =>
            new(path, finding, false, key is null ? null : false, exception.Message, []);
    }

    /// <summary>Says what was found of one file.</summary>
    private static void Show(CheckLine finding, bool details)
    {
        if (finding.Problem is { } problem)
        {
            Screen.Out.MarkupLineInterpolated($"[{Screen.Bad}]{Word(finding.Finding)}[/]  {Screen.Visible(problem)}");
            return;
        }
        var word = finding switch
        {
            { Finding: "intact", SealFits: true } => "intact, and the seal matches",
            { Finding: "intact", IsEncrypted: true } => "intact and encrypted; pass the key to check the seal",
            { Finding: "intact", IsSealed: true } => "intact; pass the key to check the seal",
            { Finding: "unchecked" } => "written by hand, so there is nothing to check",
            _ => Word(finding.Finding),
        };
        Screen.Out.MarkupLineInterpolated($"[{Color(finding.Finding)}]{word}[/]  {finding.File}");
        var sections = new Grid().AddColumn(new GridColumn().Padding(2, 0, 2, 0)).AddColumn(new GridColumn().RightAligned()).AddColumn();
        foreach (var section in finding.Sections.Where(section => details || section.Health is not ("intact" or "unchecked")))
            sections.AddRow($"[{Screen.Name}]{Screen.Text(section.Name)}[/]", section.ByteCount is { } bytes ? Screen.Size(bytes) : "",
                $"[{Color(section.Health)}]{Word(section.Health)}[/]");
        if (sections.Rows.Count > 0)
            Screen.Out.Write(sections);
    }

    private static string Name(SectionHealth health) => health switch
    {
        SectionHealth.Intact => "intact",
        SectionHealth.EditedByHand => "editedByHand",
        SectionHealth.Unchecked => "unchecked",
        _ => "damaged",
    };

    private static string Word(string finding) => finding switch
    {
        "editedByHand" => "edited by hand",
        "takenOut" => "taken out",
        "anotherKey" => "another key",
        "unsealed" => "no seal",
        "tampered" => "tampered with",
        _ => finding,
    };

    private static string Color(string finding) => finding switch
    {
        "intact" => Screen.Good,
        "editedByHand" or "unchecked" or "takenOut" => Screen.Notice,
        _ => Screen.Bad,
    };

    /// <summary>Reads every section that can be read, so that what is not a well-formed value is found as well.</summary>
    private static int Decode(SavedFile file, IProgress<double>? progress)
    {
        long done = 0;
        foreach (var section in file.Sections.Where(section => section.Health != SectionHealth.Damaged))
        {
            file.ReadSection(section.Name);
            progress?.Report((double)(done += section.ByteCount) / file.ByteCount);
        }
        return file.Sections.Count;
    }
}
