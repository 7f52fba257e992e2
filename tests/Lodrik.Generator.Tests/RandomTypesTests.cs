using System.Globalization;
using System.Runtime.Loader;
using Microsoft.CodeAnalysis;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>Made-up types, compiled by the real compiler: what is declared is saved, and loads as it was.</summary>
public sealed class RandomTypesTests
{
    // LODRIK_TYPES=10000 looks for longer.
    private static readonly string Trial = File.ReadAllText(Path.Combine(DocumentTests.Repository, "tests", "Lodrik.Generator.Tests", "TypeTrial.cs"));

    private static readonly int Count = int.Parse(Environment.GetEnvironmentVariable("LODRIK_TYPES") ?? "20", CultureInfo.InvariantCulture);

    [Theory]
    [InlineData("Action")]
    [InlineData("object")]
    [InlineData("IDisposable")]
    [InlineData("System.IO.Stream")]
    [InlineData("HashSet<Func<int>>")]
    public void A_type_that_cannot_be_saved_is_one_error_wherever_it_is(string refused)
    {
        var first = int.Parse(Environment.GetEnvironmentVariable("LODRIK_TYPES_SEED") ?? "1", CultureInfo.InvariantCulture);
        for (var seed = first; seed < first + Math.Max(1, Count / 40); seed++)
        {
            var run = new GeneratorRun(new RandomTypes(seed, refused).Source(10), Trial);
            Assert.True(run.Problems.Count == 1, $"Seed {seed}: {string.Join('\n', run.Problems.Take(3))}");
            Assert.Equal("LDR002", run.Problems[0].Id);
            var errors = run.Complaints.Where(one => one.Contains("error", StringComparison.Ordinal)).Take(3).ToList();
            Assert.True(errors.Count == 0, $"Seed {seed}: {string.Join('\n', errors)}");
        }
    }

    [Fact]
    public void Whatever_is_declared_compiles_and_loads_as_it_was_saved()
    {
        const int AtOnce = 20;
        var first = int.Parse(Environment.GetEnvironmentVariable("LODRIK_TYPES_SEED") ?? "1", CultureInfo.InvariantCulture);
        for (var seed = first; seed < first + (Count / AtOnce); seed++)
        {
            var source = new RandomTypes(seed).Source(AtOnce);
            var run = new GeneratorRun(source, Trial);
            Assert.True(run.Problems.Count == 0, $"Seed {seed}: {string.Join('\n', run.Problems.Take(3))}");
            using var bytes = new MemoryStream();
            var result = run.Whole.Emit(bytes, cancellationToken: TestContext.Current.CancellationToken);
            Assert.True(result.Success, $"Seed {seed}: {string.Join('\n', result.Diagnostics.Where(one => one.Severity == DiagnosticSeverity.Error).Take(4).Select(one => $"{one}: {one.Location.SourceTree?.GetText(TestContext.Current.CancellationToken).Lines[one.Location.GetLineSpan().StartLinePosition.Line]}"))}");
            bytes.Position = 0;
            var assembly = new AssemblyLoadContext($"made {seed}", isCollectible: true).LoadFromStream(bytes);
            var trials = (IEnumerable<(string Name, Func<Random, string?> Try)>)assembly.GetType("Made.Trials")!.GetMethod("All")!.Invoke(null, null)!;
            foreach (var (name, attempt) in trials)
            {
                for (var i = 0; i < 3; i++)
                    Assert.True(attempt(new Random(i)) is not { } problem, $"Seed {seed}, {name}, object {i}: {attempt(new Random(i))}");
            }
        }
    }
}
