using System.CommandLine;
using System.Text.Json;
using Lodrik.Cli.Views;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik migrate</c>: brings saves to a later version by the game's own migrations.</summary>
internal static class MigrateCommand
{
    public static Command Create()
    {
        var path = SaveArgument.Create("save", "The folder of a game's saves, or one save: a file, <folder>/<slot>, <folder>/<slot>@6.");
        var with = new Option<string>("--with")
        {
            Description = "The game's assembly (.dll), which has the migrations. Its code is run.",
            Required = true,
        };
        var to = WholeNumber.Option("--to", "The target version. By default the game's version.", least: 1);
        var dryRun = new Option<bool>("--dry-run") { Description = "Writes nothing and shows what would change." };
        var output = new Option<string?>("--output", "-o") { Description = "The output file for a single save. The input is kept." };
        var full = new Option<bool>("--full") { Description = "Shows all differences." };
        var json = Screen.JsonOption();
        var root = new Option<string?>("--root") { Description = "The full name of the save root, if the assembly has several." };
        var chain = new Option<string?>("--chain")
        {
            Description = "The member with the migrations, such as Game.Saves.Migrations, if the assembly has several.",
        };
        var command = new Command("migrate", "Brings saves to a later version with the game's own migrations. The older saves are kept.")
        {
            path,
            with,
            to,
            dryRun,
            output,
            full,
            json,
            root,
            chain,
        };
        var key = new KeyOptions(command);
        command.SetAction(parsed =>
        {
            var game = GameAssembly.Load(parsed.GetRequiredValue(with), parsed.GetValue(root), parsed.GetValue(chain));
            var version = parsed.GetValue(to) ?? game.Shape.Version;
            if (version < 1 || version > game.Shape.Version)
                throw new ArgumentException($"The game has version {game.Shape.Version}; saves cannot be migrated to version {version}.");
            var look = new Look(game, version, parsed.GetValue(full), parsed.GetValue(json), key.Of(parsed));
            var at = parsed.GetRequiredValue(path);
            return (SavePlace.IsStore(at), parsed.GetValue(dryRun)) switch
            {
                (true, true) => LookAtStore(at, look),
                (true, false) when parsed.GetValue(output) is not null =>
                    throw new ArgumentException("In a folder, the migrated saves become new generations of their slots; --output is for a "
                        + "single save."),
                (true, false) => MigrateStore(at, look),
                (false, var dry) => MigrateFile(at, look, dry ? null : parsed.GetValue(output)
                    ?? throw new ArgumentException("Pass the output file with --output, or look first with --dry-run.")),
            };
        });
        return command;
    }

    private static int MigrateFile(string path, Look look, string? output)
    {
        path = SaveArgument.FileOf(path);
        var (before, after) = Open(path, look);
        if (look.Json)
        {
            Screen.Json([Line(path, before, after, look, output)], ToolJson.Readable.ListMigrationLine);
            if (output is null)
                return ExitCode.Fine;
        }
        else if (before is not null)
            ShowDifference(path, before, after, look);
        else
            Screen.Out.MarkupLineInterpolated($"{path}: imported as version 0, and brought to {look.Version}.");
        if (output is null)
        {
            Screen.Out.MarkupLine($"[{Screen.Notice}]Nothing was written.[/]");
            return ExitCode.Fine;
        }
        new Storage.DirectoryStorage(Path.GetDirectoryName(Path.GetFullPath(output))!).Write(Path.GetFileName(output), after.ToForm(
            before?.Form ?? SaveForm.Json, protection: look.Key is { } key && before is not null ? key.For(before) : null), replace: false);
        if (!look.Json)
            Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]Written in version {look.Version}.[/]  [{Screen.Faint}]{output}[/]");
        return ExitCode.Fine;
    }

    /// <summary>Opens a save and migrates it; a file that is not a save is imported, where the game has a way in for it.</summary>
    private static (SavedFile? Before, SavedFile After) Open(string path, Look look)
    {
        SavedFile? file = null;
        try
        {
            file = SavePlace.OpenFile(path);
        }
        catch (DamagedSaveException problem) when (problem.Code == SaveErrorCode.NotASave && look.Game.Migrations.Imports
            && !SavePlace.IsAddress(path))
        {
            // Not one of Lodrik's.
        }
        if (file is { Header: not null } || !look.Game.Migrations.Imports)
        {
            CheckGame(file!, look, path);
            look.Check(file);
            return (file, look.Game.Migrations.Migrate(file!, look.Version));
        }
        return (null,
            look.Game.Migrations.ImportFile(File.ReadAllBytes(path), look.Game.Shape.Game, look.Version, new SaveLocation { File = path }));
    }

    private static void CheckGame(SavedFile file, Look look, string path)
    {
        if (file.Header is { } header && header.Game != look.Game.Shape.Game)
            throw new SaveMismatchException(
                SaveErrorCode.WrongGame,
                $"The save belongs to the game \"{header.Game}\", but the assembly belongs to \"{look.Game.Shape.Game}\".",
                new SaveLocation { File = path }, "Check that the two belong together.");
    }

    private static int LookAtStore(string folder, Look look)
    {
        var (count, lines) = (0, new List<MigrationLine>());
        foreach (var (slot, generation, file) in SavePlace.Slots(folder).Newest())
        {
            CheckGame(file, look, folder);
            if (file.Header is not { } header || header.Version >= look.Version)
                continue;
            look.Check(file);
            var migrated = look.Game.Migrations.Migrate(file, look.Version);
            if (look.Json)
                lines.Add(Line($"{folder}/{slot}@{generation}", file, migrated, look, written: null));
            else
                ShowDifference($"{slot}, generation {generation}", file, migrated, look);
            count++;
        }
        if (look.Json)
        {
            Screen.Json(lines, ToolJson.Readable.ListMigrationLine);
            return ExitCode.Fine;
        }
        Screen.Out.MarkupLineInterpolated(
            $"[{Screen.Notice}]Nothing was written.[/] {(count == 0
                ? $"All saves have version {look.Version}."
                : $"{count} {(count == 1 ? "save" : "saves")} would be migrated.")}");
        return ExitCode.Fine;
    }

    private static int MigrateStore(string folder, Look look)
    {
        var slots = SavePlace.Slots(folder);
        foreach (var (_, _, file) in slots.Newest().Where(one => one.File.Header is { } header && header.Game != look.Game.Shape.Game))
            CheckGame(file, look, folder);
        var protection = look.Key is null ? null : slots.Newest().Select(one => look.Key.For(one.File)).FirstOrDefault();
        var results = slots.Migrate(look.Game.Migrations, look.Version, protection);
        if (results.Count == 0)
            throw new StorageException("There are no saves in the folder.", new SaveLocation { File = folder }, "Check the path.");
        var exit = results.Any(one => one.Problem is not null) ? ExitCode.FoundWrong : ExitCode.Fine;
        if (look.Json)
        {
            Screen.Json(
                [
                .. results.Select(one =>
                new MigrationLine($"{folder}/{one.Slot}@{one.Generation}", one.From, one.To, one.Written is { } written
                    ? $"{folder}/{one.Slot}@{written}"
                    : null, one.Problem?.Message, null))], ToolJson.Readable.ListMigrationLine);
            return exit;
        }
        var grid = new Grid().AddColumn(new GridColumn().NoWrap()).AddColumn();
        foreach (var one in results)
        {
            grid.AddRow($"[{Screen.Name}]{Screen.Text(one.Slot.ToString())}[/]", one switch
            {
                { Problem: { } problem } => $"[{Screen.Bad}]{Screen.Text(problem.Message)}[/]",
                { Written: { } written } =>
                    $"[{Screen.Good}]version {one.From} became {one.To}[/], as generation {written}; generation {one.Generation} stays",
                _ => $"already has version {one.To}",
            });
        }
        Screen.Out.Write(grid);
        return exit;
    }

    private static MigrationLine Line(string name, SavedFile? before, SavedFile after, Look look, string? written) => new(
        name, before?.Header?.Version ?? 0, look.Version, written, null,
        before is null ? null : JsonDocument.Parse(SaveComparison.Of(before, after).ToJsonPatch()).RootElement);

    private static void ShowDifference(string name, SavedFile before, SavedFile after, Look look)
    {
        var from = before.Header!.Version;
        Screen.Out.MarkupLineInterpolated($"[bold]{Screen.Visible(name)}[/]  version {from} to {look.Version}");
        foreach (var line in look.Game.Migrations.Steps.Where(step => step.From >= from && step.To <= look.Version)
            .SelectMany(step => step.ToString().Split('\n')))
            Screen.Out.MarkupLineInterpolated($"[{Screen.Faint}]  {line.TrimEnd()}[/]");
        var comparison = SaveComparison.Of(before, after);
        if (comparison.IsEmpty)
            Screen.Out.WriteLine("  Only the version changes.");
        DiffView.Show(comparison, look.Full);
    }

    /// <summary>What is to be done, and how it is shown.</summary>
    private sealed record Look(GameAssembly Game, int Version, bool Full, bool Json, ToolKey? Key)
    {
        /// <summary>Checks a save by its seal, and says how what becomes of it is sealed.</summary>
        public SaveProtection? Check(SavedFile? file)
        {
            if (file is null || Key is null)
                return null;
            var protection = Key.For(file);
            file.CheckSeal(protection);
            return protection;
        }
    }
}
