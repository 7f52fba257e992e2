namespace Lodrik.AotSmoke;

/// <summary>A save with lists and dictionaries at its root.</summary>
[SaveFile("journey", Version = 1)]
public sealed partial class Journey
{
    public List<Carried> Carried { get; set; } = [];

    public List<Stage> Stages { get; set; } = [];

    public Dictionary<string, int> Counters { get; set; } = [];

    private static string Told(Journey journey) => string.Join(
        '|',
        journey.Carried.Select(one => $"{one.Name} {one.Count} {one.Worn} {one.Sold}")
            .Concat(journey.Stages.Select(one => $"{one.Name} {string.Join(',', one.Steps.Select(step => $"{step.Text} {step.Done}"))}"))
            .Concat(journey.Counters.Select(one => $"{one}")));

    /// <summary>Whether saves of all sizes come back, from single objects to tables.</summary>
    public static bool ComesBack(SaveForm form) => ((int[])[1, 3, 100, 3_000]).All(count =>
    {
        var journey = new Journey();
        for (var i = 0; i < count; i++)
        {
            journey.Carried.Add(new Carried { Name = $"thing {i % 12}", Count = i, Worn = i / 7f, Sold = i % 2 == 0 });
            journey.Stages.Add(new Stage { Name = $"stage {i}", Steps = [.. Enumerable.Range(0, 3).Select(j => new Step { Text = $"step {j}", Done = j == 0 })] });
            journey.Counters[$"counter-{i}"] = i;
        }
        return Told(StateFile.FromBytes<Journey>(StateFile.ToBytes(journey, form))) == Told(journey);
    });
}

[StateType]
public sealed partial class Carried
{
    public string Name { get; set; } = "";

    public int Count { get; set; }

    public float Worn { get; set; }

    public bool Sold { get; set; }
}

[StateType]
public sealed partial class Stage
{
    public string Name { get; set; } = "";

    public List<Step> Steps { get; set; } = [];
}

[StateType]
public sealed partial class Step
{
    public string Text { get; set; } = "";

    public bool Done { get; set; }
}
