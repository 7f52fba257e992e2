using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>A process that saves is killed, again and again, at whatever moment.</summary>
public sealed class KillTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-kill-").FullName;

    /// <summary>How many processes are killed; more by LODRIK_KILLS.</summary>
    private static int Kills => int.TryParse(Environment.GetEnvironmentVariable("LODRIK_KILLS"), out var kills) ? kills : 40;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task Nothing_that_a_killed_process_reported_done_is_lost()
    {
        var random = new Random(4);
        var reported = 0;
        for (var kill = 0; kill < Kills; kill++)
        {
            using var process = ProgramRun.Start("Lodrik.Saver", _folder, _folder);
            var saves = random.Next(1, 60);
            for (var i = 0; i < saves && await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken) is { } line; i++)
                reported = int.Parse(line, System.Globalization.CultureInfo.InvariantCulture);
            process.Kill();
            // What it had said before it died still counts.
            while (await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken) is { } line)
                reported = int.TryParse(line, out var number) ? Math.Max(reported, number) : reported;
            await process.WaitForExitAsync(TestContext.Current.CancellationToken);

            // The lock of a dead process does not stick either.
            using var store = SaveStore<Saver.Tally>.Open(_folder);
            var loaded = store.Load("kept");
            Assert.Empty(loaded.PassedOver);
            Assert.InRange(loaded.State.Count.Number, reported, reported + 1);
            Assert.Equal(loaded.State.Count.Number % 97 * 100, loaded.State.Count.Ballast.Length);
            store.Save("kept", loaded.State);
            reported = loaded.State.Count.Number;
        }
        TestContext.Current.TestOutputHelper?.WriteLine($"{Kills} processes killed, {reported} saves");
    }
}
