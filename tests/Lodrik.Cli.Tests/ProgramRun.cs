using System.Diagnostics;
using System.Runtime.CompilerServices;
using Xunit;

[assembly: AssemblyFixture(typeof(Lodrik.Cli.Tests.DemoSaves))]

namespace Lodrik.Cli.Tests;

/// <summary>A program of this repository, run as a process of its own.</summary>
internal sealed record ProgramRun(int Exit, string Out, string Error)
{
    public static string Repository { get; } = FindRepository();

    /// <summary>Runs the tool.</summary>
    public static ProgramRun Lodrik(params string[] arguments) => Of("Lodrik.Cli", Path.GetTempPath(), arguments);

    /// <summary>Runs a program in a folder.</summary>
    public static ProgramRun Of(string program, string folder, params string[] arguments) => Told("", program, folder, arguments);

    /// <summary>Runs a program in a folder and types this into it.</summary>
    public static ProgramRun Told(string input, string program, string folder, params string[] arguments)
    {
        using var process = Start(program, folder, arguments);
        process.StandardInput.Write(input);
        process.StandardInput.Close();
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return new ProgramRun(process.ExitCode, output, error.Result);
    }

    /// <summary>Starts a program in a folder.</summary>
    public static Process Start(string program, string folder, params string[] arguments) =>
        Start(program, folder, hearsSignals: false, arguments);

    /// <summary>Starts a program in a folder.</summary>
    /// <param name="program">The program.</param>
    /// <param name="folder">The folder.</param>
    /// <param name="hearsSignals">
    /// Whether signals end it also if the tests themselves were started so that they ignore them, as a shell does in the background.
    /// </param>
    /// <param name="arguments">What it gets.</param>
    public static Process Start(string program, string folder, bool hearsSignals, params string[] arguments) => Process.Start(
        new ProcessStartInfo(
            hearsSignals ? "env" : "dotnet",
            [
                .. (string[])(hearsSignals ? ["--default-signal=HUP,INT,QUIT,TERM", "dotnet"] : []),
                Path.Combine(AppContext.BaseDirectory, program + ".dll"), .. arguments,
            ])
        {
            WorkingDirectory = folder,
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        })!;

    private static string FindRepository([CallerFilePath] string here = "") => Path.GetFullPath(Path.Combine(Path.GetDirectoryName(here)!, "..", ".."));
}

/// <summary>The saves of one demo, shared by all tests, which only look at them.</summary>
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

    /// <summary>Copies them, or those of one store, for a test that changes them.</summary>
    public void CopyTo(string folder, string store = "")
    {
        var from = Path.Combine(Folder, store);
        foreach (var file in Directory.GetFiles(from, "*", SearchOption.AllDirectories))
        {
            var copy = Path.Combine(folder, Path.GetRelativePath(from, file));
            Directory.CreateDirectory(Path.GetDirectoryName(copy)!);
            File.Copy(file, copy);
        }
    }

    public string Evening(string form) => Directory.GetFiles(Path.Combine(Folder, form, "slots", "evening")).Single(file => !file.EndsWith(".png", StringComparison.Ordinal));
}
