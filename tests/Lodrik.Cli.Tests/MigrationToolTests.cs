using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The ledger and migrations from the command line.</summary>
public sealed class MigrationToolTests : IDisposable
{
    private static readonly string Game = Path.Combine(AppContext.BaseDirectory, "Tidewarden.dll");
    private static readonly string Example = Path.Combine(ProgramRun.Repository, "examples", "Tidewarden");
    private static readonly string Ledger = Path.Combine(Example, "ledger");

    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_ledger_of_the_demo_game_is_as_its_assembly_is()
    {
        var check = Fine("ledger", "check", Game, Ledger);
        Assert.Equal("Version 4 of tidewarden is as it was recorded.", check.Trim());
        // Recorded anew, the file is the same to the letter.
        Assert.Contains("Recorded version 4 of tidewarden", Fine("ledger", "record", Game, _folder), StringComparison.Ordinal);
        Assert.Equal(File.ReadAllText(Path.Combine(Ledger, "4.json")), File.ReadAllText(Path.Combine(_folder, "4.json")));
        Assert.Contains("already recorded with this shape", Fine("ledger", "record", Game, _folder), StringComparison.Ordinal);
        Assert.Contains("Version 4 is released", Fine("ledger", "release", "4", _folder), StringComparison.Ordinal);
        Assert.Contains("released already", Fine("ledger", "release", "4", _folder), StringComparison.Ordinal);
    }

    [Fact]
    public void A_change_that_loses_something_is_found_and_what_was_added_is_free()
    {
        Fine("ledger", "record", Game, _folder, "--released");
        var file = Path.Combine(_folder, "4.json");
        var recorded = File.ReadAllText(file);
        File.WriteAllText(file, recorded.Replace("\"windKnots\": \"single\"", "\"windKnots\": \"single\", \"hail\": \"bool\"", StringComparison.Ordinal));
        var changed = ProgramRun.Lodrik("ledger", "check", Game, _folder);
        Assert.Equal(1, changed.Exit);
        Assert.Contains("loses  /session/weather/hail was removed: bool", changed.Out, StringComparison.Ordinal);
        Assert.Contains("The file of version 4 was changed since it was released.", changed.Out, StringComparison.Ordinal);

        File.WriteAllText(file, recorded.Replace("\"released\": true,", "", StringComparison.Ordinal).Replace(",\n        \"windKnots\": \"single\"", "", StringComparison.Ordinal));
        Assert.Contains("with harmless additions", Fine("ledger", "check", Game, _folder), StringComparison.Ordinal);
        File.Delete(file);
        var missing = ProgramRun.Lodrik("ledger", "check", Game, _folder);
        Assert.Equal(1, missing.Exit);
        Assert.Contains("Version 4 of tidewarden is not recorded.", missing.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void What_changed_between_two_versions_is_said_with_a_step_to_paste()
    {
        var diff = Fine("ledger", "diff", "1", "2", Ledger);
        Assert.Contains("loses  /season/floods was removed: int32", diff, StringComparison.Ordinal);
        Assert.Contains(".Move(\"/season/floods\", \"/season/tally/floods\")", diff, StringComparison.Ordinal);
        Assert.Contains(".RenameEnumValue(\"/setting\", \"Half\", \"Ajar\")))", diff, StringComparison.Ordinal);
        var wrong = ProgramRun.Lodrik("ledger", "diff", "1", "9", Ledger);
        Assert.Equal(1, wrong.Exit);
        Assert.Contains("Version 9 is not recorded.", wrong.Error, StringComparison.Ordinal);
    }

    [Fact]
    public void Made_up_saves_of_an_old_version_are_written_and_migrate()
    {
        Assert.Contains("Wrote 8 files of version 2.", Fine("ledger", "sample", "2", Ledger, "-o", _folder, "--count", "2", "--names", "Tidewarden.Glasses=amber,green"), StringComparison.Ordinal);
        foreach (var file in Directory.GetFiles(_folder))
        {
            Assert.Contains("intact", Fine("check", file), StringComparison.Ordinal);
            var output = Path.Combine(_folder, Path.GetFileName(file) + ".new");
            Fine("migrate", file, "--with", Game, "-o", output);
            Assert.Contains("tidewarden, version 4", Fine("show", output), StringComparison.Ordinal);
        }
        var nameless = ProgramRun.Lodrik("ledger", "sample", "2", Ledger, "-o", _folder);
        Assert.Equal(2, nameless.Exit);
        Assert.Contains("names in the catalogue of Tidewarden.Glasses", nameless.Error, StringComparison.Ordinal);
    }

    [Fact]
    public void A_dry_run_shows_the_difference_and_writes_nothing()
    {
        var sample = Path.Combine(Example, "saves", "1", "night.json");
        var before = File.ReadAllBytes(sample);
        var shown = Fine("migrate", sample, "--with", Game, "--dry-run");
        Assert.Contains("2 → 3: mood of each heron: /alert becomes /wary", shown, StringComparison.Ordinal);
        Assert.Matches(@"/session/weather/windKnots +│ – +│ 36\.0", shown);
        Assert.Matches("""/scenes/marsh/entities/#1/kind +│ "lantern" +│ "driftLantern" """, shown);
        Assert.Contains("Nothing was written.", shown, StringComparison.Ordinal);
        Assert.Equal(before, File.ReadAllBytes(sample));
        Assert.DoesNotContain("windKnots", Fine("migrate", sample, "--with", Game, "--dry-run", "--to", "2", "--full"), StringComparison.Ordinal);
    }

    [Fact]
    public void A_store_gets_a_new_generation_in_every_slot_and_keeps_the_older_ones()
    {
        foreach (var (slot, name) in new[] { ("evening", "2/night.xml"), ("night", "1/night-compressed.lodrik"), ("today", "4/night.json") })
        {
            var folder = Directory.CreateDirectory(Path.Combine(_folder, "slots", slot)).FullName;
            File.Copy(Path.Combine(Example, "saves", name), Path.Combine(folder, "00000003" + Path.GetExtension(name)));
        }
        Assert.Contains("2 saves would be migrated", Fine("migrate", _folder, "--with", Game, "--dry-run"), StringComparison.Ordinal);
        Assert.Equal(3, Directory.GetFiles(Path.Combine(_folder, "slots"), "*", SearchOption.AllDirectories).Length);
        var run = Fine("migrate", _folder, "--with", Game);
        Assert.Matches("evening +version 2 became 4, as generation 4; generation 3 stays", run);
        Assert.Matches("night +version 1 became 4, as generation 4; generation 3 stays", run);
        Assert.Matches("today +already has version 4", run);
        Assert.Contains("XML", Fine("history", _folder, "evening"), StringComparison.Ordinal);
        Assert.Contains("5 files, nothing wrong", Fine("check", Path.Combine(_folder, "slots")), StringComparison.Ordinal);
    }

    [Fact]
    public void Wrong_use_is_told()
    {
        var sample = Path.Combine(Example, "saves", "1", "night.json");
        Told(2, "Pass the output file with --output", "migrate", sample, "--with", Game);
        Told(2, "saves cannot be migrated to version 9", "migrate", sample, "--with", Game, "--to", "9", "--dry-run");
        Told(1, "not a .NET assembly", "migrate", sample, "--with", sample, "--dry-run");
        Told(1, "There is no migration chain Nobody", "migrate", sample, "--with", Game, "--chain", "Nobody", "--dry-run");
        Told(1, "no save root", "migrate", sample, "--with", Path.Combine(AppContext.BaseDirectory, "Spectre.Console.dll"), "--dry-run");
        var newer = Path.Combine(_folder, "newer.json");
        File.WriteAllText(newer, File.ReadAllText(Path.Combine(Example, "saves", "4", "night.json")).Replace("\"version\": 4", "\"version\": 5", StringComparison.Ordinal));
        Told(1, "which is newer than 4", "migrate", newer, "--with", Game, "--dry-run");
        var others = Path.Combine(_folder, "other.json");
        File.WriteAllText(others, File.ReadAllText(sample).Replace("\"tidewarden\"", "\"otherwarden\"", StringComparison.Ordinal));
        Told(1, "The save belongs to the game \"otherwarden\"", "migrate", others, "--with", Game, "--dry-run");
    }

    private static void Told(int exit, string problem, params string[] arguments)
    {
        var run = ProgramRun.Lodrik(arguments);
        Assert.Equal((exit, true, run.Error), (run.Exit, run.Error.Contains(problem, StringComparison.Ordinal), run.Error));
    }

    private static string Fine(params string[] arguments)
    {
        var run = ProgramRun.Lodrik(arguments);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        return run.Out;
    }
}
