using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// What a restored save has and the game cannot show now: entities of unknown kinds, placed ones that the designer has taken out, parts
/// that the game does not know, references to what is not there. None of it is lost; it goes into the next save as it came.
/// </summary>
internal sealed class KeptState
{
    private SceneRecord _record = new();
    private readonly List<EntityRecord> _entities = [];
    private readonly HashSet<EntityId> _withUnknownParts = [];
    private readonly Dictionary<(EntityId Id, string Name), IReadOnlyList<(int Place, EntityReference Reference)>> _lost = [];

    /// <summary>What stands for the parent among the references: no part has an empty name.</summary>
    public const string ParentName = "";

    /// <summary>What an entity belonged to, where that was not there when it was restored.</summary>
    public EntityId? LostParent(EntityId id) =>
        _lost.TryGetValue((id, ParentName), out var lost) ? lost[0].Reference.Id : default(EntityId?);

    /// <summary>What an entity refers to, with what led nowhere when it was restored at the places that it had.</summary>
    public IReadOnlyList<EntityReference> WithLost(
        EntityId id, string name, bool isSingle, IReadOnlyList<EntityReference> references, IEntityLookup lookup)
    {
        if (!_lost.TryGetValue((id, name), out var lost) || (isSingle && references.Count > 0))
            return references;
        var all = references.ToList();
        foreach (var (place, reference) in lost)
        {
            if (lookup.Find(reference) is null)
                all.Insert(Math.Min(place, all.Count), reference);
        }
        return all;
    }

    /// <summary>Takes over what a restored record has and the game has not.</summary>
    public void Take(
        RestorePlan plan, SceneRecord record,
        IReadOnlyDictionary<(EntityId Id, string Name), IReadOnlyList<(int Place, EntityReference Reference)>> lost)
    {
        _record = record;
        _entities.Clear();
        _withUnknownParts.Clear();
        _lost.Clear();
        foreach (var (key, references) in lost)
            _lost.Add(key, references);
        foreach (var step in plan.Steps)
        {
            if (step.Action is RestoreAction.UnknownKind or RestoreAction.TakenOut)
                _entities.Add(record.Find(step.Id)!.Value);
        }
        foreach (var (kind, column) in record.Columns)
        {
            if (column is not TreePartColumn)
                continue;
            foreach (var entity in record.Entities)
            {
                if (entity.Kind == kind && column.Has(record.IndexOf(entity.Id)))
                    _withUnknownParts.Add(entity.Id);
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
            if (column is TreePartColumn)
                CopyPart(column, capture, entity, index);
        }
    }

    /// <summary>Adds the entities that the game cannot show.</summary>
    public void AddEntities(SceneRecord capture)
    {
        foreach (var entity in _entities)
        {
            if (!capture.TryAdd(entity))
                continue;
            foreach (var column in _record.ColumnsOf(entity.Kind))
                CopyPart(column, capture, entity, capture.Entities.Count - 1);
        }
    }

    private void CopyPart(PartColumn column, SceneRecord capture, EntityRecord entity, int index)
    {
        var from = _record.IndexOf(entity.Id);
        if (column.Has(from))
            column.CopyTo(capture.Column(entity.Kind, column.Name, column.MakeEmpty), from, index);
    }
}
