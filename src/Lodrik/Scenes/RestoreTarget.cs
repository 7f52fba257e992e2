namespace Lodrik.Scenes;

/// <summary>What a restoration has to do to an entity.</summary>
[Flags]
internal enum TargetWork
{
    Parts = 1,
    Spawn = 2,
    Parent = 4,
    References = 8,
    Settle = 16,
}

/// <summary>An entity that is going to be in the scene when a restoration is done.</summary>
internal struct RestoreTarget<TScene>
{
    public EntityId Id { get; init; }

    /// <summary>The objects of its kind, which it is found or created among. The planner knows its place among those.</summary>
    public KindObjects<TScene> Objects { get; init; }

    /// <summary>Whether it has to be created.</summary>
    public bool IsSpawned { get; init; }

    /// <summary>Its place in the record; -1 if it is as authored.</summary>
    public int RecordIndex { get; init; }

    /// <summary>Its place in the authored scene; -1 if it was not placed.</summary>
    public int AuthoredIndex { get; init; }

    /// <summary>What it is going to belong to; the default for nothing.</summary>
    public EntityId ParentId { get; set; }

    /// <summary>Where that is among the targets; -1 if it is none of them.</summary>
    public int Parent { get; set; }

    /// <summary>Whether the save says what it belongs to; otherwise the designer does, or nobody.</summary>
    public bool SaysParent { get; set; }

    /// <summary>Whether its parent is unknown, so that it keeps the one that it was spawned with.</summary>
    public bool LeavesParent { get; set; }

    public readonly SceneKind<TScene> Kind => Objects.Kind;

    /// <summary>What has to be done to it.</summary>
    public readonly TargetWork Work => TargetWork.Parts
        | (IsSpawned ? TargetWork.Spawn : 0)
        | (Kind.HasParent && !LeavesParent ? TargetWork.Parent : 0)
        | (Kind.HasReferences ? TargetWork.References : 0)
        | (Kind.HasSettled ? TargetWork.Settle : 0);
}
