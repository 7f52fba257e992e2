using Lodrik.Storage;
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
    public async Task While_one_process_writes_another_is_refused_by_name_and_may_read()
    {
        using var process = ProgramRun.Start("Lodrik.Saver", _folder, _folder);
        Assert.NotNull(await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken));
        var running = process.StandardOutput.ReadToEndAsync(TestContext.Current.CancellationToken);
        using var killed = new Killed(process);
        using var store = SaveStore<Saver.Tally>.Open(_folder);
        var loaded = store.Load("kept");
        Assert.True(loaded.State.Count.Number > 0);
        // The writer takes old generations away all the time; a reader that had listed them reads anew.
        for (var read = 0; read < 50; read++)
        {
            var before = loaded.State.Count.Number;
            loaded = store.Load("kept");
            Assert.True(loaded.State.Count.Number >= before);
            Assert.Equal(SlotHealth.Readable, Assert.Single(store.List()).Health);
            Assert.All(store.History("kept"), generation => Assert.Null(generation.Problem));
            Assert.NotNull(store.Newest());
        }
        var refused = Assert.Throws<StoreInUseException>(() => store.Save("mine", loaded.State, overwrite: Overwrite.Allowed));
        Assert.Contains(process.Id.ToString(System.Globalization.CultureInfo.InvariantCulture), refused.Message, StringComparison.Ordinal);
        Assert.False(store.Exists("mine"));
        Assert.Equal(1, ProgramRun.Lodrik("remove", _folder, "kept", "--yes").Exit);
        Assert.True(store.Exists("kept"));

        killed.Dispose();
        await running;
        store.Save("mine", loaded.State, overwrite: Overwrite.Allowed);
        Assert.True(store.Exists("mine"));
    }

    /// <summary>A process that does not outlive the test, however that ends.</summary>
    private sealed class Killed(System.Diagnostics.Process process) : IDisposable
    {
        public void Dispose()
        {
            if (!process.HasExited)
                process.Kill();
            process.WaitForExit();
        }
    }

    [Fact]
    public void A_process_that_ends_without_closing_its_store_saves_what_it_was_asked_to()
    {
        Assert.Equal(0, ProgramRun.Of("Lodrik.Saver", _folder, "leave", _folder).Exit);
        using var store = SaveStore<Saver.Tally>.Open(_folder);
        Assert.Equal((7, 8), (store.Load("kept").State.Count.Number, store.Load("last").State.Count.Number));
    }

    [Theory]
    [InlineData("TERM")]
    [InlineData("INT")]
    [InlineData("HUP")]
    public async Task A_process_that_a_signal_ends_saves_what_it_was_asked_to(string signal)
    {
        await EndBySignal(signal, "wait", _folder);
        using var store = SaveStore<Saver.Tally>.Open(_folder);
        Assert.Equal((7, 8), (store.Load("kept").State.Count.Number, store.Load("last").State.Count.Number));
    }

    [Theory]
    [InlineData("return")]
    [InlineData("exit")]
    [InlineData("wait", "TERM")]
    [InlineData("wait", "INT")]
    [InlineData("wait", "HUP")]
    [InlineData("wait", "QUIT")]
    [InlineData("change", "TERM")]
    public async Task An_object_that_keeps_itself_is_saved_however_its_process_ends(string how, string? signal = null)
    {
        var path = Path.Combine(_folder, "count.json");
        StateFile.Write(path, new Saver.Count { Number = 4 });
        if (signal is not null)
            await EndBySignal(signal, "keep", path, how);
        else
            Assert.Equal(0, ProgramRun.Of("Lodrik.Saver", _folder, "keep", path, how).Exit);
        var count = StateFile.Read<Saver.Count>(path);
        Assert.True(count.Number >= 5);
        // Both changed together, or neither.
        Assert.Equal(count.Ballast is [.., var last] ? last : 5, (byte)count.Number);
        Assert.Equal([path], Directory.GetFiles(_folder));
    }

    private async Task EndBySignal(string signal, params string[] arguments)
    {
        using var process = ProgramRun.Start("Lodrik.Saver", _folder, hearsSignals: true, arguments);
        using var killed = new Killed(process);
        Assert.Equal("ready", await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken));
        using var kill = System.Diagnostics.Process.Start("kill", [$"-{signal}", process.Id.ToString(System.Globalization.CultureInfo.InvariantCulture)]);
        await process.WaitForExitAsync(TestContext.Current.CancellationToken).WaitAsync(TimeSpan.FromMinutes(1), TestContext.Current.CancellationToken);
        Assert.NotEqual(0, process.ExitCode);
    }

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
