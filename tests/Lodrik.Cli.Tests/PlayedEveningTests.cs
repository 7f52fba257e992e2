using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The demo's game is played by somebody in front of a terminal: keys go in, and what is on the screen is read.</summary>
public sealed class PlayedEveningTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-evening-").FullName;

    private string Saves => Path.Combine(_folder, "profiles/first-keeper");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task Somebody_plays_saves_under_a_name_quits_and_goes_on()
    {
        using (var first = Sit())
        {
            await Begin(first);
            first.Press("<up>", "<up>", "l");
            await first.See("oil 2");
            first.Press("s");
            await first.See("There are no saves yet.");
            first.Press("n", "First light", "<enter>");
            await first.See("Saved \"First light\".");
            first.Press("d");
            await first.See("Delete \"First light\"? y / n");
            first.Press("n");
            await first.See("Nothing was changed.");
            first.Press("<escape>");
            await first.See("space act");
            first.Press("<escape>");
            await first.See("New night");
            first.Press("<escape>");
            Assert.Equal(0, await first.End());
        }
        Assert.True(File.Exists(Path.Combine(Saves, "slots/first-light/00000001.png")));
        using var second = Sit();
        await second.See("Continue");
        second.Press("<enter>");
        await second.See("oil 2");
        second.Press("\u0003");
        Assert.Equal(0, await second.End());
    }

    [Fact]
    public async Task Saving_over_another_night_asks_first_and_what_was_deleted_comes_back()
    {
        Script("new", "lantern", "save Old night");
        using var game = Sit();
        await game.See("Continue");
        game.Press("<down>");
        await Begin(game);
        game.Press("s");
        await game.See("› Old night");
        await game.See("beacons lit 0");
        game.Press("o");
        await game.See("Replace \"Old night\"? y / n");
        game.Press("n");
        await game.See("Nothing was changed.");
        Assert.Single(Generations("old-night"));
        game.Press("o");
        await game.See("y / n");
        game.Press("y");
        await game.See("Saved \"Old night\".");
        Assert.Equal(2, Generations("old-night").Length);
        game.Press("d");
        await game.See("Delete \"Old night\"? y / n");
        game.Press("y");
        await game.See("Undo brings it back.");
        game.Press("u");
        await game.See("\"Old night\" is back.");
        Assert.Equal(2, Generations("old-night").Length);
    }

    [Fact]
    public async Task The_keeper_drowns_and_wakes_at_the_checkpoint_also_after_the_game_was_left()
    {
        Script("new", "go 3 1", "act", "go 12 3", "wait 76", "save in the fog");
        using var game = Sit();
        await game.See("Continue");
        game.Press("<enter>");
        await game.See("you wake where you last felt safe.");
        game.Press("s", "n", "after it", "<enter>");
        await game.See("Saved \"after it\".");
        await game.Signal("TERM");
        Assert.Equal(0, await game.End());
        var later = Script("load after-it", "expect drowned 1 times", "expect beacons lit: 1 of 5");
        Assert.Equal((0, ""), (later.Exit, later.Error));
    }

    [Theory]
    [InlineData("1/night.json", "00000001.json")]
    [InlineData("3/night.lodrik", "00000001.lodrik")]
    public async Task A_save_of_an_earlier_release_is_in_the_list_and_loads(string save, string name)
    {
        var slot = Directory.CreateDirectory(Path.Combine(Saves, "slots/night")).FullName;
        File.Copy(Path.Combine(ProgramRun.Repository, "examples/Tidewarden/saves", save), Path.Combine(slot, name));
        using var game = Sit();
        await game.See("Continue");
        game.Press("<down>", "<down>", "<enter>");
        await game.See("› A night on the marsh");
        game.Press("<enter>");
        await game.See("You go on where you were.");
    }

    [Fact]
    public async Task Form_and_guard_change_while_one_plays_and_the_line_about_saving_says_so()
    {
        using var game = Sit();
        await Begin(game);
        game.Press("p");
        await game.See("Nothing has been saved yet.");
        game.Press("<F2>");
        await game.See("Saves are xml from now on.");
        game.Press("<F4>");
        await game.See("Saves are xml, encrypted from now on.");
        game.Press("<F5>");
        await game.See("Saved: quick.");
        await game.See("xml, encrypted ·");
        game.Press("<F9>");
        await game.See("Back to the last quick save.");
        await game.Signal("KILL");
        using var again = Sit();
        await again.See("Continue");
        again.Press("<enter>");
        await again.See("You go on where you were.");
    }

    [Fact]
    public async Task Two_keepers_have_nights_of_their_own()
    {
        Script("new", "lantern", "save mine");
        using var game = Sit();
        await game.See("Continue");
        game.Press("<up>", "<up>", "<enter>");
        await game.See("Keeper: first keeper");
        game.Press("<enter>");
        await game.See("Keeper: second keeper");
        game.Press("<down>", "<enter>");
        await game.See("Form of the saves: xml");
        game.Press("<escape>");
        await game.See("Quit");
        game.Press("<up>", "<up>", "<enter>");
        await game.See("There are no saves yet.");
        game.Press("<escape>");
        await game.See("New night");
        game.Press("<up>");
        await Begin(game);
        game.Press("<F5>");
        await game.See("Saved: quick.");
        game.Press("\u0003");
        Assert.Equal(0, await game.End());
        Assert.NotEmpty(Directory.GetFiles(Path.Combine(_folder, "profiles/second-keeper/slots/quick"), "*.xml"));
        Assert.Single(Directory.GetDirectories(Path.Combine(Saves, "slots")));
    }

    [Theory]
    [InlineData("TERM")]
    [InlineData("HUP")]
    [InlineData("INT")]
    [InlineData(null)]
    public async Task However_it_ends_the_night_is_saved_and_the_terminal_is_as_it_was(string? signal)
    {
        using (var game = Sit())
        {
            await Begin(game);
            game.Press("l");
            await game.See("oil 2");
            if (signal is null)
            {
                await game.Close();
            }
            else
            {
                await game.Signal(signal);
                Assert.Equal(0, await game.End());
            }
        }
        var later = Script("continue", "expect 2 l of oil");
        Assert.Equal((0, ""), (later.Exit, later.Error));
    }

    [Fact]
    public async Task A_window_that_is_too_small_says_how_large_it_has_to_be()
    {
        using var game = Sit(60, 20);
        await game.See("80 × 24; this one has 60 × 20.");
        game.Press("\u0003");
        Assert.Equal(0, await game.End());
    }

    private static async Task Begin(PlayedTerminal game)
    {
        await game.See("New night");
        game.Press("<enter>");
        await game.See("Light the beacons before the fog comes in.");
    }

    private PlayedTerminal Sit(int width = 80, int height = 24) => new(width, height, "Tidewarden.Play", _folder);

    private string[] Generations(string slot) => Directory.GetFiles(Path.Combine(Saves, "slots", slot), "*.json");

    /// <summary>Plays for the first keeper, by a script.</summary>
    private ProgramRun Script(params string[] lines)
    {
        var script = Path.Combine(_folder, "script.txt");
        File.WriteAllLines(script, lines);
        return ProgramRun.Of("Tidewarden.Play", _folder, "--script", script, Saves);
    }
}
