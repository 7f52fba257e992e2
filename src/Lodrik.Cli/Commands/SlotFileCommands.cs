using System.CommandLine;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik export</c> and <c>lodrik import</c>: a slot as one file, out and in again.</summary>
internal static class SlotFileCommands
{
    public static Command CreateExport()
    {
        var (folder, slot) = (Folder(), new Argument<string>("slot") { Description = "The slot." });
        var file = new Argument<string>("file") { Description = "The file to write (ZIP)." };
        var force = new Option<bool>("--force") { Description = "Replaces a file that is there." };
        var command = new Command(
            "export", "Writes a slot with its history and pictures to one file, to share it or send it to support.")
        {
            folder,
            slot,
            file,
            force,
        };
        command.SetAction(parsed =>
        {
            var (name, path) = (parsed.GetRequiredValue(slot), parsed.GetRequiredValue(file));
            var slots = SavePlace.Slots(parsed.GetRequiredValue(folder));
            slots.ExportSlot(name, path, parsed.GetValue(force) ? Overwrite.Allowed : Overwrite.Refused);
            Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]Exported {name} to {path}.[/] {Screen.Size(new FileInfo(path).Length)}.");
            return ExitCode.Fine;
        });
        return command;
    }

    public static Command CreateImport()
    {
        var folder = Folder();
        var file = new Argument<string>("file") { Description = "A file that a slot was exported to." };
        var slot = new Argument<string?>("slot")
        {
            Description = "The slot that it becomes; the name it had, or a free one, if not given.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        var command = new Command("import", "Imports a slot from a file written by export. Nothing is overwritten.") { folder, file, slot };
        command.SetAction(parsed => Import(parsed.GetRequiredValue(folder), parsed.GetRequiredValue(file), parsed.GetValue(slot)));
        return command;
    }

    private static int Import(string folder, string file, string? slot)
    {
        var slots = SavePlace.Slots(folder);
        var imported = slots.ImportSlot(file, slot is null ? (SlotName?)null : new SlotName(slot));
        var saves = imported.GenerationCount == 1 ? "one save" : $"{imported.GenerationCount} saves";
        Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]Imported {file} as {imported.Slot}[/], {saves}.");
        foreach (var problem in imported.PassedOver)
            Screen.Out.MarkupLineInterpolated($"[{Screen.Notice}]Left out: {Screen.Visible(problem.Message)}[/]");
        return imported.PassedOver.Count == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
    }

    private static Argument<string> Folder() => new("folder") { Description = "The folder of a game's saves." };
}
