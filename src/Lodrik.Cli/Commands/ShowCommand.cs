using System.CommandLine;
using System.Globalization;
using Lodrik.Cli.Views;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik show</c>: what is inside a save.</summary>
internal static class ShowCommand
{
    public static Command Create()
    {
        var file = new Argument<string>("file") { Description = "A save of any form." };
        var path = new Argument<string?>("path")
        {
            Description = "What to show: a section, or a place in one, such as warden/satchel/0 or a JSON Pointer.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        var full = new Option<bool>("--full") { Description = "Shows long lists to their end." };
        var command = new Command("show", "Shows what is inside a save: its header, its sections, and their content.") { file, path, full };
        var key = KeyFile.Option();
        command.Options.Add(key);
        command.SetAction(parsed => Run(parsed.GetRequiredValue(file), parsed.GetValue(path), parsed.GetValue(full), parsed.GetValue(key) is { } given ? KeyFile.Read(given) : null));
        return command;
    }

    private static int Run(string path, string? place, bool full, SaveKey? key)
    {
        if (Directory.Exists(path))
            throw new StorageException("This is a folder, not a file.", new SaveLocation { File = path }, "Give the path of a save, or list its slots with lodrik slots.");
        var file = SavedFile.Open(path);
        if (key is not null)
            file.CheckSeal(KeyFile.For(file, key));
        var view = new TreeView(full);
        if (place is not null)
        {
            var (name, value) = ValuePath.Find(file, place);
            Screen.Out.Write(view.Of(name, value));
            return ExitCode.Fine;
        }
        ShowHeader(file, path);
        foreach (var section in file.Sections)
        {
            if (section.Health == SectionHealth.Damaged)
            {
                Screen.Out.MarkupLine($"[{Screen.Name}]{Screen.Text(section.Name)}[/]  [{Screen.Bad}]damaged: it cannot be shown[/]");
                continue;
            }
            if (file.IsEncrypted && key is null)
            {
                Screen.Out.MarkupLine($"[{Screen.Name}]{Screen.Text(section.Name)}[/]  [{Screen.Faint}]{Screen.Size(section.Bytes)}, encrypted: it is shown with --key[/]");
                continue;
            }
            Screen.Out.Write(view.Of(section.Name, file.ReadSection(section.Name), Note(section)));
        }
        return file.Health == SectionHealth.Damaged ? ExitCode.FoundWrong : ExitCode.Fine;
    }

    private static void ShowHeader(SavedFile file, string path)
    {
        var grid = new Grid().AddColumn(new GridColumn().NoWrap().PadRight(2)).AddColumn();
        void Row(string name, string value) => grid.AddRow($"[{Screen.Faint}]{name}[/]", value);
        var form = $"{file.Form.DisplayName()}, {Screen.Size(file.Bytes)}, {file.Sections.Count} {(file.Sections.Count == 1 ? "section" : "sections")}";
        if (file.Header is { } header)
        {
            if (header.Title.Length > 0)
                Row("title", $"[bold]{Screen.Text(header.Title)}[/]");
            Row("game", header.Game.Length == 0 ? "none: a state type on its own" : $"{Screen.Text(header.Game)}, version {header.Version}");
            if (header.Game.Length > 0)
                Row("kind", header.Kind.ToString().ToLowerInvariant());
            Row("saved", $"{Screen.Time(header.Saved)}{(header.Played > TimeSpan.Zero ? $", after {Screen.Duration(header.Played)} of play" : "")}");
            foreach (var (name, value) in header.Summary)
                Row(Screen.Text(name), Screen.Text(value.ToString() ?? ""));
            Row("save", header.SaveId.ToString());
        }
        else
        {
            Row("header", "none: written by hand");
        }
        Row("form", form);
        var panel = new Panel(grid).Header($" {Screen.Text(Path.GetFileName(path))} ").Border(BoxBorder.Rounded).BorderColor(Color.Grey50);
        Screen.Out.Write(panel);
    }

    private static string Note(SavedSection section)
    {
        var size = Screen.Size(section.Bytes);
        return section.Health == SectionHealth.EditedByHand ? $"{size}, edited by hand" : size;
    }
}

/// <summary>Finds a value by the path that a person writes.</summary>
internal static class ValuePath
{
    /// <summary>Finds the value; section names may have slashes in them, and win.</summary>
    /// <exception cref="SaveContentException">There is nothing at the path; the message says how far it goes.</exception>
    public static (string Name, SaveValue Value) Find(SavedFile file, string path)
    {
        var isPointer = path.StartsWith('/');
        var plain = isPointer ? path[1..] : path;
        var section = file.Sections
            .Where(section => IsPrefix(section.Name, plain) || IsPrefix(Encode(section.Name), plain))
            .MaxBy(section => section.Name.Length)?.Name;
        if (section is null)
        {
            throw new SaveContentException(
                SaveErrorCode.NoSuchSection,
                $"No section begins the path \"{path}\".",
                remedy: $"The sections are: {string.Join(", ", file.Sections.Select(one => one.Name))}.");
        }
        var rest = plain[(IsPrefix(section, plain) ? section : Encode(section)).Length..].Trim('/');
        var value = file.ReadSection(section);
        var reached = section;
        foreach (var step in rest.Length == 0 ? [] : rest.Split('/').Select(Decode))
        {
            value = Step(value, step) ?? throw new SaveContentException(
                SaveErrorCode.NoSuchSection, $"There is no \"{step}\" in {reached}.", remedy: Known(value));
            reached += "/" + step;
        }
        return (reached, value);
    }

    private static SaveValue? Step(SaveValue value, string step) => value switch
    {
        SaveMap map => map.TryGet(step, out var entry) ? entry : null,
        SaveList list => int.TryParse(step, NumberStyles.None, CultureInfo.InvariantCulture, out var index) && index < list.Count ? list.Peek(index) : null,
        _ => null,
    };

    private static string Known(SaveValue value) => value switch
    {
        SaveMap { Count: 0 } or SaveList { Count: 0 } => "It is empty.",
        SaveMap map => $"It has: {string.Join(", ", map.Keys.Take(20))}{(map.Count > 20 ? " …" : "")}.",
        SaveList list => $"It has the items 0 to {list.Count - 1}.",
        _ => $"It is a single value: {value}.",
    };

    private static bool IsPrefix(string name, string path) =>
        path.StartsWith(name, StringComparison.Ordinal) && (path.Length == name.Length || path[name.Length] == '/');

    // The escapes of a JSON Pointer, RFC 6901 section 3.
    private static string Encode(string name) => name.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal);

    private static string Decode(string step) => step.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal);
}
