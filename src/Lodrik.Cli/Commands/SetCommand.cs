using System.CommandLine;
using Lodrik.Cli.Views;
using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik set</c>: another value in a save, for testing.</summary>
internal static class SetCommand
{
    public static Command Create()
    {
        var save = SaveArgument.Create("save");
        var path = new Argument<string>("path") { Description = "The place of the value, such as warden/oil or a JSON Pointer." };
        path.CompletionSources.Add(SaveCompletions.PlacesIn(save));
        var value = new Argument<string>("value")
        {
            Description = "The new value: text, or JSON. It gets the type of the one that is there.",
        };
        var output = new Option<string?>("--output", "-o")
        {
            Description = "The file to write. If not given, a slot gets a new generation, and a single file is replaced.",
        };
        var command =
            new Command("set", "Changes one value of a save, and shows the difference. With a key, the save is sealed again.")
            {
                save,
                path,
                value,
                output,
            };
        var key = new KeyOptions(command);
        command.SetAction(parsed => Run(
            SaveArgument.Of(parsed.GetRequiredValue(save)), parsed.GetRequiredValue(path), parsed.GetRequiredValue(value),
            parsed.GetValue(output), key.Of(parsed)));
        return command;
    }

    private static int Run(SaveArgument save, string path, string text, string? output, ToolKey? key)
    {
        if (output is not null && File.Exists(output))
            throw new StorageException("A file with this name already exists.",
                new SaveLocation { File = output }, "Choose another with --output.");
        var file = save.Open(key, mayBePlain: true);
        if (file.HasSeal && key is null)
            throw new TamperedSaveException(SaveErrorCode.UnknownKey, "The save is sealed.",
                new SaveLocation { File = save.Path }, "Give its key with --key, so that it can be sealed again.");
        var (section, steps, root) = ValuePath.Locate(file, path);
        var content = Replaced(root, steps, old => Converted(old, text, path));
        var protection = key is null || !file.HasSeal ? null : key.For(file);
        var bytes = file.WithSection(section, content, protection);
        var written = "";
        if (output is null && save is { Store: { } store, Slot: { } slot })
            written = $"{slot}, generation {SavePlace.Slots(store).Append(slot, bytes)}";
        else
            new Storage.DirectoryStorage(Path.GetDirectoryName(Path.GetFullPath(SavePlace.ToWrite(output, save.Path)))!)
                .Write(Path.GetFileName(output ?? save.Path), bytes, replace: output is null);
        var after = SavedFile.FromBytes(bytes);
        if (protection is not null)
            after.CheckSeal(protection);
        DiffView.Show(Screen.WithProgress("Comparing", file.ByteCount, progress => SaveComparison.Of(file, after, progress)), full: true);
        Screen.Out.MarkupLineInterpolated(
            $"[{Screen.Good}]Written[/]{(protection is null
                ? "" : $" and sealed with the {protection.Keys.Current}")}: [{Screen.Faint}]{(written.Length > 0
                ? written : output ?? save.Path)}[/]");
        return ExitCode.Fine;
    }

    private static SaveValue Replaced(SaveValue value, ReadOnlySpan<string> steps, Func<SaveValue, SaveValue> replace)
    {
        if (steps.IsEmpty)
            return replace(value);
        switch (value)
        {
            case SaveMap map:
                map[steps[0]] = Replaced(map[steps[0]], steps[1..], replace);
                return map;
            default:
                var (copy, index) = (new SaveList(), 0);
                var at = int.Parse(steps[0], System.Globalization.CultureInfo.InvariantCulture);
                foreach (var item in (SaveList)value)
                    copy.Add(index++ == at ? Replaced(item, steps[1..], replace) : item);
                return copy;
        }
    }

    /// <summary>The new value as the type of the old one.</summary>
    private static SaveValue Converted(SaveValue old, string text, string path)
    {
        SaveValue given;
        try
        {
            given = old.Kind == SaveValueKind.Text ? text : SaveJson.Read(text);
        }
        catch (SaveException)
        {
            given = text;
        }
        try
        {
            var isSingle = old is SaveScalar { Kind: not SaveValueKind.Null };
            return isSingle && given is SaveScalar ? given.ConvertTo(old.Kind)
                : isSingle || (old is SaveMap or SaveList && given.Kind != old.Kind)
                    ? throw new InvalidCastException($"there is a {old.Kind.ToString().ToLowerInvariant()}")
                : given;
        }
        catch (InvalidCastException exception)
        {
            throw new ArgumentException($"{path} cannot be set to {text}: {exception.Message}", exception);
        }
    }
}
