using Microsoft.CodeAnalysis;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>What is wrong with a declared scene is one error at the place where it is made, and says what to do.</summary>
public sealed class DeclaredSceneTests
{
    private const string Numbers = "public SpawnNumbers Numbers { get; } = new();";
    private const string Scene = "[SceneType] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; }";
    private const string Lantern =
        "[EntityType(\"lantern\")] public partial class Lantern(long number) { [EntityId] public long Number { get; } = number; }";

    private const string Id = "[EntityId] public long Number { get; } = number; ";

    private static string LanternWith(string members, string head = "[EntityType(\"lantern\")] public partial class Lantern(long number)") =>
        $"{head} {{ {Id}{members} }} {Scene} ";

    [Theory]
    [InlineData("Lantern", "does not say what tells its entities apart", "[EntityType(\"lantern\")] public partial class Lantern { } " + Scene)]
    [InlineData("Name", "'Number' and 'Name' both are its id", "[EntityType(\"lantern\")] public partial class Lantern(long number) { [EntityId] public long Number { get; } = number; [EntityId] public string Name { get; set; } = \"\"; } " + Scene)]
    [InlineData("Number", "is of the type 'int'", "[EntityType(\"lantern\")] public partial class Lantern { [EntityId] public int Number { get; set; } } " + Scene)]
    [InlineData("Lantern", "it is a state type as well", "[StateType][EntityType(\"lantern\")] public partial class Lantern(long number) { [EntityId] public long Number { get; } = number; } " + Scene)]
    [InlineData("Id", "its id 'Id' is of the type 'System.Guid'", "[EntityType(\"lantern\")] public partial class Lantern(Guid id) { public Guid Id { get; } = id; } " + Scene)]
    [InlineData("Lantern", "it is generic", "[EntityType(\"lantern\")] public partial class Lantern<T>(long number) { [EntityId] public long Number { get; } = number; } [SceneType] public partial class Marsh { }")]
    public void An_entity_has_one_id(string at, string says, string source) => IsRefused(at, says, source);

    [Theory]
    [InlineData("Near", "cannot be set", "public Lantern? Near { get; }")]
    [InlineData("Next", "it refers to an entity and cannot be set", "[Parent] public Lantern? Next { get; }")]
    [InlineData("Belongs", "it has two parents", "[Parent] public Lantern? Owner { get; set; } [Parent] public Lantern? Belongs { get; set; }")]
    [InlineData("Owner", "belongs to one entity", "[Parent] public List<Lantern> Owner { get; set; } = [];")]
    [InlineData("Others", "references can be put into a list", "public Queue<Lantern> Others { get; } = [];")]
    [InlineData("Under", "not a list of child entities", "[Children] public List<int> Under { get; } = [];")]
    [InlineData("Bits", "it is not a list of components", "[Components] public int Bits { get; set; }")]
    [InlineData("Lantern", "is the name of two of its parts", "public Lantern? State { get; set; } public int X { get; set; }")]
    [InlineData("Settle", "has to take the scene or nothing", "[Settled] private void Settle(int a, int b) { }")]
    [InlineData("Lantern", "it cannot be created: its constructor asks for 'string audio'", "public Lantern(long number, string audio) : this(number) { }", "[EntityType(\"lantern\")] public partial class Lantern")]
    [InlineData("Lantern", "'Seed' has no setter, and its constructor does not take it", "public int Seed { get; } = 4;")]
    [InlineData("Lantern", "[PartRule] is about \"mood\"", "public int X { get; set; }", "[EntityType(\"lantern\")][PartRule(\"mood\")] public partial class Lantern(long number)")]
    [InlineData("Lantern", "names 'IsLit'", "public int X { get; set; }", "[EntityType(\"lantern\")][PartRule(\"state\", When = \"IsLit\")] public partial class Lantern(long number)")]
    [InlineData("Lantern", "no base of it has such a member", "", "[EntityType(\"lantern\")][Inherited(\"Pose\")] public partial class Lantern(long number)")]
    [InlineData("Lantern", "[Removes] names 'Free'", "", "[EntityType(\"lantern\")][Removes(\"Free\")] public partial class Lantern(long number)")]
    [InlineData("Lantern", "KindsFrom does not say which there are", "public string Sort { get; } = \"\";", "[EntityType(KindFrom = \"Sort\")] public partial class Lantern(long number, string sort)")]
    public void A_member_is_refused_where_it_stands(string at, string says, string members, string head = "[EntityType(\"lantern\")] public partial class Lantern(long number)") =>
        IsRefused(at, says, head.EndsWith("Lantern", StringComparison.Ordinal)
            ? $"{head} {{ private Lantern(long number) => Number = number; [EntityId] public long Number {{ get; }} {members.Replace("public Lantern(long number, string audio) : this(number) { }", "", StringComparison.Ordinal)} }} {Scene}"
                .Replace("private Lantern(long number) => Number = number;", "public Lantern(long number, string audio) => Number = number + audio.Length;", StringComparison.Ordinal)
            : LanternWith(members, head));

    [Theory]
    [InlineData("Marsh", "nothing gives them numbers", Lantern + "[SceneType] public partial class Marsh { public List<Lantern> Lanterns { get; } = []; }")]
    [InlineData("Lit", "'Lanterns' and 'Lit' may both have a 'Lantern'", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; public List<Lantern> Lit { get; } = []; }")]
    [InlineData("Lamp", "the kind \"lantern\" is 'Lantern' already", Lantern + "[EntityType(\"lantern\")] public partial class Lamp(long number) { [EntityId] public long Number { get; } = number; } [SceneType] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; public List<Lamp> Lamps { get; } = []; }")]
    [InlineData("Lantern", "not a valid name for a kind", "[EntityType(\"\")] public partial class Lantern(long number) { [EntityId] public long Number { get; } = number; } " + Scene)]
    [InlineData("Lantern", "no scene has entities of the class", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " }")]
    [InlineData("Lanterns", "Say with [Removes] how a 'Lantern' is removed", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " [Entities] public IEnumerable<Lantern> Lanterns() => []; [Spawns] public Lantern Make(long number) => new(number); }")]
    [InlineData("Lanterns", "Say with [Spawns] on a method of the scene", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " [Entities] public IEnumerable<Lantern> Lanterns() => []; [Removes] public void Free(Lantern one) { } }")]
    [InlineData("Lanterns", "the keys of 'Lanterns' are of the type 'System.Guid'", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " public Dictionary<Guid, Lantern> Lanterns { get; } = []; }")]
    [InlineData("Find", "It has to take nothing", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; [Entities] public IEnumerable<int> Find() => []; }")]
    [InlineData("Make", "asks for 'int size'", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; [Spawns] public Lantern Make(int size) => new(size); }")]
    [InlineData("Free", "has to take the entity that it removes", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; [Removes] public void Free() { } }")]
    [InlineData("More", "both give numbers", Lantern + "[SceneType] public partial class Marsh { " + Numbers + " public SpawnNumbers More { get; } = new(); public List<Lantern> Lanterns { get; } = []; }")]
    [InlineData("Marsh", "\"a>b\" is not a valid name for a scene", Lantern + "[SceneType(\"a>b\")] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; }")]
    [InlineData("Marsh", "two scenes of the name \"fen\"", Lantern + "[SceneType(\"fen\", \"fen\")] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; }")]
    [InlineData("Marsh", "neither static nor generic", Lantern + "[SceneType] public partial class Marsh<T> { " + Numbers + " public List<Lantern> Lanterns { get; } = []; }")]
    [InlineData("Toad", "it is derived from 'Lantern', so it can be among entities, but it has no kind", Lantern + Scene + " public class Toad(long number) : Lantern(number);")]
    [InlineData("Door", "the kind of one does not say its class", "[EntityType(KindFrom = \"Sort\", KindsFrom = \"All\")] public partial class Lantern(long number) { [EntityId] public long Number { get; } = number; [NotSaved] public string Sort { get; set; } = \"\"; public static string[] All => []; } " + Scene + " public partial class Door(long number) : Lantern(number) { public bool IsOpen { get; set; } }")]
    [InlineData("Health", "no constructor without parameters", "[EntityType(\"lantern\")] public partial class Lantern(long number) { [EntityId] public long Number { get; } = number; [Components] public List<object> Bits { get; } = []; } " + Scene + " [ComponentType(\"health\")] public partial class Health(int points) { public int Points { get; set; } = points; }")]
    public void What_the_scene_and_its_entities_do_not_agree_on_is_refused(string at, string says, string source) => IsRefused(at, says, source);

    [Theory]
    [InlineData("Lantern", Scene + "[EntityType(\"lantern\")] public class Lantern(long number) { [EntityId] public long Number { get; } = number; }")]
    [InlineData("Marsh", Lantern + "[SceneType] public class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; }")]
    public void A_class_that_is_not_partial_is_named(string at, string source)
    {
        var problem = Assert.Single(new GeneratorRun(source).Problems);
        Assert.Equal(("LDR001", at), (problem.Id, problem.At.Split('(', '.')[0]));
    }

    [Fact]
    public void A_member_that_cannot_be_saved_is_named()
    {
        var problem = Assert.Single(new GeneratorRun(LanternWith("public Pebble Near { get; set; } = new();") + "public class Pebble;").Problems);
        Assert.Equal(("LDR002", "Near"), (problem.Id, problem.At));
    }

    [Fact]
    public void What_is_right_compiles()
    {
        var run = new GeneratorRun(LanternWith("public Lantern? Near { get; set; } [Children] public List<Lantern> Under { get; } = [];"));
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
    }

    [Theory]
    [InlineData("public IList<Lantern> Lanterns { get; } = new List<Lantern>();")]
    [InlineData("public ICollection<Lantern> Lanterns { get; set; } = new HashSet<Lantern>();")]
    [InlineData("public HashSet<Lantern>? Lanterns;")]
    [InlineData("public System.Collections.ObjectModel.ObservableCollection<Lantern> Lanterns { get; } = [];")]
    [InlineData("public LinkedList<Lantern> Lanterns { get; } = new();")]
    [InlineData("public SortedSet<Lantern> Lanterns { get; } = [];")]
    [InlineData("public SortedList<long, Lantern> Lanterns { get; } = [];")]
    [InlineData("public Dictionary<EntityId, Lantern> Lanterns { get; private set; } = [];")]
    [InlineData("public Dictionary<int, Lantern?> Lanterns { get; } = [];")]
    [InlineData("public Lantern? @event { get; set; }")]
    [InlineData("public Lantern? Only;")]
    [InlineData("[Entities] private readonly List<Lantern> _lanterns = [];")]
    [InlineData("[Entities] private IEnumerable<Lantern> All() => []; [Spawns] private static Lantern Make(long number) => new(number); [Removes] private void Take(Lantern one) { }")]
    [InlineData("[Entities] public Lantern?[] Slots { get; } = new Lantern?[4]; [Spawns] public void Hang(Lantern one) => Slots[0] = one; [Removes] public void Take(Lantern one) => Slots[0] = null;")]
    public void A_scene_has_its_entities_wherever_games_have_them(string member)
    {
        var run = new GeneratorRun(Lantern + "[SceneType] public partial class Marsh { " + Numbers + member + " }");
        Assert.Empty(run.Problems);
        Assert.DoesNotContain("error", string.Join("; ", run.Complaints), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("public partial class Lantern { public required EntityId Id { get; init; } }")]
    [InlineData("public partial class Lantern { public EntityId Id; }")]
    [InlineData("public partial class Lantern { private Lantern() { } public EntityId Id { get; private set; } }")]
    [InlineData("public partial record class Lantern(EntityId Id) { public Lantern? Next { get; set; } }")]
    [InlineData("public sealed partial record Lantern(EntityId Id, int Oil);")]
    [InlineData("internal partial class Lantern(EntityId id) { public EntityId Id { get; } = id; internal int Hidden { get; set; } [Saved] private int _oil = 3; public int Double => _oil * 2; }")]
    [InlineData("public partial class Lantern(EntityId id) { public EntityId Id => id; public int @class { get; set; } [Part(\"a b/c\")] public string @string { get; set; } = \"\"; }")]
    [InlineData("public partial class Lantern(EntityId id) { public EntityId Id { get; } = id; public int State { get; set; } public int Row { get; set; } public int Entity { get; set; } public int Scene { get; set; } public int Creation { get; set; } }")]
    [InlineData("public partial class Lantern(EntityId id) { public EntityId Id { get; } = id; public const int Most = 3; public static int Count; public int this[int i] => i; public event Action? Lit; public void Light() => Lit?.Invoke(); }")]
    [InlineData("public partial class Lantern(EntityId id) { public EntityId Id { get; } = id; public Lantern[] Others { get; set; } = []; public HashSet<Lantern> Seen { get; } = []; public IReadOnlyList<Lantern> Read { get; set; } = []; }")]
    [InlineData("public partial class Lantern(EntityId id, string label = \"none\") { public EntityId Id { get; } = id; public string Label { get; } = label; }")]
    [InlineData("public partial class Lantern(EntityId id) : System.ComponentModel.INotifyPropertyChanged { public EntityId Id { get; } = id; public event System.ComponentModel.PropertyChangedEventHandler? PropertyChanged; private int _oil; public int Oil { get => _oil; set { _oil = value; PropertyChanged?.Invoke(this, new(nameof(Oil))); } } }")]
    public void Entities_are_classes_of_any_kind(string lantern)
    {
        var isPublic = lantern.StartsWith("public", StringComparison.Ordinal);
        var run = new GeneratorRun("namespace @if.Lights { public partial class Outer { [EntityType(\"lantern\")] " + lantern + " [SceneType] "
            + (isPublic ? "public" : "internal") + " partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; } } }");
        Assert.Empty(run.Problems);
        Assert.DoesNotContain("error", string.Join("; ", run.Complaints), StringComparison.Ordinal);
    }

    [Fact]
    public void An_edit_elsewhere_costs_nothing()
    {
        foreach (var step in (string[])["EntityModel", "SceneModel"])
        {
            var reasons = new GeneratorRun(LanternWith("public int Oil { get; set; }")).ReasonsAfter(source => source + "\npublic class Unrelated { int _x = 1; }", step);
            Assert.True(Assert.Single(reasons) is IncrementalStepRunReason.Cached or IncrementalStepRunReason.Unchanged, step);
        }
        var edited = new GeneratorRun(LanternWith("public int Oil { get; set; }")).ReasonsAfter(source => source.Replace("int Oil", "long Oil", StringComparison.Ordinal), "EntityModel");
        Assert.Equal(IncrementalStepRunReason.Modified, Assert.Single(edited));
    }

    [Fact]
    public void A_member_that_is_called_Id_is_the_id_unless_another_is_marked()
    {
        var run = new GeneratorRun("[EntityType(\"lantern\")] public partial class Lantern(long id) { public long Id { get; } = id; } "
            + "[EntityType(\"buoy\")] public partial class Buoy(string name) { [EntityId] public string Name { get; } = name; public int Id { get; set; } } "
            + Scene.Replace("public List<Lantern>", "public List<Buoy> Buoys { get; } = []; public List<Lantern>", StringComparison.Ordinal));
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
        Assert.Contains("entity.Id != 0", run.Source("Lantern.Entity.g.cs"), StringComparison.Ordinal);
        Assert.Contains("row.Id = entity.Id", run.Source("Buoy.Entity.g.cs"), StringComparison.Ordinal);
    }

    [Fact]
    public void Names_of_scenes_kinds_and_parts_are_constants_even_where_they_look_alike()
    {
        var run = new GeneratorRun(LanternWith("[Part(\"oil-can\")] public int A { get; set; } [Part(\"oilCan\")] public int B { get; set; }")
            .Replace("[SceneType]", "[SceneType(\"salt pans\", \"salt-pans\")]", StringComparison.Ordinal)
            + "static class Use { public const string All = Lantern.Parts.OilCan + Lantern.Parts.OilCan2 + Marsh.Scenes.SaltPans + Marsh.Scenes.SaltPans2 + Marsh.Kinds.Lantern; }");
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
        Assert.Contains("\"scenes\": [\"salt pans\", \"salt-pans\"]", run.Shapes.Single(one => one.Contains("scenes", StringComparison.Ordinal)), StringComparison.Ordinal);
    }

    [Fact]
    public void A_method_of_the_scene_adds_what_a_constructor_made()
    {
        var run = new GeneratorRun(Lantern + "[SceneType] public partial class Marsh { " + Numbers + " [Entities] public IEnumerable<Lantern> All() => []; [Spawns] public void Hang(Lantern one) { } [Removes] public void Take(Lantern one) { } }");
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
        Assert.Contains("scene.Hang(entity)", run.Source("Marsh.Scene.g.cs"), StringComparison.Ordinal);
    }

    [Fact]
    public void All_structs_of_numbers_of_an_engine_are_saved_by_one_line()
    {
        var engine = new GeneratorRun("namespace Engine { public struct Vec { public float X, Y; } public struct Pose { public Vec At; public bool IsSet; } public struct Named { public string Name; } public struct Hidden { private int _x; public int X => _x; } public class Node { public Pose Pose { get; set; } } }");
        const string All = "[assembly: SaveFields(OfAssemblyOf = typeof(Engine.Node))] ";
        var game = GeneratorRun.WithLibrary(engine, All + "[StateType] public partial class Boat { public Engine.Pose Pose { get; set; } public Engine.Vec[] Path { get; set; } = []; }");
        Assert.Empty(game.Problems);
        Assert.Empty(game.Complaints);
        foreach (var other in (string[])["Named", "Hidden"])
            Assert.Equal("LDR002", Assert.Single(GeneratorRun.WithLibrary(engine, All + "[StateType] public partial class Boat { public Engine." + other + " One { get; set; } }").Problems).Id);
        // One that is named beside is no second one.
        Assert.Empty(GeneratorRun.WithLibrary(engine, All + "[assembly: SaveFields(typeof(Engine.Vec))] [StateType] public partial class Boat { public Engine.Pose Pose { get; set; } }").Problems);
        var none = Assert.Single(GeneratorRun.WithLibrary(new GeneratorRun("public class Plain;"), "[assembly: SaveFields(OfAssemblyOf = typeof(Plain))]").Problems);
        Assert.Equal("LDR013", none.Id);
        Assert.Contains("no public struct that consists of public numbers", none.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Entities_of_another_assembly_are_found()
    {
        var library = new GeneratorRun(Lantern + " [EntityType(\"buoy\")] public partial class Buoy(string name) { [EntityId] public string Name { get; } = name; internal int Secret { get; private set; } [Part(\"mood\")] public int Mood { get; protected set; } }");
        var game = GeneratorRun.WithLibrary(library, "[SceneType] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; public Buoy? Buoy { get; set; } }");
        Assert.Empty(game.Problems);
        Assert.Empty(game.Complaints);
    }

    [Fact]
    public void What_is_private_to_a_base_of_another_assembly_is_saved()
    {
        var library = new GeneratorRun("[EntityType] public abstract partial class Thing(long number) { [EntityId] public long Number { get; } = number; public int Age { get; private set; } public Thing? Next { get; private set; } }");
        var game = GeneratorRun.WithLibrary(library, "[EntityType(\"lantern\")] public partial class Lantern(long number) : Thing(number); " + Scene);
        Assert.Empty(game.Problems);
        Assert.Empty(game.Complaints);
    }

    [Fact]
    public void Ledgers_read_the_kinds()
    {
        var run = new GeneratorRun(LanternWith("public int Oil { get; set; } [Part(\"mood\")] public bool IsLit { get; set; } public Lantern? Near { get; set; }"));
        var shape = Assert.Single(run.Shapes, one => one.Contains("kinds", StringComparison.Ordinal));
        Assert.Contains("\"kinds\": { \"lantern\": { \"mood\": \"Lantern.mood\", \"near\": \"reference?\", \"state\": \"Lantern.state\" } }", shape, StringComparison.Ordinal);
        Assert.Contains("\"Lantern.state\": { \"members\": { \"oil\": \"int32\" }, \"struct\": true }", shape, StringComparison.Ordinal);
    }

    [Fact]
    public void Ledgers_read_the_kinds_of_another_assembly_that_a_scene_has()
    {
        var library = new GeneratorRun("[EntityType(\"lantern\")] public partial class Lantern(long number) { [EntityId] public long Number { get; } = number; public int Oil { get; private set; } public Lantern? Near { get; set; } } [EntityType(\"heron\")] public partial class Heron(long number) { [EntityId] public long Number { get; } = number; public int Age { get; set; } }");
        var game = GeneratorRun.WithLibrary(library, "[SceneType] public partial class Marsh { " + Numbers + " public List<Lantern> Lanterns { get; } = []; }");
        Assert.Empty(game.Problems);
        var shape = Assert.Single(game.Shapes, one => one.Contains("kinds", StringComparison.Ordinal));
        Assert.Contains("\"kinds\": { \"lantern\": { \"near\": \"reference?\", \"state\": \"Lantern.state\" } }", shape, StringComparison.Ordinal);
        Assert.Contains("\"Lantern.state\": { \"members\": { \"oil\": \"int32\" }, \"struct\": true }", shape, StringComparison.Ordinal);
    }

    [Fact]
    public void Names_of_variants_are_constants()
    {
        var run = new GeneratorRun("[StateType, SaveVariant(\"drift net\", typeof(Net)), SaveVariant(\"variants\", typeof(Hook))] public abstract partial class Gear; [StateType] public sealed partial class Net : Gear; [StateType, SaveVariant(\"bent\", typeof(Bent))] public partial class Hook : Gear; [StateType] public sealed partial class Bent : Hook; [StateType, SaveVariant(\"coins\", typeof(Coins))] public partial interface ITreasure; [StateType] public partial record struct Coins(int Amount) : ITreasure; [StateType, SaveVariant(\"a\", typeof(A))] public abstract partial class Own { public int Variants { get; set; } } [StateType] public sealed partial class A : Own; public static class Names { public const string All = Gear.Variants.DriftNet + Gear.Variants.Variants2 + Hook.Variants.Bent + ITreasure.Variants.Coins; }");
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
    }

    [Fact]
    public void A_part_that_is_called_as_the_constants_are_is_told_apart()
    {
        var run = new GeneratorRun(LanternWith("[Part(\"parts\")] public int Oil { get; set; }") + " public static class Names { public const string Parts = Lantern.Parts.Parts2; }");
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
        var scene = new GeneratorRun("[SceneType(\"all\", \"scenes\")] public partial class Marsh; public static class Names { public const string Both = Marsh.Scenes.All2 + Marsh.Scenes.Scenes2; }");
        Assert.Empty(scene.Problems);
        Assert.Empty(scene.Complaints);
    }

    private static void IsRefused(string at, string says, string source)
    {
        var run = new GeneratorRun(source);
        var problem = Assert.Single(run.Problems);
        Assert.Equal(at, problem.At.Split('(', '.', '<')[0]);
        Assert.Contains(says, problem.Message, StringComparison.Ordinal);
        Assert.DoesNotContain("error", string.Join("; ", run.Complaints), StringComparison.Ordinal);
    }
}
