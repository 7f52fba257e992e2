using System.CommandLine;
using Lodrik.Migrations;
using Lodrik.Storage;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik ledger</c>: the recorded shape of each version of a game's saves.</summary>
internal static class LedgerCommand
{
    public static Command Create() => new("ledger", "Records the shape of each version of a game's saves, and shows what changed.")
    {
        CreateRecord(), CreateCheck(), CreateDiff(), CreateRelease(), CreateSample(),
    };

    private static Argument<string> Assembly() => new("assembly") { Description = "The game's assembly (.dll). Its code is not run." };

    private static Argument<string> Folder() => new("ledger") { Description = "The ledger's folder.", DefaultValueFactory = _ => "ledger" };

    private static Option<string?> Root() => new("--root")
    {
        Description = "The full name of the save root, if the assembly has several.",
    };

    private static Command CreateRecord()
    {
        var (assembly, folder, root) = (Assembly(), Folder(), Root());
        var released = new Option<bool>("--released") { Description = "Marks the version as released too." };
        var command = new Command("record", "Records the shape of the assembly's saves in the ledger, for review and version control.")
        {
            assembly,
            folder,
            root,
            released,
        };
        command.SetAction(parsed =>
        {
            var (ledger, shape) = (Ledger.Open(parsed.GetRequiredValue(folder)),
                SaveShape.OfAssembly(parsed.GetRequiredValue(assembly), parsed.GetValue(root)));
            var outcome = ledger.Record(shape);
            var file = ledger.FileOf(shape.Version);
            Screen.Out.MarkupLineInterpolated($"{outcome switch
            {
                LedgerOutcome.Recorded =>
                    $"Recorded version {shape.Version} of {shape.Game}: {Count(shape.Types.Count, "type")}, "
                        + $"{Count(shape.Kinds.Count, "kind")}.",
                LedgerOutcome.RecordedAnew => $"Recorded version {shape.Version} of {shape.Game} again; it is not released.",
                LedgerOutcome.Unchanged => $"Version {shape.Version} of {shape.Game} is already recorded with this shape.",
                _ => $"Version {shape.Version} of {shape.Game} is released, so its record stays the same. Additions since "
                    + "then are harmless.",
            }}  [{Screen.Faint}]{file}[/]");
            if (parsed.GetValue(released) && ledger.Release(shape.Version))
                Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]Version {shape.Version} is released. Its shape is final.[/]");
            return ExitCode.Fine;
        });
        return command;
    }

    private static Command CreateCheck()
    {
        var (assembly, folder, root) = (Assembly(), Folder(), Root());
        var json = Screen.JsonOption();
        var command = new Command("check", "Compares the assembly with the ledger, and fails if a change would lose saved data.")
        {
            assembly,
            folder,
            root,
            json,
        };
        command.SetAction(parsed =>
        {
            var shape = SaveShape.OfAssembly(parsed.GetRequiredValue(assembly), parsed.GetValue(root));
            var check = Ledger.Open(parsed.GetRequiredValue(folder)).Check(shape);
            if (parsed.GetValue(json))
            {
                Screen.Json(new LedgerLine(shape.Game, check.Version, check.IsFine, check.IsRecorded, check.IsReleased,
                    [.. check.Problems.Select(problem => problem.ToString())], ShapeLine.Of(check.Changes)), ToolJson.Readable.LedgerLine);
                return check.IsFine ? ExitCode.Fine : ExitCode.FoundWrong;
            }
            ShowChanges(check.Changes);
            foreach (var problem in check.Problems)
                Screen.Out.MarkupLineInterpolated($"[{Screen.Bad}]{problem}[/]");
            var version = $"Version {check.Version} of {shape.Game}";
            var again = check.IsReleased ? "" : $", or record version {check.Version} again if it was never released";
            var more = check.Changes.Count > 0 ? ", with harmless additions" : "";
            if (!check.IsRecorded)
                Screen.Out.MarkupLineInterpolated(
                    $"[{Screen.Notice}]{version} is not recorded.[/] Record it once its shape is final.");
            else if (check.Changes.Any(change => change.IsLoss))
                Screen.Out.MarkupLineInterpolated(
                    $"[{Screen.Bad}]Saves of version {check.Version} would lose something.[/] Raise the version and add a step{again}.");
            else if (check.Problems.Count == 0)
                Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]{version} is as it was recorded{more}.[/]");
            return check.IsFine ? ExitCode.Fine : ExitCode.FoundWrong;
        });
        return command;
    }

    private static Command CreateDiff()
    {
        var from = WholeNumber.Argument("from", "The older version.", least: 1);
        var to = WholeNumber.Argument("to", "The later version.", least: 1);
        var folder = Folder();
        var json = Screen.JsonOption();
        var command = new Command("diff", "Shows what changed between two versions, and proposes the operations of a migration step.")
        {
            from,
            to,
            folder,
            json,
        };
        command.SetAction(parsed =>
        {
            var ledger = Ledger.Open(parsed.GetRequiredValue(folder));
            var (before, after) = (ledger.Read(parsed.GetRequiredValue(from)), ledger.Read(parsed.GetRequiredValue(to)));
            var changes = before.ChangesTo(after);
            if (parsed.GetValue(json))
            {
                Screen.Json(new LedgerDiffLine(before.Version, after.Version, ShapeLine.Of(changes),
                    before.ProposeStepTo(after) is { Length: > 0 } proposed ? proposed : null), ToolJson.Readable.LedgerDiffLine);
                return ExitCode.Fine;
            }
            ShowChanges(changes);
            if (changes.Count == 0)
                Screen.Out.MarkupLineInterpolated($"Nothing changed between version {before.Version} and version {after.Version}.");
            else if (before.ProposeStepTo(after) is not { Length: > 0 } step)
                Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]No step is needed: what is new is free.[/]");
            else
                ShowStep(step);
            return ExitCode.Fine;
        });
        return command;
    }

    private static Command CreateRelease()
    {
        var version = WholeNumber.Argument("version", "The version.", least: 1);
        var folder = Folder();
        var command =
            new Command("release", "Marks a version as released: players have saves of it, so its record is final.")
            {
                version,
                folder,
            };
        command.SetAction(parsed =>
        {
            var number = parsed.GetRequiredValue(version);
            Screen.Out.MarkupLineInterpolated(Ledger.Open(parsed.GetRequiredValue(folder)).Release(number)
                ? (FormattableString)$"[{Screen.Good}]Version {number} is released. Its shape is final.[/]"
                : $"Version {number} is released already.");
            return ExitCode.Fine;
        });
        return command;
    }

    private static Command CreateSample()
    {
        var version = WholeNumber.Argument("version", "A recorded version.", least: 1);
        var folder = Folder();
        var output = new Option<string>("--output", "-o")
        {
            Description = "The folder for the files; files in it are not written over.",
            Required = true,
        };
        var count = WholeNumber.Option("--count", "How many saves, from 1.", least: 1, otherwise: 3);
        var seed = WholeNumber.Option("--seed", "Which saves: each seed gives others.", least: 0, otherwise: 1);
        var names = new Option<string[]>("--names") { Description = "The names of a catalogue, as Game.Items=rope,lamp." };
        var command = new Command("sample", "Writes made-up saves of a recorded version, in every form.")
        {
            version,
            folder,
            output,
            count,
            seed,
            names,
        };
        command.SetAction(parsed =>
        {
            var shape = Ledger.Open(parsed.GetRequiredValue(folder)).Read(parsed.GetRequiredValue(version));
            var target = new Storage.DirectoryStorage(Path.GetFullPath(parsed.GetRequiredValue(output)));
            var known = (parsed.GetValue(names) ?? []).Select(pair => pair.Split('=', 2)).ToDictionary(
                pair => pair[0], pair => pair is [_, var list]
                    ? (IReadOnlyList<string>)list.Split(',')
                    : throw new ArgumentException("Names are given as Game.Items=rope,lamp."));
            try
            {
                var written = 0;
                foreach (var (name, bytes) in SampleSaves.Of(shape, parsed.GetValue(count), parsed.GetValue(seed), known))
                {
                    target.Write(name, bytes, replace: false);
                    written++;
                }
                Screen.Out.MarkupLineInterpolated(
                    $"Wrote {written} files of version {shape.Version}.  [{Screen.Faint}]{target.Description}[/]");
                return ExitCode.Fine;
            }
            catch (LedgerException problem)
            {
                throw new ArgumentException(problem.Message, problem);
            }
        });
        return command;
    }

    private static void ShowChanges(IReadOnlyList<ShapeChange> changes)
    {
        var grid = new Grid().AddColumn(new GridColumn().NoWrap()).AddColumn();
        foreach (var change in changes)
            grid.AddRow(change.IsLoss ? $"[{Screen.Bad}]loses[/]" : $"[{Screen.Good}]free[/]", Screen.Text(change.ToString()));
        if (changes.Count > 0)
            Screen.Out.Write(grid);
    }

    private static void ShowStep(string step)
    {
        Screen.Out.WriteLine();
        Screen.Out.MarkupLine("A suggested step. Check it before you paste it:");
        // Not wrapped, so that it can be copied.
        foreach (var line in step.Split('\n'))
            Screen.Out.Profile.Out.Writer.WriteLine($"    {line}");
    }

    private static string Count(int count, string what) => count == 1 ? $"1 {what}" : $"{count} {what}s";
}
