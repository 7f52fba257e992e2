using Microsoft.CodeAnalysis;
using Xunit;

namespace Lodrik.Generator.Tests;

public sealed class StateTypeGeneratorTests
{
    private const string Game = """
        [SaveFile("game", Version = 2)]
        public sealed partial class GameSave
        {
            public Hero Hero { get; set; } = new();
            public Dictionary<string, List<Hero?>> Parties { get; set; } = [];
            public SceneArchive Scenes { get; } = new();
        }

        [StateType]
        public sealed partial class Hero
        {
            public string Name { get; set; } = "";
            public int? Level { get; init; }
            public List<Vector3> Path { get; } = [];
            [Saved("hp")] private float _health = 10;
        }
        """;

    [Fact]
    public void What_is_generated_compiles_without_a_warning()
    {
        var run = new GeneratorRun(Game);
        Assert.Empty(run.Problems);
        // The compiler does not see that the generated code uses a private field only to save it.
        Assert.DoesNotContain(run.Complaints, complaint => !complaint.Contains("CS0414", StringComparison.Ordinal));
    }

    [Fact]
    public void The_code_is_straight_and_readable()
    {
        var source = new GeneratorRun(Game).Source("Hero.State.g.cs");
        Assert.Contains("KeyTable Keys = new(\"name\", \"level\", \"path\", \"hp\");", source, StringComparison.Ordinal);
        Assert.Contains("using Lodrik.State;\n", source, StringComparison.Ordinal);
        Assert.Contains("            TextCodec.Write(ref writer, value.Name);", source, StringComparison.Ordinal);
        Assert.Contains("public static extern void SetLevel(Hero owner, int? member);", source, StringComparison.Ordinal);
        Assert.Contains("case 3: // hp\n", source, StringComparison.Ordinal);
        Assert.Contains("items[i].Name = text;", source, StringComparison.Ordinal);
        Assert.Contains("[GeneratedCode(\"Lodrik.Generator\", ", source, StringComparison.Ordinal);
        Assert.Contains("DebuggerNonUserCode, ExcludeFromCodeCoverage]", source, StringComparison.Ordinal);
        Assert.DoesNotContain("global::", source, StringComparison.Ordinal);
        Assert.DoesNotMatch(@"else\s*\n\s*(if|\{\s*if)", source);
        Assert.DoesNotMatch(@"var member = item\.\w+;\s*member =", source);
        Assert.DoesNotContain("Reflection", source, StringComparison.Ordinal);
        Assert.DoesNotContain("\r", source, StringComparison.Ordinal);
    }

    [Fact]
    public void Generated_files_have_no_byte_order_mark() =>
        Assert.All(GeneratorRun.OfAll(Game).Encodings, encoding => Assert.Empty(encoding.GetPreamble()));

    [Theory]
    [InlineData("public sealed class KeyTable; public sealed class TextCodec; public static class StateTypes; public sealed class List;", "")]
    [InlineData("", "namespace Engine { public sealed class KeyTable; public sealed class ListCodec<T>; public sealed class EditorBrowsableAttribute : Attribute; public class Vector3; }")]
    [InlineData("public class Being { public int Hero { get; set; } public int StateTypes { get; set; } public int SeenKeys() => 1; }", "")]
    public void A_name_of_the_games_own_is_never_mistaken_for_one_of_ours(string inNamespace, string elsewhere)
    {
        var isBase = inNamespace.Contains("Being", StringComparison.Ordinal);
        var import = elsewhere.Length > 0 ? "global using Engine;\n" : "";
        var run = new GeneratorRun(
            $$"""
            namespace Game
            {
                {{inNamespace}}

                [StateType]
                public sealed partial class Hero {{(isBase ? ": Being" : "")}}
                {
                    public string Name { get; set; } = "";
                    public System.Collections.Generic.List<string> Words { get; set; } = [];
                    public System.Collections.Generic.List<int> Numbers { get; set; } = [];
                    public Hero? Other { get; set; }
                }
            }
            """,
            elsewhere);
        Assert.Empty(run.Problems);
        Assert.DoesNotContain(run.Complaints, complaint => complaint.Contains("error", StringComparison.Ordinal));
        run = GeneratorRun.WithHead(import, $"[StateType] public sealed partial class Item {{ public string Name {{ get; set; }} = \"\"; public System.Collections.Generic.List<string> Words {{ get; set; }} = []; }}", elsewhere);
        Assert.DoesNotContain(run.Complaints, complaint => complaint.Contains("error", StringComparison.Ordinal));
    }

    [Fact]
    public void A_root_names_its_sections() =>
        Assert.Contains("public const string Scenes = \"scenes/\";", new GeneratorRun(Game).Source("GameSave.State.g.cs"), StringComparison.Ordinal);

    [Fact]
    public void An_edit_elsewhere_costs_nothing()
    {
        var reasons = new GeneratorRun(Game).ReasonsAfter(source => source + "\npublic class Unrelated { int _x = 1; }");
        Assert.Equal(2, reasons.Count);
        Assert.All(reasons, reason => Assert.True(reason is IncrementalStepRunReason.Cached or IncrementalStepRunReason.Unchanged, reason.ToString()));
    }

    [Fact]
    public void An_edit_of_a_member_concerns_its_type_only()
    {
        var reasons = new GeneratorRun(Game).ReasonsAfter(source => source.Replace("[Saved(\"hp\")]", "[Saved(\"health\")]", StringComparison.Ordinal));
        Assert.Equal(1, reasons.Count(reason => reason == IncrementalStepRunReason.Modified));
    }

    [Fact]
    public void A_type_that_is_not_partial_is_refused()
    {
        var problem = Assert.Single(new GeneratorRun("[StateType] public class Hero { public int Level { get; set; } }").Problems);
        Assert.Equal(("LDR001", "Hero"), (problem.Id, problem.At));
        Assert.Contains("partial", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_type_within_one_that_is_not_partial_is_refused_at_the_outer_one()
    {
        var problem = Assert.Single(new GeneratorRun("public class Outer { [StateType] public partial class Hero { public int Level { get; set; } } }").Problems);
        Assert.Equal(("LDR001", "Outer"), (problem.Id, problem.At));
        Assert.Empty(new GeneratorRun("public partial class Outer { [StateType] public partial class Hero { public int Level { get; set; } } }").Complaints);
    }

    [Theory]
    [InlineData("object", "SaveValue")]
    [InlineData("Action", "Code cannot be saved")]
    [InlineData("Weapon", "[StateType]")]
    [InlineData("IDisposable", "concrete type")]
    [InlineData("(int, Weapon)", "[StateType]")]
    [InlineData("Weapon[,]", "[StateType]")]
    [InlineData("IReadOnlyDictionary<int[], int>", "as the key")]
    [InlineData("System.IO.Stream", "[NotSaved]")]
    [InlineData("List<Weapon>", "[StateType]")]
    [InlineData("Dictionary<Vector2, int>", "as the key")]
    [InlineData("Dictionary<string, Weapon>", "[StateType]")]
    [InlineData("Inner", "only at the top")]
    public void A_member_that_cannot_be_saved_is_refused_with_a_way_out(string type, string remedy)
    {
        var problem = Assert.Single(new GeneratorRun($$"""
            public class Weapon { }
            [SaveFile("inner")] public sealed partial class Inner { }
            [StateType] public partial class Hero { public {{type}} Held { get; set; } = null!; }
            """).Problems);
        Assert.Equal(("LDR002", "Held"), (problem.Id, problem.At));
        Assert.Contains(remedy, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("public int Level { get; set; } [Saved(\"level\")] private int _other;")]
    [InlineData("public int HP { get; set; } public int Hp { get; set; }")]
    public void Two_members_with_one_key_are_refused(string members)
    {
        var problem = Assert.Single(new GeneratorRun($"[StateType] public partial class Hero {{ {members} }}").Problems);
        Assert.Equal("LDR003", problem.Id);
    }

    [Theory]
    [InlineData("[StateType] public partial class Hero { public Hero(int a) { } public Hero(string b) { } }", "several constructors")]
    public void A_type_that_cannot_be_created_is_refused(string source, string reason)
    {
        var problem = Assert.Single(new GeneratorRun(source).Problems);
        Assert.Equal("LDR004", problem.Id);
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("[SaveFile(\"my game\")] public partial class Root { }", "my game")]
    [InlineData("[SaveFile(\"\")] public partial class Root { }", "\"\"")]
    [InlineData("[SaveFile(\"g\", Version = 0)] public partial class Root { }", "1 or more")]
    [InlineData("[SaveFile(\"g\")] public partial class Root { public int Seal { get; set; } }", "\"seal\"")]
    [InlineData("[SaveFile(\"g\")] public partial class Root { public int Lodrik { get; set; } }", "\"lodrik\"")]
    [InlineData("[SaveFile(\"g\")] public partial class Root { [Saved(\"a/b\")] public int A { get; set; } }", "slash")]
    [InlineData("[SaveFile(\"g\")] public partial class Root<T> { }", "generic")]
    [InlineData("[SaveFile(\"g\")] public partial class Root { public int Sections { get; set; } }", "named Sections")]
    public void A_root_that_is_declared_wrongly_is_refused(string source, string reason)
    {
        var problem = Assert.Single(new GeneratorRun(source).Problems);
        Assert.Equal("LDR005", problem.Id);
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("\"\", typeof(Hook)", "no name")]
    [InlineData("\"stone\", typeof(Stone)", "not derived")]
    [InlineData("\"plain\", typeof(Plain)", "not a state type")]
    [InlineData("\"ghost\", typeof(Ghost)", "no objects")]
    [InlineData("\"hook\", typeof(Hook)), SaveVariant(\"hook\", typeof(Line)", "two of this name")]
    [InlineData("\"hook\", typeof(Hook)), SaveVariant(\"line\", typeof(Hook)", "has a name already")]
    public void A_variant_that_cannot_be_is_refused(string variant, string reason)
    {
        var problem = Assert.Single(new GeneratorRun($$"""
            [StateType, SaveVariant({{variant}})] public partial class Tackle { }
            [StateType] public partial class Hook : Tackle { }
            [StateType] public partial class Line : Tackle { }
            [StateType, SaveVariant("x", typeof(Real))] public abstract partial class Ghost : Tackle { }
            [StateType] public partial class Real : Ghost { }
            [StateType] public partial class Stone { }
            public class Plain : Tackle { }
            """).Problems);
        Assert.Equal(("LDR007", "Tackle"), (problem.Id, problem.At));
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("[StateType, UnknownVariant(typeof(Lost))] public partial class Tackle { } public class Lost : Tackle, IUnknownVariant", "no variants")]
    [InlineData("[StateType, SaveVariant(\"a\", typeof(Hook)), UnknownVariant(typeof(Lost))] public partial class Tackle { } public class Lost : IUnknownVariant", "not derived")]
    [InlineData("[StateType, SaveVariant(\"a\", typeof(Hook)), UnknownVariant(typeof(Lost))] public partial class Tackle { } public class Lost : Tackle", "IUnknownVariant")]
    public void A_class_for_unknown_variants_that_cannot_be_is_refused(string source, string reason)
    {
        var problem = Assert.Single(new GeneratorRun($$"""
            {{source}} { public string VariantName { get; set; } = ""; public SaveValue VariantContent { get; set; } = SaveValue.Null; }
            [StateType] public partial class Hook : Tackle { }
            """).Problems);
        Assert.Equal(("LDR007", "Tackle"), (problem.Id, problem.At));
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("[StateType(Shared = true)] public partial struct Lamp { }", "a struct")]
    [InlineData("[StateType(Shared = true)] public partial class Lamp : Thing { } [StateType] public partial class Thing { }", "'Thing'")]
    public void A_type_that_cannot_be_shared_is_refused(string source, string reason)
    {
        var problem = Assert.Single(new GeneratorRun(source).Problems);
        Assert.Equal(("LDR009", "Lamp"), (problem.Id, problem.At));
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("public class Adapter : ISaveAdapter<Uri, string> { static string ISaveAdapter<Uri, string>.ToSaved(Uri value) => \"\"; static Uri ISaveAdapter<Uri, string>.FromSaved(string saved) => null!; }", "a struct")]
    [InlineData("public struct Adapter { }", "does not implement")]
    [InlineData("public struct Adapter : ISaveAdapter<IntPtr, System.IO.Stream> { public static System.IO.Stream ToSaved(IntPtr value) => null!; public static IntPtr FromSaved(System.IO.Stream saved) => 0; }", "does not know how to save")]
    [InlineData("public struct Adapter : ISaveAdapter<int, int> { public static int ToSaved(int value) => 0; public static int FromSaved(int saved) => 0; }", "as itself")]
    public void An_adapter_that_cannot_be_is_refused_where_it_is_declared(string adapter, string reason)
    {
        var problem = Assert.Single(new GeneratorRun("[assembly: SaveAdapter(typeof(Adapter))] " + adapter).Problems);
        Assert.Equal(("LDR008", "SaveAdapter(typeof(Adapter))"), (problem.Id, problem.At));
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Two_adapters_of_one_type_are_refused()
    {
        var problem = Assert.Single(new GeneratorRun("""
            [assembly: SaveAdapter(typeof(First)), SaveAdapter(typeof(Second))]
            public struct First : ISaveAdapter<IntPtr, long> { public static long ToSaved(IntPtr value) => value; public static IntPtr FromSaved(long saved) => (IntPtr)saved; }
            public struct Second : ISaveAdapter<IntPtr, string> { public static string ToSaved(IntPtr value) => ""; public static IntPtr FromSaved(string saved) => 0; }
            """).Problems);
        Assert.Equal(("LDR008", "SaveAdapter(typeof(Second))"), (problem.Id, problem.At));
    }

    [Fact]
    public void A_type_with_both_attributes_is_refused() =>
        Assert.Contains("LDR005", new GeneratorRun("[SaveFile(\"g\"), StateType] public partial class Root { }").Problems.Select(problem => problem.Id));

    [Theory]
    [InlineData("[Saved] public int Doubled => 2;", "computed")]
    [InlineData("[Saved] public static int Level { get; set; }", "static")]
    [InlineData("int IComparable<int>.CompareTo(int other) => 0; [NotSaved] int IList.X { get; set; } int IPlace.At { get; set; } } public interface IList { int X { get; set; } } public interface IPlace { int At { get; set; }", "explicitly")]
    [InlineData("[Saved] public int Level { set { } }", "getter")]
    [InlineData("[KeepUnknown] public Dictionary<string, int> Rest { get; } = [];", "SaveMap")]
    [InlineData("[KeepUnknown] public SaveMap A { get; } = new(); [KeepUnknown] private SaveMap _b = new();", "already")]
    public void A_member_that_is_asked_for_and_cannot_be_set_is_refused(string member, string reason)
    {
        var problem = Assert.Single(new GeneratorRun($"[StateType] public partial class Hero {{ {member} }}").Problems);
        Assert.Equal("LDR006", problem.Id);
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("public partial record Hero(string Name, int Level = 3, float Speed = 1.5f, DayOfWeek Day = DayOfWeek.Friday, char Mark = 'x', string? Note = null);")]
    [InlineData("public readonly partial record struct Hero(string Name, decimal Gold = 1.5m, double Limit = double.NaN);")]
    [InlineData("public partial class Hero : Being { public int Level { get; set; } } [StateType] public partial class Being { public string Name { get; init; } = \"\"; }")]
    [InlineData("[SaveVariant(\"hero\", typeof(Hero)), SaveVariant(\"elf\", typeof(Elf))] public partial class Hero : IAfterLoading { public int Level { get; init; } public void AfterLoading() { } } [StateType] public partial class Elf : Hero, IValidatedState, IBeforeSaving { IEnumerable<string> IValidatedState.FindProblems() => []; void IBeforeSaving.BeforeSaving() { } }")]
    [InlineData("public partial class Hero { public (int, string, float, bool, byte, char, long) Seven { get; set; } public Dictionary<string, (int A, int B, int C, int D, int E, int F)>? Six { get; init; } }")]
    [InlineData("public partial class Hero { public Lamp? Lamp { get; set; } } [StateType(Shared = true), SaveVariant(\"big\", typeof(Big)), SaveVariant(\"lamp\", typeof(Lamp)), UnknownVariant(typeof(Lost))] public partial class Lamp { public Hero? Owner { get; set; } } [StateType] public sealed partial class Big : Lamp { [KeepUnknown] public SaveMap Rest { get; } = new(); } public class Lost : Lamp, IUnknownVariant { public string VariantName { get; set; } = \"\"; public SaveValue VariantContent { get; set; } = SaveValue.Null; }")]
    [InlineData("public partial struct Hero { public int @class; public int Level { get; set; } }")]
    [InlineData("public sealed partial class Hero { private Hero() { } public required string Name { get; init; } }")]
    [InlineData("public partial class Hero : Being { public int Level { get; set; } } public abstract class Being { public string Name { get; private set; } = \"\"; protected int _x; }")]
    [InlineData("public partial class Hero<T> where T : struct { public int Level { get; init; } public List<int> Path { get; } = []; }")]
    [InlineData("internal partial class Hero { public Dictionary<DayOfWeek, int[]?> Plan { get; set; } = []; public int this[int i] => i; public static int Count { get; set; } }")]
    public void Every_way_of_declaring_a_type_compiles(string source)
    {
        var run = new GeneratorRun("[StateType] " + source);
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
    }
}
