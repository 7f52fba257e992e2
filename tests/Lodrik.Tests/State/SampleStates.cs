using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Drawing;
using System.Numerics;
using CsCheck;
using Lodrik.State;

namespace Lodrik.Tests.State;

/// <summary>Random states, with the awkward values of every type among them.</summary>
public static class SampleStates
{
    private static readonly Gen<string> AnyText = Gen.OneOf(
        Gen.String,
        Gen.OneOf("", " ", "  two  ", "\0", "a\0b", "\r\n\t", "]]>", "<&>\"'", "\\u0000", "\\", "true", "-12", "1.0", "NaN", "0042", "grüße 潮 🦢", "\uFFFE", "\u0085\u2028"));

    private static readonly Gen<float> AnySingle = Gen.OneOf(
        Gen.Float, Gen.OneOf(0f, -0f, 1f, float.Epsilon, float.MaxValue, float.MinValue, float.NaN, float.PositiveInfinity, float.NegativeInfinity, 0.1f, 1e-40f));

    private static readonly Gen<double> AnyDouble = Gen.OneOf(
        Gen.Double, Gen.OneOf(0d, -0d, 1d, double.Epsilon, double.MaxValue, double.MinValue, double.NaN, double.PositiveInfinity, 1e300, 123456789012345680d));

    private static readonly Gen<Crate> AnyCrate = Gen.Select(AnyText, Gen.Int, (mark, weight) => new Crate(mark, weight));

    private static readonly Gen<DateTime> AnyTime = Gen.Select(
        Gen.Long[DateTime.MinValue.Ticks, DateTime.MaxValue.Ticks], Gen.OneOf(DateTimeKind.Utc, DateTimeKind.Unspecified), (ticks, kind) => new DateTime(ticks, kind));

    private static readonly Gen<BigInteger> AnyBig = Gen.Select(Gen.Byte.Array[0, 40], bytes => new BigInteger(bytes));

    public static Gen<SaveValue> AnyTree { get; } = Gen.Recursive<SaveValue>((depth, inner) => depth > 3
        ? Leaf
        : Gen.Frequency((4, Leaf), (1, inner.List[0, 4].Select(ToList)), (1, Gen.Select(AnyText, inner).List[0, 4].Select(ToMap))));

    public static Gen<SampleSave> Any { get; } = Gen.Select(AnyScalars(), AnyValues(), AnyCollections(), AnyDeclarations(), AnyTree,
        AnyMade(),
        (scalars, values, collections, declarations, tree, made) => new SampleSave
        {
            Made = made,
            Scalars = scalars,
            Values = values,
            Collections = collections,
            Declarations = declarations,
            Tree = tree,
        });

    // What every form tells apart by itself: a single and a decimal are not among them, text forms do not mark those.
    private static Gen<SaveValue> Leaf => Gen.OneOf(
        Gen.Const(SaveValue.Null),
        Gen.Bool.Select(value => (SaveValue)value),
        AnyBig.Select(value => (SaveValue)value),
        AnyText.Select(value => (SaveValue)value),
        AnyDouble.Where(double.IsFinite).Select(value => (SaveValue)value));

    private static SaveValue ToList(List<SaveValue> items)
    {
        var list = new SaveList();
        items.ForEach(list.Add);
        return list;
    }

    private static SaveValue ToMap(List<(string, SaveValue)> entries)
    {
        var map = new SaveMap();
        entries.ForEach(entry => map[entry.Item1] = entry.Item2);
        return map;
    }

    private static Gen<Scalars> AnyScalars() => Gen.Select(
        Gen.Select(Gen.Bool, Gen.SByte, Gen.Byte, Gen.Short, Gen.UShort, Gen.Int, Gen.UInt, Gen.Long),
        Gen.Select(Gen.ULong, Gen.ULong, AnyBig, AnySingle, AnyDouble, Gen.Decimal, Gen.Char, AnyText),
        Gen.Byte.Array[0, 20],
        (a, b, bytes) => new Scalars
        {
            Bool = a.Item1,
            SByte = a.Item2,
            Byte = a.Item3,
            Int16 = a.Item4,
            UInt16 = a.Item5,
            Int32 = a.Item6,
            UInt32 = a.Item7,
            Int64 = a.Item8,
            UInt64 = b.Item1,
            Int128 = new Int128(b.Item1, b.Item2),
            UInt128 = new UInt128(b.Item2, b.Item1),
            BigInteger = b.Item3,
            Half = (Half)b.Item4,
            Single = b.Item4,
            Double = b.Item5,
            Decimal = b.Item6,
            Char = b.Item7,
            Text = a.Item1 ? b.Item8 : null,
            Bytes = a.Item1 ? null : bytes,
        });

    private static Gen<Values> AnyValues() => Gen.Select(
        Gen.Select(AnyTime, Gen.Guid, Gen.Int, AnySingle, Gen.TimeSpan, Gen.DateOnly, Gen.TimeOnly),
        Gen.Select(AnySingle, AnySingle, Gen.Int[0, 6], Gen.Int[0, 3], Gen.Int),
        (a, b) => new Values
        {
            Day = (DayOfWeek)b.Item3,
            Access = (FileAccess)b.Item4,
            Guid = a.Item2,
            DateTime = a.Item1,
            DateTimeOffset = new DateTimeOffset(Math.Clamp(a.Item1.Ticks, TimeSpan.TicksPerDay, DateTime.MaxValue.Ticks - TimeSpan.TicksPerDay), TimeSpan.FromMinutes(a.Item3 % 600)),
            DateOnly = a.Item6,
            TimeOnly = a.Item7,
            TimeSpan = a.Item5,
            Uri = a.Item3 > 0 ? new Uri($"https://example.org/{a.Item3}?x=1") : null,
            Version = new Version(1, Math.Abs(a.Item3 % 100)),
            MaybeInt = a.Item3 > 0 ? a.Item3 : null,
            MaybeTime = a.Item3 < 0 ? a.Item1 : null,
            Vector2 = new(a.Item4, b.Item1),
            Vector3 = new(b.Item1, b.Item2, a.Item4),
            Vector4 = new(a.Item4, 0, 1, b.Item2),
            Quaternion = new(0, 1, a.Item4, b.Item1),
            Plane = new(1, 0, 0, b.Item2),
            Matrix3x2 = new(1, 2, 3, 4, 5, a.Item4),
            Matrix4x4 = Matrix4x4.CreateTranslation(1, 2, 3) with { M11 = b.Item1 },
            Color = a.Item3 % 2 == 0 ? Color.FromArgb(b.Item5) : Color.SeaGreen,
            Point = new(a.Item3, b.Item5),
            PointF = new(a.Item4, b.Item2),
            Size = new(b.Item5, a.Item3),
            SizeF = new(b.Item1, b.Item2),
            Rectangle = new(1, 2, a.Item3, b.Item5),
            RectangleF = new(a.Item4, 2, 3, b.Item1),
            Memory = BitConverter.GetBytes(a.Item3),
        });

    private static Gen<Collections> AnyCollections() => Gen.Select(
        Gen.Select(Gen.Int.Array, AnyDouble.List[0, 20], Gen.ULong.Array[0, 20], AnyText.Array[0, 8], AnyCrate.List[0, 12]),
        Gen.Select(AnyText.List[0, 4].List[0, 4], AnyText.HashSet[0, 6], Gen.Int.HashSet[0, 6], Gen.Bool.List[0, 6]),
        Gen.Select(Gen.Dictionary(AnyText, AnyCrate)[0, 6], Gen.Dictionary(Gen.Int, AnyText)[0, 6], Gen.Dictionary(Gen.Guid, Gen.Int.Array[0, 3])[0, 3], Gen.Dictionary(AnyTime, Gen.Bool)[0, 3]),
        (a, b, c) => new Collections
        {
            Ints = a.Item1,
            Doubles = a.Item2,
            Longs = a.Item3,
            Texts = a.Item4,
            Crates = a.Item5,
            Nested = b.Item1,
            Set = b.Item2,
            Sorted = new(b.Item3),
            Linked = new(b.Item4),
            Queue = new(a.Item4),
            Stack = new(a.Item4),
            Collection = new(a.Item5),
            ByName = c.Item1.ToDictionary(pair => pair.Key, pair => pair.Value.Weight % 3 == 0 ? null : (Crate?)pair.Value),
            ByNumber = c.Item2,
            ByDay = new() { [DayOfWeek.Friday] = 1.5f, [(DayOfWeek)a.Item5.Count] = -0f },
            ById = c.Item3,
            ByTime = c.Item4,
        });

    private static Gen<Made> AnyMade() => Gen.Select(AnyCrate.List[0, 9], Gen.Int.HashSet[0, 6], AnyText.HashSet[0, 6], Gen.Bool, (crates, numbers, texts, some) => new Made
    {
        ReadOnlyList = crates,
        Enumerable = numbers.Select(number => number / 2),
        List = [.. texts],
        Set = numbers,
        Map = crates.DistinctBy(crate => crate.Mark).ToDictionary(crate => crate.Mark),
        Dictionary = numbers.ToDictionary(number => number, number => $"{number}"),
        Array = some ? [.. numbers] : default,
        Immutable = [.. texts],
        Hashed = [.. texts],
        Sorted = [.. numbers],
        Queue = [.. texts],
        Stack = [.. texts],
        Entries = texts.ToImmutableDictionary(text => text, text => text.Length),
        SortedEntries = numbers.ToImmutableSortedDictionary(number => number, number => $"{number}"),
        Frozen = texts.ToFrozenSet(),
        FrozenEntries = texts.ToFrozenDictionary(text => text, text => text.Length),
        Concurrent = new(texts.Select(text => new KeyValuePair<string, int>(text, text.Length))),
        Pair = (numbers.Count, texts.FirstOrDefault("")),
        Triples = crates.ConvertAll(crate => (crate, crate.Weight / 3.0, some)),
        Four = some ? (1, -2, 3, int.MinValue) : null,
        Five = (some ? "a" : null, some ? [.. numbers] : null, 7, 'x', some && crates.Count > 0 ? crates[0] : null),
        Entry = new("k", numbers.Count),
        Grid = some ? Fill(new int[2, 3], numbers.Count) : null,
        Stacked = some ? null : new Crate[1, 2, 1] { { { new("a", 1) }, { new("b", 2) } } },
        Tiles = some ? new byte[2, 2] { { 1, 2 }, { 3, 255 } } : new byte[0, 3],
    });

    private static int[,] Fill(int[,] grid, int from)
    {
        for (var i = 0; i < grid.Length; i++)
            grid[i / 3, i % 3] = from + (i * 1000);
        return grid;
    }

    private static Gen<Declarations> AnyDeclarations() => Gen.Select(AnyText, Gen.Int, AnyText.List[0, 3], (text, number, texts) =>
    {
        var declarations = new Declarations
        {
            Required = text,
            Init = text,
            Field = number,
            OddKey = number,
            Inherited = text,
            Letter = new Letter(text, number),
            Box = number > 0 ? new Box<int> { Label = text, Size = number } : null,
            Hovering = number,
        };
        declarations.Change(number, -number);
        declarations.GetOnly.Clear();
        declarations.GetOnly.AddRange(texts);
        return declarations;
    });
}
