using System.Diagnostics;
using System.Runtime.CompilerServices;

namespace Lodrik.Cli.Tests;

/// <summary>A program of this repository, run as a process of its own.</summary>
internal sealed record ProgramRun(int Exit, string Out, string Error)
{
    public static string Repository { get; } = FindRepository();

    /// <summary>Runs the tool.</summary>
    public static ProgramRun Lodrik(params string[] arguments) => Of("Lodrik.Cli", Path.GetTempPath(), arguments);

    /// <summary>Runs a program in a folder.</summary>
    public static ProgramRun Of(string program, string folder, params string[] arguments)
    {
        var start = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, program + ".dll"), .. arguments])
        {
            WorkingDirectory = folder,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return new ProgramRun(process.ExitCode, output, error.Result);
    }

    private static string FindRepository([CallerFilePath] string here = "") => Path.GetFullPath(Path.Combine(Path.GetDirectoryName(here)!, "..", ".."));
}

/// <summary>The saves of one demo, shared by the tests that only look at them.</summary>
public sealed class DemoSaves : IDisposable
{
    public DemoSaves()
    {
        Folder = Directory.CreateTempSubdirectory("lodrik-demo-").FullName;
        Run = ProgramRun.Lodrik("demo", "--out", Folder);
    }

    public string Folder { get; }

    internal ProgramRun Run { get; }

    public void Dispose() => Directory.Delete(Folder, recursive: true);

    public string Evening(string form) => Directory.GetFiles(Path.Combine(Folder, form, "slots", "evening")).Single();
}
