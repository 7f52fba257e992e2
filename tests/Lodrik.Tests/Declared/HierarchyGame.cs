using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Declared;

/// <summary>A game with a hierarchy of classes, a generic base, and component objects.</summary>
[SceneType]
public sealed partial class Fen
{
    public SpawnNumbers Numbers { get; } = new();

    public List<Creature> Creatures { get; } = [];
}

[EntityType]
public abstract partial class Creature(EntityId id)
{
    [EntityId]
    public EntityId Id { get; } = id;

    public Vector2 At { get; set; }

    /// <summary>What only the class itself sets.</summary>
    public int Age { get; private set; }

    public Creature? Follows { get; set; }

    [Components]
    public List<Trait> Traits { get; } = [];

    public void Grow() => Age++;
}

[EntityType("heron", FormerKinds = ["egret"])]
[PartRule("nest", OnlyIfChanged = true)]
public sealed partial class Heron(EntityId id) : Creature(id)
{
    [Part("nest")]
    public int Eggs { get; set; }

    [Part("nest")]
    public bool IsBrooding { get; set; }
}

[EntityType("otter")]
public sealed partial class Otter(EntityId id) : Creature(id);

[EntityType]
public abstract partial class Trader<TGoods>(EntityId id) : Creature(id) where TGoods : struct
{
    public List<TGoods> Stock { get; } = [];

    public int Coins { get; set; } = 10;
}

[EntityType("eelMonger")]
public sealed partial class EelMonger(EntityId id) : Trader<Eel>(id);

[StateType]
public partial struct Eel
{
    public float Weight;
}

public abstract class Trait;

[ComponentType("health")]
public sealed partial class Health : Trait
{
    public int Points { get; set; } = 100;
}

[ComponentType("temper")]
public sealed partial class Temper : Trait
{
    public float Anger { get; set; }

    public Creature? Grudge { get; set; }
}

/// <summary>A component that nothing is known of.</summary>
public sealed class Rumour : Trait;
