using System.Collections.Immutable;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;

namespace Lodrik.Generator.Tests;

/// <summary>One run of the generator over a piece of source.</summary>
internal sealed class GeneratorRun
{
    private static readonly ImmutableArray<MetadataReference> References =
    [
        .. ((string)AppContext.GetData("TRUSTED_PLATFORM_ASSEMBLIES")!).Split(Path.PathSeparator)
            // Of what stands beside the tests, a game has the library alone, and its storages: another game's shapes would count as its own.
            .Where(path => Path.GetDirectoryName(path) != AppContext.BaseDirectory.TrimEnd('/') || Path.GetFileName(path) is "Lodrik.dll" or "Lodrik.Testing.dll" or "Lodrik.Http.dll" or "Lodrik.Postgres.dll" or "Lodrik.Server.dll" or "Lodrik.Sqlite.dll" or "Npgsql.dll")
            .Select(path => MetadataReference.CreateFromFile(path)),
    ];

    private readonly CSharpCompilation _compilation;
    private readonly GeneratorDriver _driver;
    private readonly GeneratorDriverRunResult _results;

    public GeneratorRun(params string[] sources) : this([new StateTypeGenerator()], sources)
    {
    }

    /// <summary>One run over a game that has another assembly as its library.</summary>
    public static GeneratorRun WithLibrary(GeneratorRun library, params string[] sources) =>
        new([new StateTypeGenerator()], sources, library: Compiled(library));

    /// <summary>One run over a program, which may have another assembly as its library.</summary>
    public static GeneratorRun OfProgram(GeneratorRun? library, params string[] sources) =>
        new([new StateTypeGenerator()], sources, library: library is null ? null : Compiled(library), kind: OutputKind.ConsoleApplication);

    private static PortableExecutableReference Compiled(GeneratorRun library)
    {
        using var bytes = new MemoryStream();
        Xunit.Assert.Empty(library.Whole.Emit(bytes).Diagnostics.Where(one => one.Severity == DiagnosticSeverity.Error));
        return MetadataReference.CreateFromImage(bytes.ToArray());
    }

    private GeneratorRun(IIncrementalGenerator[] generators, string[] sources, string head = "", MetadataReference? library = null,
        OutputKind kind = OutputKind.DynamicallyLinkedLibrary)
    {
        _compilation = CSharpCompilation.Create(
            library is null ? "library" : "game",
            sources.Select(source => CSharpSyntaxTree.ParseText((source == sources[0] ? head : "") + Usings + source, Parsing, "Game.cs")),
            library is null ? References : References.Add(library),
            new CSharpCompilationOptions(kind, nullableContextOptions: NullableContextOptions.Enable));
        _driver = CSharpGeneratorDriver.Create(
                [.. generators.Select(generator => generator.AsSourceGenerator())],
                parseOptions: Parsing,
                driverOptions: new GeneratorDriverOptions(IncrementalGeneratorOutputKind.None, trackIncrementalGeneratorSteps: true))
            .RunGenerators(_compilation);
        _results = _driver.GetRunResult();
    }

    /// <summary>One run of the generator of transfer codes.</summary>
    public static GeneratorRun OfCodes(params string[] sources) => new([new TransferCodeGenerator()], sources);

    /// <summary>One run of all generators, as in a game.</summary>
    public static GeneratorRun OfAll(params string[] sources) => new([new StateTypeGenerator(), new TransferCodeGenerator()], sources);

    /// <summary>One run over source whose first file begins with global usings.</summary>
    public static GeneratorRun WithHead(string head, params string[] sources) => new([new StateTypeGenerator()], sources, head);

    private static CSharpParseOptions Parsing { get; } = new(LanguageVersion.CSharp13);

    private const string Usings = "using System; using System.Collections.Generic; using System.Linq; using System.Numerics; using System.Threading; using System.Threading.Tasks; using Lodrik; using Lodrik.Codes; using Lodrik.Http; using Lodrik.Inspection; using Lodrik.Migrations; using Lodrik.Postgres; using Lodrik.Protection; using Lodrik.Scenes; using Lodrik.Scenes.Authoring; using Lodrik.Screens; using Lodrik.Slots; using Lodrik.Sqlite; using Lodrik.State; using Lodrik.Storage; using Lodrik.Testing; using Npgsql;\n";

    public GeneratorRunResult Result => _results.Results.Single();

    /// <summary>What the generator reported: the id, the text it points at, and the message.</summary>
    public IReadOnlyList<(string Id, string At, string Message)> Problems =>
        [.. _results.Diagnostics.Select(one => (one.Id, At(one.Location), one.GetMessage()))];

    /// <summary>What the compiler says of the source and the generated code together: warnings and errors.</summary>
    public IReadOnlyList<string> Complaints => [.. _compilation
        .AddSyntaxTrees(_results.GeneratedTrees)
        .GetDiagnostics()
        .Where(one => one.Severity >= DiagnosticSeverity.Warning)
        .Select(one => one.ToString())];

    /// <summary>The source and the generated code together.</summary>
    public Compilation Whole => _compilation.AddSyntaxTrees(Result.GeneratedSources.Select(source => source.SyntaxTree));

    /// <summary>What the generated code says of the shape of saves.</summary>
    public IReadOnlyList<string> Shapes => [.. Whole.Assembly.GetAttributes()
        .Where(attribute => attribute.AttributeClass?.Name == "StateShapeAttribute")
        .Select(attribute => (string)attribute.ConstructorArguments[0].Value!)];

    /// <summary>The encodings of all generated files.</summary>
    public IEnumerable<System.Text.Encoding> Encodings => _results.Results.SelectMany(result => result.GeneratedSources).Select(source => source.SourceText.Encoding!);

    public string Source(string hint) => Result.GeneratedSources.Single(source => source.HintName == hint).SourceText.ToString();

    /// <summary>Why each model is there after the source was edited: new, cached, unchanged …</summary>
    public IReadOnlyList<IncrementalStepRunReason> ReasonsAfter(Func<string, string> edit, string step = StateTypeGenerator.ModelStep)
    {
        var before = _compilation.SyntaxTrees.Single();
        var after = CSharpSyntaxTree.ParseText(edit(before.ToString()), Parsing, "Game.cs");
        var result = _driver.RunGenerators(_compilation.ReplaceSyntaxTree(before, after)).GetRunResult().Results.Single();
        return [.. result.TrackedSteps[step].SelectMany(one => one.Outputs).Select(output => output.Reason)];
    }

    private string At(Location location) =>
        location == Location.None ? "" : _compilation.SyntaxTrees.First().ToString().Substring(location.SourceSpan.Start, location.SourceSpan.Length);
}
