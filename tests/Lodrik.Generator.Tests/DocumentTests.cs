using System.Text.RegularExpressions;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>What the documents show is code that compiles.</summary>
public sealed class DocumentTests
{
    public static TheoryData<string> Pages => ["guide.md", "state-types.md", "slots.md", "scenes.md", "engine-objects.md", "sessions.md", "migrations.md", "protection.md", "transfer-codes.md", "far.md"];

    [Theory, MemberData(nameof(Pages))]
    public void Every_snippet_of_a_page_compiles_with_those_before_it(string page)
    {
        var text = File.ReadAllText(Path.Combine(Repository, "docs", page));
        var snippets = Regex.Matches(text, "```csharp\n(.*?)```", RegexOptions.Singleline).Select(match => match.Groups[1].Value).ToList();
        Assert.NotEmpty(snippets);
        // What a reader takes for granted stands in a comment of the page.
        var given = Regex.Matches(text, "<!-- with\n(.*?)-->", RegexOptions.Singleline).Select(match => match.Groups[1].Value).ToList();
        var use = given.Exists(one => one.Contains("static class Given", StringComparison.Ordinal)) ? "using static Given;\n" : "";
        var engine = Regex.Match(text, "<!-- engine\n(.*?)-->", RegexOptions.Singleline).Groups[1].Value;
        string[] sources = [.. given, .. snippets.Select((snippet, i) => use + (
            IsDeclaration(snippet) ? snippet
            : IsMember(snippet) ? $"static class Snippet{i} {{ {snippet} }}"
            : $"static class Snippet{i} {{ static {(snippet.Contains("await ", StringComparison.Ordinal) ? "async System.Threading.Tasks.Task" : "void")} Run() {{ {snippet} }} }}"))];
        var run = engine.Length > 0 ? GeneratorRun.WithLibrary(new GeneratorRun(engine), sources) : GeneratorRun.OfAll(sources);
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
    }

    [Theory]
    [InlineData("tutorial-game.md", "/Tidewarden")]
    [InlineData("tutorial-save-screen.md", "/SaveScreen/")]
    public void What_a_tutorial_shows_is_in_its_example_word_for_word(string page, string example)
    {
        var game = string.Concat(Directory.GetFiles(Path.Combine(Repository, "examples"), "*.cs", SearchOption.AllDirectories)
            .Where(file => file.Contains(example, StringComparison.Ordinal) && !file.Contains("/obj/", StringComparison.Ordinal)).Select(file => Lines(File.ReadAllText(file))));
        var text = File.ReadAllText(Path.Combine(Repository, "docs", page));
        var snippets = Regex.Matches(text, "```csharp\n(.*?)```", RegexOptions.Singleline).Select(match => Lines(match.Groups[1].Value.TrimEnd())).ToList();
        Assert.True(snippets.Count > 5);
        Assert.All(snippets, snippet => Assert.Contains(snippet, game, StringComparison.Ordinal));
        // The calls in the table of what happens and what is called.
        Assert.All(Regex.Matches(text, @"\| `(Session\.[^`]+)` \|").Select(match => match.Groups[1].Value), call => Assert.Contains(call, game, StringComparison.Ordinal));

        static string Lines(string code) => string.Join('\n', code.Split('\n').Select(line => line.Trim())) + "\n";
    }

    [Fact]
    public void Every_decision_record_has_its_number_and_the_four_parts_in_their_order()
    {
        var records = Directory.GetFiles(Path.Combine(Repository, "docs", "decisions")).Order(StringComparer.Ordinal).ToList();
        Assert.Equal(Enumerable.Range(1, records.Count), records.Select(record => int.Parse(Path.GetFileName(record)[..4], System.Globalization.CultureInfo.InvariantCulture)));
        Assert.All(records, record =>
        {
            var text = File.ReadAllText(record);
            Assert.StartsWith($"# {Path.GetFileName(record)[..4]}: ", text, StringComparison.Ordinal);
            Assert.Equal(["Context", "Decision", "Why", "What it costs"], Regex.Matches(text, @"^\*\*([^*]+)\.\*\* ", RegexOptions.Multiline).Select(part => part.Groups[1].Value));
        });
    }

    private static bool IsDeclaration(string snippet) => Regex.IsMatch(snippet, @"^(\[|public |internal |using [A-Z])", RegexOptions.None) && !IsMember(snippet);

    private static bool IsMember(string snippet) => Regex.IsMatch(snippet, @"^(\[[^\]]*\]\n)?public static (?!class|partial)");

    internal static string Repository
    {
        get
        {
            var folder = AppContext.BaseDirectory;
            while (!File.Exists(Path.Combine(folder, "Directory.Packages.props")))
                folder = Path.GetDirectoryName(folder)!;
            return folder;
        }
    }
}
