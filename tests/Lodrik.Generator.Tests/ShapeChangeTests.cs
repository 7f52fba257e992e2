using System.Reflection;
using System.Text;
using System.Text.RegularExpressions;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.State;
using Lodrik.Testing;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.Diagnostics;
using Microsoft.CodeAnalysis.Text;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>
/// Every kind of change is made to a game with a save of the release before. What loses something is told: by the build and the ledger, or
/// by the load. The table in the documents is what came of it.
/// </summary>
public sealed class ShapeChangeTests(ShapeChangeGames games) : IClassFixture<ShapeChangeGames>
{
    [Fact]
    public async Task No_change_loses_something_in_silence_and_the_table_says_what_each_one_does()
    {
        var rows = ShapeChangeRows.All;
        var shapes = rows.Select((_, i) => games.ShapeOf("before", i)).ToList();
        var warnings = await Warnings(games.After, shapes);
        var table = new StringBuilder("| change | build and ledger | compatibility test | a save of before, and how it loads |\n|---|---|---|---|\n");
        var silent = new List<string>();
        for (var i = 0; i < rows.Count; i++)
        {
            var warned = warnings[i].ToList();
            var ledger = shapes[i].ChangesTo(games.ShapeOf("after", i)).Where(change => change.IsLoss).Select(change => change.ToString()).ToList();
            if (!ledger.Order(StringComparer.Ordinal).SequenceEqual(warned))
                silent.Add($"The ledger says of row {i}, {rows[i].Change}: {string.Join("; ", ledger)} and the build {string.Join("; ", warned)}");
            var trial = TrialOf(i);
            var (saved, loaded, error) = trial.Load();
            var test = trial.Check(Path.Combine(games.Folder, $"ledger{i}"), shapes[i]);
            var isLost = error is null && loaded != saved;
            var text = $"row {i}: {rows[i].Change}: {saved} {loaded} {error} {test}";
            if (isLost && !trial.HasAll && !rows[i].IsKept && warned.Count == 0)
                silent.Add(text);
            if ((rows[i].IsUnseen || rows[i].IsKept) && (warned.Count > 0 || error is not null))
                silent.Add($"It is seen: {text}");
            table.Append($"| {rows[i].Change} | {(rows[i].IsUnseen ? "cannot see it" : warned.Count > 0 ? string.Join("<br>", warned.Select(Cell)) : "–")} | {test} | "
                + $"`{saved}` {(error is not null ? $"is refused: {Cell(error)}" : loaded == saved ? "as it was" : $"becomes `{loaded}`")} |\n");
        }
        Assert.True(silent.Count == 0, string.Join("\n", silent));
        CheckTable(table.ToString());
    }

    /// <summary>The table stands between two marks. With <c>LODRIK_WRITE_API=1</c> it is written instead of compared.</summary>
    private static void CheckTable(string table)
    {
        const string Begin = "<!-- changes: made by the tests -->\n";
        const string End = "<!-- end of changes -->";
        var page = Path.Combine(DocumentTests.Repository, "docs", "migrations.md");
        var text = File.ReadAllText(page);
        var (begin, end) = (text.IndexOf(Begin, StringComparison.Ordinal) + Begin.Length, text.IndexOf(End, StringComparison.Ordinal));
        if (Environment.GetEnvironmentVariable("LODRIK_WRITE_API") == "1")
            File.WriteAllText(page, text[..begin] + table + text[end..]);
        else
            Assert.True(text[begin..end] == table, "The table in docs/migrations.md is not up to date: LODRIK_WRITE_API=1 dotnet test --project tests/Lodrik.Generator.Tests");
    }

    private static string Cell(string text) => Regex.Replace(text, @"Row\d+\.", "").Replace("|", "\\|", StringComparison.Ordinal).Replace("\n", " ", StringComparison.Ordinal).Replace("<text", "\\<text", StringComparison.Ordinal);

    /// <summary>What is proposed compiles, names what is there, handles every loss, and can be applied to an older save.</summary>
    [Fact]
    public void A_proposed_step_handles_whatever_the_change_loses()
    {
        var rows = ShapeChangeRows.All;
        var before = rows.Select((_, i) => games.ShapeOf("before", i)).ToList();
        var after = rows.Select((_, i) => AsVersion2(games.ShapeOf("after", i))).ToList();
        var steps = rows.Select((_, i) => before[i].ProposeStepTo(after[i])).ToList();
        var chains = games.Compile("steps", steps.Select((step, i) =>
            $"public static class Row{i} {{ public static MigrationChain Chain() => new MigrationChain(){(step.Length > 0 ? step : ".From(1, _ => { })")}; }}\n"), out _);
        var wrong = new List<string>();
        for (var i = 0; i < rows.Count; i++)
        {
            var chain = (MigrationChain)chains.GetType($"Row{i}")!.GetMethod("Chain")!.Invoke(null, null)!;
            wrong.AddRange(chain.ProblemsFor([before[i], after[i]]).Select(problem => $"{rows[i].Change}: {problem} {steps[i]}"));
            if (before[i].ChangesTo(after[i]).Any(change => change.IsLoss))
                Assert.NotEmpty(new MigrationChain().From(1, _ => { }).ProblemsFor([before[i], after[i]]));
            // A line that a person has to complete is not carried out.
            if (!steps[i].Contains("/*", StringComparison.Ordinal) && Record.Exception(() => chain.Migrate(SavedFile.FromBytes(TrialOf(i).Save()))) is { } problem)
                wrong.Add($"{rows[i].Change}: {problem.Message} {steps[i]}");
        }
        Assert.True(wrong.Count == 0, string.Join("\n", wrong));
    }

    private IRowTrial TrialOf(int row) => ShapeChangeRows.All[row].IsOfScenes
        ? new SceneTrial(games.Type("before", row, "Trial"), games.Type("after", row, "Trial"))
        : (IRowTrial)Activator.CreateInstance(
        typeof(RowTrial<,>).MakeGenericType(games.Type("before", row, "Save"), games.Type("after", row, "Save")))!;

    private static SaveShape AsVersion2(SaveShape shape) =>
        SaveShape.Parse(shape.ToText().Replace("\"version\": 1", "\"version\": 2", StringComparison.Ordinal));

    /// <summary>What the compiler says of each row's game, held against the ledger of the release before.</summary>
    private static async Task<ILookup<int, string>> Warnings(IEnumerable<Compilation> compilations, List<SaveShape> shapes)
    {
        var files = shapes.Select(shape => (AdditionalText)new LedgerFile($"{shape.Game}/1.json", shape.ToText())).ToList();
        var found = new List<Diagnostic>();
        foreach (var compilation in compilations)
            found.AddRange(await compilation.WithAnalyzers([new LedgerAnalyzer()], new AnalyzerOptions([.. files])).GetAnalyzerDiagnosticsAsync(TestContext.Current.CancellationToken));
        return found.Select(one => (Row: RowAt(one.Location), Text: one.GetMessage().Split(", since version")[0])).OrderBy(one => one.Text, StringComparer.Ordinal).ToLookup(one => one.Row, one => one.Text);

        static int RowAt(Location location)
        {
            var head = location.SourceTree!.ToString()[..location.SourceSpan.Start];
            return int.Parse(head[(head.LastIndexOf("namespace Row", StringComparison.Ordinal) + "namespace Row".Length)..].Split('\n')[0], System.Globalization.CultureInfo.InvariantCulture);
        }
    }

    private sealed class LedgerFile(string path, string text) : AdditionalText
    {
        public override string Path => path;

        public override SourceText GetText(CancellationToken cancellationToken = default) => SourceText.From(text);
    }

    private interface IRowTrial
    {
        /// <summary>Whether all that was saved is still there.</summary>
        bool HasAll { get; }

        byte[] Save();

        (string Saved, string Loaded, string? Error) Load();

        string Check(string ledger, SaveShape shape);
    }

    private sealed class SceneTrial(Type before, Type after) : IRowTrial
    {
        public bool HasAll => Load() is var (saved, loaded, _) && saved == loaded;

        public byte[] Save() => (byte[])before.GetMethod("Make")!.Invoke(null, null)!;

        public (string, string, string?) Load()
        {
            var bytes = Save();
            var saved = (string)before.GetMethod("Load")!.Invoke(null, [bytes])!;
            try
            {
                return (saved, (string)after.GetMethod("Load")!.Invoke(null, [bytes])!, null);
            }
            catch (TargetInvocationException problem) when (problem.InnerException is SaveException refused)
            {
                return (saved, "", refused.Problem);
            }
        }

        public string Check(string ledger, SaveShape shape)
        {
            Ledger.Open(ledger).Record(shape);
            try
            {
                after.GetMethod("Check")!.Invoke(null, [ledger]);
                return "passes";
            }
            catch (TargetInvocationException problem) when (problem.InnerException is CompatibilityException)
            {
                return "fails";
            }
        }
    }

    private sealed class RowTrial<TBefore, TAfter> : IRowTrial where TBefore : class, IStateRoot<TBefore> where TAfter : class, IStateRoot<TAfter>
    {
        private SaveValue _saved = SaveValue.Null;
        private SaveValue _loaded = SaveValue.Null;

        public bool HasAll => Has(_saved, _loaded);

        public byte[] Save() => StateFile.ToBytes(
            (TBefore)typeof(TBefore).Assembly.GetType($"{typeof(TBefore).Namespace}.Trial")!.GetMethod("Make")!.Invoke(null, null)!, SaveForm.Json);

        public (string, string, string?) Load()
        {
            var bytes = Save();
            _saved = Hero(bytes);
            try
            {
                _loaded = Hero(StateFile.ToBytes(StateFile.FromBytes<TAfter>(bytes), SaveForm.Json));
                return (Text(_saved), Text(_loaded), null);
            }
            catch (SaveException problem)
            {
                return (Text(_saved), "", problem.Problem);
            }
        }

        public string Check(string ledger, SaveShape shape)
        {
            Ledger.Open(ledger).Record(shape);
            try
            {
                SaveCompatibility.Of<TAfter>(ledger).WithSaves(41).Check();
                return "passes";
            }
            catch (CompatibilityException)
            {
                return "fails";
            }
        }

        private static SaveValue Hero(byte[] bytes) => ((SaveMap)SavedFile.FromBytes(bytes).ReadTree()).First().Value;

        private static string Text(SaveValue value) => SaveJson.Write(value).Replace("\n", "", StringComparison.Ordinal).Replace("  ", "", StringComparison.Ordinal);

        private static bool Has(SaveValue before, SaveValue after) => (before, after) switch
        {
            (SaveMap one, SaveMap other) => one.All(entry => other.TryGet(entry.Key, out var now) && Has(entry.Value, now)),
            _ => before.Equals(after),
        };
    }
}
