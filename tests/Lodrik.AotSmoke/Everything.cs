using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Drawing;
using System.Numerics;
using Lodrik.State;
using Lodrik.Tests.State;

namespace Lodrik.AotSmoke;

/// <summary>A save with something in every member.</summary>
internal static class Everything
{
    public static SampleSave Make()
    {
        var save = new SampleSave
        {
            Scalars = new Scalars
            {
                Bool = true,
                SByte = sbyte.MinValue,
                Byte = 200,
                Int16 = -3,
                UInt16 = 4,
                Int32 = int.MinValue,
                UInt32 = uint.MaxValue,
                Int64 = long.MaxValue,
                UInt64 = ulong.MaxValue,
                Int128 = Int128.MinValue,
                UInt128 = UInt128.MaxValue,
                BigInteger = BigInteger.Pow(7, 90),
                Half = (Half)1.5,
                Single = float.Epsilon,
                Double = -0.0,
                Decimal = 1.50m,
                Char = 'ß',
                Text = "grüße\0 🦢",
                Bytes = [1, 2, 3],
            },
            Values = new Values
            {
                Day = DayOfWeek.Friday,
                Access = FileAccess.ReadWrite,
                Guid = new Guid(1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11),
                DateTime = new(2031, 2, 3, 4, 5, 6, DateTimeKind.Utc),
                DateTimeOffset = new(2031, 2, 3, 4, 5, 6, TimeSpan.FromHours(2)),
                DateOnly = new(2031, 2, 3),
                TimeOnly = new(4, 5, 6),
                TimeSpan = TimeSpan.FromTicks(123456789),
                Uri = new("https://example.org/a"),
                Version = new(1, 2),
                MaybeInt = 5,
                Vector2 = new(1, 2),
                Vector3 = new(1, 2, 3),
                Quaternion = Quaternion.Identity,
                Matrix4x4 = Matrix4x4.Identity,
                Color = Color.SeaGreen,
                Point = new(1, 2),
                RectangleF = new(1, 2, 3, 4),
                Memory = new byte[] { 9 },
            },
            Collections = new Collections
            {
                Ints = [1, 2, 3],
                Doubles = [1.5, double.NaN],
                Longs = [ulong.MaxValue],
                Texts = ["a", null],
                Crates = [new("a", 1), new("b", 2)],
                Nested = [["x"], []],
                Set = ["s"],
                Sorted = [3, 1],
                Linked = new([true, false]),
                Queue = new(["q"]),
                Stack = new(["bottom", "top"]),
                Collection = [new("c", 3)],
                ByName = { ["n"] = new("d", 4), ["none"] = null },
                ByNumber = { [-7] = "seven" },
                ByDay = { [DayOfWeek.Monday] = 1.5f },
                ById = { [new Guid(1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11)] = [1] },
                ByTime = { [new(2031, 1, 1, 0, 0, 0, DateTimeKind.Utc)] = true },
            },
            Declarations = new Declarations { Required = "r", Init = "i", Field = 8, OddKey = 12, Inherited = "b", Letter = new Letter("the miller", 4), Box = new Box<int> { Label = "l", Size = 3 } },
            Made = new Made
            {
                ReadOnlyList = [new("a", 1)],
                Enumerable = [1, 2],
                List = ["l"],
                Set = new HashSet<int> { 4 },
                Map = new Dictionary<string, Crate> { ["m"] = new("m", 1) },
                Dictionary = new Dictionary<int, string> { [1] = "one" },
                Array = [1, 2],
                Immutable = ["i"],
                Hashed = ["h"],
                Sorted = [2, 1],
                Queue = ["q"],
                Stack = ["s", "t"],
                Entries = ImmutableDictionary<string, int>.Empty.Add("e", 1),
                SortedEntries = ImmutableSortedDictionary<int, string>.Empty.Add(1, "s"),
                Frozen = new[] { "f" }.ToFrozenSet(),
                FrozenEntries = new Dictionary<string, int> { ["f"] = 1 }.ToFrozenDictionary(),
                Concurrent = { ["c"] = 1 },
                Pair = (1, "p"),
                Triples = [(new("t", 1), 2.5, true)],
                Four = (1, 2, 3, 4),
                Five = ("a", [1], 2, 'c', new("f", 5)),
                Entry = new("k", 1),
                Grid = new int[2, 2] { { 1, 2 }, { 3, 4 } },
                Stacked = new Crate[1, 1, 1] { { { new("x", 1) } } },
                Tiles = new byte[1, 2] { { 1, 2 } },
            },
            Tree = new SaveList { 1, 1.0, "one", new SaveMap { ["a"] = true } },
        };
        save.Declarations.Change(21, 22);
        return save;
    }
}
