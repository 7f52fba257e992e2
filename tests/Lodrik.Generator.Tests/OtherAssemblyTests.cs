using System.Runtime.Loader;
using Microsoft.CodeAnalysis;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>Types of a library that the game derives from and has members of: of those, the compiler shows what is public or protected.</summary>
public sealed class OtherAssemblyTests
{
    private const string Library = """
        [assembly: SaveFields(typeof(Lib.Vec))]
        [assembly: System.Runtime.CompilerServices.InternalsVisibleTo("game")]
        namespace Lib;
        public struct Vec { public float X, Y; }
        [StateType] public partial class Bag<T> { public T? Top { get; private set; } public List<T> All { get; } = []; public T[] Fixed { get; init; } = []; public Vec V; public void Put(T top) => Top = top; }
        [StateType] public abstract partial class Base<TId> where TId : notnull { public TId Id { get; init; } = default!; public int Count { get; private set; } public int Inner { get; internal set; } public List<TId?> Others { get; } = []; public void Bump() { Count++; Inner++; } public int Computed => Count * 2; }
        [StateType] public partial class Plain { public int Count { get; private set; } public List<int> Hours { get; } = []; public void Bump() => Count++; }
        public class Unmarked { public int Count { get; private set; } public List<int> Hours { get; } = []; public int Twice => Count * 2; public void Bump() => Count++; }
        [StateType, SaveVariant("a", typeof(A))] public partial interface IThing;
        [StateType] public partial record A(int X) : IThing;
        """;

    [Fact]
    public void What_a_base_of_another_assembly_has_is_saved()
    {
        const string Game = """
            [assembly: SaveFields(typeof(Lib.Vec))]
            namespace Game;
            using Lib;
            [StateType] public partial class Save
            {
                public Bag<int> Bag { get; set; } = new();
                public Bag<Bag<string>> Deep { get; set; } = new();
                public Derived D { get; set; } = new();
                public OfPlain P { get; set; } = new();
                public OfUnmarked U { get; set; } = new();
                public IThing? Thing { get; set; }
                public Vec V;
            }
            [StateType] public partial class Derived : Base<string> { public int Own { get; set; } }
            [StateType] public partial class OfPlain : Plain;
            [StateType] public partial class OfUnmarked : Unmarked;
            public static class Trial
            {
                public static string Run()
                {
                    var save = new Save { Bag = new() { Fixed = [1, 2], V = new() { X = 4 } }, D = new() { Id = "x", Own = 9 }, Thing = new A(3), V = new() { Y = 5 } };
                    save.Bag.Put(7);
                    save.Bag.All.Add(3);
                    save.Deep.Put(new Bag<string>());
                    save.Deep.Top!.Put("hi");
                    save.D.Bump();
                    save.D.Others.AddRange([null, "other"]);
                    save.P.Bump();
                    save.P.Hours.Add(6);
                    save.U.Bump();
                    save.U.Hours.Add(8);
                    return string.Join("|", Enum.GetValues<SaveForm>().Select(form => Text(StateFile.FromBytes<Save>(StateFile.ToBytes(save, form)), save)).Distinct());
                }
                private static string Text(Save one, Save saved) => $"{StateContent.AreEqual(one, saved)} {one.Bag.Top} {one.Bag.All[0]} {one.Bag.Fixed[1]} {one.Bag.V.X} {one.Deep.Top!.Top} "
                    + $"{one.D.Id} {one.D.Count} {one.D.Inner} {one.D.Others[1]} {one.D.Own} {one.P.Count} {one.P.Hours[0]} {one.U.Count} {one.U.Hours[0]} {((A)one.Thing!).X} {one.V.Y}";
            }
            """;
        var library = new GeneratorRun(Library);
        var game = GeneratorRun.WithLibrary(library, Game);
        Assert.Empty(game.Problems);
        Assert.Empty(game.Complaints);
        var context = new AssemblyLoadContext("other", isCollectible: true);
        foreach (var run in new[] { library, game })
        {
            using var bytes = new MemoryStream();
            Assert.True(run.Whole.Emit(bytes, cancellationToken: TestContext.Current.CancellationToken).Success);
            bytes.Position = 0;
            context.LoadFromStream(bytes);
        }
        var trial = context.Assemblies.Single(one => one.GetName().Name == "game").GetType("Game.Trial")!;
        Assert.Equal("True 7 3 2 4 hi x 1 1 other 9 1 6 1 8 3 5", trial.GetMethod("Run")!.Invoke(null, null));
    }

    [Theory]
    [InlineData("[StateType] public partial class Lamp { [Saved] private int _oil = 3; public int Oil => _oil; }", "Lamp._oil")]
    [InlineData("[StateType] public partial class Lamp { [Saved] internal int Oil { get; set; } }", "Lamp.Oil")]
    [InlineData("public class Lamp<T> { public T? Oil { get; private set; } }", "Lamp.Oil", "Lamp<int>")]
    public void What_cannot_be_reached_there_is_an_error(string library, string member, string name = "Lamp")
    {
        var run = GeneratorRun.WithLibrary(new GeneratorRun(library), $"[StateType] public partial class Lantern : {name} {{ public int Wick {{ get; set; }} }}");
        var problem = Assert.Single(run.Problems);
        Assert.Equal(("LDR006", "Lantern"), (problem.Id, problem.At));
        Assert.Contains($"'{member}'", problem.Message, StringComparison.Ordinal);
        Assert.Empty(run.Complaints);
    }
}
