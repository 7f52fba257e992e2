using System.Globalization;
using System.Text;

namespace Lodrik.Generator.Tests;

/// <summary>
/// Makes up state types as C# source: members of every kind, classes, records and structs with and without constructors, nested, derived and
/// generic ones, variants. Each has a method that makes a random object.
/// </summary>
/// <param name="seed">The same seed makes the same types.</param>
/// <param name="refused">The type of one member somewhere, which cannot be saved; null for none.</param>
internal sealed class RandomTypes(int seed, string? refused = null)
{
    // Names that generated code uses itself, and words of the language.
    private static readonly string[] Names =
    [
        "Level", "HP", "Value", "Reader", "Writer", "Key", "Keys", "Rows", "Seen", "Made", "Copy", "Into", "Context", "Member", "Initial", "Old", "Item", "Items",
        "IsNew", "IsLate", "Start", "Sections", "Variants", "Column0", "Value0", "Has0", "Class", "Event", "Object", "Default", "Null", "One", "Other", "State", "Root",
        "Boolean", "Int32", "List", "Type", "System", "Lodrik", "Data", "_under", "Über", "Create", "Recreate", "Params", "Field", "Base", "Self",
    ];

    private static readonly (string Type, string Value)[] Scalars =
    [
        ("bool", "r.Next(2) == 0"), ("byte", "(byte)r.Next(256)"), ("sbyte", "(sbyte)r.Next(-128, 128)"), ("short", "(short)r.Next(-9, 9)"), ("ushort", "(ushort)r.Next(9)"),
        ("int", "r.Next()"), ("uint", "(uint)r.Next()"), ("long", "r.NextInt64()"), ("ulong", "(ulong)r.NextInt64()"), ("Int128", "(Int128)r.NextInt64()"), ("float", "r.NextSingle()"),
        ("double", "r.NextDouble()"), ("decimal", "(decimal)r.NextDouble()"), ("char", "(char)r.Next(32, 99)"), ("string", "Text(r)"), ("DayOfWeek", "(DayOfWeek)r.Next(7)"),
        ("Guid", "new Guid(r.Next(), 1, 2, 3, 4, 5, 6, 7, 8, 9, 10)"), ("DateTime", "new DateTime(r.NextInt64(1000000), DateTimeKind.Utc)"), ("TimeSpan", "TimeSpan.FromTicks(r.NextInt64())"),
        ("DateOnly", "DateOnly.FromDayNumber(r.Next(9999))"), ("Vector2", "new Vector2(r.NextSingle(), 2)"), ("BigInteger", "new BigInteger(r.NextInt64())"), ("byte[]", "new byte[] { 1, (byte)r.Next(9) }"),
        ("Spot", "new Spot { X = r.NextSingle(), Y = 2 }"), ("Spots", "new Spots { A = new Spot { Y = 1 }, N = r.Next(2) == 0 ? null : 3, Word = Text(r) }"), ("Half", "(Half)r.Next(9)"), ("Mood", "(Mood)r.Next(3)"), ("Version", "new Version(1, r.Next(9))"),
    ];

    private static readonly string[] KeyTypes = ["string", "int", "DayOfWeek", "Guid", "long", "Mood"];

    private readonly Random _random = new(seed);
    private readonly StringBuilder _source = new();
    private readonly List<string> _types = [];
    private readonly List<string> _bases = [];
    private readonly List<string> _membersOnly = [];
    private string? _refused = refused;

    /// <summary>The source of so many types, and of what tries them.</summary>
    public string Source(int count)
    {
        _source.Append("[assembly: SaveFields(typeof(Made.Spot), typeof(Made.Spots))]\nnamespace Made;\npublic struct Spot { public float X, Y; public float Length { get => X; set => X = value; } }\npublic struct Spots { public Spot A; public int? N; public string? Word { get; init; } }\npublic enum Mood { Calm, Cross, Wary }\n");
        for (var i = 0; i < count; i++)
            Add(i);
        if (_refused is not null)
            _source.Append(CultureInfo.InvariantCulture, $"[StateType] public partial class Last {{ public {_refused}? Refused {{ get; set; }} }}\n");
        _source.Append("public static class Trials {\n  public static string Text(Random r) => r.Next(5) == 0 ? \"\" : \"t\" + r.Next();\n");
        _source.Append("  public static List<T> Some<T>(Random r, Func<T> one) => Enumerable.Range(0, r.Next(4) == 0 ? 20 : r.Next(4)).Select(_ => one()).ToList();\n");
        _source.Append("  public static IEnumerable<(string, Func<Random, string?>)> All() {\n");
        for (var i = 0; i < _types.Count; i++)
        {
            _source.Append(CultureInfo.InvariantCulture, $"    yield return (\"{_types[i]}\", r => global::Lodrik.Generator.Tests.TypeTrial.Of<{_types[i]}, Many{i}>({MakerOf(_types[i])}(r), ");
            _source.Append(CultureInfo.InvariantCulture, $"new Many{i} {{ All = Enumerable.Range(0, 30).Select(_ => {MakerOf(_types[i])}(r)).ToList() }}, many => many.All));\n");
        }
        _source.Append("  }\n}\n");
        for (var i = 0; i < _types.Count; i++)
            _source.Append(CultureInfo.InvariantCulture, $"[StateType] public sealed partial class Many{i} {{ public List<{_types[i]}> All {{ get; set; }} = []; }}\n");
        return _source.ToString();
    }

    private static string MakerOf(string name) => $"Make{string.Concat(name.Select(c => char.IsLetterOrDigit(c) ? $"{c}" : c is ' ' ? "" : $"_{(int)c}"))}.New";

    private void Add(int number)
    {
        var name = $"T{number}";
        var members = Members(_random.Next(7));
        var style = _random.Next(10);
        var maker = new StringBuilder();
        var nested = _random.Next(8) == 0;
        var isStruct = style is 3 or 4 or 5;
        if (nested)
            _source.Append(CultureInfo.InvariantCulture, $"public partial class Outer{number} {{\n");
        var full = nested ? $"Outer{number}.{name}" : name;
        switch (style)
        {
            case 0 or 1 when members.Count > 0: // a record, or one of values
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public partial record {name}({Parameters(members, isRecord: true)});\n");
                maker.Append(CultureInfo.InvariantCulture, $"new {full}({Arguments(members)})");
                break;
            case 2 when members.Count > 0: // a class with a constructor
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public sealed partial class {name}({Parameters(members)}) {{\n");
                foreach (var (member, type, _) in members)
                    _source.Append(CultureInfo.InvariantCulture, $"  public {(_random.Next(3) == 0 ? $"readonly {type} {member}" : $"{type} {member} {{ get; }}")} = {Parameter(member)};\n");
                _source.Append("  public int Extra { get; set; }\n}\n");
                maker.Append(CultureInfo.InvariantCulture, $"new {full}({Arguments(members)}) {{ Extra = r.Next() }}");
                break;
            case 3 when members.Count > 0:
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public readonly partial record struct {name}({Parameters(members, isRecord: true)});\n");
                maker.Append(CultureInfo.InvariantCulture, $"new {full}({Arguments(members)})");
                break;
            case 4 when members.Count > 0:
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public readonly partial struct {name} {{\n  public {name}({Parameters(members)}) {{ {string.Concat(members.Select(one => $"this.{one.Name} = {Parameter(one.Name)}; "))}}}\n");
                foreach (var (member, type, _) in members)
                    _source.Append(CultureInfo.InvariantCulture, $"  public {type} {member} {{ get; }}\n");
                _source.Append("  public int Extra { get; init; }\n}\n");
                maker.Append(CultureInfo.InvariantCulture, $"new {full}({Arguments(members)}) {{ Extra = r.Next() }}");
                break;
            case 6 when _bases.Count > 0 && !nested: // a derived class
                var above = _bases[_random.Next(_bases.Count)];
                members = [.. members.Select(one => (one.Name + "D", one.Type, one.Value))];
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public partial class {name} : {above} {{\n");
                Body(members);
                maker.Append(CultureInfo.InvariantCulture, $"new {full} {{ {Initializers(members)} }}");
                break;
            case 7 when !nested && _random.Next(2) == 0: // an interface with variants
                _source.Append(CultureInfo.InvariantCulture, $"[StateType, SaveVariant(\"a\", typeof({name}A)), SaveVariant(\"b\", typeof({name}B))] public partial interface {name} {{ int Common {{ get; }} }}\n");
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public sealed partial class {name}A : {name} {{ public int Common {{ get; set; }}\n");
                Body(members);
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public readonly partial record struct {name}B(string Called, int Common) : {name};\n");
                maker.Append(CultureInfo.InvariantCulture, $"r.Next(2) == 0 ? new {name}A {{ Common = 3, {Initializers(members)} }} : new {name}B(Trials.Text(r), r.Next())");
                break;
            case 7 when !nested: // a base with variants
                _source.Append(CultureInfo.InvariantCulture, $"[StateType, SaveVariant(\"a\", typeof({name}A)), SaveVariant(\"b\", typeof({name}B))] public abstract partial class {name} {{ public int Common {{ get; set; }} }}\n");
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public sealed partial class {name}A : {name} {{\n");
                Body(members);
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public sealed partial class {name}B(string called) : {name} {{ public string Called {{ get; }} = called; }}\n");
                maker.Append(CultureInfo.InvariantCulture, $"r.Next(2) == 0 ? new {name}A {{ Common = 3, {Initializers(members)} }} : new {name}B(Trials.Text(r)) {{ Common = r.Next() }}");
                break;
            case 8 when !nested && _random.Next(3) > 0: // a generic type with members of its parameter's type, and one that is derived from it
                var (argument, value) = AnyType(1);
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public {(_random.Next(2) == 0 ? "" : "abstract ")}partial class {name}Base<TOne> {{ public TOne A = default!; public TOne[] B {{ get; init; }} = []; public List<TOne> C {{ get; }} = []; [Saved] public Dictionary<string, TOne> D {{ get; private set; }} = []; public void Set(Dictionary<string, TOne> d) => D = d; }}\n");
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public partial class {name}Of<TOne>(TOne only) : {name}Base<TOne> {{ public TOne Only {{ get; }} = only; }}\n");
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public partial class {name} : {name}Base<{argument}> {{\n");
                Body([.. members.Select(one => (one.Name + "D", one.Type, one.Value))]);
                _source.Append(CultureInfo.InvariantCulture, $"public static class Give{name} {{ public static T To<T>(T to, Random r, Func<{argument}> one) where T : {name}Base<{argument}> {{ to.C.AddRange(Trials.Some(r, one)); to.Set(Trials.Some(r, one).Select((v, i) => (v, i)).ToDictionary(p => \"k\" + p.i, p => p.v)); return to; }} }}\n");
                var given = $"A = {value}, B = Some<{argument}>(r, () => {value}).ToArray()";
                maker.Append(CultureInfo.InvariantCulture, $"Give{name}.To(new {name} {{ {given}{string.Concat(members.Select(one => $", {one.Name}D = {one.Value}"))} }}, r, () => {value})");
                _source.Append(CultureInfo.InvariantCulture, $"public static class {MakerOf($"{name}Of<{argument}>")[..^4]} {{ static string Text(Random r) => Trials.Text(r); static List<T> Some<T>(Random r, Func<T> one) => Trials.Some(r, one); public static {name}Of<{argument}> New(Random r) => Give{name}.To(new {name}Of<{argument}>({value}) {{ {given} }}, r, () => {value}); }}\n");
                _membersOnly.Add($"{name}Of<{argument}>");
                break;
            case 8 when !nested: // a generic type, with an argument that can be saved
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public sealed partial class {name}Of<TOne> where TOne : notnull {{\n");
                Body(members);
                name += "Of<int>";
                full = name;
                maker.Append(CultureInfo.InvariantCulture, $"new {full} {{ {Initializers(members)} }}");
                break;
            default:
                isStruct = style == 5;
                _source.Append(CultureInfo.InvariantCulture, $"[StateType] public partial {(isStruct ? "struct" : "class")} {name} {{\n{(isStruct ? $"  public {name}() {{ }}\n" : "")}");
                Body(members);
                maker.Append(CultureInfo.InvariantCulture, $"new {full} {{ {Initializers(members)} }}");
                if (!isStruct && !nested)
                    _bases.Add(name);
                break;
        }
        if (nested)
            _source.Append("}\n");
        var make = MakerOf(full);
        _source.Append(CultureInfo.InvariantCulture, $"public static class {make[..^4]} {{ static string Text(Random r) => Trials.Text(r); static List<T> Some<T>(Random r, Func<T> one) => Trials.Some(r, one); public static {full} New(Random r) => {maker}; }}\n");
        _types.Add(full);
    }

    private List<(string Name, string Type, string Value)> Members(int count)
    {
        var members = new List<(string, string, string)>();
        var names = Names.OrderBy(_ => _random.Next()).ToList();
        for (var i = 0; i < count; i++)
        {
            var (type, value) = AnyType(2);
            members.Add((names[i], type, value));
        }
        return members;
    }

    private (string Type, string Value) AnyType(int depth)
    {
        var refused = _refused;
        var type = MakeType(depth);
        // A type that was made as an item may have come to nothing: a set has keys.
        if (refused is not null && !type.Type.Contains(refused, StringComparison.Ordinal))
            _refused = refused;
        return type;
    }

    private (string Type, string Value) MakeType(int depth)
    {
        var choice = _random.Next(depth > 0 ? 20 : 9);
        if (_refused is { } refused && _random.Next(15) == 0)
        {
            _refused = null;
            return (refused, $"({refused})default!");
        }
        if (choice < 7)
            return Scalars[_random.Next(Scalars.Length)];
        if (choice == 7)
        {
            var (type, value) = Scalars[_random.Next(Scalars.Length)];
            return (type + "?", $"(r.Next(3) == 0 ? null : ({type}?)({value}))");
        }
        if (choice is 8 or 9 && _types.Count > 0)
        {
            var known = _membersOnly.Count > 0 && _random.Next(3) == 0 ? _membersOnly : _types;
            var name = known[_random.Next(known.Count)];
            return _random.Next(3) == 0 ? ($"{name}?", $"(r.Next(3) == 0 ? null : ({name}?)({MakerOf(name)}(r)))") : (name, $"{MakerOf(name)}(r)");
        }
        if (depth == 0)
            return Scalars[_random.Next(Scalars.Length)];
        var (item, one) = AnyType(depth - 1);
        var keyType = KeyTypes[_random.Next(KeyTypes.Length)];
        var (key, keyValue) = Scalars.First(scalar => scalar.Type == keyType);
        var scalarItem = Scalars[_random.Next(Scalars.Length)];
        return _random.Next(14) switch
        {
            0 or 1 => ($"List<{item}>", $"Some<{item}>(r, () => {one})"),
            // An array of arrays has its own brackets last: those of a nullable item cannot be written so.
            2 when !item.EndsWith('?') && !item.Contains('[', StringComparison.Ordinal) => _random.Next(3) switch
            {
                0 => ($"{item}[][]", $"Some<{item}[]>(r, () => Some<{item}>(r, () => {one}).ToArray()).ToArray()"),
                1 => ($"{item}[,]", $"new {item}[,] {{ {{ {one}, {one} }}, {{ {one}, {one} }} }}"),
                _ => ($"{item}[]", $"Some<{item}>(r, () => {one}).ToArray()"),
            },
            2 when !item.TrimEnd('?').EndsWith(']') => ($"{item}[]", $"Some<{item}>(r, () => {one}).ToArray()"),
            3 => ($"HashSet<{key}>", $"Some<{key}>(r, () => {keyValue}).ToHashSet()"),
            4 => ($"Queue<{item}>", $"new Queue<{item}>(Some<{item}>(r, () => {one}))"),
            5 => ($"Stack<{item}>", $"new Stack<{item}>(Some<{item}>(r, () => {one}))"),
            6 or 7 => ($"Dictionary<{key}, {item}>", $"Some<{key}>(r, () => {keyValue}).Distinct().ToDictionary(k => k, k => {one})"),
            8 => ($"SortedDictionary<{key}, {item}>", $"new SortedDictionary<{key}, {item}>(Some<{key}>(r, () => {keyValue}).Distinct().ToDictionary(k => k, k => {one}))"),
            9 => ($"IReadOnlyList<{item}>", $"(IReadOnlyList<{item}>)Some<{item}>(r, () => {one})"),
            10 => ($"System.Collections.Immutable.ImmutableList<{item}>", $"System.Collections.Immutable.ImmutableList.CreateRange(Some<{item}>(r, () => {one}))"),
            12 => ($"Lodrik.State.SaveLog<{item}>", $"new Lodrik.State.SaveLog<{item}>(Some<{item}>(r, () => {one}))"),
            11 => ($"({item} First, {scalarItem.Type} Second)", $"(({item})({one}), ({scalarItem.Type})({scalarItem.Value}))"),
            _ => ($"KeyValuePair<{key}, {item}>", $"new KeyValuePair<{key}, {item}>({keyValue}, {one})"),
        };
    }

    private void Body(List<(string Name, string Type, string Value)> members)
    {
        foreach (var (name, type, _) in members)
        {
            _source.Append(_random.Next(6) switch
            {
                0 => $"  public {type} {name} {{ get; init; }} = default!;\n",
                1 => $"  public {type} {name} = default!;\n",
                3 => $"  private {type} __{name} = default!; public {type} {name} {{ get => __{name}; set => __{name} = value; }}\n",
                2 => $"  [Saved(\"k{name.Length}{name}\")] public {type} {name} {{ get; set; }} = default!;\n",
                _ => $"  public {type} {name} {{ get; set; }} = default!;\n",
            });
        }
        _source.Append("}\n");
    }

    private static string Parameter(string member) => "@" + member.TrimStart('_').ToLowerInvariant();

    private static string Parameters(List<(string Name, string Type, string Value)> members, bool isRecord = false) =>
        string.Join(", ", members.Select(one => $"{one.Type} {(isRecord ? one.Name : Parameter(one.Name))}"));

    private static string Arguments(List<(string Name, string Type, string Value)> members) => string.Join(", ", members.Select(one => one.Value));

    private static string Initializers(List<(string Name, string Type, string Value)> members) => string.Join(", ", members.Select(one => $"{one.Name} = {one.Value}"));
}
