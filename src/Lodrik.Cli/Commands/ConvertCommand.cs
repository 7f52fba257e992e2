using System.CommandLine;
using Lodrik.Slots;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik convert</c>: the same save in another form.</summary>
internal static class ConvertCommand
{
    public static Command Create()
    {
        var file = SaveArgument.Create("save");
        var form = new Option<string>("--to") { Description = "The form to write: json, xml or binary.", Required = true };
        form.AcceptOnlyFromAmong("json", "xml", "binary");
        var output = new Option<string?>("--output", "-o")
        {
            Description = "The output file. By default the same name with the form's extension, if the input is not in a slot.",
        };
        var compact = new Option<bool>("--compact") { Description = "Writes a readable form without line breaks." };
        var overwrite = new Option<bool>("--overwrite") { Description = "Replaces the output file if it exists." };
        var command = new Command("convert", "Writes a save in another form. Nothing is lost, and the game is not needed.")
        {
            file,
            form,
            output,
            compact,
            overwrite,
        };
        var key = new KeyOptions(command);
        command.SetAction(parsed => Run(
            parsed.GetRequiredValue(file), parsed.GetRequiredValue(form), parsed.GetValue(output), parsed.GetValue(compact),
            parsed.GetValue(overwrite),
            key.Of(parsed)));
        return command;
    }

    private static int Run(string path, string word, string? output, bool compact, bool overwrite, ToolKey? key)
    {
        Screen.TryParseForm(word, out var form);
        path = SaveArgument.FileOf(path);
        if (output is null && SaveSlots.IsInSlot(path))
            throw new ArgumentException("The save is in a slot, where another file would count as one of its saves. Pass the output "
                + "file with --output.");
        var source = SavePlace.OpenFile(path);
        var protection = key is null ? null : key.For(source);
        if (protection is not null)
            source.CheckSeal(protection);
        output ??= Path.ChangeExtension(SavePlace.ToWrite(null, path), form.FileExtension());
        if (!overwrite && File.Exists(output))
            throw new StorageException("A file with this name already exists.",
                new SaveLocation { File = output }, "Choose another with --output, or replace it with --overwrite.");
        var bytes = Screen.WithProgress("Converting", source.ByteCount, progress => source.ToForm(form, !compact, protection, progress));
        new Storage.DirectoryStorage(Path.GetDirectoryName(Path.GetFullPath(output))!)
            .Write(Path.GetFileName(output), bytes, replace: overwrite);
        Screen.Out.MarkupLineInterpolated($"{source.Form.DisplayName()}, {Screen.Size(source.ByteCount)}  [{Screen.Faint}]{path}[/]");
        Screen.Out.MarkupLineInterpolated($"{form.DisplayName()}, {Screen.Size(bytes.Length)}  [{Screen.Faint}]{output}[/]");
        if (source.HasSeal && protection is null)
            Screen.Out.MarkupLine($"[{Screen.Notice}]The copy has no seal; with --key it has.[/]");
        return ExitCode.Fine;
    }
}
