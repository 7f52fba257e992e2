using System.Text.RegularExpressions;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The examples run, and the README shows them as they are.</summary>
public sealed class ExampleTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void One_object_and_one_file()
    {
        var first = ProgramRun.Of("FirstSave", _folder);
        Assert.Equal((0, ""), (first.Exit, first.Error));
        Assert.Contains("\"oil\": 5,", first.Out, StringComparison.Ordinal);
        Assert.Contains("5 litres, 2 things in the satchel", first.Out, StringComparison.Ordinal);
        Assert.Contains("7 litres, 3 things in the satchel", ProgramRun.Of("FirstSave", _folder).Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Slots_and_a_scene()
    {
        var first = ProgramRun.Of("FirstScene", _folder);
        Assert.Equal((0, ""), (first.Exit, first.Error));
        Assert.Contains("saved evening, generation 1", first.Out, StringComparison.Ordinal);
        Assert.Contains("1 can left, 1 lantern(s) adrift", first.Out, StringComparison.Ordinal);
        var second = ProgramRun.Of("FirstScene", _folder);
        Assert.Contains("saved evening, generation 2", second.Out, StringComparison.Ordinal);
        Assert.Contains("1 can left, 2 lantern(s) adrift", second.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void A_save_screen_lists_asks_goes_back_and_goes_on()
    {
        var run = ProgramRun.Told(
            """
            light mill
            save My first night!
            light quay
            quick
            new
            light weir
            save my-first-night
            n
            save Another one
            saves
            load my-first-nigt
            load my-first-night
            light tower
            save
            reinstate my-first-night 1
            continue
            delete another-one
            y
            saves
            light sluice
            quit
            y
            """,
            "SaveScreen", _folder, _folder);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Contains("[saved my-first-night, generation 1:", run.Out, StringComparison.Ordinal);
        Assert.Contains("The slot holds another playthrough, \"At the mill · 1 lit\"", run.Out, StringComparison.Ordinal);
        Assert.Contains("Did you mean \"my-first-night\"?", run.Out, StringComparison.Ordinal);
        Assert.Contains("Now generation 3.", run.Out, StringComparison.Ordinal);
        Assert.Contains("> continue\n  at the mill, 10 litres of oil", run.Out, StringComparison.Ordinal);
        Assert.Contains("Deleted.", run.Out, StringComparison.Ordinal);
        Assert.Contains("Not everything is saved. Go on? (y/n) y", run.Out, StringComparison.Ordinal);
        Assert.StartsWith("Welcome back: at the mill", ProgramRun.Told("quit\n", "SaveScreen", _folder, _folder).Out, StringComparison.Ordinal);
    }

    [Fact]
    public void The_demo_game_plays_through()
    {
        var run = ProgramRun.Of("Tidewarden.Play", _folder);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Contains("The marsh is as it was at the save.", run.Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("FirstSave"), InlineData("FirstScene")]
    public void The_readme_shows_the_example_as_it_is(string example)
    {
        var readme = File.ReadAllText(Path.Combine(ProgramRun.Repository, "README.md"));
        var program = File.ReadAllText(Path.Combine(ProgramRun.Repository, "examples", example, "Program.cs"));
        var shown = Regex.Matches(readme, "```csharp\n(.*?)```", RegexOptions.Singleline).Select(match => match.Groups[1].Value).ToList();
        Assert.Contains(shown, snippet => program.StartsWith(snippet, StringComparison.Ordinal) || program == snippet);
        Assert.Contains($"examples/{example}", readme, StringComparison.Ordinal);
    }

    [Fact]
    public void Every_link_of_the_documents_leads_somewhere()
    {
        var documents = Directory.GetFiles(ProgramRun.Repository, "*.md").Concat(Directory.GetFiles(Path.Combine(ProgramRun.Repository, "docs"), "*.md", SearchOption.AllDirectories));
        var dead = documents.SelectMany(document => Regex.Matches(File.ReadAllText(document), @"\]\(([^)#]+)(?:#[^)]*)?\)")
            .Select(match => match.Groups[1].Value)
            .Where(link => !link.Contains("://", StringComparison.Ordinal))
            .Select(link => Path.Combine(Path.GetDirectoryName(document)!, link))
            .Where(path => !File.Exists(path) && !Directory.Exists(path)));
        Assert.Empty(dead);
    }
}
