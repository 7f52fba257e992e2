using System.Diagnostics;
using System.Text.RegularExpressions;
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
        var start = new ProcessStartInfo("dotnet", [Saver, "faults", library, _folder]);
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
            "strace", ["-f", "-o", log, "-e", "trace=fsync", "-e", "inject=fsync:error=EIO", "dotnet", Saver, "once", Path.Combine(_folder, "saves")]));
        if (!File.Exists(log) || !File.ReadAllText(log).Contains("INJECTED", StringComparison.Ordinal))
            Assert.Skip($"strace may not trace here: {output}");
        Assert.StartsWith("refused: The disk reports an error.", output, StringComparison.Ordinal);
        Assert.Empty(Directory.EnumerateFiles(Path.Combine(_folder, "saves"), "*.json", SearchOption.AllDirectories));
    }

    private static string Saver => Path.Combine(AppContext.BaseDirectory, "Lodrik.Saver.dll");

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
