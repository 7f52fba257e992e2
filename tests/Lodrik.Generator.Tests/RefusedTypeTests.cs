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
    [InlineData("LDR004", "Hero", "[StateType] public abstract partial class Hero { public int A { get; set; } }")]
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
    [InlineData("public partial class Hero<T>(T what) { public T What { get; } = what; }", "Hero<T>")]
    public void What_a_constructor_takes_is_saved_and_compiles(string type, string refused = "")
    {
        var run = new GeneratorRun("[StateType] " + type);
        if (refused.Length > 0)
            return;
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
    }
}
