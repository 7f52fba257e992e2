namespace Lodrik.Generator.Tests;

/// <summary>One change of a game between two releases.</summary>
/// <param name="Change">The change in words.</param>
/// <param name="Before">The members of <c>Hero</c> before, and behind a line of dashes the types beside it.</param>
/// <param name="After">The same today.</param>
/// <param name="Saved">What a save before has, as initializers.</param>
internal sealed record ShapeChangeRow(string Change, string Before, string After, string Saved)
{
    /// <summary>Whether no tool can see it, because saves have the same before and after.</summary>
    public bool IsUnseen { get; init; }

    /// <summary>Whether it is the section of the save that has these names.</summary>
    public bool IsSection { get; init; }

    /// <summary>Whether it is a change of a game's scenes, and not of a type's members.</summary>
    public bool IsOfScenes { get; init; }

    /// <summary>Whether all of the value is there, in another form.</summary>
    public bool IsKept { get; init; }
}

/// <summary>Every kind of change, with every kind of member that it means something for.</summary>
internal static class ShapeChangeRows
{
    private const string Split = "---";

    public static IReadOnlyList<ShapeChangeRow> All { get; } =
    [
        // Members.
        new("a member added", V("int A"), V("int A") + " public int B { get; set; } = 3;", "A = 1"),
        new("a member added that is required", V("int A"), V("int A") + " public required int B { get; set; }", "A = 1"),
        new("a member removed", V("int A") + V("int B"), V("int A"), "A = 1, B = 2"),
        new("a member renamed", V("int Gold"), V("int Coins"), "Gold = 5"),
        new("a member renamed, its key kept", V("int Gold"), "[Saved(\"gold\")] public int Coins { get; set; }", "Gold = 5"),
        new("a member renamed, with `[FormerName]`", V("int Gold"), "[FormerName(\"Gold\")] " + V("int Coins"), "Gold = 5") { IsKept = true },
        new("two members that exchange their names", V("int Hp") + V("int Mp"), "[Saved(\"mp\")] public int Hp { get; set; } [Saved(\"hp\")] public int Mp { get; set; }", "Hp = 1, Mp = 2"),
        new("an old key for a new member", V("int Gold"), "[Saved(\"gold\")] public int Silver { get; set; } [Saved(\"coins\")] public int Gold { get; set; }", "Gold = 5"),
        new("`[NotSaved]` added", V("int A"), "[NotSaved] " + V("int A"), "A = 1"),
        new("a setter removed, and computed", V("int A"), "public int A => 3;", "A = 1"),
        new("a property becomes a field", V("int A"), "public int A;", "A = 1"),
        new("an initial value changed", "public int A { get; set; } = 3;", "public int A { get; set; } = 4;", "A = 3"),
        new("a member becomes required", V("int A"), "public required int A { get; set; }", "A = 1"),
        new("a unit changed (metres to feet)", V("int A"), V("int A"), "A = 1") { IsUnseen = true },

        // Null.
        new("`int?` to `int`", V("int? A"), V("int A"), "A = null"),
        new("`string?` to `string`", V("string? A"), "public string A { get; set; } = \"none\";", "A = null"),
        new("`Item?` to `Item`", V("Item? A") + Split + Item, "public Item A { get; set; } = new() { X = 9 };" + Split + Item, "A = null"),
        new("`List<int>?` to `List<int>`", V("List<int>? A"), "public List<int> A { get; set; } = [9];", "A = null"),
        new("`List<string?>` to `List<string>`", V("List<string?> A", "[]"), V("List<string> A", "[]"), "A = [\"a\", null]"),
        new("`Dictionary<string, Item?>` to `<string, Item>`", V("Dictionary<string, Item?> A", "[]") + Split + Item, V("Dictionary<string, Item> A", "[]") + Split + Item, "A = new() { [\"a\"] = null }"),
        new("`int` to `int?`", V("int A"), V("int? A"), "A = 1"),

        // Numbers and texts.
        new("`int` to `long`", V("int A"), V("long A"), "A = 5"),
        new("`int` to `short`", V("int A"), V("short A"), "A = 100000"),
        new("`int` to `uint`", V("int A"), V("uint A"), "A = -1"),
        new("`int` to `float`", V("int A"), V("float A"), "A = 16777217"),
        new("`float` to `int`", V("float A"), V("int A"), "A = 1.5f"),
        new("`double` to `float`", V("double A"), V("float A"), "A = 0.1"),
        new("`float` to `double`", V("float A"), V("double A"), "A = 1.5f"),
        new("`double` to `decimal`", V("double A"), V("decimal A"), "A = 0.1"),
        new("`BigInteger` to `long`", V("BigInteger A"), V("long A"), "A = BigInteger.Pow(2, 80)"),
        new("`int` to `bool`", V("int A"), V("bool A"), "A = 1"),
        new("`int` to `string`", V("int A"), V("string A", "\"\""), "A = 5"),
        new("`string` to `int`", V("string A", "\"\""), V("int A"), "A = \"5\""),
        new("`string` to `char`", V("string A", "\"\""), V("char A"), "A = \"xy\""),
        new("`Guid` to `string`", V("Guid A"), V("string A", "\"\""), "A = new Guid(1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11)"),
        new("`DateTime` to `DateOnly`", V("DateTime A"), V("DateOnly A"), "A = new DateTime(2031, 1, 2, 3, 4, 5)"),
        new("`TimeSpan` to `double`", V("TimeSpan A"), V("double A"), "A = TimeSpan.FromSeconds(3)"),
        new("`byte[]` to `List<int>`", V("byte[] A", "[]"), V("List<int> A", "[]"), "A = [1, 2]"),
        new("`SaveValue` to `string`", V("SaveValue A", "5"), V("string A", "\"\""), "A = 5"),

        // Enums.
        new("an enum's value renamed", V("E A") + Split + "public enum E { One, Two }", V("E A") + Split + "public enum E { One, Too }", "A = E.Two"),
        new("an enum's value renamed, with `[FormerName]`", V("E A") + Split + "public enum E { One, Two }", V("E A") + Split + "public enum E { One, [FormerName(\"Two\")] Too }", "A = E.Two") { IsKept = true },
        new("an enum's values in another order", V("E A") + Split + "public enum E { One, Two }", V("E A") + Split + "public enum E { Two, One }", "A = E.Two"),
        new("flags to a plain enum", V("E A") + Split + "[Flags] public enum E { None, One, Two }", V("E A") + Split + "public enum E { None, One, Two }", "A = E.One | E.Two"),
        new("a plain enum to flags", V("E A") + Split + "public enum E { None, One, Two }", V("E A") + Split + "[Flags] public enum E { None, One, Two }", "A = E.Two"),
        new("an enum to `string`", V("E A") + Split + "public enum E { One, Two }", V("string A", "\"\""), "A = E.Two"),
        new("an enum to `int`", V("E A") + Split + "public enum E { One, Two }", V("int A"), "A = E.Two"),

        // Collections.
        new("`List<int>` to `HashSet<int>`", V("List<int> A", "[]"), V("HashSet<int> A", "[]"), "A = [1, 2, 1]"),
        new("`HashSet<int>` to `List<int>`", V("HashSet<int> A", "[]"), V("List<int> A", "[]"), "A = [2, 1]"),
        new("`List<string>` to `SortedSet<string>`", V("List<string> A", "[]"), V("SortedSet<string> A", "[]"), "A = [\"b\", \"a\", \"b\"]"),
        new("`Queue<int>` to `Stack<int>`", V("Queue<int> A", "new()"), V("Stack<int> A", "new()"), "A = new([1, 2])"),
        new("`List<int>` to `Stack<int>`", V("List<int> A", "[]"), V("Stack<int> A", "new()"), "A = [1, 2]"),
        new("`List<int>` to `Queue<int>`", V("List<int> A", "[]"), V("Queue<int> A", "new()"), "A = [1, 2]"),
        new("a set that ignores case since today", V("HashSet<string> A", "[]"), V("HashSet<string> A", "new(StringComparer.OrdinalIgnoreCase)"), "A = [\"a\", \"A\"]"),
        new("a map that ignores case since today", V("Dictionary<string, int> A", "[]"), V("Dictionary<string, int> A", "new(StringComparer.OrdinalIgnoreCase)"), "A = new() { [\"a\"] = 1, [\"A\"] = 2 }"),
        new("a set that ignores case in a constructor since today", V("HashSet<string> A", "[]"), "public HashSet<string> A { get; set; } public Hero() { A = new HashSet<string>(StringComparer.OrdinalIgnoreCase); }", "A = [\"a\", \"A\"]"),
        new("an array of fixed length made shorter", "public int[] A { get; } = new int[4];", "public int[] A { get; } = new int[2];", "Fill = 1"),
        new("an array of fixed length made longer", "public int[] A { get; } = new int[2];", "public int[] A { get; } = new int[4];", "Fill = 1") { IsKept = true },
        new("`List<int>` to `List<long>`", V("List<int> A", "[]"), V("List<long> A", "[]"), "A = [1]"),
        new("`List<int>` to `List<string>`", V("List<int> A", "[]"), V("List<string> A", "[]"), "A = [1]"),
        new("`List<int>` to `Dictionary<string, int>`", V("List<int> A", "[]"), V("Dictionary<string, int> A", "[]"), "A = [1]"),
        new("`int[,]` to `int[][]`", V("int[,] A", "new int[0, 0]"), V("int[][] A", "[]"), "A = new int[,] { { 1, 2 } }"),
        new("a map's key from `int` to `string`", V("Dictionary<int, int> A", "[]"), V("Dictionary<string, int> A", "[]"), "A = new() { [1] = 2 }"),
        new("a map's key from `string` to `int`", V("Dictionary<string, int> A", "[]"), V("Dictionary<int, int> A", "[]"), "A = new() { [\"x\"] = 2 }"),
        new("`OrderedDictionary` to `SortedDictionary`", V("OrderedDictionary<string, int> A", "[]"), V("SortedDictionary<string, int> A", "[]"), "A = new() { [\"b\"] = 1, [\"a\"] = 2 }"),

        // Tuples, and numbers that belong together.
        new("the names of a tuple's items exchanged", V("(int Hp, int Mp) A"), V("(int Mp, int Hp) A"), "A = (1, 2)"),
        new("the name of a tuple's item changed", V("(int Hp, int Mp) A"), V("(int Hp, int Magic) A"), "A = (1, 2)"),
        new("a tuple with one item more", V("(int, int) A"), V("(int, int, int) A"), "A = (1, 2)"),
        new("a tuple to a state type", V("(int, int) A"), V("Item A", "new()") + Split + Item, "A = (1, 2)"),
        new("`Vector3` to `Vector2`", V("Vector3 A"), V("Vector2 A"), "A = new(1, 2, 3)"),
        new("`Vector4` to `Quaternion`", V("Vector4 A"), V("Quaternion A"), "A = new(1, 2, 3, 4)"),
        new("`Quaternion` to `Plane`", V("Quaternion A"), V("Plane A"), "A = new(1, 2, 3, 4)"),
        new("`RectangleF` to `Vector4`", V("System.Drawing.RectangleF A"), V("Vector4 A"), "A = new(1, 2, 3, 4)"),
        new("`Point` to `Size`", V("System.Drawing.Point A"), V("System.Drawing.Size A"), "A = new(1, 2)"),
        new("`Vector2` to `PointF`", V("Vector2 A"), V("System.Drawing.PointF A"), "A = new(1, 2)"),

        // State types.
        new("a state type renamed", V("Item A", "new()") + Split + Item, V("Thing A", "new()") + Split + Item.Replace("Item", "Thing"), "A = new() { X = 7 }"),
        new("another state type with the same keys", V("Item A", "new()") + V("Item? B") + Split + Item + Other, V("Other A", "new()") + V("Item? B") + Split + Item + Other, "A = new() { X = 7 }"),
        new("another state type with other keys", V("Item A", "new()") + Split + Item, V("Thing A", "new()") + Split + "[StateType] public sealed partial class Thing { public int Z { get; set; } }", "A = new() { X = 7 }"),
        new("a struct to a class", V("Item A") + Split + "[StateType] public partial struct Item { public int X { get; set; } }", V("Item A", "new()") + Split + Item, "A = new() { X = 7 }"),
        new("the argument of a generic type changed", V("Pouch<int> A", "new()") + Split + Pouch, V("Pouch<string> A", "new()") + Split + Pouch, "A = new() { X = 7 }"),
        new("the argument of a generic type widened", V("Pouch<int> A", "new()") + Split + Pouch, V("Pouch<long> A", "new()") + Split + Pouch, "A = new() { X = 7 }"),
        new("a record's parameters exchanged", V("Pair A", "new(0, 0)") + Split + "[StateType] public partial record Pair(int X, int Y);", V("Pair A", "new(0, 0)") + Split + "[StateType] public partial record Pair(int Y, int X);", "A = new(1, 2)"),
        new("`Shared` added", V("Item? A") + Split + Item, V("Item? A") + Split + Item.Replace("[StateType]", "[StateType(Shared = true)]"), "A = new() { X = 7 }"),
        new("`Shared` taken away", V("Item? A") + Split + Item.Replace("[StateType]", "[StateType(Shared = true)]"), V("Item? A") + Split + Item, "A = new() { X = 7 }"),
        new("`[KeepUnknown]` taken away", V("Item A", "new()") + Split + "[StateType] public sealed partial class Item { public int X { get; set; } [KeepUnknown] public SaveMap Rest { get; set; } = []; }", V("Item A", "new()") + Split + Item, "A = new() { X = 7, Rest = new SaveMap { [\"later\"] = 5 } }"),
        new("an adapter that converts otherwise", V("int A"), V("int A"), "A = 1") { IsUnseen = true },

        // Variants.
        new("a variant renamed", V("Act? A") + Split + Acts("go", "rest"), V("Act? A") + Split + Acts("walk", "rest"), "A = new Go { X = 1 }"),
        new("a variant's class renamed", V("Act? A") + Split + Acts("go", "rest"), V("Act? A") + Split + Acts("go", "rest").Replace("Go", "Walk"), "A = new Go { X = 1 }"),
        new("a variant removed", V("Act? A") + Split + Acts("go", "rest"), V("Act? A") + Split + Acts("go", "rest").Replace("SaveVariant(\"go\", typeof(Go)), ", ""), "A = new Go { X = 1 }"),
        new("the names of two variants exchanged", V("Act? A") + Split + Acts("go", "rest"), V("Act? A") + Split + Acts("rest", "go"), "A = new Go { X = 1 }"),
        new("a base of variants becomes an interface", V("Act? A") + Split + Acts("go", "rest"), V("IAct? A") + Split + Acts("go", "rest").Replace("[StateType, Save", "[StateType] public abstract partial class Act { public int X { get; set; } } [StateType, Save").Replace("public abstract partial class Act { public int X { get; set; } }\n", "public partial interface IAct;\n").Replace(": Act", ": Act, IAct"), "A = new Go { X = 1 }"),
        new("a plain type becomes the base of variants", V("Item? A") + Split + Item, V("Item? A") + Split + "[StateType, SaveVariant(\"plain\", typeof(Item))] public partial class Item { public int X { get; set; } }", "A = new() { X = 7 }"),

        // The save's own sections.
        new("a section of the save renamed", "Warden", "Keeper", "A = 2") { IsSection = true },

        // Scenes, and the sections of the game's parts.
        Scene("a kind renamed", G(), G(kind: "pole")),
        Scene("a kind renamed, with `FormerKind`", G(), G(kind: "pole", more: ".FormerKind(\"post\", \"pole\")")),
        Scene("a part renamed", G(), G(part: "fuel")),
        Scene("a part of another type", G(), G(type: "public int Y { get; set; }", take: "new P { Y = e.A }", put: "e.A = p.Y")),
        Scene("a scene renamed", G(), G(scene: "weir")),
        Scene("a section that `Register` names renamed", G(), G(section: "gale")),
        Scene("a section that `Register` names of another type", G(), G(wind: "public string Wind { get; set; } = \"0\";", set: "")),
    ];

    private static ShapeChangeRow Scene(string change, string before, string after) => new(change, before, after, "") { IsOfScenes = true };

    /// <summary>A game whose scene has one entity with one part, and whose weather has a section of its own.</summary>
    private static string G(string kind = "post", string part = "oil", string type = "public int X { get; set; }", string take = "new P { X = e.A }", string put = "e.A = p.X",
        string scene = "mill", string section = "weather", string wind = "public int Wind { get; set; }", string set = "Wind = 7", string more = "") =>
        $$"""
        [SaveFile("row#")] public sealed partial class Save : ISessionSave { public SceneArchive Scenes { get; } = new(); public SessionArchive Session { get; } = new(); }
        public sealed class World { public List<Ent> All { get; } = [new()]; }
        public sealed class Ent { public string Name => "one"; public int A; }
        [StateType] public sealed partial class P { {{type}} }
        [StateType] public sealed partial class Weather { {{wind}} }
        public static class Trial
        {
            public static SceneBindings<World> Bindings() => new SceneBindings<World>()
                .Kind("{{kind}}", w => w.All, k => k.Id(e => e.Name).Part("{{part}}", e => {{take}}, (e, p) => {{put}})){{more}};
            public static void Register(GameSession<Save, World> session) => session.Register("{{section}}", () => new Weather(), weather => { });
            public static byte[] Make()
            {
                var (save, world) = (new Save(), new World());
                world.All[0].A = 5;
                Bindings().Begin(world).CaptureTo(save.Scenes, "{{scene}}");
                save.Session.Put("{{section}}", new Weather { {{set}} });
                return StateFile.ToBytes(save, SaveForm.Json);
            }
            public static string Load(byte[] bytes)
            {
                var (save, world) = (StateFile.FromBytes<Save>(bytes), new World());
                Bindings().Begin(world).RestoreFrom(save.Scenes, "{{scene}}");
                return $"oil {world.All[0].A}, wind {(save.Session.Get<Weather>("{{section}}") ?? new Weather()).Wind}";
            }
            public static void Check(string ledger) =>
                SaveCompatibility.Of<Save>(ledger).WithScenes(Bindings()).WithSection<Weather>("{{section}}").WithSaves(41).Check();
        }
        """;

    private const string Item = "[StateType] public sealed partial class Item { public int X { get; set; } }";
    private const string Pouch = "[StateType] public sealed partial class Pouch<T> { public T? X { get; set; } }";
    private const string Other = "[StateType] public sealed partial class Other { public int X { get; set; } }";

    private static string V(string member, string initial = "") =>
        $"public {member} {{ get; set; }}{(initial.Length > 0 ? $" = {initial};" : "")} ";

    private static string Acts(string go, string rest) =>
        $$"""
        [StateType, SaveVariant("{{go}}", typeof(Go)), SaveVariant("{{rest}}", typeof(Rest))] public abstract partial class Act { public int X { get; set; } }
        [StateType] public sealed partial class Go : Act { }
        [StateType] public sealed partial class Rest : Act { }
        """;

    /// <summary>The source of a release of the game, without the change or with it.</summary>
    public static string Source(this ShapeChangeRow row, int number, bool isAfter)
    {
        if (row.IsOfScenes)
            return $"namespace Row{number}\n{{\n{(isAfter ? row.After : row.Before).Replace("row#", $"row{number}")}\n}}\n";
        var parts = (isAfter ? row.After : row.Before).Split(Split);
        var section = row.IsSection ? parts[0] : "Hero";
        var members = row.IsSection ? V("int A", "1") : parts[0];
        return $$"""
            namespace Row{{number}}
            {
                [SaveFile("row{{number}}")] public sealed partial class Save { public Hero {{section}} { get; set; } = {{New()}}; }
                [StateType] public sealed partial class Hero { {{members}} }
                {{(parts.Length > 1 ? parts[1] : "")}}
                public static class Trial
                {
                    public static Save Make() => {{(isAfter ? "throw new InvalidOperationException()" : $"Fill(new() {{ {section} = new() {{ {Saved(row)} }} }})")}};
                    private static Save Fill(Save save) { {{(row.Saved == "Fill = 1" ? "for (var i = 0; i < save.Hero.A.Length; i++) save.Hero.A[i] = i + 1;" : "")}} return save; }
                }
            }
            """;

        string New() => members.Contains("required", StringComparison.Ordinal) ? "null!" : "new()";
    }

    private static string Saved(ShapeChangeRow row) => row.Saved == "Fill = 1" ? "" : row.Saved;
}
