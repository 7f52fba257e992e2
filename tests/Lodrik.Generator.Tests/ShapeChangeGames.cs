using System.Reflection;
using System.Runtime.Loader;
using Lodrik.Migrations;
using Microsoft.CodeAnalysis;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>The game of every row before its change, and with it.</summary>
public sealed class ShapeChangeGames : IDisposable
{
    public ShapeChangeGames()
    {
        Before = Compile("before", ShapeChangeRows.All.Select((row, i) => row.Source(i, isAfter: false)), out _);
        After = Compile("after", ShapeChangeRows.All.Select((row, i) => row.Source(i, isAfter: true)), out var compilation);
        Compilation = compilation;
    }

    public string Folder { get; } = Directory.CreateTempSubdirectory("changes-").FullName;

    public Assembly Before { get; }

    public Assembly After { get; }

    /// <summary>The source of the games with their changes.</summary>
    public Compilation Compilation { get; }

    public void Dispose() => Directory.Delete(Folder, recursive: true);

    public Assembly Compile(string name, IEnumerable<string> sources, out Compilation whole)
    {
        var run = new GeneratorRun(string.Concat(sources));
        Assert.True(run.Problems.Count == 0, string.Join('\n', run.Problems.Take(5)));
        whole = run.Whole;
        var file = FileOf(name);
        var result = whole.Emit(file, cancellationToken: TestContext.Current.CancellationToken);
        Assert.True(result.Success, string.Join('\n', result.Diagnostics.Where(one => one.Severity == DiagnosticSeverity.Error).Take(5)));
        return new AssemblyLoadContext(name, isCollectible: true).LoadFromAssemblyPath(file);
    }

    private string FileOf(string name) => Path.Combine(Folder, $"{name}.dll");

    public SaveShape ShapeOf(string name, int row) => SaveShape.OfAssembly(FileOf(name), $"Row{row}.Save");
}
