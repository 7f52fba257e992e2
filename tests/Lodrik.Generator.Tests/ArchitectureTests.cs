using System.Collections.Concurrent;
using System.Runtime.CompilerServices;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>
/// How the core hangs together, by what the compiler binds each name to: the folder is the layer, code refers to its own folder and to
/// those below it, and the files of a folder form no circle.
/// </summary>
public sealed class ArchitectureTests(CoreReferences core) : IClassFixture<CoreReferences>
{
    // From the top down. State and Storage are the ground; neither knows the other.
    private static readonly string[] Layers = ["Inspection", "Sessions", "Scenes", "Screens", "Slots", "Migrations", "Saves", "Codes", "Protection", "Formats", "State", "Storage"];

    [Fact]
    public void Every_folder_of_the_core_is_a_layer() =>
        Assert.Empty(core.Files.Select(LayerOf).Where(layer => layer.Length > 0).Distinct().Except(Layers));

    [Fact]
    public void No_folder_refers_to_one_above_it()
    {
        var upward = core.References.Where(one => !MayUse(LayerOf(one.From), LayerOf(one.To))).Select(one => $"{one.From} uses {one.Symbol} of {one.To}").ToList();
        Assert.True(upward.Count == 0, string.Join(Environment.NewLine, upward));
    }

    [Fact]
    public void The_files_of_a_folder_form_no_circle()
    {
        var circles = core.References.GroupBy(one => Path.GetDirectoryName(one.From)!)
            .SelectMany(folder => Circles([.. folder.Where(one => Path.GetDirectoryName(one.To) == folder.Key)])).ToList();
        Assert.True(circles.Count == 0, string.Join(Environment.NewLine, circles));
    }

    [Theory]
    [InlineData("class A { B? b; } class B { }", "A.cs uses B of B.cs")]
    [InlineData("static class A { public static string Text(B b) => $\"{b.Name}\"; } class B { public string Name => \"\"; }", "A.cs uses B of B.cs; A.cs uses B.Name of B.cs")]
    [InlineData("class A { public int Twice(int one) => one.Doubled(); } static class B { public static int Doubled(this int one) => one * 2; }", "A.cs uses B.Doubled of B.cs")]
    [InlineData("partial class A { string b = nameof(B.Name); } class B { public string Name => \"\"; }", "A.cs uses B of B.cs; A.cs uses B.Name of B.cs")]
    public void References_are_seen_wherever_they_are(string source, string expected)
    {
        var at = source.LastIndexOf("class B", StringComparison.Ordinal);
        at = source.LastIndexOf("} ", at, StringComparison.Ordinal) + 2;
        var found = CoreReferences.Find([("A.cs", source[..at]), ("B.cs", source[at..])]);
        Assert.Equal(expected, string.Join("; ", found.Select(one => $"{one.From} uses {one.Symbol} of {one.To}").Order()));
    }

    [Fact]
    public void A_circle_is_found_through_any_number_of_files_and_the_parts_of_a_type_are_one()
    {
        var found = CoreReferences.Find(
        [
            ("A.cs", "class A { B? b; }"), ("B.cs", "partial class B { }"), ("B.More.cs", "partial class B { C? c; }"),
            ("C.cs", "class C { A? a; D? d; }"), ("D.cs", "class D { }"),
        ]);
        Assert.Equal(["A.cs, B.cs, C.cs"], Circles(found).Select(circle => circle.Split(':')[0]));
    }

    private static string LayerOf(string file) => file.Contains(Path.DirectorySeparatorChar) ? file.Split(Path.DirectorySeparatorChar)[0] : "";

    /// <summary>The root is what a game is given by every layer, such as an error; it uses none but the ground that it is made of.</summary>
    private static bool MayUse(string layer, string owner) => (layer, owner) switch
    {
        _ when layer == owner || owner.Length == 0 => true,
        ("", _) => false,
        ("State", "Storage") or ("Storage", "State") => false,
        _ => Array.IndexOf(Layers, owner) > Array.IndexOf(Layers, layer),
    };

    /// <summary>The sets of files that each reach all the others of the set, with what leads there.</summary>
    private static IEnumerable<string> Circles(IReadOnlyList<CodeReference> references)
    {
        var targets = references.ToLookup(one => one.From, one => one.To);
        var reached = references.Select(one => one.From).Distinct().ToDictionary(file => file, file => Reach(file, targets));
        return reached.Where(one => one.Value.Contains(one.Key))
            .GroupBy(one => string.Join(", ", one.Value.Where(other => reached.TryGetValue(other, out var back) && back.Contains(one.Key)).Order()))
            .Select(circle => $"{circle.Key}: {string.Join("; ", references
                .Where(one => circle.Any(file => file.Key == one.From) && circle.Any(file => file.Key == one.To))
                .Select(one => $"{one.From} uses {one.Symbol} of {one.To}"))}");
    }

    private static HashSet<string> Reach(string file, ILookup<string, string> targets)
    {
        var (reached, left) = (new HashSet<string>(), new Queue<string>(targets[file]));
        while (left.TryDequeue(out var next))
        {
            if (reached.Add(next))
                targets[next].ToList().ForEach(left.Enqueue);
        }
        return reached;
    }
}

/// <summary>One file's use of another: a type, or one of its members.</summary>
public sealed record CodeReference(string From, string To, string Symbol);

/// <summary>Who uses whom in the core, found once for all tests.</summary>
public sealed class CoreReferences
{
    public CoreReferences()
    {
        var folder = Path.GetFullPath(Path.Combine(Path.GetDirectoryName(Here())!, "..", "..", "src", "Lodrik"));
        var sources = Directory.EnumerateFiles(folder, "*.cs", SearchOption.AllDirectories)
            .Select(path => (Name: Path.GetRelativePath(folder, path), Path: path))
            .Where(file => file.Name.Split(Path.DirectorySeparatorChar)[0] is not ("obj" or "bin"))
            .Select(file => (file.Name, File.ReadAllText(file.Path))).ToList();
        Files = [.. sources.Select(source => source.Name)];
        References = Find(sources);
    }

    public IReadOnlyList<string> Files { get; }

    public IReadOnlyList<CodeReference> References { get; }

    /// <summary>
    /// All references from one file to another. The parts of a type stand in several files and count as one, that of the shortest name.
    /// </summary>
    public static IReadOnlyList<CodeReference> Find(IReadOnlyList<(string Name, string Text)> sources)
    {
        const string Usings = "global using System; global using System.Collections.Generic; global using System.IO; global using System.Linq; global using System.Threading; global using System.Threading.Tasks;";
        var options = new CSharpParseOptions(LanguageVersion.Preview);
        var trees = sources.Select(source => CSharpSyntaxTree.ParseText(source.Text, options, source.Name)).ToList();
        var compilation = CSharpCompilation.Create(
            "core", [.. trees, CSharpSyntaxTree.ParseText(Usings, options)],
            ((string)AppContext.GetData("TRUSTED_PLATFORM_ASSEMBLIES")!).Split(Path.PathSeparator)
                .Where(path => !Path.GetFileName(path).StartsWith("Lodrik", StringComparison.Ordinal))
                .Select(path => MetadataReference.CreateFromFile(path)),
            new CSharpCompilationOptions(OutputKind.DynamicallyLinkedLibrary, allowUnsafe: true, nullableContextOptions: NullableContextOptions.Enable));
        var references = new ConcurrentDictionary<CodeReference, bool>();
        Parallel.ForEach(trees, tree =>
        {
            var model = compilation.GetSemanticModel(tree);
            var from = NameOf(tree, model);
            foreach (var name in tree.GetRoot().DescendantNodes(descendIntoTrivia: false).OfType<SimpleNameSyntax>())
            {
                if (model.GetSymbolInfo(name) is var found && (found.Symbol ?? found.CandidateSymbols.FirstOrDefault()) is { } symbol
                    && Owner(symbol) is { } owner && HomeOf(owner) is { } to && from != to)
                    references.TryAdd(new CodeReference(from, to, symbol is INamedTypeSymbol ? owner.Name : $"{owner.Name}.{symbol.Name}"), true);
            }
        });
        return [.. references.Keys];

        static string NameOf(SyntaxTree tree, SemanticModel model) => tree.GetRoot().DescendantNodes().OfType<BaseTypeDeclarationSyntax>().FirstOrDefault() is { } type
            && model.GetDeclaredSymbol(type) is { } declared ? HomeOf(declared)! : tree.FilePath;
    }

    /// <summary>The outermost type that a symbol is, or is a member of; null where it is in no type of the source.</summary>
    private static INamedTypeSymbol? Owner(ISymbol symbol)
    {
        var owner = (symbol is IMethodSymbol { ReducedFrom: { } extension } ? extension : symbol) switch
        {
            INamedTypeSymbol type => type,
            IMethodSymbol or IPropertySymbol or IFieldSymbol or IEventSymbol => symbol.ContainingType,
            _ => null,
        };
        while (owner?.ContainingType is { } outer)
            owner = outer;
        return owner?.OriginalDefinition;
    }

    private static string? HomeOf(INamedTypeSymbol type) => type.DeclaringSyntaxReferences.Length == 0
        ? null
        : type.DeclaringSyntaxReferences.Select(one => one.SyntaxTree.FilePath).OrderBy(path => path.Length).ThenBy(path => path).First();

    private static string Here([CallerFilePath] string here = "") => here;
}
