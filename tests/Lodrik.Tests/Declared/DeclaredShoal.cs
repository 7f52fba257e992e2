using System.Numerics;
using Lodrik.Scenes;
using Lodrik.Tests.Scenes;

namespace Lodrik.Tests.Declared;

/// <summary>A declared scene for random stories, with setters that may fail.</summary>
public abstract class DeclaredShoal<TFloat> : IShoal<TFloat> where TFloat : DeclaredFloat<TFloat>
{
    public SpawnNumbers Numbers { get; } = new();

    public List<TFloat> All { get; } = [];

    /// <summary>Called by what spawns.</summary>
    [NotSaved]
    public Action Spawned { get; set; } = () => { };

    /// <summary>Called by setters; with true by one that puts a reference.</summary>
    [NotSaved]
    public Action<bool> Put { get; set; } = _ => { };

    public abstract TFloat Make(EntityId id, string kind);

    public TFloat Spawn(string kind) => Make(Numbers.Next(), kind);

    public void Take(TFloat one) => All.Remove(one);

    public void Destroy(TFloat one) => Take(one);

    public bool IsDying(TFloat one) => false;

    protected TFloat Added(TFloat one)
    {
        All.Add(one);
        return one;
    }

    protected TFloat Made(TFloat one)
    {
        Added(one);
        Spawned();
        return one;
    }
}

/// <summary>What floats in it.</summary>
[EntityType]
[PartRule("oil", When = nameof(IsLit), OnlyIfChanged = true)]
public abstract partial class DeclaredFloat<TSelf>(EntityId id, string kind, DeclaredShoal<TSelf> world) : IFloat<TSelf>
    where TSelf : DeclaredFloat<TSelf>
{
    private int _oil;
    private TSelf? _leads;
    private TSelf? _tiedTo;

    public EntityId Id { get; } = id;

    [NotSaved]
    public string Kind { get; } = kind;

    [Part("place")]
    public Vector2 At { get; set; }

    [Part("lamp")]
    public bool IsLit { get; set; }

    [Part("oil")]
    public int Oil
    {
        get => _oil;
        set
        {
            world.Put(false);
            _oil = value;
        }
    }

    [Part("cargo")]
    public int? Cargo { get; set; }

    public TSelf? Leads
    {
        get => _leads;
        set
        {
            world.Put(true);
            _leads = value;
        }
    }

    [Parent]
    public TSelf? TiedTo
    {
        get => _tiedTo;
        set
        {
            world.Put(false);
            _tiedTo = value;
        }
    }

    public static IEnumerable<string> Kinds => ["float", "stork"];
}

[EntityType(KindFrom = nameof(Kind), KindsFrom = nameof(Kinds))]
public sealed partial class FullFloat(EntityId id, string kind, DeclaredShoal<FullFloat> world) : DeclaredFloat<FullFloat>(id, kind, world);

[SceneType]
public sealed partial class FullShoal : DeclaredShoal<FullFloat>
{
    public override FullFloat Make(EntityId id, string kind) => Added(new FullFloat(id, kind, this));

    [Spawns]
    public FullFloat Create(EntityId id, string kind) => Made(new FullFloat(id, kind, this));
}

[EntityType(KindFrom = nameof(Kind), KindsFrom = nameof(Kinds), OnlyIfChanged = true)]
public sealed partial class SparseFloat(EntityId id, string kind, DeclaredShoal<SparseFloat> world)
    : DeclaredFloat<SparseFloat>(id, kind, world);

[SceneType]
public sealed partial class SparseShoal : DeclaredShoal<SparseFloat>
{
    public override SparseFloat Make(EntityId id, string kind) => Added(new SparseFloat(id, kind, this));

    [Spawns]
    public SparseFloat Create(EntityId id, string kind) => Made(new SparseFloat(id, kind, this));
}
