using System.CommandLine;
using System.Globalization;
using Lodrik.Cli.Demo;
using Lodrik.Protection;
using Lodrik.Slots;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik demo</c>: plays a game through once in each form, and leaves its saves to be looked into.</summary>
internal sealed class DemoCommand(IGameDemo game)
{
    private static readonly (SaveForm Form, string Folder)[] Forms =
        [(SaveForm.Json, "json"), (SaveForm.Xml, "xml"), (SaveForm.Binary, "binary")];

    /// <summary>The command that starts a game's demo.</summary>
    public static Command Create(IGameDemo game)
    {
        var folder = new Option<string?>("--out") { Description = "The folder for the demo's saves; a new temporary one if not given." };
        var command = new Command("demo", "Plays a short game, saves it in all three forms, plays on, loads it, and compares.")
        {
            folder,
        };
        command.SetAction(parsed => new DemoCommand(game).Run(parsed.GetValue(folder)));
        return command;
    }

    private int Run(string? chosen)
    {
        var folder = chosen is null
            ? Directory.CreateTempSubdirectory($"{game.Name.ToLowerInvariant()}-").FullName
            : Path.GetFullPath(chosen);
        var results = new List<(SaveForm Form, string Folder, DemoStory Story)>();
        foreach (var (form, name) in Forms)
        {
            var place = Path.Combine(folder, name);
            var options = new SaveStoreOptions { Folder = place, Form = form, Migrations = game.Migrations };
            results.Add((form, place, game.Play(options)));
        }
        var first = results[0].Story;
        ShowMoments(first);
        ShowCheckpoint(first);
        ShowUpdate(first);
        ShowFirstRelease(Path.Combine(folder, "first-release"));
        WriteProtected(folder);
        var good = ShowForms(results);
        ShowNext(folder, results[0].Folder);
        return good ? ExitCode.Fine : ExitCode.FoundWrong;
    }

    private void ShowMoments(DemoStory story)
    {
        Screen.Out.MarkupLineInterpolated($"[bold]{game.Name}[/]: {game.Plot}, saves,");
        Screen.Out.MarkupLine("plays on for a while, and loads the save into the [italic]running[/] scene.");
        Screen.Out.WriteLine();
        var maps = new Table().Border(TableBorder.None).HideHeaders();
        foreach (var _ in story.Moments)
            maps.AddColumn(new TableColumn("").NoWrap());
        if (Screen.Out.Profile.Width >= story.Moments.Count * (game.MapWidth + 6))
        {
            maps.AddRow(story.Moments.Select(Map).ToArray<Spectre.Console.Rendering.IRenderable>());
            Screen.Out.Write(maps);
        }
        else
        {
            Screen.Out.Write(new Columns(story.Moments.Select(Map)).Collapse());
        }
        var signs = game.Legend.Select(one => $"{Sign(one.Key)} [{Screen.Faint}]{Markup.Escape(one.Value)}[/]");
        Screen.Out.MarkupLine(string.Join("  ", signs));
        Screen.Out.WriteLine();

        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        table.AddColumn("");
        foreach (var moment in story.Moments)
            table.AddColumn($"[{Screen.Faint}]{moment.Title}[/]");
        for (var i = 0; i < story.AtSave.Facts.Count; i++)
        {
            var (name, saved) = story.AtSave.Facts[i];
            table.AddRow(
                $"[{Screen.Faint}]{name}[/]",
                Markup.Escape(story.Moments[0].Facts[i].Value),
                Markup.Escape(saved),
                story.PlayedOn.Facts[i].Value == saved
                    ? Markup.Escape(saved)
                    : $"[{Screen.Notice}]{Markup.Escape(story.PlayedOn.Facts[i].Value)}[/]",
                story.Loaded.Facts[i].Value == saved
                    ? $"[{Screen.Good}]{Markup.Escape(saved)}[/]"
                    : $"[{Screen.Bad}]{Markup.Escape(story.Loaded.Facts[i].Value)}[/]");
        }
        Screen.Out.Write(table);
        Screen.Out.MarkupLine("To put the marsh back as it was, the load did this:");
        foreach (var line in story.Restored.Plan.ToString().Split('\n'))
            Screen.Out.MarkupLineInterpolated($"[{Screen.Faint}]  {line.Trim()}[/]");
        Screen.Out.WriteLine();
    }

    private static void ShowCheckpoint(DemoStory story)
    {
        Screen.Out.MarkupLine("The warden marks a checkpoint, goes too far out, and drowns: back at the checkpoint, and the season's tally "
            + "survives.");
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        foreach (var title in (string[])["", "at the checkpoint", "before the flood", "back again"])
            table.AddColumn($"[{Screen.Faint}]{title}[/]");
        foreach (var (name, marked, before, after) in story.Checkpoint)
        {
            table.AddRow(
                $"[{Screen.Faint}]{name}[/]", Markup.Escape(marked),
                before == marked ? Markup.Escape(before) : $"[{Screen.Notice}]{Markup.Escape(before)}[/]",
                after == marked ? $"[{Screen.Good}]{Markup.Escape(after)}[/]" : $"[{Screen.Notice}]{Markup.Escape(after)}[/]");
        }
        Screen.Out.Write(table);
        Screen.Out.WriteLine();
    }

    private static void ShowUpdate(DemoStory story)
    {
        Screen.Out.MarkupLine("A later release of the game, which has changed the marsh, loads the evening's save:");
        foreach (var line in story.Updated.ToString().Split('\n'))
            Screen.Out.MarkupLineInterpolated($"[{Screen.Faint}]  {line.Trim()}[/]");
        Screen.Out.WriteLine();
    }

    /// <summary>A save that the game's first release made loads in today's.</summary>
    private void ShowFirstRelease(string folder)
    {
        var slots = SaveSlots.OpenFolder(folder);
        // The demo may have been played into this folder before.
        if (slots.List().Any(slot => slot.Slot == "night"))
            slots.Delete("night");
        slots.Add("night", game.SaveOfFirstRelease());
        var from = game.LoadFirstRelease(
            new SaveStoreOptions { Folder = folder, Migrations = game.Migrations }, "night", out var outcome);
        var version = game.Migrations.Steps[^1].To;
        Screen.Out.MarkupLineInterpolated(
            $"A save of the game's [bold]first release[/] loads in version {version}, and its file stays as it is:");
        foreach (var step in game.Migrations.Steps.Where(step => step.From >= from))
        {
            var told = step.ToString().Split('\n');
            Screen.Out.MarkupLineInterpolated($"[{Screen.Faint}]  {told[0].TrimEnd()}{(told.Length > 1 ? " …" : "")}[/]");
        }
        Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]  {outcome}[/]");
        Screen.Out.WriteLine();
    }

    /// <summary>The same story in a store that is sealed, one that is signed and one that is encrypted, with their keys.</summary>
    private void WriteProtected(string folder)
    {
        var keys = Directory.CreateDirectory(Path.Combine(folder, "keys")).FullName;
        var (secret, signing) = (Path.Combine(keys, "demo.jwk"), Path.Combine(keys, "studio.jwk"));
        if (!File.Exists(secret))
            KeyFile.Write(secret, KeyFile.NewSecret("demo"));
        if (!File.Exists(signing))
        {
            var (own, shared) = KeyFile.NewPair("studio");
            KeyFile.Write(signing, own);
            KeyFile.Write(signing + ".pub", shared);
        }
        foreach (var (name, protection) in new[]
        {
            ("sealed", SaveProtection.With(KeyFile.Read(secret))), ("signed", SaveProtection.With(KeyFile.Read(signing))),
            ("encrypted", SaveProtection.Encrypted(KeyFile.Read(secret))),
        })
        {
            game.Play(new SaveStoreOptions { Folder = Path.Combine(folder, name), Protection = protection });
        }
    }

    private static bool ShowForms(List<(SaveForm Form, string Folder, DemoStory Story)> results)
    {
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        table.AddColumn($"[{Screen.Faint}]form[/]");
        table.AddColumn(new TableColumn($"[{Screen.Faint}]save[/]").RightAligned());
        table.AddColumn(new TableColumn($"[{Screen.Faint}]encoded in[/]").RightAligned());
        table.AddColumn(new TableColumn($"[{Screen.Faint}]on the disk in[/]").RightAligned());
        table.AddColumn($"[{Screen.Faint}]scene after loading[/]");
        var good = true;
        foreach (var (form, _, story) in results)
        {
            var receipt = story.Receipts.Single(receipt => receipt.Slot == "evening");
            var same = story.Loaded.Shows(story.AtSave) && story.Loaded.Shows(results[0].Story.Loaded with { Title = story.Loaded.Title });
            good &= same;
            table.AddRow(
                form.DisplayName(),
                Screen.Size(receipt.ByteCount),
                Milliseconds(receipt.Encoding),
                Milliseconds(receipt.Encoding + receipt.Writing),
                same ? $"[{Screen.Good}]as it was at the save[/]" : $"[{Screen.Bad}]not as it was[/]");
        }
        Screen.Out.Write(table);
        return good;
    }

    private void ShowNext(string folder, string json)
    {
        Screen.Out.MarkupLineInterpolated($"The saves are in [bold]{folder}[/]. Try next:");
        // A native build has no assembly of the game beside it, and could not load one.
        var assembly = Path.Combine(AppContext.BaseDirectory, game.AssemblyFile);
        foreach (var command in (string[])[$"slots {json}", $"show {json}/evening", $"show {json}/evening marsh/beacon-1",
            $"diff {json}/auto", $"weigh {json}/evening", $"report {json} -o {folder}/report.html", $"check {folder}",
            $"migrate {folder}/first-release --with {assembly} --dry-run", $"check {folder}/encrypted --key {folder}/keys/demo.jwk"])
        {
            if (!command.Contains(assembly, StringComparison.Ordinal) || File.Exists(assembly))
                Screen.Out.Profile.Out.Writer.WriteLine($"  lodrik {command}"); // Not wrapped, so that it can be copied.
        }
        Screen.Out.MarkupLine($"[{Screen.Faint}]Without an installed lodrik: dotnet run --project src/Lodrik.Cli -- slots …[/]");
    }

    private Panel Map(DemoMoment moment) =>
        new Panel(new Markup(string.Join('\n', moment.Map.Select(row => string.Concat(row.Select(Sign))))))
        .Header($" {moment.Title} ").Border(BoxBorder.Rounded).BorderColor(Color.Grey50);

    private string Sign(char sign) => $"[{game.StyleOf(sign) ?? Screen.Faint}]{sign}[/]";

    private static string Milliseconds(TimeSpan time) => string.Create(CultureInfo.InvariantCulture, $"{time.TotalMilliseconds:F2} ms");
}
