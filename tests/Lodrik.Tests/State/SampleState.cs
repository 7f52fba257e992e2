using System.Collections.Concurrent;
using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Collections.ObjectModel;
using System.Drawing;
using System.Numerics;
using Lodrik.Inspection;
using Lodrik.State;

namespace Lodrik.Tests.State;

/// <summary>A member of every type that can be saved, and every way of declaring one.</summary>
[SaveFile("lodrik-tests", Version = 3)]
public sealed partial class SampleSave
{
    public Scalars Scalars { get; set; } = new();

    public Values Values { get; set; } = new();

    public Collections Collections { get; set; } = new();

    public Declarations Declarations { get; set; } = new() { Required = "" };

    public Made Made { get; set; } = new();

    public SaveValue Tree { get; set; } = SaveValue.Null;

    /// <summary>The whole save as trees, for comparing two by content.</summary>
    public SaveMap Content() => SavedFile.FromBytes(StateFile.ToBytes(this, SaveForm.Binary)).ReadTree();
}

[StateType]
public sealed partial class Scalars
{
    public bool Bool { get; set; }
    public sbyte SByte { get; set; }
    public byte Byte { get; set; }
    public short Int16 { get; set; }
    public ushort UInt16 { get; set; }
    public int Int32 { get; set; }
    public uint UInt32 { get; set; }
    public long Int64 { get; set; }
    public ulong UInt64 { get; set; }
    public Int128 Int128 { get; set; }
    public UInt128 UInt128 { get; set; }
    public BigInteger BigInteger { get; set; }
    public Half Half { get; set; }
    public float Single { get; set; }
    public double Double { get; set; }
    public decimal Decimal { get; set; }
    public char Char { get; set; } = 'x';
    public string? Text { get; set; } = "";
    public byte[]? Bytes { get; set; }
}

[StateType]
public sealed partial class Values
{
    public DayOfWeek Day { get; set; }
    public FileAccess Access { get; set; }
    public Guid Guid { get; set; }
    public DateTime DateTime { get; set; }
    public DateTimeOffset DateTimeOffset { get; set; }
    public DateOnly DateOnly { get; set; }
    public TimeOnly TimeOnly { get; set; }
    public TimeSpan TimeSpan { get; set; }
    public Uri? Uri { get; set; }
    public Version? Version { get; set; }
    public int? MaybeInt { get; set; }
    public DateTime? MaybeTime { get; set; }
    public Vector2 Vector2 { get; set; }
    public Vector3 Vector3 { get; set; }
    public Vector4 Vector4 { get; set; }
    public Quaternion Quaternion { get; set; }
    public Plane Plane { get; set; }
    public Matrix3x2 Matrix3x2 { get; set; }
    public Matrix4x4 Matrix4x4 { get; set; }
    public Color Color { get; set; }
    public Point Point { get; set; }
    public PointF PointF { get; set; }
    public System.Drawing.Size Size { get; set; }
    public SizeF SizeF { get; set; }
    public Rectangle Rectangle { get; set; }
    public RectangleF RectangleF { get; set; }
    public Memory<byte> Memory { get; set; }
}

[StateType]
public sealed partial class Collections
{
    public int[]? Ints { get; set; }
    public List<double> Doubles { get; set; } = [];
    public ulong[] Longs { get; set; } = [];
    public string?[] Texts { get; set; } = [];
    public List<Crate> Crates { get; set; } = [];
    public List<List<string>> Nested { get; set; } = [];
    public HashSet<string> Set { get; set; } = [];
    public SortedSet<int> Sorted { get; set; } = [];
    public LinkedList<bool> Linked { get; set; } = [];
    public Queue<string> Queue { get; set; } = [];
    public Stack<string> Stack { get; set; } = [];
    public Collection<Crate> Collection { get; set; } = [];
    public Dictionary<string, Crate?> ByName { get; set; } = [];
    public Dictionary<int, string> ByNumber { get; set; } = [];
    public SortedDictionary<DayOfWeek, float> ByDay { get; set; } = [];
    public Dictionary<Guid, int[]> ById { get; set; } = [];
    public Dictionary<DateTime, bool> ByTime { get; set; } = [];
}

/// <summary>Collections that are made anew when they are loaded, tuples, and arrays of more dimensions.</summary>
[StateType]
public sealed partial class Made
{
    public IReadOnlyList<Crate> ReadOnlyList { get; set; } = [];
    public IEnumerable<int> Enumerable { get; set; } = [];
    public IList<string> List { get; set; } = [];
    public ISet<int> Set { get; set; } = new HashSet<int>();
    public IReadOnlyDictionary<string, Crate> Map { get; set; } = new Dictionary<string, Crate>();
    public IDictionary<int, string> Dictionary { get; set; } = new Dictionary<int, string>();
    public ImmutableArray<int> Array { get; set; }
    public ImmutableList<string> Immutable { get; set; } = [];
    public ImmutableHashSet<string> Hashed { get; set; } = [];
    public ImmutableSortedSet<int> Sorted { get; set; } = [];
    public ImmutableQueue<string> Queue { get; set; } = [];
    public ImmutableStack<string> Stack { get; set; } = [];
    public ImmutableDictionary<string, int> Entries { get; set; } = ImmutableDictionary<string, int>.Empty;
    public ImmutableSortedDictionary<int, string> SortedEntries { get; set; } = ImmutableSortedDictionary<int, string>.Empty;
    public FrozenSet<string> Frozen { get; set; } = FrozenSet<string>.Empty;
    public FrozenDictionary<string, int> FrozenEntries { get; set; } = FrozenDictionary<string, int>.Empty;
    public ConcurrentDictionary<string, int> Concurrent { get; set; } = [];
    public (int Row, string Name) Pair { get; set; }
    public List<(Crate, double, bool)> Triples { get; set; } = [];
    public (int, int, int, int)? Four { get; set; }
    public (string?, int[]?, byte, char, Crate?) Five { get; set; }
    public KeyValuePair<string, int> Entry { get; set; } = new("", 0);
    public int[,]? Grid { get; set; }
    public Crate[,,]? Stacked { get; set; }
    public byte[,] Tiles { get; set; } = new byte[0, 3];
}

[StateType]
public partial record struct Crate(string Mark, int Weight);

/// <summary>Ways of declaring members.</summary>
[StateType]
public sealed partial class Declarations : DeclarationsBase
{
    public required string Required { get; set; }
    public string Init { get; init; } = "init";
    public int PrivateSetter { get; private set; } = 5;
    public List<string> GetOnly { get; } = ["first"];
    public int[] Pockets { get; } = [1, 2, 3];
    public Crate[] Stalls { get; } = [new("a", 1), new("b", 2)];
    public int Field = 7;
    [Saved("lamp")] private int _oil = 9;
    [Saved("odd key / with ~ and \"")] public int OddKey { get; set; } = 11;
    [NotSaved] public int Hovering { get; set; } = 13;
    public Letter Letter { get; set; } = new("nobody", 1);
    public Box<int>? Box { get; set; }
    public int Computed => Field + 1;

    public int Oil => _oil;

    public void Change(int oil, int privateSetter) => (_oil, PrivateSetter) = (oil, privateSetter);
}

public abstract class DeclarationsBase
{
    public string Inherited { get; set; } = "inherited";
}

[StateType]
public sealed partial record Letter(string To, int Pages = 3);

[StateType]
public sealed partial class Box<T> where T : struct
{
    public string Label { get; init; } = "box";
    public int Size { get; set; }
}
