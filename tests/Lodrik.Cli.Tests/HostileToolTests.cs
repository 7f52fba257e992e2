using System.Diagnostics;
using Lodrik.Fuzz;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>Files that were made to do harm, given to the tool as a process that may not have much memory or time.</summary>
public sealed class HostileToolTests(DemoSaves demo) : IDisposable
{
    private const string MostMemory = "0x40000000";

    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Check_says_something_of_each_of_them()
    {
        foreach (var file in HostileFiles.All)
            File.WriteAllBytes(Path.Combine(_folder, file.Name), file.Bytes);
        var run = Limited("check", _folder);
        Assert.True(run.Exit == 1, run.Error);
        Assert.Empty(run.Error);
        foreach (var file in HostileFiles.All)
            Assert.Contains(file.Name, run.Out, StringComparison.Ordinal);
        Assert.Contains($"{HostileFiles.All.Count} files", run.Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("kind-is-a-list.json")]
    [InlineData("kind-is-a-map.lodrik")]
    [InlineData("marks-of-direction.json")]
    [InlineData("one-long-text-in-every-row.lodrik")]
    [InlineData("brotli-of-empty-maps.lodrik")]
    public void Every_view_shows_it_or_says_what_is_wrong(string name)
    {
        var path = Path.Combine(_folder, name);
        File.WriteAllBytes(path, HostileFiles.All.Single(file => file.Name == name).Bytes);
        foreach (var arguments in new[]
        {
            new[] { "show", path, "--full" }, ["weigh", path], ["diff", path, demo.Evening("json")], ["report", path, "-o", Path.Combine(_folder, "page.html")],
            ["convert", path, "--to", "json", "-o", Path.Combine(_folder, "copy.json"), "--overwrite"], ["salvage", path, "-o", Path.Combine(_folder, "mended"), "--overwrite"],
        })
        {
            var run = Limited(arguments);
            Assert.True(run.Exit is 0 or 1 or 2, $"{arguments[0]} ended with {run.Exit}: {run.Error}");
            Assert.DoesNotContain("   at ", run.Error, StringComparison.Ordinal);
            Assert.DoesNotContain('\u202E', run.Out);
        }
    }

    [Fact]
    public void Check_goes_through_a_folder_with_pipes_and_links_that_lead_upward()
    {
        demo.CopyTo(_folder, "json");
        Process.Start("mkfifo", Path.Combine(_folder, "slots", "evening", "00000099.json")).WaitForExit();
        Directory.CreateSymbolicLink(Path.Combine(_folder, "slots", "up"), _folder);
        File.CreateSymbolicLink(Path.Combine(_folder, "slots", "evening", "00000098.json"), "/dev/zero");
        var run = Limited("check", _folder);
        Assert.Equal(0, run.Exit);
        Assert.Contains("5 files, nothing wrong", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void A_report_takes_the_place_of_no_file_but_an_earlier_report()
    {
        demo.CopyTo(_folder, "json");
        var save = Directory.GetFiles(Path.Combine(_folder, "slots", "evening"), "*.json")[0];
        var before = File.ReadAllBytes(save);
        var refused = ProgramRun.Lodrik("report", _folder, "-o", save);
        Assert.Equal(1, refused.Exit);
        Assert.Contains("it is not a report", refused.Error, StringComparison.Ordinal);
        Assert.Equal(before, File.ReadAllBytes(save));
        var page = Path.Combine(_folder, "page.html");
        for (var times = 0; times < 2; times++)
            Assert.Equal(0, ProgramRun.Lodrik("report", _folder, "-o", page).Exit);
        Assert.DoesNotContain("script-src 'unsafe-inline'", File.ReadAllText(page), StringComparison.Ordinal);
        File.WriteAllText(page, "my notes");
        Assert.Equal(1, ProgramRun.Lodrik("report", _folder, "-o", page).Exit);
        Assert.Equal(0, ProgramRun.Lodrik("report", _folder, "-o", page, "--overwrite").Exit);
    }

    [Fact]
    public void Check_without_the_key_says_that_the_seal_was_not_checked_and_names_an_edited_header()
    {
        demo.CopyTo(_folder, "json");
        Assert.Equal(0, ProgramRun.Lodrik("seal", _folder, "--key", Path.Combine(demo.Folder, "keys", "demo.jwk")).Exit);
        Assert.Contains("pass the key to check the seal", ProgramRun.Lodrik("check", Path.Combine(_folder, "evening")).Out, StringComparison.Ordinal);
        var save = demo.Evening("json");
        var edited = Path.Combine(_folder, "edited.json");
        File.WriteAllText(edited, File.ReadAllText(save).Replace("Evening on the marsh", "Morning on the marsh", StringComparison.Ordinal));
        var run = ProgramRun.Lodrik("check", edited);
        Assert.Equal(1, run.Exit);
        Assert.Matches("header +edited by hand", run.Out);
    }

    /// <summary>Runs the tool with a heap of a gigabyte and a minute of work.</summary>
    private static ProgramRun Limited(params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo("bash", ["-c", "ulimit -t 60; exec dotnet \"$@\"", "--", Path.Combine(AppContext.BaseDirectory, "Lodrik.Cli.dll"), .. arguments])
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
                Environment = { ["DOTNET_GCHeapHardLimit"] = MostMemory },
            })!;
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return new ProgramRun(process.ExitCode, output, error.Result);
    }
}
