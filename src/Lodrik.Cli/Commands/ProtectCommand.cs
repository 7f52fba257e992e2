using System.CommandLine;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik seal</c>, <c>lock</c> and <c>unlock</c>: the same saves under another protection.</summary>
internal static class ProtectCommand
{
    public static Command CreateSeal() => Create(
        "seal", "Seals saves with a secret key, or signs them with a private one. The content stays the same.", "The key to seal with: "
            + KeyFile.Forms, (key, _) => SaveProtection.With(key));

    public static Command CreateLock() => Create(
        "lock", "Encrypts and seals saves with a secret key.", "The key to encrypt with: " + KeyFile.Forms,
        (key, hide) => SaveProtection.Encrypted(key) with { HasHiddenTitles = hide }, hides: true);

    public static Command CreateUnlock() =>
        Create("unlock", "Removes seals and encryption, to look at saves with other tools or to edit them.", "The key of the saves: "
        + KeyFile.Forms, null);

    private static Command Create(
        string name, string description, string keyDescription, Func<SaveKey, bool, SaveProtection>? protect, bool hides = false)
    {
        var path =
            SaveArgument.Create("save", "The folder of a game's saves, all of whose generations are rewritten; or one save: a file, "
                + "<folder>/<slot>, <folder>/<slot>@6.");
        var key = new Option<string>("--key") { Description = keyDescription, Required = true };
        var from = new Option<string?>("--from")
        {
            Description = "The current key of the saves, if they are already sealed or encrypted.",
        };
        var context = new Option<string>("--context")
        {
            Description = "What the saves are bound to, for example an account.",
            DefaultValueFactory = _ => "",
        };
        var output = new Option<string?>("--output", "-o")
        {
            Description = "The output file for a single save. By default the input is replaced.",
        };
        var hide = new Option<bool>("--hide-titles") { Description = "Encrypts titles and summaries as well." };
        var json = Screen.JsonOption();
        var command = new Command(name, description) { path, key, context, output, json };
        if (protect is not null)
            command.Options.Add(from);
        if (hides)
            command.Options.Add(hide);
        command.SetAction(parsed =>
        {
            var given = KeyFile.Read(parsed.GetRequiredValue(key));
            var bound = parsed.GetValue(context)!;
            var to = protect is null ? null : protect(given, hides && parsed.GetValue(hide)) with { Context = bound };
            var old = protect is null ? given : parsed.GetValue(from) is { } place ? KeyFile.Read(place) : null;
            var at = parsed.GetRequiredValue(path);
            return SavePlace.IsStore(at) switch
            {
                true when parsed.GetValue(output) is not null =>
                    throw new ArgumentException("--output is only for a single save. In a folder, every save stays where it is."),
                true => RunFolder(at, old, bound, to, parsed.GetValue(json)),
                _ => RunFile(at, old, bound, to, parsed.GetValue(output), parsed.GetValue(json)),
            };
        });
        return command;
    }

    private static int RunFile(string path, SaveKey? old, string context, SaveProtection? to, string? output, bool json)
    {
        path = SaveArgument.FileOf(path);
        var file = SavePlace.OpenFile(path);
        if (file.HasSeal)
            file.CheckSeal(Checking(file, old ?? throw new TamperedSaveException(SaveErrorCode.UnknownKey, "The save is already sealed.",
                new SaveLocation { File = path }, "Pass its current key with --from."), context));
        else if (to is null)
            throw new TamperedSaveException(SaveErrorCode.Unprotected, "The save has neither a seal nor encryption.",
                new SaveLocation { File = path }, "Nothing was changed.");
        if (output is not null && File.Exists(output) && Path.GetFullPath(output) != Path.GetFullPath(path))
            throw new StorageException("A file with this name already exists.",
                new SaveLocation { File = output }, "Choose another with --output.");
        var bytes = file.Protect(to);
        output = SavePlace.ToWrite(output, path);
        new Storage.DirectoryStorage(Path.GetDirectoryName(Path.GetFullPath(output))!)
            .Write(Path.GetFileName(output), bytes, replace: true);
        if (json)
        {
            Screen.Json([new ProtectionLine(output, State(to), true, null)], ToolJson.Readable.ListProtectionLine);
            return ExitCode.Fine;
        }
        Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]{State(to)}[/], {Screen.Size(bytes.Length)}  [{Screen.Faint}]{output}[/]");
        if (file.Health == SectionHealth.EditedByHand)
            Screen.Out.MarkupLine($"[{Screen.Notice}]The save had been edited by hand; now it is as if the game had written it so.[/]");
        return ExitCode.Fine;
    }

    private static int RunFolder(string folder, SaveKey? old, string context, SaveProtection? to, bool json)
    {
        var store = SavePlace.Slots(folder);
        var slots = store.List();
        if (slots.Count == 0)
            throw new StorageException("There are no saves in the folder.", new SaveLocation { File = folder }, "Check the path.");
        // Which of its two levels a secret key has in this folder is for the saves to say; the key is the user's own.
        var isEncrypted = old is { IsSecret: true }
            && slots.Any(slot => slot.Health == SlotHealth.Readable && store.OpenSave(slot.Slot, slot.Generation).IsEncrypted);
        var from = old is null ? null : new SaveProtection(new KeyRing(old)) { IsEncrypted = isEncrypted, Context = context };
        var results = store.Protect(from, to);
        var wrong = results.Count(one => one.Problem is not null);
        if (json)
        {
            Screen.Json([.. results.Select(one => new ProtectionLine($"{folder}/{one.Slot}@{one.Generation}", State(to), one.Changed,
                one.Problem?.Message))], ToolJson.Readable.ListProtectionLine);
            return wrong == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
        }
        var grid = new Grid().AddColumn(new GridColumn().NoWrap()).AddColumn();
        foreach (var slot in results.GroupBy(one => one.Slot))
        {
            var changed = slot.Count(one => one.Changed);
            grid.AddRow($"[{Screen.Name}]{Screen.Text(slot.Key.ToString())}[/]", changed > 0
                ? $"[{Screen.Good}]{State(to)}[/]: {changed} {(changed == 1 ? "generation" : "generations")}"
                : $"[{Screen.Faint}]nothing to do[/]");
            foreach (var one in slot.Where(one => one.Problem is not null))
                grid.AddRow("", $"[{Screen.Bad}]generation {one.Generation} was left unchanged: {Screen.Text(one.Problem!.Message)}[/]");
        }
        Screen.Out.Write(grid);
        return wrong == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
    }

    private static SaveProtection Checking(SavedFile file, SaveKey key, string context) => new ToolKey(key, context).For(file);

    private static string State(SaveProtection? to) => to?.Level switch
    {
        null => "without protection",
        ProtectionLevel.Encryption => $"encrypted with the {to.Keys.Current}",
        ProtectionLevel.Signature => $"signed with the {to.Keys.Current}",
        _ => $"sealed with the {to.Keys.Current}",
    };
}
