namespace Lodrik.Scenes;

/// <summary>Takes a live scene down into a record.</summary>
/// <param name="live">What is in the scene.</param>
/// <param name="lookup">How references are named.</param>
/// <param name="record">The record.</param>
internal sealed class SceneTaking<TScene>(LiveSet<TScene> live, IEntityLookup lookup, SceneRecord record)
{
    private readonly TakenReferences _taken = new(lookup);
    private readonly List<EntityReference> _buffer = [];
    private NextEntity _next;

    /// <summary>Says in the record what each kind consists of today, and makes room.</summary>
    /// <param name="isWhole">Whether most entities are going to have all parts.</param>
    /// <param name="refer">Whether room is made for a reference of each too.</param>
    public void Declare(bool isWhole, bool refer = false)
    {
        foreach (var objects in live.Kinds)
        {
            var kind = objects.Kind;
            record.SetKnown(kind.Name, new KnownKind(
                new HashSet<string>(kind.Members.Select(member => member.Name), StringComparer.Ordinal), kind.HasParent));
            if (isWhole && objects.Count > 0)
            {
                foreach (var column in kind.In(record).Columns.AsSpan(0, refer ? kind.Members.Count : kind.PartCount))
                    column.MakeRoom(objects.Count);
            }
        }
    }

    /// <summary>Takes an entity with all that its kind says of it, whatever a save would leave out.</summary>
    /// <param name="index">Its place in the live scene.</param>
    /// <param name="unknown">Gets what the entity refers to and no scene knows.</param>
    /// <param name="parent">What it belongs to, if that is taken as an id.</param>
    public void TakeWhole(int index, IUnknownTargets? unknown, EntityId? parent)
    {
        var entity = live.All[index];
        record.Add(new EntityRecord(entity.Id, entity.Kind.Name, parent));
        entity.Objects.TakeParts(entity.Slot, record, null, -1);
        for (var link = entity.Kind.PartCount; link < entity.Kind.Members.Count; link++)
        {
            var references = References(entity, link, unknown);
            if (references.Count > 0)
                ReferenceColumns.Add(entity.Kind.In(record).Columns[link], record.Count - 1, references);
        }
    }

    /// <summary>Takes an entity as a save has it: what is as the designer left it may be left out.</summary>
    /// <param name="index">Its place in the live scene.</param>
    /// <param name="authored">The scene as the designer left it.</param>
    /// <param name="manifest">What the designer placed in this scene; null if that is what is in it as it was authored.</param>
    /// <param name="kept">What the game cannot show.</param>
    /// <param name="unknown">Gets what the entity refers to and no scene knows.</param>
    /// <param name="parent">What it belongs to.</param>
    public void Take(
        int index, SceneRecord authored, IReadOnlyDictionary<EntityId, string>? manifest, KeptState kept, IUnknownTargets unknown,
            EntityId? parent)
    {
        var entity = live.All[index];
        var (id, kind) = (entity.Id, entity.Kind);
        var authoredIndex = id.IsSpawned || manifest?.ContainsKey(id) == false ? -1 : authored.TryIndexOf(id, ref _next);
        var isPlaced = authoredIndex >= 0 || (!id.IsSpawned && manifest?.ContainsKey(id) == true);
        if (authoredIndex >= 0 && authored.EntityAt(authoredIndex).Kind != kind.Name)
            authoredIndex = -1;
        var was = authoredIndex >= 0 ? authored.EntityAt(authoredIndex) : default;
        var mayOmit = authoredIndex >= 0 && kind.OmitsUnchanged;

        var isSameParent = mayOmit && was.Parent == parent;
        var taken = new EntityRecord(id, kind.Name, isSameParent ? null : parent, IsCarried: !id.IsSpawned && !isPlaced)
        {
            IsSetFree = mayOmit && !isSameParent && parent is null,
        };
        record.Add(taken);
        var place = record.Count - 1;
        entity.Objects.TakeParts(entity.Slot, record, authoredIndex >= 0 ? authored : null, authoredIndex);
        kept.AddParts(record, taken, place);
        for (var link = kind.PartCount; link < kind.Members.Count; link++)
        {
            var name = kind.Members[link].Name;
            var references = kept.WithLost(id, name, IsSingle(kind, link), References(entity, link, unknown), lookup);
            var column = kind.In(record).Columns[link];
            var before = mayOmit ? kind.In(authored).Columns[link] : null;
            if (before is not null && ReferenceColumns.AreEqual(references, before, authoredIndex, _buffer))
                continue;
            if (references.Count > 0)
                ReferenceColumns.Add(column, place, references);
            else if (before is not null)
                column.AddNone(place);
        }
        if (mayOmit && isSameParent && !HasParts(kind.Name, place))
            record.RemoveLast();
    }

    private bool HasParts(string kind, int place)
    {
        foreach (var column in record.ColumnsOf(kind))
        {
            if (column.Has(place))
                return true;
        }
        return false;
    }

    private static bool IsSingle(SceneKind<TScene> kind, int link) => kind.Members[link] is ILink { IsSingle: true };

    private List<EntityReference> References(LiveEntity<TScene> entity, int link, IUnknownTargets? unknown)
    {
        entity.Objects.TakeReferences(entity.Slot, link - entity.Kind.PartCount, _taken);
        foreach (var (place, target) in _taken.Unknown)
            unknown?.Reference(entity.Id, entity.Kind.Name, entity.Kind.Members[link].Name, place, target);
        return _taken.Known;
    }
}

/// <summary>Is told of objects that entities refer to and that no scene knows.</summary>
internal interface IUnknownTargets
{
    void Reference(EntityId id, string kind, string name, int place, object target);
}
