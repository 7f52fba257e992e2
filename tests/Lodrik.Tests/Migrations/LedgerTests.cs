using Lodrik.Migrations;
using Lodrik.Storage;

namespace Lodrik.Tests.Migrations;

/// <summary>The ledger knows what each version of a game saved, and tells what is free from what loses something.</summary>
public sealed class LedgerTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("ledger-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    public static TheoryData<string, string, bool> Types => new()
    {
        { "int32", "int64", false }, { "int64", "int32", true }, { "uint8", "int16", false }, { "uint32", "int32", true }, { "int8", "uint8", true },
        { "int32", "single", true }, { "single", "double", false }, { "double", "single", true }, { "int32", "int32?", false }, { "int32?", "int32", true },
        { "text?", "text", true }, { "text", "int32", true }, { "int32", "text", true }, { "guid", "text", true }, { "list<int32>", "list<int64>", false },
        { "list<int64>", "list<int32>", true }, { "map<int32, text>", "map<text, text>", false }, { "map<text, text>", "map<int32, text>", true },
        { "single*2", "single*3", true }, { "single*2", "list<single>", false }, { "list<single>", "single*2", true }, { "tuple<int32, text>", "tuple<int64, text>", false },
        { "tuple<int32>", "tuple<int32, text>", true }, { "text", "any", false }, { "any", "text", true }, { "entry<Game.Items>", "text", false },
        { "entry<Game.Items>", "entry<Game.Things>", false }, { "grid2<int8>", "grid2<int16>", false }, { "grid2<int8>", "grid3<int8>", true },
    };

    [Theory]
    [MemberData(nameof(Types))]
    public void A_type_that_reads_what_the_older_one_wrote_is_free(string before, string after, bool isLoss) =>
        Assert.Equal(isLoss, Shape($"\"members\": {{ \"a\": \"{before}\" }}").ChangesTo(Shape($"\"members\": {{ \"a\": \"{after}\" }}")).Any(change => change.IsLoss));

    [Fact]
    public void The_readers_agree_on_what_is_free()
    {
        // Each pair that is called free above, through the real thing in every form.
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            var wide = StateFile.FromBytes<Wide>(StateFile.ToBytes(new Narrow(), form));
            Assert.Equal((-7L, 250, 0.1f, 5), (wide.Whole, (int)wide.Small, (float)wide.Real, wide.Maybe ?? 0));
            Assert.Equal([new("7", "key")], wide.Map);
            Assert.Equal([1.5f, 2.5f], wide.Pack);
            Assert.Equal([1L, 2L], wide.Many);
        }
    }

    [Fact]
    public void Adding_is_free_and_losing_is_not()
    {
        AssertChanges("\"members\": { \"a\": \"int32\" }", "\"members\": { \"a\": \"int32\", \"b\": \"text\" }", "free /thing/b is new: text");
        AssertChanges("\"members\": { \"a\": \"int32\" }", "\"members\": { }", "loses /thing/a was removed: int32");
        AssertChanges("\"members\": { \"a\": \"int32\" }", "\"members\": { }, \"keepsUnknown\": true");
        AssertChanges("\"members\": { }", "\"members\": { \"a\": \"int32\" }, \"required\": [\"a\"]", "loses /thing/a became required (it is new)");
        AssertChanges("\"members\": { \"a\": \"int32\" }", "\"members\": { \"a\": \"int32\" }, \"required\": [\"a\"]", "free /thing/a became required (saves of the older version have it)");
        AssertChanges("\"members\": { \"a\": \"text\" }", "\"members\": { \"a\": \"int32\" }", "loses /thing/a was text and is int32");
        AssertChanges(
            "\"members\": { \"a\": \"int32\", \"b\": \"int32\" }", "\"members\": { \"a\": \"int32\", \"b\": \"int32\" }, \"named\": { \"a\": \"b\", \"b\": \"a\" }",
            "loses /thing/a now means another member (it was a and is b)", "loses /thing/b now means another member (it was b and is a)");
        // A member that got another name in C# and kept its key means what it meant.
        AssertChanges("\"members\": { \"a\": \"int32\" }", "\"members\": { \"a\": \"int32\" }, \"named\": { \"a\": \"renamed\" }");
        AssertChanges("\"members\": { }, \"variants\": { \"x\": \"Game.X\" }", "\"members\": { }, \"variants\": { \"y\": \"Game.X\" }", "loses /thing: the variant x was removed", "free /thing: the variant y is new");
        AssertChanges("\"values\": [\"On\", \"Off\"]", "\"values\": [\"On\", \"Out\"]", "loses /thing: the value Off was removed", "free /thing: the value Out is new");
        AssertChanges("\"values\": [\"On\", \"Off\"]", "\"values\": [\"On\", \"Out\"], \"formerValues\": [\"Off\"]", "free /thing: the value Out is new");
    }

    [Fact]
    public void Kinds_parts_and_sections_count_as_well()
    {
        var before = Whole("\"kinds\": { \"boat\": { \"hull\": \"Game.Thing\" }, \"post\": { } }, \"subsystems\": { \"weather\": \"Game.Thing\" }");
        Assert.Equal(
            ["loses hull of each boat was removed: Game.Thing", "loses the kind post was removed", "loses /session/weather was removed: Game.Thing"],
            Words(before, Whole("\"kinds\": { \"boat\": { } }, \"subsystems\": { }")));
        Assert.Equal(
            ["free sail of each barge is new: Game.Thing", "free the kind crane is new", "free /session/music is new: Game.Thing"],
            Words(before, Whole("\"kinds\": { \"barge\": { \"hull\": \"Game.Thing\", \"sail\": \"Game.Thing\" }, \"post\": { }, \"crane\": { } }, \"formerKinds\": { \"boat\": \"barge\" }, \"subsystems\": { \"weather\": \"Game.Thing\", \"music\": \"Game.Thing\" }")));
    }

    [Fact]
    public void The_names_of_scenes_count_as_well()
    {
        const string Save = "{ \"game\": \"g\", \"version\": 1, \"root\": \"Game.Save\", \"types\": { \"Game.Save\": { \"members\": { \"places\": \"scenes\" } } }";
        SaveShape Of(string scenes) => SaveShape.Parse($"{Save}, \"scenes\": [{scenes}] }}");
        Assert.Equal(["loses /places/mill~1attic: the scene was removed", "free /places/loft: the scene is new"], Words(Of("\"mill/attic\", \"weir\""), Of("\"loft\", \"weir\"")));
        // A game that has names in its data may have any, and one without scenes in its code says nothing of them.
        Assert.Empty(Words(Of("\"mill\", \"weir\""), Of("\"*\", \"weir\"")));
        Assert.Empty(Words(Of("\"*\", \"mill\""), Of("\"*\"")));
        Assert.Empty(Words(Of("\"mill\""), Of("")));
        var (before, after) = (Of("\"mill\", \"weir\""), SaveShape.Parse(Of("\"loft\", \"weir\"").ToText().Replace("\"version\": 1", "\"version\": 2", StringComparison.Ordinal)));
        Assert.Equal(["loft", "weir"], after.Scenes);
        Assert.Contains(".RenameScene(\"mill\", \"loft\")", before.ProposeStepTo(after), StringComparison.Ordinal);
        Assert.Contains(".IfPresent.Remove(\"/places/mill\")", before.ProposeStepTo(SaveShape.Parse(Of("\"weir\"").ToText().Replace("\"version\": 1", "\"version\": 2", StringComparison.Ordinal))), StringComparison.Ordinal);

        IReadOnlyList<string> Problems(Action<MigrationStep> step) => new MigrationChain("places").From(1, step).ProblemsFor([before, after]);
        Assert.Contains("does not handle this: /places/mill: the scene was removed", Assert.Single(Problems(_ => { })), StringComparison.Ordinal);
        Assert.Empty(Problems(step => step.RenameScene("mill", "loft")));
        Assert.Empty(Problems(step => step.IfPresent.Remove("/places/mill")));
        Assert.Empty(Problems(step => step.RenameScene("mill", "attic").RenameScene("attic", "loft")));
        Assert.Contains("names something that no save of version 1 has: the scene mil becomes loft", Problems(step => step.RenameScene("mil", "loft"))[0], StringComparison.Ordinal);
        Assert.Contains("names something that no save of version 1 has", Problems(step => step.RenameScene("mill", "loft").IfPresent.Remove("/places/wier"))[0], StringComparison.Ordinal);
    }

    [Fact]
    public void A_class_may_be_renamed_because_no_save_has_its_name()
    {
        var after = SaveShape.Of(["""{ "game": "g", "version": 1, "root": "Game.Save", "types": { "Game.Save": { "members": { "thing": "Game.Item", "more": "list<Game.Item>" } }, "Game.Item": { "members": { "a": "int64" } } } }"""]);
        var before = SaveShape.Of(["""{ "game": "g", "version": 1, "root": "Old.Root", "types": { "Old.Root": { "members": { "thing": "Old.Thing", "more": "list<Old.Thing>" } }, "Old.Thing": { "members": { "a": "int32" } } } }"""]);
        Assert.Empty(before.ChangesTo(after));
    }

    [Fact]
    public void A_step_is_proposed_as_code()
    {
        var before = Whole("\"kinds\": { \"boat\": { \"hull\": \"Game.Thing\" } }", "\"members\": { \"hp\": \"int32\", \"gone\": \"text\", \"count\": \"text\", \"oil\": \"int32\" }");
        var after = Whole("\"kinds\": { \"barge\": { \"hull\": \"Game.Thing\" } }", "\"members\": { \"hpMax\": \"int32\", \"count\": \"int32\", \"tank\": \"Game.Tank\", \"must\": \"bool\" }, \"required\": [\"must\"]");
        after.Types["Game.Tank"] = new ShapeType { Members = { ["oil"] = "int32" } };
        Assert.Equal(
            """
            .From(1, step => step
                .Rename("/thing/hp", "hpMax")
                .Move("/thing/oil", "/thing/tank/oil")
                .Convert("/thing/count", SaveValueKind.Integer)
                .Remove("/thing/gone") /* or did it become must or tank? Then Convert, Split or Rename it. */
                .SetDefault("/thing/must", false)
                .RenameKind("boat", "barge"))
            """,
            before.ProposeStepTo(after),
            ignoreLineEndingDifferences: true);
        Assert.Equal("", before.ProposeStepTo(before));
    }

    [Fact]
    public void The_shape_of_an_assembly_has_what_its_saves_have()
    {
        var shape = SaveShape.OfAssembly(typeof(Ferry).Assembly.Location, typeof(Ferry).FullName);
        Assert.Equal(("ferry", 3, typeof(Ferry).FullName), (shape.Game, shape.Version, shape.Root));
        var pilot = shape.Find(typeof(Pilot).FullName!)!;
        Assert.Equal("list<Lodrik.Tests.Migrations.Cargo>", pilot.Members["hold"]);
        Assert.Equal(["Still", "Gale"], shape.Find(typeof(RiverWeather).FullName!)!.Values);
        Assert.Null(shape.Find(typeof(PilotV1).FullName!));
        Assert.Equal(shape.ToText(), SaveShape.Parse(shape.ToText()).ToText());
        Assert.Contains("several save roots", Assert.Throws<LedgerException>(() => SaveShape.OfAssembly(typeof(Ferry).Assembly.Location)).Message, StringComparison.Ordinal);
        Assert.Contains("no save root Nobody", Assert.Throws<LedgerException>(() => SaveShape.OfAssembly(typeof(Ferry).Assembly.Location, "Nobody")).Message, StringComparison.Ordinal);
        Assert.Contains("no save root in the assembly", Assert.Throws<LedgerException>(() => SaveShape.OfAssembly(typeof(CsCheck.Gen).Assembly.Location)).Message, StringComparison.Ordinal);
        Assert.Throws<StorageException>(() => SaveShape.OfAssembly(Path.Combine(_folder, "none.dll")));
    }

    [Fact]
    public void A_released_version_does_not_change_any_more()
    {
        var ledger = Ledger.Open(_folder);
        Assert.Empty(ledger.ListVersions());
        Assert.Equal(LedgerOutcome.Recorded, ledger.Record(Shape("\"members\": { \"a\": \"int32\" }")));
        Assert.Equal(LedgerOutcome.Unchanged, ledger.Record(Shape("\"members\": { \"a\": \"int32\" }")));
        Assert.Equal(LedgerOutcome.RecordedAnew, ledger.Record(Shape("\"members\": { \"b\": \"int32\" }")));
        Assert.True(ledger.Release(1));
        Assert.False(ledger.Release(1));
        var file = File.ReadAllText(ledger.FileOf(1));

        Assert.Equal(LedgerOutcome.OnlyAdded, ledger.Record(Shape("\"members\": { \"b\": \"int32\", \"c\": \"text\" }")));
        Assert.Contains("its shape is settled: /thing/b was removed", Assert.Throws<LedgerException>(() => ledger.Record(Shape("\"members\": { \"c\": \"text\" }"))).Message, StringComparison.Ordinal);
        Assert.Equal(file, File.ReadAllText(ledger.FileOf(1)));
        Assert.True(ledger.Check(Shape("\"members\": { \"b\": \"int32\", \"c\": \"text\" }")).IsFine);
        Assert.False(ledger.Check(Shape("\"members\": { \"c\": \"text\" }")).IsFine);

        File.WriteAllText(ledger.FileOf(1), file.Replace("int32", "int64", StringComparison.Ordinal));
        Assert.Contains("was changed since it was released", Assert.Single(ledger.Check(Shape("\"members\": { \"b\": \"int64\" }")).Problems), StringComparison.Ordinal);
        Assert.Throws<LedgerException>(() => ledger.Release(1));
        Assert.Throws<LedgerException>(() => ledger.Read(2));
        File.WriteAllText(ledger.FileOf(1), "{ \"ledger\": 9 }");
        Assert.Contains("has layout 9", Assert.Throws<LedgerException>(() => ledger.Read(1)).Message, StringComparison.Ordinal);
        File.WriteAllText(ledger.FileOf(1), "[");
        Assert.Throws<LedgerException>(() => ledger.Check(Shape("\"members\": { }")));
    }

    private static void AssertChanges(string before, string after, params string[] expected) => Assert.Equal(expected, Words(Shape(before), Shape(after)));

    private static IEnumerable<string> Words(SaveShape before, SaveShape after) => before.ChangesTo(after).Select(change => $"{(change.IsLoss ? "loses" : "free")} {change}");

    private static SaveShape Shape(string thing) => Whole("\"kinds\": { }", thing);

    private static SaveShape Whole(string rest, string thing = "\"members\": { }") => SaveShape.Of(
        [$$"""{ "game": "g", "version": 1, "root": "Game.Save", "types": { "Game.Save": { "members": { "thing": "Game.Thing" } }, "Game.Thing": { {{thing}} } }, {{rest}} }"""]);
}

[StateType]
public sealed partial class Narrow
{
    public int Whole { get; set; } = -7;

    public byte Small { get; set; } = 250;

    public float Real { get; set; } = 0.1f;

    public int Maybe { get; set; } = 5;

    public Dictionary<int, string> Map { get; set; } = new() { [7] = "key" };

    public System.Numerics.Vector2 Pack { get; set; } = new(1.5f, 2.5f);

    public List<int> Many { get; set; } = [1, 2];
}

[StateType]
public sealed partial class Wide
{
    public long Whole { get; set; }

    public short Small { get; set; }

    public double Real { get; set; }

    public int? Maybe { get; set; }

    public Dictionary<string, string> Map { get; set; } = [];

    public List<float> Pack { get; set; } = [];

    public List<long> Many { get; set; } = [];
}
