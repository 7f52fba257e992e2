namespace Lodrik.Scenes;

/// <summary>An entity that is going to be in the scene when a restoration is done.</summary>
/// <param name="saved">What the record, or the authored scene, says of it.</param>
/// <param name="kind">Its kind.</param>
/// <param name="recordIndex">Its place in the record; -1 where it is as authored.</param>
/// <param name="authoredIndex">Its place in the authored scene; -1 where it was not placed.</param>
/// <param name="live">The object that is there already; null where one has to be spawned.</param>
internal sealed class RestoreTarget<TScene>(EntityRecord saved, IBoundKind<TScene> kind, int recordIndex, int authoredIndex, object? live)
{
    public EntityRecord Saved => saved;

    public EntityId Id => saved.Id;

    public IBoundKind<TScene> Kind => kind;

    public int RecordIndex => recordIndex;

    public int AuthoredIndex => authoredIndex;

    public bool IsSpawned { get; } = live is null;

    /// <summary>The game's own object, once it is there.</summary>
    public object? Object { get; set; } = live;

    /// <summary>What it is going to belong to; null for nothing.</summary>
    public RestoreTarget<TScene>? Parent { get; set; }
}
