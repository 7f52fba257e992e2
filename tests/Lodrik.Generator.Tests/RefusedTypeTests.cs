using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>A mistake is one error, at the place where it is made, and none in generated code or wherever the type is used.</summary>
public sealed class RefusedTypeTests
{
    private const string User = " [SaveFile(\"game\")] public partial class Save { public Hero Hero { get; set; } = default!; public List<Hero> All { get; set; } = []; }"
        + " public static class Uses { public static object Of() => StateFile.ToBytes(default(Save)!); public static string Name => Save.Sections.Hero; }";

    [Theory]
    [InlineData("LDR001", "Hero", "[StateType] public class Hero { public int Level { get; set; } }")]
    [InlineData("LDR002", "Run", "[StateType] public partial class Hero { public Action Run { get; set; } = null!; }")]
    [InlineData("LDR002", "Run", "[StateType] public partial class Hero { public List<Action> Run { get; } = []; }")]
    [InlineData("LDR002", "Run", "[StateType] public partial class Hero : Base { } public class Base { public Action Run { get; set; } = null!; }")]
    [InlineData("LDR003", "B", "[StateType] public partial class Hero { public int A { get; set; } [Saved(\"a\")] public int B { get; set; } }")]
    [InlineData("LDR004", "size", "[StateType] public partial class Hero(int size) { public List<int> Items { get; } = new(size); }")]
    [InlineData("LDR004", "x", "[StateType] public readonly partial struct Hero(int x) { public int X => x; }")]
    [InlineData("LDR004", "at", "[StateType] public partial class Hero(string at) { public int At { get; } = at.Length; }")]
    [InlineData("LDR006", "X", "[StateType] public partial class Hero : Base { public new int X { get; set; } } [StateType] public partial class Base { public int X { get; set; } }")]
    [InlineData("LDR009", "Hero", "[StateType(Shared = true)] public partial class Hero(string name) { public string Name { get; } = name; }")]
    [InlineData("LDR010", "Hero", "[StateType] public ref partial struct Hero { public int A { get; set; } }", "ref struct")]
    public void One_mistake_is_one_error(string id, string at, string type, string contains = "")
    {
        var run = new GeneratorRun(type + (id == "LDR010" ? "" : User));
        var problem = Assert.Single(run.Problems);
        Assert.Equal((id, at), (problem.Id, problem.At.Split('(', '.')[0]));
        Assert.Contains(contains, problem.Message, StringComparison.Ordinal);
        // A class that is nobody's state type on its own is still not one that is saved.
        Assert.DoesNotContain(run.Complaints, complaint => complaint.Contains("error", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("StateFile.Write(\"a\", new Hero())")]
    [InlineData("StateFile.ToBytes(new Hero())")]
    [InlineData("StateFile.Read<Hero>(\"a\")")]
    [InlineData("SaveStore<Hero>.Open(new SaveStoreOptions())")]
    [InlineData("new SessionArchive().Put(\"a\", new Hero())")]
    [InlineData("new SessionArchive().Get<Hero>(\"a\")")]
    [InlineData("new SceneBindings<Scene>().Kind(\"hero\", scene => scene.All, hero => hero.Id(one => one.Name).Part(\"all\", one => one, (one, all) => { }))")]
    public void A_forgotten_attribute_is_named(string use)
    {
        const string Types = "public class Hero { public string Name { get; set; } = \"\"; } public class Scene { public List<Hero> All { get; } = []; }";
        var run = new GeneratorRun($"{Types} public static class Uses {{ public static object? Of() {{ object? made = null; _ = {use}; return made; }} }}".Replace("_ = StateFile.Write", "StateFile.Write", StringComparison.Ordinal).Replace("_ = new SessionArchive().Put", "new SessionArchive().Put", StringComparison.Ordinal));
        var problem = Assert.Single(run.Problems);
        Assert.Equal(("LDR012", "'Hero' is not a state type. Mark it with [StateType], or with [SaveFile] if it is the root of the game's saves."), (problem.Id, problem.Message));
    }

    [Theory]
    [InlineData("StateFile.ToBytes(new List<int>())")]
    [InlineData("Game.Write(\"a\", new Hero())")]
    [InlineData("new Save<Hero>().Of()")]
    public void What_nobody_can_mark_and_a_method_of_the_game_are_left_to_the_compiler(string use)
    {
        const string Types = "public class Hero { } public class Save<T> { public object Of() => this; } public static class Game { public static string Write(string file, Hero hero) => file; }";
        var run = new GeneratorRun($"{Types} public static class Uses {{ public static object? Of() => {use}; }}");
        Assert.Empty(run.Problems);
    }

    [Fact]
    public void A_generic_type_that_grows_with_each_step_does_not_stop_the_compiler()
    {
        // What is saved of it ends with the first null; the list of its closed types does not end.
        var run = new GeneratorRun("[SaveFile(\"game\")] public partial class Save { public Nest<int> Nest { get; set; } = new(); } [StateType] public partial class Nest<T> { public Nest<List<T>>? Within { get; set; } public int Depth { get; set; } }");
        Assert.Equal(("LDR002", "Within"), (Assert.Single(run.Problems).Id, run.Problems[0].At));
        Assert.Contains("never end", run.Problems[0].Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("LDR002", "Cell", "a member whose argument cannot be saved", "[StateType] public partial class Hero { public Bin<Action> Cell { get; set; } = new(); } [StateType] public partial class Bin<T> { public T? It { get; set; } }")]
    [InlineData("LDR002", "Cell", "one argument deep in another", "[StateType] public partial class Hero { public Bin<List<Bin<object>>> Cell { get; set; } = new(); } [StateType] public partial class Bin<T> { public List<T> It { get; set; } = []; }")]
    [InlineData("LDR002", "It", "a key of a map", "[StateType] public partial class Bin<T> where T : notnull { public Dictionary<T, int> It { get; set; } = []; }")]
    [InlineData("LDR010", "Bin", "a name that generated code uses", "[StateType] public partial class Bin<TReader> { public TReader? It { get; set; } }")]
    [InlineData("LDR006", "It", "a base that is not marked", "[StateType] public partial class Hero : Bin<int> { } public class Bin<T> { public T? It { get; private set; } }")]
    [InlineData("LDR014", "StateFile.ToBytes(new Bin<int>())", "a generic type by itself", "[StateType] public partial class Bin<T> { public T? It { get; set; } } public static class Uses { public static object Of() => StateFile.ToBytes(new Bin<int>()); }")]
    [InlineData("LDR014", "SaveStore<Bin<Bin<int>>>", "a generic type as the root", "[StateType] public partial class Bin<T> { public T? It { get; set; } } public static class Uses { public static object Of() => SaveStore<Bin<Bin<int>>>.Open(new SaveStoreOptions()); }")]
    [InlineData("LDR002", "It", "a member of a base that is marked", "[StateType] public partial class Thing { public object It { get; set; } = 1; } [StateType] public partial class Hero : Thing { } [StateType] public partial class Fool : Hero { }")]
    [InlineData("LDR002", "It", "a member of a base with an argument that cannot be saved", "[StateType] public partial class Thing<T> { public T? It { get; set; } } [StateType] public partial class Hero : Thing<object> { }")]
    [InlineData("LDR006", "It", "a static member of a base that is marked", "[StateType] public partial class Thing { [Saved] public static int It { get; set; } } [StateType] public partial class Hero : Thing { }")]
    [InlineData("LDR002", "It", "an interface without variants", "[StateType] public partial interface IThing { } [StateType] public partial class Hero { public IThing? It { get; set; } }")]
    [InlineData("LDR002", "It", "an abstract class without variants", "[StateType] public abstract partial class Thing { } [StateType] public partial class Hero { public List<Thing> It { get; } = []; }")]
    [InlineData("LDR015", "StateFile.ToBytes<Thing>(null!)", "an abstract class by itself", "[StateType] public abstract partial class Thing { } public static class Uses { public static object Of() => StateFile.ToBytes<Thing>(null!); }")]
    [InlineData("LDR015", "StateFile.FromBytes<IThing>(default)", "an interface by itself", "[StateType] public partial interface IThing { } public static class Uses { public static object Of() => StateFile.FromBytes<IThing>(default); }")]
    [InlineData("LDR012", "StateFile.FromBytes<IThing>(default)", "an interface that is not marked, by itself", "public interface IThing { } public static class Uses { public static object Of() => StateFile.FromBytes<IThing>(default); }")]
    [InlineData("LDR009", "IThing", "a shared interface", "[StateType(Shared = true), SaveVariant(\"a\", typeof(A))] public partial interface IThing { } [StateType] public partial class A : IThing { }")]
    [InlineData("LDR007", "IThing", "a variant that does not implement it", "[StateType, SaveVariant(\"a\", typeof(A))] public partial interface IThing { } [StateType] public partial class A { }")]
    [InlineData("LDR002", "It", "an interface that is not marked", "public interface IThing { } [StateType] public partial class Hero { public IThing? It { get; set; } }")]
    [InlineData("LDR006", "B", "the key of another as a former name", "[StateType] public partial class Hero { public int A { get; set; } [FormerName(\"A\")] public int B { get; set; } }")]
    [InlineData("LDR006", "B", "a former name twice", "[StateType] public partial class Hero { [FormerName(\"c\")] public int A { get; set; } [FormerName(\"c\")] public int B { get; set; } }")]
    [InlineData("LDR006", "B", "a former name of a section", "[SaveFile(\"g\")] public partial class Save { [FormerName(\"c\")] public int B { get; set; } }")]
    [InlineData("LDR013", "SaveFields(typeof(string))", "no struct", "[assembly: SaveFields(typeof(string))]")]
    [InlineData("LDR013", "SaveFields(typeof(System.Drawing.Rectangle))", "fields of another assembly that are not public", "[assembly: SaveFields(typeof(System.Drawing.Rectangle))] [StateType] public partial class Hero { public System.Drawing.Rectangle It { get; set; } }")]
    [InlineData("LDR013", "SaveFields(typeof(Spot))", "fields that are not public", "[assembly: SaveFields(typeof(Spot))] public struct Spot { public int X; private int _y; public int Y => _y++; }")]
    [InlineData("LDR013", "SaveFields(typeof(Spot))", "no fields", "[assembly: SaveFields(typeof(Spot))] public struct Spot { public int X => 1; }")]
    [InlineData("LDR013", "SaveFields(typeof(Spot<int>))", "a generic struct", "[assembly: SaveFields(typeof(Spot<int>))] public struct Spot<T> { public T X; }")]
    [InlineData("LDR013", "SaveFields(typeof(Spot), typeof(Spot))", "named twice", "[assembly: SaveFields(typeof(Spot), typeof(Spot))] public struct Spot { public int X; }")]
    [InlineData("LDR013", "SaveFields(typeof(Spots))", "a struct in it that is not named", "[assembly: SaveFields(typeof(Spots))] public struct Spot { public int X; } public struct Spots { public Spot A; } [StateType] public partial class Hero { public Spots It { get; set; } }")]
    [InlineData("LDR013", "SaveFields(typeof(Vector2))", "what is saved already", "[assembly: SaveFields(typeof(Vector2))]")]
    [InlineData("LDR013", "SaveFields(typeof(Spot))", "a state type", "[assembly: SaveFields(typeof(Spot))] [StateType] public partial struct Spot { public int X; }")]
    public void One_mistake_in_generic_types_interfaces_and_fields_is_one_error(string id, string at, string mistake, string source)
    {
        var run = new GeneratorRun(source);
        var problem = Assert.Single(run.Problems);
        Assert.True((id, at) == (problem.Id, problem.At), $"{mistake}: {problem}");
        // The constraint of the call is the compiler's to report as well.
        Assert.DoesNotContain(run.Complaints, complaint => complaint.Contains("error", StringComparison.Ordinal) && !(id is "LDR012" or "LDR014" or "LDR015" && complaint.Contains("CS0311", StringComparison.Ordinal)));
    }

    [Fact]
    public void A_type_that_is_marked_in_two_of_its_parts_is_the_compilers_error()
    {
        var run = new GeneratorRun("[StateType] public partial class Hero { public int A { get; set; } } [StateType] public partial class Hero { public int B { get; set; } }");
        Assert.Empty(run.Problems);
        Assert.Contains("CS0579", Assert.Single(run.Complaints), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("[StateType] public partial record struct Hero(int A); [StateType] public partial class Hero { public string B { get; set; } }")]
    [InlineData("[SaveFile(\"x\")] public partial class Hero { public int A { get; set; } } [SaveFile(\"x\")] public partial interface Hero { }")]
    public void A_class_and_a_struct_of_one_name_are_the_compilers_error_and_all_others_get_their_code(string twice)
    {
        var run = new GeneratorRun(twice + " [StateType] public partial class Other { public int C { get; set; } }");
        Assert.Contains(run.Complaints, complaint => complaint.Contains("CS0261", StringComparison.Ordinal));
        Assert.DoesNotContain(run.Complaints, complaint => complaint.Contains("CS8785", StringComparison.Ordinal));
        Assert.Contains(run.Result.GeneratedSources, source => source.SourceText.ToString().Contains("partial class Other", StringComparison.Ordinal));
    }

    [Fact]
    public void A_type_local_to_its_file_is_refused() =>
        Assert.Equal("LDR010", Assert.Single(new GeneratorRun("[StateType] file partial class Hero { public int Level { get; set; } }").Problems).Id);

    [Theory]
    [InlineData("public partial record Hero(int Level);")]
    [InlineData("public partial record Hero(string Name);")]
    [InlineData("public partial record Hero(List<int> Items);")]
    [InlineData("public partial record struct Hero(int Level);")]
    [InlineData("public partial class Hero(string name, int level = 3) { public string Name { get; } = name; public readonly int Level = level; }")]
    [InlineData("public partial class Hero { public Hero(string name) => Name = name; public Hero(string name, int level) : this(name) => Level = level; public string Name { get; } public int Level { get; } }")]
    [InlineData("public readonly partial struct Hero { public Hero(int x) { X = x; } public int X { get; } }")]
    [InlineData("public partial class Hero(IEnumerable<int> items) { public List<int> Items { get; } = [.. items]; }")]
    [InlineData("public partial class Hero(int @class, int @event) { public int Class => _class; [Saved] private readonly int _class = @class; public int Event { get; } = @event; }")]
    [InlineData("public partial class Hero(string name) : Being(name) { public int Level { get; set; } } public class Being(string name) { public string Name { get; } = name; public required int Age { get; init; } }")]
    [InlineData("public partial class Hero(int[] pockets) { public int[] Pockets { get; } = pockets; [KeepUnknown] public SaveMap Rest { get; } = new(); }")]
    [InlineData("public partial class Hero<T>(T what) { public T What { get; } = what; }")]
    public void What_a_constructor_takes_is_saved_and_compiles(string type)
    {
        var run = new GeneratorRun("[StateType] " + type);
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
    }
}
