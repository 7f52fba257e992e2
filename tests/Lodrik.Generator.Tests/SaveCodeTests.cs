using System.Text.RegularExpressions;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp.Syntax;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>How much a game writes so that it is saved: the lines of the examples that name something of Lodrik's.</summary>
public sealed class SaveCodeTests
{
    [Fact]
    public void A_scene_needs_fifteen_lines_at_most() => Assert.InRange(LinesOf(null, "FirstScene", "Program.cs").Single(), 8, 15);

    [Fact]
    public void A_game_of_three_levels_on_an_engine_needs_thirty_and_the_documents_say_how_many()
    {
        var engine = new GeneratorRun([.. Sources("MarshEngine", "Node.cs", "Structs.cs")]);
        var lines = LinesOf(engine, "SaltRoad", "Things.cs", "Levels.cs", "Program.cs");
        Assert.InRange(lines[0], 10, 20);
        Assert.Equal(0, lines[1]);
        Assert.InRange(lines.Sum(), 20, 30);
        foreach (var page in (string[])["README.md", "docs/engine-objects.md"])
            Assert.Contains(
                $"{lines.Sum()} lines, {lines[0]} of them in its classes",
                Regex.Replace(File.ReadAllText(Path.Combine(DocumentTests.Repository, page)), @"\s+", " "), StringComparison.Ordinal);
    }

    [Fact]
    public void The_file_to_copy_has_eighty_lines_at_most()
    {
        var lines = Sources("Starter", "GameSaves.cs").Single().Split('\n').Select(line => line.Trim());
        Assert.InRange(lines.Count(line => line.Length > 0 && !line.StartsWith("//", StringComparison.Ordinal)), 40, 80);
    }

    private static IEnumerable<string> Sources(string example, params string[] files) =>
        files.Select(file => File.ReadAllText(Path.Combine(DocumentTests.Repository, "examples", example, file)));

    /// <summary>For each file, the number of lines with a type, an attribute or a member of Lodrik's.</summary>
    private static List<int> LinesOf(GeneratorRun? library, string example, params string[] files)
    {
        var run = GeneratorRun.OfProgram(library, [.. Sources(example, files).Select(source => "using System.IO; " + source)]);
        Assert.Empty(run.Problems);
        Assert.DoesNotContain("error", string.Join("; ", run.Complaints), StringComparison.Ordinal);
        return [.. run.Whole.SyntaxTrees.Take(files.Length).Select(tree =>
        {
            var model = run.Whole.GetSemanticModel(tree);
            return tree.GetRoot().DescendantNodes().OfType<SimpleNameSyntax>()
                .Where(name => !name.IsVar && IsOurs(model.GetSymbolInfo(name).Symbol))
                .Select(name => name.GetLocation().GetLineSpan().StartLinePosition.Line).Distinct().Count();
        })];
    }

    private static bool IsOurs(ISymbol? symbol) => symbol is not (null or INamespaceSymbol)
        && symbol.ContainingAssembly?.Name.StartsWith("Lodrik", StringComparison.Ordinal) == true;
}
