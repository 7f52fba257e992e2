using System.Text.RegularExpressions;
using Lodrik.Migrations;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.Diagnostics;
using Microsoft.CodeAnalysis.Text;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>The compiler says while the game is written what a change would cost the players, and nothing where it costs nothing.</summary>
public sealed class LedgerAnalyzerTests
{
    private const string Game = """
        [SaveFile("mill", Version = 1)]
        public sealed partial class MillSave
        {
            public Miller Miller { get; set; } = new();
            public SceneArchive Scenes { get; set; } = new();
        }

        [StateType]
        public sealed partial class Miller
        {
            public string Name { get; set; } = "";
            public int Sacks { get; set; }
            public Grain Grain { get; set; }
            public Box<int> Chest { get; set; } = new();
        }

        [StateType] public sealed partial class Box<T> { public List<T> Items { get; set; } = []; }
        [StateType] public partial record struct Turn(float Angle);
        public enum Grain { Rye, Oats }
        public sealed class Yard { public List<Wheel> Wheels { get; } = []; }
        public sealed class Wheel { public string Name { get; set; } = ""; public float Angle { get; set; } }

        public static class Bindings
        {
            private const string Kind = "wheel";
            public static SceneBindings<Yard> Create() => new SceneBindings<Yard>()
                .Kind(Kind, yard => yard.Wheels, wheel => wheel
                    .Id(one => one.Name)
                    .Part("turn", one => new Turn(one.Angle), (one, turn) => one.Angle = turn.Angle));
        }
        """;

    [Fact]
    public void The_shape_has_what_the_types_and_the_bindings_say()
    {
        var shape = SaveShape.Of(new GeneratorRun(Game).Shapes);
        Assert.Equal(("mill", 1, "MillSave"), (shape.Game, shape.Version, shape.Root));
        Assert.Equal(["Box<int>", "Grain", "MillSave", "Miller", "Turn"], shape.Types.Keys);
        Assert.Equal("list<int32>", shape.Types["Box<int>"].Members["items"]);
        Assert.Equal(["Rye", "Oats"], shape.Types["Grain"].Values);
        Assert.True(shape.Types["Turn"].IsStruct);
        Assert.Equal("Turn", shape.Kinds["wheel"]["turn"]);
        Assert.Equal("scenes", shape.Types["MillSave"].Members["scenes"]);
    }

    [Fact]
    public async Task An_unchanged_game_has_no_warning() => Assert.Empty(await Warnings(Game));

    [Theory]
    [InlineData("public int Sacks { get; set; }", "public int Sacks { get; set; } public int Tolls { get; set; } = 3;")]
    [InlineData("public int Sacks", "public long Sacks")]
    [InlineData("enum Grain { Rye, Oats }", "enum Grain { Rye, Oats, Wheat }")]
    [InlineData("enum Grain { Rye, Oats }", "enum Grain { Rye, [FormerName(\"Oats\")] Oat }")]
    [InlineData("public int Sacks", "[Saved(\"sacks\")] public int Bags")]
    [InlineData("class Miller\n", "class Keeper\n")]
    [InlineData("Part(\"turn\"", "Part(\"dust\", one => new Turn(one.Angle), (one, turn) => { }).Part(\"turn\"")]
    [InlineData("Version = 1", "Version = 2")]
    public async Task Adding_and_what_no_save_notices_has_no_warning(string from, string to)
    {
        var changed = Change(from, to);
        Assert.Empty(await Warnings(to.Contains("Keeper", StringComparison.Ordinal) ? changed.Replace("Miller Miller { get; set; } = new()", "Keeper Miller { get; set; } = new()", StringComparison.Ordinal) : changed));
    }

    [Theory]
    [InlineData("public int Sacks", "public int Bags", "Miller", "/miller/sacks was removed: int32")]
    [InlineData("public int Sacks", "public string Sacks", "Sacks", "/miller/sacks was int32 and is text")]
    [InlineData("public int Sacks { get; set; }", "public int Sacks { get; set; } public required string Tax { get; set; }", "Tax", "/miller/tax became required (it is new)")]
    [InlineData("public string Name { get; set; } = \"\";\n", "", "Miller", "/miller/name was removed: text")]
    [InlineData("public int Sacks", "[Saved(\"name\")] public int Sacks", "Miller", "/miller/sacks was removed: int32")]
    [InlineData("enum Grain { Rye, Oats }", "enum Grain { Rye, Oat }", "Grain", "/miller/grain: the value Oats was removed")]
    [InlineData("float Angle)", "string Angle)", "Angle", "turn of each wheel: /angle was single and is text")]
    [InlineData("Part(\"turn\"", "Part(\"spin\"", "MillSave", "turn of each wheel was removed: Turn")]
    [InlineData("Kind = \"wheel\"", "Kind = \"rotor\"", "MillSave", "the kind wheel was removed")]
    [InlineData("public List<T> Items", "public Dictionary<string, T> Items", "MillSave", "/miller/chest/items was list<int32> and is map<text, int32>")]
    public async Task What_loses_something_is_told_at_its_place(string from, string to, string at, string what)
    {
        var changed = Change(from, to);
        if (to.Contains("Saved(\"name\")", StringComparison.Ordinal))
            changed = changed.Replace("public string Name { get; set; } = \"\";\n    public int", "public int", StringComparison.Ordinal).Replace("public string Name { get; set; } = \"\";\n    [Saved", "[Saved", StringComparison.Ordinal);
        var warnings = await Warnings(changed);
        Assert.Contains(warnings, warning => warning.Id == "LDR101" && warning.At == at && warning.Message.StartsWith(what + ", since version 1 was recorded; raise the version of 'MillSave'", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("", "/miller/sacks was removed: int32")]
    [InlineData("new MigrationChain().From(1, step => step.SetDefault(\"/miller/note\", \"\"))", "/miller/sacks was removed: int32")]
    [InlineData("new MigrationChain().From(1, step => step.Rename(\"/miller/sacks\", \"bags\"))", null)]
    [InlineData("new MigrationChain().From(1, step => step.ForEach(\"/miller\", miller => miller.Rename(\"/sacks\", \"bags\")))", null)]
    [InlineData("new MigrationChain().From(1, Up); private static void Up(MigrationStep step) => More(step); private static void More(MigrationStep step) => step.Rename(Old, \"bags\"); private const string Old = \"/miller/sacks\"", null)]
    [InlineData("new MigrationChain().From(1, step => step.Run(\"all of it\", [\"miller\"], save => { }))", null)]
    [InlineData("new MigrationChain().From(2, step => step.Rename(\"/miller/sacks\", \"bags\"))", "/miller/sacks was removed: int32")]
    public async Task A_raised_version_needs_a_step_that_deals_with_what_is_lost(string chain, string? what)
    {
        var game = Change("public int Sacks", "public int Bags").Replace("Version = 1", "Version = 2", StringComparison.Ordinal)
            + (chain.Length > 0 ? $"public static class History {{ public static MigrationChain All {{ get; }} = {chain}; }}" : "");
        var warnings = await Warnings(game);
        if (what is null)
            Assert.Empty(warnings);
        else
            Assert.Equal(("LDR103", "Miller", $"{what}, since version 1 was recorded; version 2 has no step that handles this. Add an operation, or declare the loss with Accept"), Assert.Single(warnings));
    }

    [Fact]
    public async Task A_released_version_cannot_be_recorded_anew_and_a_spoilt_ledger_is_told()
    {
        var released = await Warnings(Change("public int Sacks", "public int Bags"), ledger => ledger.Replace("\"ledger\": 1,", "\"ledger\": 1, \"released\": true,", StringComparison.Ordinal));
        Assert.Contains("that version is released, so raise", Assert.Single(released).Message, StringComparison.Ordinal);
        var spoilt = await Warnings(Game, ledger => ledger[..(ledger.Length / 2)]);
        Assert.Equal(("LDR102", "MillSave"), (Assert.Single(spoilt).Id, spoilt[0].At));
    }

    private static string Change(string from, string to)
    {
        Assert.Contains(from, Game, StringComparison.Ordinal);
        return new Regex(Regex.Escape(from)).Replace(Game, to.Replace("$", "$$", StringComparison.Ordinal), 1);
    }

    /// <summary>What the analyzer says of a game, held against the ledger of the game above.</summary>
    private static async Task<IReadOnlyList<(string Id, string At, string Message)>> Warnings(string game, Func<string, string>? spoil = null)
    {
        var ledger = SaveShape.Of(new GeneratorRun(Game).Shapes).ToText();
        var run = new GeneratorRun(game);
        var analyzed = run.Whole.WithAnalyzers(
            [new LedgerAnalyzer()],
            new AnalyzerOptions([new LedgerFile("ledger/1.json", spoil?.Invoke(ledger) ?? ledger), new LedgerFile("other.json", "{}"), new LedgerFile("7.json", "not for us")]));
        var found = await analyzed.GetAnalyzerDiagnosticsAsync(TestContext.Current.CancellationToken);
        return [.. found.Select(one => (one.Id, one.Location.SourceTree!.ToString().Substring(one.Location.SourceSpan.Start, one.Location.SourceSpan.Length), one.GetMessage()))];
    }

    private sealed class LedgerFile(string path, string text) : AdditionalText
    {
        public override string Path => path;

        public override SourceText GetText(CancellationToken cancellationToken = default) => SourceText.From(text);
    }
}
