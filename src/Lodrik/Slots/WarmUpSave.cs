using Lodrik.State;

namespace Lodrik.Slots;

/// <summary>A save with something of everything, which runs through all of our own code.</summary>
[SaveFile("warm-up")]
internal sealed partial class WarmUpSave
{
    public string Name { get; set; } = "sample";

    public List<WarmUpRow> Rows { get; set; } = [.. Enumerable.Range(0, 40).Select(WarmUpRow.Make)];

    public Dictionary<string, int> Counts { get; set; } = new() { ["one"] = 1 };

    public SaveLog<string> Log { get; set; } = ["line"];

    public WarmUpGroup Group { get; set; } = new();

    public SaveValue? Free { get; set; } = new SaveMap { ["text"] = "\u00e4", ["number"] = 0.5 };
}

/// <summary>Two sections that hold a text each.</summary>
internal sealed class WarmUpGroup : ISectionGroup
{
    public IEnumerable<string> SectionNames => ["one", "other"];

    public void WriteSection<TWriter>(string name, ref TWriter writer) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteText(name);

    public object? IdentityOf(string name) => null;

    public void TakeSections(IReadOnlyList<UndecodedSection> sections)
    {
    }
}

[StateType]
internal sealed partial class WarmUpRow
{
    public int Number { get; set; }

    public long Wide { get; set; }

    public float Single { get; set; }

    public double Double { get; set; }

    public bool IsOdd { get; set; }

    public string Word { get; set; } = "";

    public string Line { get; set; } = "";

    public string? Note { get; set; }

    public int[] Numbers { get; set; } = [];

    public WarmUpPart? Part { get; set; }

    public List<WarmUpPart> Parts { get; set; } = [];

    public static WarmUpRow Make(int i) => new()
    {
        Number = i,
        Wide = (long)i << 40,
        Single = i / 3f,
        Double = i / 3.0,
        IsOdd = i % 2 == 1,
        Word = $"word {i % 3}",
        Line = $"line \u00e4 {i}",
        Note = i % 4 == 0 ? null : "note",
        Numbers = [i, -i],
        Part = new WarmUpPart { Name = $"{i}" },
        Parts = [new WarmUpPart()],
    };
}

[StateType]
internal sealed partial class WarmUpPart
{
    public string Name { get; set; } = "";
}
