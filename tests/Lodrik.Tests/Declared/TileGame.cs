using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Declared;

/// <summary>A world of tiles, and entities that come from a pool.</summary>
[SceneType]
[PartRule("rock", OnlyIfChanged = true)]
public sealed partial class Delve
{
    public SpawnNumbers Numbers { get; } = new();

    [Part("rock")]
    public byte[,] Rock { get; set; } = new byte[32, 32];

    [Part("water")]
    public Dictionary<string, float> Water { get; } = [];

    [NotSaved]
    public MitePool Pool { get; } = new();

    [NotSaved]
    public int Settles { get; private set; }

    [Entities]
    public IReadOnlyList<Mite> Mites => Pool.Rented;

    [Spawns]
    public Mite Rent(long number) => Pool.Rent(number);

    [Removes]
    public void Return(Mite mite) => Pool.Return(mite);

    [Settled]
    internal void Settle() => Settles++;
}

[EntityType("mite")]
public sealed partial class Mite
{
    [EntityId]
    public long Number { get; set; }

    public Vector2 At { get; set; }

    public int Hunger { get; set; } = 3;

    public Mite? Chases { get; set; }
}

public sealed class MitePool
{
    private readonly Stack<Mite> _free = [];
    private readonly List<Mite> _rented = [];

    public IReadOnlyList<Mite> Rented => _rented;

    public int Made { get; private set; }

    public Mite Rent(long number)
    {
        if (!_free.TryPop(out var mite))
        {
            mite = new Mite();
            Made++;
        }
        mite.Number = number;
        _rented.Add(mite);
        return mite;
    }

    public void Return(Mite mite)
    {
        _rented.Remove(mite);
        _free.Push(mite);
    }
}
