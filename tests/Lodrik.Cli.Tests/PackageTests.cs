using System.Diagnostics;
using System.Globalization;
using System.IO.Compression;
using System.Reflection.Metadata;
using System.Text.RegularExpressions;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The packages, as somebody gets them who has nothing else: made, looked into, installed from a folder, and used as docs/getting-started.md says, word for word.</summary>
public sealed partial class PackageTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-packages-").FullName;

    private string Feed => Path.Combine(_folder, "feed");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void A_newcomer_gets_from_an_empty_folder_to_a_restored_scene_by_the_document_alone()
    {
        Assert.SkipUnless(Environment.GetEnvironmentVariable("LODRIK_PACKAGES") == "1", "Making and installing the packages takes a minute: set LODRIK_PACKAGES=1, as .ci/run does.");
        var artifacts = Path.Combine(_folder, "artifacts");
        foreach (var project in (string[])["Lodrik", "Lodrik.Testing", "Lodrik.Cli", "Lodrik.Sqlite", "Lodrik.Http", "Lodrik.Postgres", "Lodrik.Server"])
            Run(ProgramRun.Repository, "dotnet", "pack", $"src/{project}", "-c", "Release", "-p:ForPackages=true", "--artifacts-path", artifacts, $"-p:PathMap={artifacts}=/_1", "-o", Feed, "-v", "quiet");
        Packages_have_what_belongs_to_them();

        // Packages of others are taken from what this repository's own restore has left; nothing is downloaded.
        var packages = Environment.GetEnvironmentVariable("NUGET_PACKAGES") ?? Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".nuget", "packages");
        var work = Directory.CreateDirectory(Path.Combine(_folder, "work")).FullName;
        File.WriteAllText(Path.Combine(work, "nuget.config"), $"""
            <configuration>
              <packageSources><clear /><add key="lodrik" value="{Feed}" /></packageSources>
              <fallbackPackageFolders><clear /><add key="restored" value="{packages}" /></fallbackPackageFolders>
              <config><add key="globalPackagesFolder" value="{Path.Combine(_folder, "installed")}" /></config>
            </configuration>
            """);

        var (place, output, checks) = Follow("getting-started.md", work);
        Assert.Equal(2, checks);
        Assert.Contains("Evening on the marsh", output, StringComparison.Ordinal);
        Assert.Contains("lantern (1)", output, StringComparison.Ordinal);
        foreach (var (tutorial, compared) in new[] { ("tutorial-level.md", 4), ("tutorial-update.md", 3), ("tutorial-protection.md", 3) })
            Assert.Equal(compared, Follow(tutorial, work).Checks);

        // The file to copy needs nothing but the package either.
        foreach (var file in Directory.GetFiles(place, "*.cs"))
            File.Delete(file);
        foreach (var file in (string[])["GameSaves.cs", "Program.cs"])
            File.Copy(Path.Combine(ProgramRun.Repository, "examples", "Starter", file), Path.Combine(place, file));
        Assert.Contains("On the pier: gate at 0, 0, #1 at 2, 5", Run(place, "dotnet", "run"), StringComparison.Ordinal);
    }

    /// <summary>Does what a page says, word for word: writes its files, runs its commands, and compares what they print.</summary>
    /// <returns>The folder of its project, what was printed last, and how often something was compared.</returns>
    private static (string Place, string Output, int Checks) Follow(string page, string work)
    {
        var document = File.ReadAllText(Path.Combine(ProgramRun.Repository, "docs", page));
        var (place, output, checks) = (work, "", 0);
        foreach (Match step in Steps().Matches(document))
        {
            var (file, language, content) = (step.Groups["file"].Value, step.Groups["language"].Value, step.Groups["content"].Value);
            if (file.Length > 0)
            {
                File.WriteAllText(Path.Combine(place, file), content);
            }
            else if (language == "sh")
            {
                output = Run(place, "bash", "-euc", content);
                place = Entered().Match(content) is { Success: true } entered ? Path.Combine(place, entered.Groups[1].Value) : place;
            }
            else if (language.Length == 0 && output.Length > 0)
            {
                foreach (var line in content.Trim().Split('\n'))
                    Assert.Contains(line.Trim(), output, StringComparison.Ordinal);
                checks++;
            }
        }
        return (place, output, checks);
    }

    private void Packages_have_what_belongs_to_them()
    {
        foreach (var (package, needed) in new (string, string[])[]
        {
            ("Lodrik", ["lib/net10.0/Lodrik.dll", "lib/net10.0/Lodrik.xml", "analyzers/dotnet/cs/Lodrik.Generator.dll"]),
            ("Lodrik.Testing", ["lib/net10.0/Lodrik.Testing.dll", "lib/net10.0/Lodrik.Testing.xml"]),
            ("Lodrik.Sqlite", ["lib/net10.0/Lodrik.Sqlite.dll", "lib/net10.0/Lodrik.Sqlite.xml"]),
            ("Lodrik.Http", ["lib/net10.0/Lodrik.Http.dll", "lib/net10.0/Lodrik.Http.xml"]),
            ("Lodrik.Postgres", ["lib/net10.0/Lodrik.Postgres.dll", "lib/net10.0/Lodrik.Postgres.xml"]),
            ("Lodrik.Server", ["lib/net10.0/Lodrik.Server.dll", "lib/net10.0/Lodrik.Server.xml"]),
            ("Lodrik.Cli", ["tools/net10.0/any/Lodrik.Cli.dll", "tools/net10.0/any/DotnetToolSettings.xml"]),
        })
        {
            var file = Assert.Single(Directory.GetFiles(Feed, $"{package}.*.nupkg"), file => Numbered().IsMatch(Path.GetFileName(file)[package.Length..]));
            using var archive = ZipFile.OpenRead(file);
            var names = archive.Entries.Select(entry => entry.FullName).ToHashSet();
            Assert.Superset(new HashSet<string>([.. needed, "README.md", "LICENSE", "icon.png"]), names);
            using var reader = new StreamReader(archive.GetEntry($"{package}.nuspec")!.Open());
            var about = reader.ReadToEnd();
            Assert.Contains("<license type=\"expression\">MIT</license>", about, StringComparison.Ordinal);
            Assert.Contains("<icon>icon.png</icon>", about, StringComparison.Ordinal);
            Assert.Contains("<readme>README.md</readme>", about, StringComparison.Ordinal);
            Assert.DoesNotContain("Microsoft.CodeAnalysis", about, StringComparison.Ordinal);
            using var symbols = ZipFile.OpenRead(Path.ChangeExtension(file, ".snupkg"));
            Symbols_have_their_sources_and_no_path_of_this_machine(Assert.Single(symbols.Entries, entry => entry.FullName.EndsWith($"/{package}.pdb", StringComparison.Ordinal)));
        }
    }

    private static void Symbols_have_their_sources_and_no_path_of_this_machine(ZipArchiveEntry entry)
    {
        using var bytes = new MemoryStream();
        using (var packed = entry.Open())
            packed.CopyTo(bytes);
        bytes.Position = 0;
        using var provider = MetadataReaderProvider.FromPortablePdbStream(bytes);
        var reader = provider.GetMetadataReader();
        // The kind of embedded sources in the format of portable symbols.
        var embedded = new Guid("0E8A571B-6926-466E-B4AD-8AB04611F5FE");
        var withSource = reader.CustomDebugInformation.Select(reader.GetCustomDebugInformation).Where(one => reader.GetGuid(one.Kind) == embedded).Select(one => one.Parent).ToHashSet();
        Assert.True(reader.Documents.Count > (entry.Name is "Lodrik.Sqlite.pdb" or "Lodrik.Postgres.pdb" ? 1 : 5));
        Assert.All(reader.Documents, document =>
        {
            Assert.StartsWith("/_", reader.GetString(reader.GetDocument(document).Name), StringComparison.Ordinal);
            Assert.Contains((EntityHandle)document, withSource);
        });
    }

    private static string Run(string folder, string program, params string[] arguments)
    {
        var start = new ProcessStartInfo(program, arguments) { WorkingDirectory = folder, RedirectStandardOutput = true, RedirectStandardError = true };
        // What the test runner's own build was told is no business of the newcomer's.
        foreach (var name in start.Environment.Keys.Where(name => name.StartsWith("MSBuild", StringComparison.OrdinalIgnoreCase) || name is "DOTNET_CLI_CONTEXT_VERBOSE" or "NUGET_PACKAGES").ToList())
            start.Environment.Remove(name);
        start.Environment["DOTNET_CLI_TELEMETRY_OPTOUT"] = "1";
        start.Environment["DOTNET_NOLOGO"] = "1";
        start.Environment["MSBUILDDISABLENODEREUSE"] = "1";
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        Assert.True(process.ExitCode == 0, string.Create(CultureInfo.InvariantCulture, $"{program} {string.Join(' ', arguments)} ended with {process.ExitCode}:\n{output}\n{error.Result}"));
        return output;
    }

    /// <summary>A file to write, commands to run, or what they print; the clone's own commands and single words between text are none of these.</summary>
    [GeneratedRegex("(?:<!-- file: (?<file>[A-Za-z.]+) -->\n)?```(?<language>[a-z]*)\n(?<content>.*?)```", RegexOptions.Singleline)]
    private static partial Regex Steps();

    [GeneratedRegex("^cd ([a-z]+)$", RegexOptions.Multiline)]
    private static partial Regex Entered();

    [GeneratedRegex("^[.][0-9]")]
    private static partial Regex Numbered();
}
