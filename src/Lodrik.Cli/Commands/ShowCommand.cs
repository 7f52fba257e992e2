using System.CommandLine;
using Lodrik.Cli.Views;
using Lodrik.Inspection;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik show</c>: what is inside a save.</summary>
internal static class ShowCommand
{
    public static Command Create()
    {
        var file = SaveArgument.Create("save");
        var path = new Argument<string?>("path")
        {
            Description = "What to show: a section; a place in one, such as warden/satchel/0 or a JSON Pointer; an entity by its id, such "
                + "as beacon-1 or scenes/marsh/#2.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        path.CompletionSources.Add(SaveCompletions.PlacesIn(file));
        var depth = WholeNumber.Option("--depth", "How deep it unfolds: 0 for the sections alone, 1 for their members, …", least: 0);
        var full = new Option<bool>("--full") { Description = "Shows long lists to their end." };
        var json = Screen.JsonOption();
        var command = new Command("show", "Shows what is inside a save: header, sections, content, or one place of it.")
        {
            file,
            path,
            depth,
            full,
            json,
        };
        var key = new KeyOptions(command);
        command.SetAction(parsed =>
        {
            var save = SaveArgument.Of(parsed.GetRequiredValue(file));
            var look = new ContentView(parsed.GetValue(full), parsed.GetValue(depth) ?? int.MaxValue);
            return parsed.GetValue(json)
                ? WriteJson(save, parsed.GetValue(path), key.Of(parsed))
                : Run(save, parsed.GetValue(path), look, key.Of(parsed));
        });
        return command;
    }

    private static int Run(SaveArgument save, string? place, ContentView view, ToolKey? key)
    {
        var file = save.Open(key);
        if (place is not null)
        {
            var (name, value) = ValuePath.Find(file, place);
            view.Show(name, value);
            return ExitCode.Fine;
        }
        ShowHeader(file, save.Path);
        foreach (var section in file.Sections)
        {
            if (section.Health == SectionHealth.Damaged)
                Screen.Out.MarkupLine($"[{Screen.Name}]{Screen.Text(section.Name)}[/]  [{Screen.Bad}]damaged, so it cannot be shown[/]");
            else if (file.IsEncrypted && key is null)
                Screen.Out.MarkupLine(
                    $"[{Screen.Name}]{Screen.Text(section.Name)}[/]  [{Screen.Faint}]{Screen.Size(section.ByteCount)}, encrypted: it is "
                        + "shown with --key[/]");
            else if (view.Depth == 0)
                Screen.Out.MarkupLine($"[{Screen.Name}]{Screen.Text(section.Name)}[/]  [{Screen.Faint}]{Note(section)}[/]");
            else
                view.Show(section.Name, file.ReadSection(section.Name), Note(section));
        }
        return file.Health == SectionHealth.Damaged ? ExitCode.FoundWrong : ExitCode.Fine;
    }

    private static int WriteJson(SaveArgument save, string? place, ToolKey? key)
    {
        var file = save.Open(key);
        var writer = Screen.Out.Profile.Out.Writer;
        if (place is not null)
        {
            writer.WriteLine(SaveJson.Write(ValuePath.Find(file, place).Value, indented: true));
            return ExitCode.Fine;
        }
        // Section by section, so that no more of a large save is in memory than one of them.
        writer.Write($"{{\n\"save\": {SaveJson.Write(Description(file), indented: true)},\n\"sections\": {{");
        var separator = "\n";
        foreach (var section in file.Sections.Where(section =>
            section.Health != SectionHealth.Damaged && (!file.IsEncrypted || key is not null)))
        {
            writer.Write($"{separator}{SaveJson.Write(section.Name)}: {SaveJson.Write(file.ReadSection(section.Name), indented: true)}");
            separator = ",\n";
        }
        writer.WriteLine("\n}\n}");
        return file.Health == SectionHealth.Damaged ? ExitCode.FoundWrong : ExitCode.Fine;
    }

    /// <summary>What a save says of itself, for scripts: time played in seconds, dates in ISO 8601.</summary>
    private static SaveMap Description(SavedFile file)
    {
        var map = new SaveMap
        {
            ["form"] = file.Form.ToString(),
            ["byteCount"] = file.ByteCount,
            ["health"] = file.Health.ToString(),
            ["encrypted"] = file.IsEncrypted,
            ["sealed"] = file.HasSeal,
        };
        if (file.Header is { } header)
        {
            var summary = new SaveMap();
            foreach (var (name, value) in header.Summary)
                summary[name] = value;
            foreach (var (name, value) in new (string, SaveValue)[]
            {
                ("id", header.SaveId.ToString()), ("game", header.Game), ("version", header.Version), ("kind", header.Kind.ToString()),
                ("title", header.Title),
                ("saved", header.Saved.ToString("O", System.Globalization.CultureInfo.InvariantCulture)),
                ("played", header.Played.TotalSeconds), ("summary", summary),
            })
                map[name] = value;
        }
        var sections = new SaveList();
        foreach (var section in file.Sections)
            sections.Add(new SaveMap
            {
                ["name"] = section.Name,
                ["byteCount"] = section.ByteCount,
                ["health"] = section.Health.ToString(),
            });
        map["sections"] = sections;
        return map;
    }

    private static void ShowHeader(SavedFile file, string path)
    {
        var grid = new Grid().AddColumn(new GridColumn().NoWrap().PadRight(2)).AddColumn();
        void Row(string name, string value) => grid.AddRow($"[{Screen.Faint}]{name}[/]", value);
        var form =
            $"{file.Form.DisplayName()}, {Screen.Size(file.ByteCount)}, {file.Sections.Count} "
                + $"{(file.Sections.Count == 1 ? "section" : "sections")}";
        if (file.Header is { } header)
        {
            if (header.Title.Length > 0 || header.HasHiddenTitles)
                Row("title",
                    header.HasHiddenTitles ? $"[{Screen.Faint}]hidden: shown with --key[/]" : $"[bold]{Screen.Text(header.Title)}[/]");
            Row("game",
                header.Game.Length == 0 ? "none: a state type on its own" : $"{Screen.Text(header.Game)}, version {header.Version}");
            if (header.Game.Length > 0)
                Row("kind", header.Kind.ToString().ToLowerInvariant());
            Row("saved",
                $"{Screen.Time(header.Saved)}{(header.Played > TimeSpan.Zero ? $", after {Screen.Duration(header.Played)} of play" : "")}");
            foreach (var (name, value) in header.Summary)
                Row(Screen.Text(name), Screen.Text(value.ToString() ?? ""));
            Row("save", header.SaveId.ToString());
        }
        else
        {
            Row("header", "none: written by hand");
        }
        Row("form", form);
        if (file.HasSeal)
            Row("protection",
                $"{(file.IsEncrypted ? "encrypted and sealed" : "sealed")}{(file.SealKey is { } sealedBy
                    ? $", and the seal of the key {Screen.Text(sealedBy.ToString())} matches"
                    : $" [{Screen.Faint}](checked with --key)[/]")}");
        var panel = new Panel(grid).Header($" {Screen.Text(Path.GetFileName(path))} ").Border(BoxBorder.Rounded).BorderColor(Color.Grey50);
        Screen.Out.Write(panel);
    }

    private static string Note(SavedSection section)
    {
        var size = Screen.Size(section.ByteCount);
        return section.Health == SectionHealth.EditedByHand ? $"{size}, edited by hand" : size;
    }
}
