using System.Reflection;
using System.Runtime.Loader;
using Lodrik.Migrations;
using Microsoft.CodeAnalysis;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>The game of every row before its change, and with it.</summary>
public sealed class ShapeChangeGames : IDisposable
{
    private readonly Dictionary<string, Assembly> _assemblies = [];
    private readonly List<Compilation> _after = [];

    public ShapeChangeGames()
    {
        Add(ShapeChangeRows.All.Select((row, i) => (row, i)).Where(one => !one.row.IsOfScenes).ToList(), "types");
        // What is bound in one assembly belongs to all its roots.
        foreach (var (row, i) in ShapeChangeRows.All.Select((row, i) => (row, i)).Where(one => one.row.IsOfScenes))
            Add([(row, i)], $"scenes{i}");
    }

    public string Folder { get; } = Directory.CreateTempSubdirectory("changes-").FullName;

    /// <summary>The sources of the games with their changes.</summary>
    public IReadOnlyList<Compilation> After => _after;

    /// <summary>A type of a row's game.</summary>
    public Type Type(string release, int row, string name) => _assemblies[FileOf(release, row)].GetType($"Row{row}.{name}")!;

    public void Dispose() => Directory.Delete(Folder, recursive: true);

    public Assembly Compile(string name, IEnumerable<string> sources, out Compilation whole)
    {
        var run = new GeneratorRun(string.Concat(sources));
        Assert.True(run.Problems.Count == 0, string.Join('\n', run.Problems.Take(5)));
        whole = run.Whole;
        var file = Path.Combine(Folder, $"{name}.dll");
        var result = whole.Emit(file, cancellationToken: TestContext.Current.CancellationToken);
        Assert.True(result.Success, string.Join('\n', result.Diagnostics.Where(one => one.Severity == DiagnosticSeverity.Error).Take(5)));
        return new AssemblyLoadContext(name, isCollectible: true).LoadFromAssemblyPath(file);
    }

    public SaveShape ShapeOf(string release, int row) => SaveShape.OfAssembly(Path.Combine(Folder, $"{FileOf(release, row)}.dll"), $"Row{row}.Save");

    private static string FileOf(string release, int row) => $"{release}-{(ShapeChangeRows.All[row].IsOfScenes ? $"scenes{row}" : "types")}";

    private void Add(IReadOnlyList<(ShapeChangeRow Row, int Number)> rows, string name)
    {
        _assemblies[$"before-{name}"] = Compile($"before-{name}", rows.Select(one => one.Row.Source(one.Number, isAfter: false)), out _);
        _assemblies[$"after-{name}"] = Compile($"after-{name}", rows.Select(one => one.Row.Source(one.Number, isAfter: true)), out var compilation);
        _after.Add(compilation);
    }
}
