using System.Diagnostics;
using System.Text.RegularExpressions;
using Lodrik.Storage;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>Calls of the system fail below the runtime: what was reported is so all the same.</summary>
public sealed partial class FaultTests : IDisposable
{
    // Memory where the machine has some as a folder: the stories flush all the time.
    private readonly string _folder = Directory.CreateDirectory(Path.Combine(
        Directory.Exists("/dev/shm") ? "/dev/shm" : Path.GetTempPath(), $"lodrik-faults-{Guid.NewGuid():N}")).FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Whichever_call_of_the_system_fails_what_was_reported_is_so()
    {
        var library = Path.Combine(_folder, "libfaults.so");
        var source = Path.Combine(ProgramRun.Repository, "tests", "Lodrik.Saver", "faults.c");
        if (!Has("gcc"))
            Assert.Skip("gcc is not there, which builds the library that makes calls of the system fail.");
        Assert.Equal((0, ""), Run(new ProcessStartInfo("gcc", ["-shared", "-fPIC", "-O1", "-Wall", "-Werror", "-o", library, source, "-ldl"])));
        var start = new ProcessStartInfo("dotnet", [SaverProgram, "faults", library, _folder]);
        start.Environment["LD_PRELOAD"] = library;
        var (exit, output) = Run(start);
        TestContext.Current.TestOutputHelper?.WriteLine(output);
        Assert.True(exit == 0, output);
        // Every kind of call went through the library, flushes of files and of folders included.
        var counts = Counts().Matches(output).ToDictionary(
            count => count.Groups[1].Value, count => int.Parse(count.Groups[2].ValueSpan, System.Globalization.CultureInfo.InvariantCulture));
        Assert.Equal(12 + 2 + 2, counts.Count);
        Assert.Equal("wrong", Assert.Single(counts, count => count.Value == 0).Key);
    }

    [Fact]
    public void A_kernel_that_refuses_to_flush_is_believed()
    {
        if (!Has("strace"))
            Assert.Skip("strace is not there, which makes the kernel itself refuse.");
        var log = Path.Combine(_folder, "log");
        var (_, output) = Run(new ProcessStartInfo(
            "strace", ["-f", "-o", log, "-e", "trace=fsync", "-e", "inject=fsync:error=EIO", "dotnet", SaverProgram, "once", Path.Combine(_folder, "saves")]));
        if (!File.Exists(log) || !File.ReadAllText(log).Contains("INJECTED", StringComparison.Ordinal))
            Assert.Skip($"strace may not trace here: {output}");
        Assert.StartsWith("refused: The disk reports an error.", output, StringComparison.Ordinal);
        Assert.Empty(Directory.EnumerateFiles(Path.Combine(_folder, "saves"), "*.json", SearchOption.AllDirectories));
    }

    [Theory]
    [InlineData("size=2m", 300_000), InlineData("nr_inodes=40", 10)]
    public void A_disk_that_is_full_to_the_brim_refuses_and_loses_nothing(string limit, int bytes)
    {
        var disk = Directory.CreateDirectory(Path.Combine(_folder, "disk")).FullName;
        if (Run(new ProcessStartInfo("mount", ["-t", "tmpfs", "-o", limit, "tmpfs", disk])).Exit != 0)
            Assert.Skip("A small disk of memory cannot be mounted here.");
        try
        {
            using var store = SaveStore<Saver.Tally>.Open(new SaveStoreOptions { Folder = disk, Form = SaveForm.Binary });
            var saved = 0;
            StorageException? problem = null;
            while (problem is null && saved < 200)
            {
                try
                {
                    store.Save($"slot-{saved + 1}", new Saver.Tally { Count = new Saver.Count { Number = saved + 1, Ballast = new byte[bytes] } });
                    saved++;
                }
                catch (StorageException exception)
                {
                    problem = exception;
                }
            }
            Assert.Contains("The disk is full.", problem!.Message, StringComparison.Ordinal);
            Assert.NotNull(problem.Remedy);
            Assert.InRange(saved, 1, 199);
            Assert.Equal(saved, store.List().Count);
            for (var slot = 1; slot <= saved; slot++)
                Assert.Equal((slot, bytes), (store.Load($"slot-{slot}").State.Count.Number, store.Load($"slot-{slot}").State.Count.Ballast.Length));
            Assert.Empty(Directory.EnumerateFiles(disk, "*.tmp", SearchOption.AllDirectories));
            store.Delete("slot-1");
            Assert.Equal(1, store.Save("again", new Saver.Tally { Count = new Saver.Count { Ballast = new byte[bytes] } }).Generation);
        }
        finally
        {
            Run(new ProcessStartInfo("umount", ["-l", disk]));
        }
    }

    private static string SaverProgram => Path.Combine(AppContext.BaseDirectory, "Lodrik.Saver.dll");

    private static bool Has(string program) => (Environment.GetEnvironmentVariable("PATH") ?? "").Split(':').Any(folder => File.Exists(Path.Combine(folder, program)));

    private static (int Exit, string Output) Run(ProcessStartInfo start)
    {
        (start.RedirectStandardOutput, start.RedirectStandardError) = (true, true);
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output + error.Result);
    }

    [GeneratedRegex(@"(?m)(?<![\w:/])(\w+)=(\d+)")]
    private static partial Regex Counts();
}
