using System.Text.RegularExpressions;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The examples run, and the README shows them as they are.</summary>
public sealed class ExampleTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void One_object_and_one_file()
    {
        var first = ProgramRun.Of("FirstSave", _folder);
        Assert.Equal((0, ""), (first.Exit, first.Error));
        Assert.Contains("\"oil\": 5,", first.Out, StringComparison.Ordinal);
        Assert.Contains("5 litres, 2 things in the satchel", first.Out, StringComparison.Ordinal);
        Assert.Contains("7 litres, 3 things in the satchel", ProgramRun.Of("FirstSave", _folder).Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Slots_and_a_scene()
    {
        var first = ProgramRun.Of("FirstScene", _folder);
        Assert.Equal((0, ""), (first.Exit, first.Error));
        Assert.Contains("saved evening, generation 1", first.Out, StringComparison.Ordinal);
        Assert.Contains("1 can left, 1 lantern(s) adrift", first.Out, StringComparison.Ordinal);
        var second = ProgramRun.Of("FirstScene", _folder);
        Assert.Contains("saved evening, generation 2", second.Out, StringComparison.Ordinal);
        Assert.Contains("1 can left, 2 lantern(s) adrift", second.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Tampering_is_answered_at_each_level()
    {
        var run = ProgramRun.Of("Tampering", _folder);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Contains("more oil, and every checksum made to fit            loads with 99 l of oil\n", run.Out, StringComparison.Ordinal);
        Assert.Equal(2, run.Out.Split("more oil, and every checksum made to fit            tampered with").Length - 1);
        Assert.Equal(3, run.Out.Split("says that it is a replay").Length - 1);
    }

    [Fact]
    public void A_server_checks_saves_without_us()
    {
        var run = ProgramRun.Of("CheckWithoutLodrik", _folder);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Equal((4, 4), (run.Out.Split("9 sections").Length - 1, run.Out.Split("one bit flipped: refused").Length - 1));
    }

    [Fact]
    public void A_code_carries_progress_into_a_sequel()
    {
        var run = ProgramRun.Of("Sequel", _folder);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Contains("the 2nd character of group 2 should be 0; it was corrected", run.Out, StringComparison.Ordinal);
        Assert.Contains("lit beacon-1, beacon-3; 6 oil cans left", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void A_save_screen_lists_asks_goes_back_and_goes_on()
    {
        var run = ProgramRun.Told(
            """
            light mill
            save My first night!
            light quay
            quick
            new
            y
            light weir
            save My FIRST night!
            n
            save 雪山
            load my first nigt
            load my first night!
            light tower
            save
            details
            delete 雪山
            y
            saves
            undo
            saves
            rename Night of the flood
            copy
            export night.zip
            import night.zip
            clear
            y
            buttons
            undo
            picture screen.svg
            light sluice
            help
            quit
            y
            """,
            "SaveScreen", _folder, Path.Combine(_folder, "saves"));
        Assert.Equal((0, ""), (run.Exit, run.Error));
        foreach (var said in (string[])
        [
            "Saved \"My first night!\".", "What was played since the last save will be lost. Go on? (y/n) ", "A new game begins.",
            "Replace \"My first night!\"? (y/n) n\n  Nothing was changed.", "Saved \"雪山\".", "There is no save \"my first nigt\".",
            "Loaded \"My first night!\".\n  You are at the mill", "2  At the tower · 2 lit\n     1  At the mill · 1 lit",
            "Delete \"雪山\"? (y/n) y\n  Deleted \"雪山\". Undo brings it back.", "\"雪山\" is back.", "is now \"Night of the flood\".",
            "Copied \"Night of the flood\" to \"Night of the flood (2)\".", "Imported \"Night of the flood (3)\".",
            "Delete 5 saves? (y/n) y\n  Deleted 5 saves. Undo brings them back.", "Continue   There are no saves yet.", "5 saves are back.",
            "undo             brings back what was deleted last",
        ])
            Assert.Contains(said, run.Out, StringComparison.Ordinal);
        var picture = File.ReadAllText(Path.Combine(_folder, "screen.svg"));
        Assert.Equal(5, System.Xml.Linq.XDocument.Parse(picture).Descendants().Count(one => one.Name.LocalName == "image" && one.Attribute("width")?.Value == "135"));
        Assert.StartsWith("  Loaded the newest save.\n  You are at the tower", ProgramRun.Told("quit\n", "SaveScreen", _folder, Path.Combine(_folder, "saves")).Out, StringComparison.Ordinal);
    }

    [Fact]
    public void The_demo_game_plays_through()
    {
        var run = ProgramRun.Of("Tidewarden.Play", _folder, "--story");
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Contains("The marsh is as it was at the save.", run.Out, StringComparison.Ordinal);
        // The way back to a checkpoint, with what survives it, and the save in a later release.
        Assert.Matches("beacons lit +2 -> 3 -> 2\n", run.Out);
        Assert.Contains("delivered 2, burnt 4 l, floods 0 -> delivered 2, burnt 4 l, floods 1", run.Out, StringComparison.Ordinal);
        Assert.Contains("taken out oilCan oil-4", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void The_file_to_copy_from_saves_two_rooms_and_continues_in_them()
    {
        var run = ProgramRun.Of("Starter", _folder, _folder);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Equal(["Saved.", "Loaded. \"Isolde · boathouse\"", "On the pier: gate at 0, 0, #1 at 2, 5"], run.Out.TrimEnd().Split('\n'));
    }

    [Fact]
    public void A_game_of_three_levels_is_saved_on_an_engine_s_nodes()
    {
        var run = ProgramRun.Of("SaltRoad", _folder, _folder);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Equal(
            [
                "After the flood: the sluice is open, health 10.",
                "Loaded: the quest is done, the door stands.",
                "The ford: the raft is at 4, 9, its lamp shows the way to the weir, and no chest is left.",
            ],
            run.Out.TrimEnd().Split('\n'));
    }

    [Fact]
    public void Every_kind_of_world_is_captured_and_put_back()
    {
        var run = ProgramRun.Of("SceneWorlds", _folder);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        var lines = run.Out.Split('\n').Select(line => line.Trim()).ToList();
        var creatures = lines.FindAll(line => line.StartsWith("Heron grey", StringComparison.Ordinal));
        Assert.Equal(creatures[0], creatures[1]);
        Assert.Contains("3 of 10000 reeds in the save: reed-12, reed-13, reed-4711", lines);
        Assert.Equal(2, lines.Count(line => line == "#1 at (1, 2) tied to #2, #2 at (0, 0) with 7 l"));
        Assert.Contains("4 placed: 1 new, 1 moved, 1 gone, 0 indistinguishable", lines);
    }

    [Theory]
    [InlineData("FirstSave"), InlineData("FirstScene")]
    public void The_readme_shows_the_example_as_it_is(string example)
    {
        var readme = File.ReadAllText(Path.Combine(ProgramRun.Repository, "README.md"));
        var program = File.ReadAllText(Path.Combine(ProgramRun.Repository, "examples", example, "Program.cs"));
        var shown = Regex.Matches(readme, "```csharp\n(.*?)```", RegexOptions.Singleline).Select(match => match.Groups[1].Value).ToList();
        Assert.Contains(shown, snippet => program.StartsWith(snippet, StringComparison.Ordinal) || program == snippet);
        Assert.Contains($"examples/{example}", readme, StringComparison.Ordinal);
    }

    [Fact]
    public void Every_link_of_the_documents_leads_somewhere()
    {
        var documents = Directory.GetFiles(ProgramRun.Repository, "*.md").Concat(Directory.GetFiles(Path.Combine(ProgramRun.Repository, "docs"), "*.md", SearchOption.AllDirectories));
        var dead = documents.SelectMany(document => Regex.Matches(File.ReadAllText(document), @"\]\(([^)#]+)(?:#[^)]*)?\)")
            .Select(match => match.Groups[1].Value)
            .Where(link => !link.Contains("://", StringComparison.Ordinal))
            .Select(link => Path.Combine(Path.GetDirectoryName(document)!, link))
            .Where(path => !File.Exists(path) && !Directory.Exists(path)));
        Assert.Empty(dead);
    }
}
