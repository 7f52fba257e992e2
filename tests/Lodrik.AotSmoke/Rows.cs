using Lodrik.AotSmoke;
using Lodrik.State;

[assembly: SaveFields(typeof(Spot))]

namespace Lodrik.AotSmoke;

/// <summary>Enough rows to be laid out in columns.</summary>
[StateType]
public sealed partial class Rows
{
    public List<Row> All { get; set; } = [];

    public static Rows Make()
    {
        var lamp = new Lamp { Oil = 3 };
        lamp.Next = lamp;
        return new Rows
        {
            All = [.. Enumerable.Range(0, 40).Select(i => new Row
            {
                Name = $"row {i % 7}",
                Number = i * 100,
                Weight = i / 3f,
                Tide = (Tide)(i % 2),
                Lamp = i % 4 == 3 ? lamp : null,
                Tool = i % 3 == 0 ? new Oar { Length = i } : i % 3 == 1 ? new Sail { Cloth = $"c{i}" } : null,
                Pair = (i, $"{i}", 0.5f, true, 'x', (byte)i),
                Pouch = Pouch<Spot>.Of(new Spot { X = i }),
                Named = i % 2 == 0 ? new Knot(i) : null,
                Own = OwnPouch.Make(i),
            })],
        };
    }
}

[StateType]
public sealed partial class Row
{
    public string Name { get; set; } = "";
    public int Number { get; set; }
    public float Weight { get; init; }
    public Tide Tide { get; set; }
    public Lamp? Lamp { get; set; }
    public Tool? Tool { get; set; }
    public (int, string, float, bool, char, byte) Pair { get; set; } = (0, "", 0, false, ' ', 0);
    public Pouch<Spot> Pouch { get; set; } = new();
    public INamed? Named { get; set; }
    public OwnPouch Own { get; set; } = new();
}

public enum Tide
{
    Slack,

    [FormerName("Springy")]
    Spring,
}

[StateType(Shared = true)]
public sealed partial class Lamp
{
    public int Oil { get; set; }
    public Lamp? Next { get; set; }
}

[StateType]
[SaveVariant("oar", typeof(Oar))]
[SaveVariant("sail", typeof(Sail))]
public abstract partial class Tool;

[StateType]
public sealed partial class Oar : Tool
{
    public int Length { get; set; }
}

[StateType]
public sealed partial class Sail : Tool
{
    public string Cloth { get; set; } = "";
}

/// <summary>A struct without a mark.</summary>
public struct Spot
{
    public float X;
    public float Y;
}

[StateType]
public partial class Pouch<T>
{
    public T? Best { get; private set; }
    public List<T> Others { get; } = [];

    public static Pouch<T> Of(T best) => new() { Best = best, Others = { best, best } };

    protected void Take(T best) => Best = best;
}

[StateType]
public sealed partial class OwnPouch : Pouch<string>
{
    public static OwnPouch Make(int number)
    {
        var made = new OwnPouch { Others = { "rope" } };
        made.Take($"best {number}");
        return made;
    }
}

[StateType]
[SaveVariant("knot", typeof(Knot))]
public partial interface INamed;

[StateType]
public readonly partial record struct Knot(int Number) : INamed;
