using System.Diagnostics.CodeAnalysis;
using Lodrik.Scenes;

namespace Lodrik.Tests.Declared;

/// <summary>What constructors take, what is only set when an object is created, and where entities may be.</summary>
[SceneType]
public sealed partial class Workshop
{
    public SpawnNumbers Numbers { get; } = new();

    public List<Bench> Benches { get; } = [];

    public Keeper? Keeper { get; set; }

    public Bell?[] Bells { get; } = new Bell?[3];

    public SortedDictionary<EntityId, Crate> Crates { get; } = [];

    [NotSaved]
    public List<string> Log { get; } = [];

#pragma warning disable IDE0051 // Generated code calls it.
    static partial void Describe(SceneBindings<Workshop> bindings) => bindings
        .CurtainDown(shop => shop.Log.Add("down"))
        .Kind("chalk", shop => shop.Chalks, chalk => chalk
            .Id(one => one.Id).Name(one => one.Text, (one, text) => one.Put(text)));
#pragma warning restore IDE0051

    [NotSaved]
    public List<Chalk> Chalks { get; } = [new Chalk("slate")];
}

/// <summary>Bound by getters and setters, beside what is declared.</summary>
public sealed class Chalk(string id)
{
    public string Id { get; } = id;

    public string Text { get; set; } = "";

    public bool Refuses { get; set; }

    public void Put(string text) => Text = Refuses ? throw new InvalidOperationException("a broken chalk") : text;
}

/// <summary>Tools are found in it.</summary>
[EntityType("bench")]
public sealed partial class Bench(string name)
{
    [EntityId]
    public string Name { get; } = name;

    [Children]
    public List<Tool> Tools { get; } = [];
}

[EntityType("tool")]
public sealed partial class Tool(Workshop shop, Bench? bench, EntityId id, string make, int weight = 3)
{
    [EntityId]
    public EntityId Id { get; } = id;

    /// <summary>Set by the constructor alone.</summary>
    public string Make { get; } = make;

    public int Weight { get; } = weight;

    public required double Edge { get; init; }

    public int Wear { get; set; }

    public string Note { get; set; } = Defaults.Note;

    [NotSaved]
    public Workshop Shop { get; } = shop;

    [NotSaved]
    public Bench? MadeAt { get; } = bench;
}

public static class Defaults
{
    public static string Note => "new";
}

[EntityType("keeper")]
[PartRule("mood", When = nameof(IsAwake))]
public sealed partial class Keeper
{
    [SetsRequiredMembers]
    private Keeper(string name) => Name = name;

    [EntityId]
    public required string Name { get; init; }

    public bool IsAwake { get; set; } = true;

    [Part("mood")]
    public int Cheer { get; set; } = 4;

    [Part("mood")]
    [Saved("hum")]
    private string? Humming { get; set; }

    /// <summary>There is always one.</summary>
    public Bench Favourite { get; set; } = null!;

    [NotSaved]
    public int Hired { get; private set; }

    public void Hum(string? tune) => Humming = tune;

    public string? Hummed => Humming;

    [Spawns]
    public static Keeper Hire(string name) => new(name) { Hired = 1 };
}

[EntityType("bell")]
[Placed]
public sealed partial class Bell(string name)
{
    [EntityId]
    public string Name { get; } = name;

    public int Rings;
}

[EntityType("crate")]
public sealed partial class Crate
{
    [EntityId]
    public EntityId Id { get; set; }

    public Crate[] Beside { get; set; } = [];

    public HashSet<Bench> Near { get; } = [];

    public int? Count { get; set; }
}
