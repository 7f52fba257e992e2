using System.CommandLine;
using Lodrik.Cli.Views;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik show</c>: what is inside a save.</summary>
internal static class ShowCommand
{
    public static Command Create()
    {
        var file = new Argument<string>("save") { Description = SaveArgument.Description };
        var path = new Argument<string?>("path")
        {
            Description = "What to show: a section, or a place in one, such as warden/satchel/0 or a JSON Pointer.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        var full = new Option<bool>("--full") { Description = "Shows long lists to their end." };
        var command = new Command("show", "Shows what is inside a save: its header, its sections, and their content.") { file, path, full };
        var key = new KeyOptions(command);
        command.SetAction(parsed => Run(parsed.GetRequiredValue(file), parsed.GetValue(path), parsed.GetValue(full), key.Of(parsed)));
        return command;
    }

    private static int Run(string path, string? place, bool full, ToolKey? key)
    {
        var save = SaveArgument.Of(path);
        path = save.Path;
        var file = save.Open(key);
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
