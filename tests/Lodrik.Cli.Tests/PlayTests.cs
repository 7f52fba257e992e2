using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The demo's game is played by scripts.</summary>
public sealed class PlayTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-play-").FullName;

    private static string Night => Path.Combine(ProgramRun.Repository, "examples/Tidewarden.Play/scripts/night.txt");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData("json")]
    [InlineData("xml")]
    [InlineData("binary")]
    [InlineData("json", "sealed")]
    [InlineData("binary", "encrypted")]
    public void A_night_is_played_and_every_load_brings_back_what_was_saved(params string[] terms)
    {
        var run = ProgramRun.Of("Tidewarden.Play", _folder, ["--script", Night, Path.Combine(_folder, "saves"), .. terms]);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.EndsWith(
            """
            place: marsh, day 1, ebb
            warden: 2.0, 2.9, strength 100, 0 l of oil
            satchel: tinderbox, letter-1
            beacons lit: 1 of 5
            sluices open: 0 of 4
            left here: 7 oil cans, 2 letters
            lanterns: 2, 1 of them tied to the punt
            season: 0 letters delivered, 0 l burnt, drowned 0 times
            says: You go on where you were.

            """,
            run.Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("1/night.json", "00000001.json")]
    [InlineData("2/night.xml", "00000001.xml")]
    [InlineData("3/night.lodrik", "00000001.lodrik")]
    [InlineData("4/night-compressed.lodrik", "00000001.lodrik")]
    public void A_save_of_every_earlier_release_is_played_on(string save, string name)
    {
        var slot = Directory.CreateDirectory(Path.Combine(_folder, "saves", "slots", "night")).FullName;
        File.Copy(Path.Combine(ProgramRun.Repository, "examples/Tidewarden/saves", save), Path.Combine(slot, name));
        var run = Play("load night", "wait 1", "save on", "again", "continue", "expect place: marsh");
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Contains("saved on, generation 1", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void The_fog_takes_the_keeper_who_wakes_at_the_last_checkpoint_with_the_season_kept()
    {
        var run = Play("new", "go 3 1", "act", "go 12 3", "wait 107", "expect drowned 1 times", "expect beacons lit: 1 of 5", "expect warden: 3.");
        Assert.Equal((0, ""), (run.Exit, run.Error));
    }

    [Fact]
    public void A_night_goes_to_another_machine_by_its_code_on_a_slip_of_paper()
    {
        var first = Play("new", "go 3 1", "act", "go 8 4", "lantern", "wait 70", "code");
        Assert.Equal((0, ""), (first.Exit, first.Error));
        var code = first.Out.Split('\n').Single(line => line.StartsWith("code: ", StringComparison.Ordinal))["code: ".Length..];
        Assert.Contains("oil 3", first.Out.Replace(" l of oil", "", StringComparison.Ordinal).Replace("strength 100, ", "oil ", StringComparison.Ordinal), StringComparison.Ordinal);
        Directory.Delete(Path.Combine(_folder, "saves"), recursive: true);
        var second = Play($"begin {code}", "expect beacons lit: 1 of 5", "expect left here: 6 oil cans", "expect marsh, day 1, low", "save on", "again", "continue", "expect beacons lit: 1 of 5", "code");
        Assert.Equal((0, ""), (second.Exit, second.Error));
        Assert.Contains($"code: {code}", second.Out, StringComparison.Ordinal);
        // One wrong character is made good; with more of them it is no code of this game.
        var one = Play($"begin {(code[0] == 'A' ? 'B' : 'A')}{code[1..]}", "expect beacons lit: 1 of 5");
        Assert.Equal((0, ""), (one.Exit, one.Error));
        var mistyped = Play($"begin {string.Concat(code.Reverse())}");
        Assert.StartsWith("Line 1, ", mistyped.Out, StringComparison.Ordinal);
        Assert.Equal((1, ""), (mistyped.Exit, mistyped.Error));
    }

    [Fact]
    public void Form_and_guard_are_changed_while_the_night_is_played()
    {
        var run = Play(
            "new", "save first", "form xml", "guard sealed", "save second", "guard encrypted", "form binary", "save third", "load first", "load second",
            "guard none", "form json", "save fourth", "again", "load first", "load second", "load third", "load fourth", "expect says: You go on where you were.");
        Assert.Equal((0, ""), (run.Exit, run.Error));
        foreach (var file in new[] { "first/00000001.json", "second/00000001.xml", "third/00000001.lodrik", "fourth/00000001.json" })
            Assert.True(File.Exists(Path.Combine(_folder, "saves", "slots", file)), file);
    }

    [Fact]
    public void A_save_that_was_edited_is_played_and_the_player_is_told()
    {
        Play("new", "guard sealed", "save first");
        var file = Path.Combine(_folder, "saves/slots/first/00000001.json");
        File.WriteAllText(file, File.ReadAllText(file).Replace("\"oil\": 3", "\"oil\": 9", StringComparison.Ordinal));
        var run = ProgramRun.Of("Tidewarden.Play", _folder, "--script", Written("load first"), Path.Combine(_folder, "saves"), "sealed");
        Assert.Contains("9 l of oil", run.Out, StringComparison.Ordinal);
        Assert.Contains("it was edited by hand", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void The_code_that_saves_is_short_enough_to_be_read_in_one_sitting()
    {
        var files = Directory.GetFiles(Path.Combine(ProgramRun.Repository, "examples/Tidewarden.Play/Saving"));
        Assert.InRange(files.Sum(file => File.ReadAllLines(file).Length), 50, 149);
    }

    [Theory]
    [InlineData("dance", "There is no such command.")]
    [InlineData("load nowhere", "nowhere")]
    [InlineData("row up 3", "\"up\" is not a direction.")]
    [InlineData("expect the moon", "Nothing says so:")]
    public void A_script_that_goes_wrong_says_in_which_line(string line, string problem)
    {
        var run = Play("new", line);
        Assert.Equal(1, run.Exit);
        Assert.StartsWith($"Line 2, \"{line}\": ", run.Out, StringComparison.Ordinal);
        Assert.Contains(problem, run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Without_a_terminal_it_says_so()
    {
        var run = ProgramRun.Of("Tidewarden.Play", _folder, _folder);
        Assert.Equal((2, "The game needs a terminal to play in. Without one, play a script: --script <file> <folder>.\n"), (run.Exit, run.Error));
    }

    private ProgramRun Play(params string[] lines) =>
        ProgramRun.Of("Tidewarden.Play", _folder, "--script", Written(lines), Path.Combine(_folder, "saves"));

    private string Written(params string[] lines)
    {
        var script = Path.Combine(_folder, "script.txt");
        File.WriteAllLines(script, lines);
        return script;
    }
}
