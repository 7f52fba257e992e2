using System.Diagnostics;
using System.Runtime.CompilerServices;

namespace Lodrik.Far.Tests;

/// <summary>This repository, and programs that tests run.</summary>
internal static class Repository
{
    public static string Root { get; } = Find();

    /// <summary>
    /// How another program of this repository is run: with the runtime of the tests, which has in it what the program else has beside it.
    /// </summary>
    /// <param name="program">Its file.</param>
    public static string[] Words(string program) =>
        ["exec", "--runtimeconfig", Path.Combine(AppContext.BaseDirectory, "Lodrik.Far.Tests.runtimeconfig.json"), Path.Combine(AppContext.BaseDirectory, program)];

    /// <summary>Runs a program to its end.</summary>
    /// <returns>How it ended, and what it printed.</returns>
    public static (int Exit, string Output) Run(string program, IReadOnlyList<(string Name, string Value)> environment, params string[] arguments)
    {
        var start = new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true };
        foreach (var (name, value) in environment)
            start.Environment[name] = value;
        try
        {
            using var process = Process.Start(start)!;
            var error = process.StandardError.ReadToEndAsync();
            var output = process.StandardOutput.ReadToEnd();
            process.WaitForExit();
            return (process.ExitCode, output + error.Result);
        }
        catch (System.ComponentModel.Win32Exception exception)
        {
            return (-1, exception.Message);
        }
    }

    private static string Find([CallerFilePath] string here = "") => Path.GetFullPath(Path.Combine(Path.GetDirectoryName(here)!, "..", ".."));
}
