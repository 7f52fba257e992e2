using Lodrik.Migrations;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>The kinds of a scene are known from its bindings, through the game's own methods as well.</summary>
public sealed class SceneKindTests
{
    private const string Types = """
        public sealed class World { public List<Ent> A = []; }
        public sealed class Ent { public string Name = ""; public int X; }
        [StateType] public partial record struct PA(int X);
        [StateType] public partial record struct PB(int Y);
        """;

    [Theory]
    [InlineData("Bind(\"crate\", k => k.Part(\"a\", e => new PA(e.X), (e, p) => e.X = p.X)); Bind(\"lamp\", k => k.Part(\"b\", e => new PB(1), (e, p) => { })); "
        + "void Bind(string name, Action<KindBinding<World, Ent>> more) => b.Kind(name, w => w.A, k => { k.Id(e => e.Name); k.Part(\"common\", e => new PA(2), (e, p) => { }); more(k); });")]
    [InlineData("Helper.Bind(b, \"crate\", k => k.Part(\"a\", e => new PA(e.X), (e, p) => e.X = p.X)); Helper.Bind(more: k => k.Part(\"b\", e => new PB(1), (e, p) => { }), name: \"lamp\", b: b);")]
    [InlineData("b.BindTo(\"crate\", k => k.Part(\"a\", e => new PA(e.X), (e, p) => e.X = p.X)).BindTo(Helper.Lamp, k => k.Part(\"b\", e => new PB(1), (e, p) => { }));")]
    public void A_name_that_is_passed_to_a_method_is_followed_to_its_callers(string body)
    {
        var run = Run(body);
        Assert.Empty(run.Problems);
        var shape = Shape(run);
        Assert.Equal(["crate", "lamp"], shape.Kinds.Keys);
        Assert.Equal(["a", "common"], shape.Kinds["crate"].Keys);
        Assert.Equal(["b", "common"], shape.Kinds["lamp"].Keys);
    }

    [Fact]
    public void Plain_values_are_parts()
    {
        var run = Run("b.Kind(\"crate\", w => w.A, k => k.Id(e => e.Name).Part(\"x\", e => e.X, (e, x) => e.X = x).Part(\"label\", e => e.Name, (e, name) => { })"
            + ".Part(\"far\", e => (long)e.X, (e, far) => { }).Part(\"at\", e => new Vector2(e.X, 1), (e, at) => { }).Part(\"a\", e => new PA(e.X), (e, p) => { }));");
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
        Assert.Equal(
            "a PA, at single*2, far int64, label text?, x int32", string.Join(", ", Shape(run).Kinds["crate"].OrderBy(part => part.Key).Select(part => $"{part.Key} {part.Value}")));
    }

    [Fact]
    public void Columns_of_tables_are_parts()
    {
        var run = Run("b.Table(\"newt\", w => new EntityId[2], t => t.Column(\"all\", w => new PA[2]).Column(\"list\", w => new List<PA>()).Column(\"some\", w => new Dictionary<int, PB>())"
            + ".Reference(\"chases\", w => new Dictionary<int, int>()));");
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
        Assert.Equal(
            "all PA, chases reference?, list PA, some PB", string.Join(", ", Shape(run).Kinds["newt"].OrderBy(part => part.Key).Select(part => $"{part.Key} {part.Value}")));
    }

    [Fact]
    public void A_name_that_cannot_be_known_is_warned_about_and_says_nothing_of_the_others()
    {
        var run = Run("var name = DateTime.Now.ToString(); b.Kind(name, w => w.A, k => { k.Id(e => e.Name); }); b.Kind(\"crate\", w => w.A, k => k.Id(e => e.Name));");
        var problem = Assert.Single(run.Problems);
        Assert.Equal(("LDR011", "name"), (problem.Id, problem.At));
        Assert.Equal(["*", "crate"], Shape(run).Kinds.Keys);
    }

    [Fact]
    public void One_unknown_name_does_not_hide_that_a_kind_is_gone()
    {
        var before = SaveShape.Parse("""{ "game": "g", "version": 1, "root": "R", "types": {}, "kinds": { "crate": {}, "lamp": {} } }""");
        var after = SaveShape.Parse("""{ "game": "g", "version": 1, "root": "R", "types": {}, "kinds": { "*": {}, "lamp": {} } }""");
        var loss = Assert.Single(before.ChangesTo(after), change => change.IsLoss);
        Assert.Equal("the kind crate was removed (or its name is no longer a constant)", loss.ToString());
    }

    [Fact]
    public void The_names_of_scenes_are_those_that_the_code_has()
    {
        Assert.Equal(["barn", "crypt", "first", "mill", "weir"], Scenes("""
            ScenePlace start = new("first", "door");
            var later = start with { Scene = "barn" };
            Go("mill"); Go(name: Helper.Weir);
            live.RestoreFrom(archive, "crypt"); live.CaptureTo(name: "crypt", archive: archive);
            archive.Contains("gone"); archive.Delete("gone"); _ = new List<string>(3); _ = new Uri("http://marsh");
            void Go(string name) => session.Travel(new ScenePlace(name));
            """));
        Assert.Equal(["barn", "mill", "old", "older", "weir"], Scenes("""
            _ = new SessionOptions<Save>
            {
                Start = new("mill"), ChangeScene = change => { }, Scenes = ["barn", Helper.Weir],
                FormerScenes = new Dictionary<string, string> { ["old"] = "mill", ["older"] = "mill" },
            };
            """));
        Assert.Equal(["barn", "loft", "mill"], Scenes("_ = new SessionOptions<Save> { Start = new(\"mill\"), ChangeScene = change => { }, Scenes = Helper.All };"));
        Assert.Equal(["*", "mill", "old"], Scenes("""
            _ = new SessionOptions<Save>
            {
                Start = new("mill"), ChangeScene = change => { }, Scenes = Environment.GetCommandLineArgs(),
                FormerScenes = new Dictionary<string, string> { { "old", "mill" } },
            };
            """));
        Assert.Equal(["*", "mill"], Scenes("session.Travel(new ScenePlace(DateTime.Now.ToString())); archive.Put(\"mill\", new SceneRecord());"));
        Assert.Empty(Scenes("archive.Contains(\"gone\");"));
    }

    private static IEnumerable<string> Scenes(string body)
    {
        var run = new GeneratorRun(Types + $$"""

            [SaveFile("g")] public partial class Save : ISessionSave { public SceneArchive Scenes { get; } = new(); public SessionArchive Session { get; } = new(); }
            public static class Uses { public static void Of(GameSession<Save, World> session, LiveScene<World> live, SceneArchive archive) { {{body}} } }
            public static class Helper { public const string Weir = "weir"; public static IReadOnlyCollection<string> All { get; } = ["barn", Loft]; private const string Loft = "loft"; }
            """);
        Assert.Empty(run.Problems);
        Assert.DoesNotContain(run.Complaints, complaint => complaint.Contains("error", StringComparison.Ordinal));
        return SaveShape.Of(run.Shapes).Scenes;
    }

    private static SaveShape Shape(GeneratorRun run) => SaveShape.Parse(run.Shapes.Single(shape => shape.Contains("\"kinds\"", StringComparison.Ordinal)).Replace("{ \"kinds\"", "{ \"game\": \"g\", \"version\": 1, \"root\": \"R\", \"types\": {}, \"kinds\"", StringComparison.Ordinal));

    private static GeneratorRun Run(string body) => new(Types + $$"""

        public static class Bindings { public static SceneBindings<World> Create() { var b = new SceneBindings<World>(); {{body}} return b; } }
        public static class Helper
        {
            public static readonly string Lamp = "lamp";
            internal static void Bind(SceneBindings<World> b, string name, Action<KindBinding<World, Ent>> more) => b.BindTo(name, more);
            internal static SceneBindings<World> BindTo(this SceneBindings<World> b, string name, Action<KindBinding<World, Ent>> more) =>
                b.Kind(name, w => w.A, k => { k.Id(e => e.Name); k.Part("common", e => new PA(2), (e, p) => { }); more(k); });
        }
        """);
}
