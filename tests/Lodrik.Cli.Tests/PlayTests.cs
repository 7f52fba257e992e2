using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The demo's game is played: by scripts, and by somebody at a keyboard.</summary>
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

    [Fact]
    public async Task Somebody_plays_saves_under_a_name_quits_and_goes_on()
    {
        using (var first = new PlayedTerminal(80, 24, "Tidewarden.Play", _folder))
        {
            await first.See("New night");
            first.Press("<enter>");
            await first.See("Light the beacons before the fog comes in.");
            first.Press("<up>", "<up>", "l");
            await first.See("oil 2");
            first.Press("s");
            await first.See("There are no saves yet.");
            first.Press("n", "First light", "<enter>");
            await first.See("Saved \"First light\".");
            first.Press("<down>", "d");
            await first.See("y / n");
            first.Press("n");
            await first.See("d delete");
            first.Press("<escape>");
            await first.See("space act");
            first.Press("<escape>");
            await first.See("New night");
            first.Press("<escape>");
            Assert.Equal(0, await first.End());
        }
        Assert.True(File.Exists(Path.Combine(_folder, "profiles/first-keeper/slots/first-light/00000001.png")));
        using var second = new PlayedTerminal(80, 24, "Tidewarden.Play", _folder);
        await second.See("Continue");
        second.Press("<enter>");
        await second.See("oil 2");
        second.Press("\u0003");
        Assert.Equal(0, await second.End());
    }

    [Fact]
    public async Task A_window_that_is_too_small_says_how_large_it_has_to_be()
    {
        using var game = new PlayedTerminal(60, 20, "Tidewarden.Play", _folder);
        await game.See("80 × 24; this one has 60 × 20.");
        game.Press("\u0003");
        Assert.Equal(0, await game.End());
    }

    private ProgramRun Play(params string[] lines)
    {
        var script = Path.Combine(_folder, "script.txt");
        File.WriteAllLines(script, lines);
        return ProgramRun.Of("Tidewarden.Play", _folder, "--script", script, Path.Combine(_folder, "saves"));
    }
}
