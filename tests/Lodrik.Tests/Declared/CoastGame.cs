using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Declared;

/// <summary>A part of a coast of which several are there at once; their numbers come from one place.</summary>
[SceneType]
public sealed partial class Reach(SpawnNumbers numbers)
{
    public SpawnNumbers Numbers { get; } = numbers;

    public HashSet<Buoy> Buoys { get; } = [];

    public List<Boat> Boats { get; } = [];
}

[EntityType("buoy")]
public sealed partial class Buoy(EntityId id)
{
    [EntityId]
    public EntityId Id { get; } = id;

    public Vector2 At { get; set; }

    /// <summary>Of whichever scene.</summary>
    public Boat? Moors { get; set; }
}

[EntityType("boat")]
public sealed partial class Boat(EntityId id)
{
    [EntityId]
    public EntityId Id { get; } = id;

    public Vector2 At { get; set; }

    public Buoy? Bound { get; set; }

    /// <summary>An entity of a scene that need not be there.</summary>
    public EntityReference? Home { get; set; }
}
