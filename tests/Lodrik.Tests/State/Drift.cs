using System.Numerics;
using CsCheck;
using Lodrik.Inspection;
using Lodrik.State;

namespace Lodrik.Tests.State;

/// <summary>A beach full of things: lists long enough to be laid out in columns, of rows with members of every sort.</summary>
[SaveFile("lodrik-drift")]
public sealed partial class DriftSave
{
    public List<Flotsam> Items { get; set; } = [];
    public Flotsam?[] Gaps { get; set; } = [];
    public Dictionary<string, Flotsam?> ByName { get; set; } = [];
    public List<Shell> Shells { get; set; } = [];
    public HashSet<Shell> Rare { get; set; } = [];
    public List<Creature?> Creatures { get; set; } = [];
    public List<Vector3> Tracks { get; set; } = [];
    public List<List<int>> Heaps { get; set; } = [];
    public Queue<Shell> Washed { get; set; } = [];
    public SaveValue Notes { get; set; } = SaveValue.Null;

    /// <summary>The whole save as trees, by way of JSON, where there are no columns.</summary>
    public SaveMap Content() => SavedFile.FromBytes(StateFile.ToBytes(this, SaveForm.Json)).ReadTree();

    /// <summary>A save with lists of about that many items.</summary>
    public static Gen<DriftSave> Of(Gen<int> length) => Gen.Select(length, Gen.Int[0, 3], Gen.Int).Select((count, phase, seed) =>
    {
        // What a column has changes on the way, so that its width, its sort and its way of writing text change too.
        var random = new Random(seed);
        var turn = random.Next(count + 1);
        var save = new DriftSave();
        for (var i = 0; i < count; i++)
        {
            var item = Flotsam.Make(random, i < turn ? phase : 3 - phase, i);
            save.Items.Add(item);
            save.ByName[$"{(phase == 1 ? "item" : item.Name)}/{i}"] = random.Next(8) == 0 && i >= turn ? null : item;
            save.Shells.Add(new Shell(item.Name, item.Count, item.X));
            save.Rare.Add(new Shell($"rare {i % 90}", i % 3, 0.5f));
            save.Tracks.Add(new Vector3(item.X, i, -i));
            save.Heaps.Add([.. item.Marks]);
            save.Washed.Enqueue(new Shell(item.Note ?? "", i, item.X));
            save.Creatures.Add((i % 5, phase) switch
            {
                (0, 1) => null,
                (1 or 2, _) => new Heron { Name = item.Name, Wingspan = item.X },
                (3, _) => new Crab { Name = item.Name, Claws = i },
                _ => new Creature { Name = item.Name },
            });
        }
        save.Gaps = [.. save.Items.Select((item, i) => i >= turn && i % 3 == 0 ? null : item)];
        save.Notes = Tree(random, count, phase);
        return save;
    });

    private static SaveList Tree(Random random, int count, int phase)
    {
        var list = new SaveList();
        for (var i = 0; i < count; i++)
        {
            var map = new SaveMap { ["a"] = i, ["b"] = random.Next(3) == 0 ? SaveValue.Null : $"{i % 9}" };
            if (i % 7 == phase)
                map["c"] = new SaveList { 1.5, "x" };
            if (i % 11 == phase)
                map[$"odd {i}"] = BigInteger.Pow(7, i % 60);
            list.Add(phase == 2 && i % 4 == 0 ? new SaveList { i, map } : map);
        }
        return list;
    }
}

[StateType]
public sealed partial class Flotsam
{
    public required int Count { get; set; }
    public long Serial { get; set; }
    public ulong Mask { get; set; }
    public sbyte Tide { get; set; }
    public string Name { get; set; } = "";
    public string? Note { get; set; } = "none";
    public float X { get; init; }
    public double Worth { get; set; }
    public bool Wet { get; set; }
    public DayOfWeek Day { get; set; }
    public decimal Price { get; set; }
    public BigInteger Age { get; set; }
    public char Mark { get; set; }
    public byte[]? Stamp { get; set; }
    public DateTime Found { get; set; }
    public int? Owner { get; set; }
    public Vector2? Place { get; set; }
    public int[] Marks { get; set; } = [];
    public float[] Weights { get; set; } = [];
    public List<string> Labels { get; } = [];
    public Shell Shell { get; set; }
    public Flotsam? Inside { get; set; }
    public List<Flotsam> Under { get; set; } = [];
    public Dictionary<string, int> Tally { get; set; } = [];
    public (int, string) Pair { get; set; } = (0, "");
    public SaveValue Free { get; set; } = SaveValue.Null;

    public static Flotsam Make(Random random, int phase, int i, int depth = 0)
    {
        var item = new Flotsam
        {
            Count = phase switch { 0 => 7, 1 => random.Next(256), 2 => random.Next(-70_000, 70_000), _ => random.Next(int.MinValue, int.MaxValue) },
            Serial = phase == 3 ? random.NextInt64(long.MinValue, long.MaxValue) : i,
            Mask = phase == 3 ? ulong.MaxValue - (uint)i : (ulong)i,
            Tide = (sbyte)random.Next(-128, 128),
            Name = phase switch { 0 => "cork", 1 => $"plank {i % 40}", 2 => $"\u6d41\u6728 {i} \ud83d\udc1a", _ => new string('x', i % 30) + i },
            Note = phase == 2 && i % 3 == 0 ? null : $"note {i % 5}",
            X = phase == 3 ? float.NaN : i * 0.25f,
            Worth = phase == 0 ? -0.0 : 1.0 / (i + 1),
            Wet = random.Next(2) == 0,
            Day = (DayOfWeek)(phase == 3 ? 99 : i % 7),
            Price = i / 8m,
            Age = phase == 3 ? BigInteger.Pow(-3, i % 90) : i,
            Mark = phase == 3 && i % 2 == 0 ? '\ud83d' : 'm',
            Stamp = phase == 1 ? null : [(byte)i, (byte)phase],
            Found = new DateTime(2031, 4, 1, 0, 0, 0, DateTimeKind.Utc).AddHours(i),
            Owner = phase >= 2 && i % 2 == 0 ? null : i,
            Place = i % 4 == 0 ? null : new Vector2(i, phase),
            Marks = [.. Enumerable.Range(0, i % 4).Select(mark => mark * (phase == 3 ? 1000 : 1))],
            Weights = phase == 0 ? [] : [i, 0.5f],
            Shell = new Shell($"shell {i % 3}", i, phase),
            Inside = depth < 2 && i % 6 == 0 ? Make(random, phase, i + 1, depth + 1) : null,
            Pair = (i, $"p{phase}"),
            Free = phase switch { 0 => i, 1 => $"{i}", 2 => new SaveMap { ["k"] = i }, _ => new SaveList { i, "two" } },
        };
        for (var under = 0; depth == 0 && under < i % 3; under++)
            item.Under.Add(Make(random, phase, i + under, depth + 1));
        for (var label = 0; label < i % 2; label++)
            item.Labels.Add($"label {phase}");
        if (phase != 1)
            item.Tally[$"t{i % 3}"] = i;
        return item;
    }
}

[StateType]
public readonly partial record struct Shell(string Kind, int Turns, float Size);

[StateType]
[SaveVariant("creature", typeof(Creature))]
[SaveVariant("heron", typeof(Heron))]
[SaveVariant("crab", typeof(Crab))]
public partial class Creature
{
    public string Name { get; set; } = "";
}

[StateType]
public sealed partial class Heron : Creature
{
    public float Wingspan { get; set; }
}

[StateType]
public sealed partial class Crab : Creature
{
    public int Claws { get; set; } = 2;
}
