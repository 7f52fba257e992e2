using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// What a restored save has and the game cannot show now: entities of unknown kinds, placed ones that the designer has taken out, parts
/// that the game does not know, references to what is not there, and what was collected of what this version does not place. None of it is
/// lost; it goes into the next save as it came.
/// </summary>
internal sealed class KeptState
{
    private readonly List<(SceneRecord From, int Index)> _entities = [];
    private readonly HashSet<EntityId> _withUnknownParts = [];
    private readonly List<EntityId> _gone = [];
    private SceneRecord _record = new();
    private LostReferences _lost = new();

    /// <summary>What an entity belonged to, if that was not there when it was restored.</summary>
    public EntityId? LostParent(EntityId id) =>
        _lost.Of(id, LostReferences.ParentName) is [var lost, ..] ? lost.Reference.Id : default(EntityId?);

    /// <summary>The entity belongs to something else since.</summary>
    public void ForgetParent(EntityId id) => _lost.Forget(id, LostReferences.ParentName);

    /// <summary>What an entity refers to, with what led nowhere when it was restored at the places that it had.</summary>
    public List<EntityReference> WithLost(
        EntityId id, string name, bool isSingle, List<EntityReference> references, IEntityLookup lookup)
    {
        var lost = _lost.Of(id, name);
        if (lost.Count == 0)
            return references;
        if (isSingle && references.Count > 0)
        {
            _lost.Forget(id, name);
            return references;
        }
        var all = references.ToList();
        foreach (var (place, reference) in lost)
        {
            // What is in this scene, and is not referred to, was let go of. What another scene has brought back since, nobody was told of.
            if (reference.Scene is not null || lookup.Find(reference) is null)
                all.Insert(Math.Min(place, all.Count), reference);
        }
        return all;
    }

    /// <summary>Takes over what a restored record has and the game has not.</summary>
    /// <param name="record">The record.</param>
    /// <param name="passedOver">The places of the entities in it that are not in the scene.</param>
    /// <param name="isPlaced">Whether this version of the game places an entity in the scene.</param>
    /// <param name="lost">The references that lead nowhere.</param>
    public void TakeOver(SceneRecord record, IReadOnlyList<int> passedOver, Func<EntityId, bool> isPlaced, LostReferences lost)
    {
        (_record, _lost) = (record, lost);
        _entities.Clear();
        _withUnknownParts.Clear();
        _gone.Clear();
        foreach (var index in passedOver)
            _entities.Add((record, index));
        for (var index = 0; index < record.Kept?.Count; index++)
            _entities.Add((record.Kept, index));
        foreach (var id in record.Gone)
        {
            if (!isPlaced(id))
                _gone.Add(id);
        }
        foreach (var (kind, column) in record.Columns)
        {
            if (column is not TreePartColumn)
                continue;
            for (var index = 0; index < record.Count; index++)
            {
                if (record.EntityAt(index).Kind == kind && column.Has(index))
                    _withUnknownParts.Add(record.EntityAt(index).Id);
            }
        }
    }

    /// <summary>Gives a captured entity the parts that the game does not know.</summary>
    public void AddParts(SceneRecord capture, EntityRecord entity, int index)
    {
        if (!_withUnknownParts.Contains(entity.Id) || _record.Find(entity.Id)?.Kind != entity.Kind)
            return;
        foreach (var column in _record.ColumnsOf(entity.Kind))
        {
            var from = _record.IndexOf(entity.Id);
            if (column is TreePartColumn && column.Has(from))
                column.CopyTo(capture.Column(entity.Kind, column.Name, column.MakeEmpty), from, index);
        }
    }

    /// <summary>Adds what the game cannot show.</summary>
    public void AddEntities(SceneRecord capture)
    {
        foreach (var (from, index) in _entities)
        {
            var entity = from.EntityAt(index);
            // Whoever has its id now, it waits for a game that knows it.
            var target = capture.TryAdd(entity) ? capture : capture.KeepBeside(entity);
            from.CopyEntity(index, target);
            if (_record.KnownOf(entity.Kind) is { } known && capture.KnownOf(entity.Kind) is null)
                capture.SetKnown(entity.Kind, known);
        }
        foreach (var id in _gone)
        {
            if (capture.TryIndexOf(id) < 0)
                capture.AddGone(id);
        }
    }
}
