using System.Globalization;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The game is killed while a keeper wanders through the marsh and saves in every way there is, and is started again.</summary>
public sealed class PlayedKillTests(ITestOutputHelper output) : IDisposable
{
    private static readonly string[] Forms = ["json", "xml", "binary"];
    private static readonly string[] Guards = ["none", "sealed", "encrypted"];

    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-killed-").FullName;

    /// <summary>How often the game is killed; more by LODRIK_KILLS.</summary>
    private static int Kills => int.TryParse(Environment.GetEnvironmentVariable("LODRIK_KILLS"), out var kills) ? kills : 20;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task After_each_kill_the_night_goes_on_from_the_last_save_that_was_shown_or_a_later_one()
    {
        var chance = new Random(20310511);
        var (shown, kills) = (-1L, 0);
        for (var start = 0; kills < Kills; start++)
        {
            var (goesOn, saved) = await PlayUntilKilled(chance, start, isNew: shown < 0);
            if (goesOn is { } at && shown >= 0)
            {
                Assert.True(at >= shown, $"Start {start}: {shown} was shown as saved, and the night goes on at {at}.");
                kills++;
            }
            // Loading may have gone back to a checkpoint or on to an automatic save; from there on the new saves count.
            shown = Math.Max(shown, saved);
            Assert.True(start < 4 * Kills, "The game hardly ever gets to play.");
        }
        output.WriteLine($"Killed {kills} times, and {TimeSpan.FromTicks(shown)} were played.");
    }

    /// <summary>Starts the game, and kills it at a random moment.</summary>
    /// <returns>Where the night went on, if it got that far, and the last moment that was shown as saved, or -1.</returns>
    private async Task<(long? GoesOn, long Saved)> PlayUntilKilled(Random chance, int seed, bool isNew)
    {
        var script = Path.Combine(_folder, "script.txt");
        await File.WriteAllLinesAsync(script, [isNew ? "new" : "continue", $"wander {seed}"], TestContext.Current.CancellationToken);
        using var game = ProgramRun.Start(
            "Tidewarden.Play", _folder, "--script", script, Path.Combine(_folder, "saves"), Forms[chance.Next(3)], Guards[chance.Next(3)]);
        var error = game.StandardError.ReadToEndAsync(TestContext.Current.CancellationToken);
        var (goesOn, saved) = ((long?)null, -1L);
        // Some are killed while they start or load, and most while they play.
        using var killing = new Timer(_ => game.Kill());
        var isDoomed = chance.Next(5) == 0;
        if (isDoomed)
            killing.Change(chance.Next(400), Timeout.Infinite);
        while (await game.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken) is { } line)
        {
            var moment = line.Split(' ');
            if (line.StartsWith("goes on at ", StringComparison.Ordinal))
            {
                goesOn = long.Parse(moment[^1], CultureInfo.InvariantCulture);
                if (!isDoomed)
                    killing.Change(chance.Next(700), Timeout.Infinite);
            }
            else if (line.StartsWith("saved at ", StringComparison.Ordinal))
            {
                saved = Math.Max(saved, long.Parse(moment[^1], CultureInfo.InvariantCulture));
            }
            else
            {
                Assert.Fail($"Start {seed}: {line}");
            }
        }
        await game.WaitForExitAsync(TestContext.Current.CancellationToken);
        Assert.Equal("", await error);
        Assert.Equal(128 + 9, game.ExitCode);
        return (goesOn, saved);
    }
}
