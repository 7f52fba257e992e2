using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>The objects of one kind in a scene, with their type: the place where a kind and its objects meet.</summary>
internal sealed class LiveObjects<TScene, TEntity>(EntityKind<TScene, TEntity> kind, TScene scene) : KindObjects<TScene>(kind), ISavedRows
    where TEntity : notnull
{
    private readonly PooledList<TEntity> _objects = new();

    // What each was found in, for kinds whose objects may be found in others.
    private readonly PooledList<Held>? _parents = kind.IsFoundInParent ? new() : null;
    private readonly List<EntityReference> _one = [];
    private readonly List<object?> _targets = [];
    private PutSource _spawning;

    public override int Count => _objects.Count;

    public override bool NamesParent => kind.NamesParent;

    public int Add(TEntity entity, object? parent = null)
    {
        _objects.Add(entity);
        _parents?.Add(new Held(parent));
        return _objects.Count - 1;
    }

    public override object ObjectAt(int slot) => _objects[slot];

    public override object? ParentAt(int slot) => ParentFoundIn(slot) ?? kind.ParentOf(scene, _objects[slot]);

    private object? ParentFoundIn(int slot) => _parents?[slot].Object;

    public override EntityId? ParentIdAt(int slot) => kind.ParentIdOf(scene, _objects[slot]);

    public override void TakeParts(int slot, SceneRecord record, SceneRecord? authored, int authoredIndex)
    {
        var entity = _objects[slot];
        var columns = kind.In(record).Columns;
        var index = record.Count - 1;
        var authoredColumns = authored is null || authoredIndex < 0 ? null : kind.In(authored).Columns;
        var parts = kind.Parts;
        for (var i = 0; i < parts.Count; i++)
        {
            var part = parts[i];
            Asked = part.Name;
            if (!part.AppliesTo(scene, entity))
                continue;
            var mayOmit = authoredColumns is not null && (part.OnlyIfChanged || kind.OmitsUnchanged);
            part.Take(scene, entity, columns[i], index, mayOmit ? authoredColumns![i] : null, authoredIndex);
        }
        Asked = null;
    }

    public override void TakeReferences(int slot, int link, TakenReferences taken)
    {
        taken.Clear();
        Asked = kind.Links[link].Name;
        kind.Links[link].Take(scene, _objects[slot], taken);
        Asked = null;
    }

    public override void PutParts(int slot, in PutSource source, List<Action>? undo)
    {
        var entity = _objects[slot];
        var columns = new SourceColumns(kind, source);
        var parts = kind.Parts;
        var isSwitched = false;
        for (var i = 0; i < parts.Count; i++)
        {
            if (parts[i].IsSwitched)
                isSwitched = true;
            else
                Put(parts[i], entity, columns, i, source);
        }
        if (isSwitched)
            PutSwitched(entity, columns, source, undo);
        Asked = null;
    }

    /// <summary>
    /// Puts the parts that have a condition, after all others and again until no further one applies: a condition may ask for what another
    /// part brings.
    /// </summary>
    private void PutSwitched(TEntity entity, in SourceColumns columns, in PutSource source, List<Action>? undo)
    {
        var parts = kind.Parts;
        Span<bool> isDone = stackalloc bool[Math.Min(parts.Count, 256)];
        if (parts.Count > isDone.Length)
            isDone = new bool[parts.Count];
        bool again;
        do
        {
            again = false;
            for (var i = 0; i < parts.Count; i++)
            {
                if (isDone[i] || !parts[i].IsSwitched || !parts[i].AppliesTo(scene, entity))
                    continue;
                if (undo is not null)
                    Remember(parts[i], entity, undo);
                Put(parts[i], entity, columns, i, source);
                isDone[i] = again = true;
            }
        }
        while (again);
    }

    /// <summary>Takes down what a part is before it is put, for one that did not apply when the scene was remembered.</summary>
    private void Remember(EntityPart<TScene, TEntity> part, TEntity entity, List<Action> undo)
    {
        Asked = part.Name;
        var before = part.MakeColumn();
        part.Take(scene, entity, before, 0, null, -1);
        undo.Add(() =>
        {
            if (!part.AppliesTo(scene, entity))
                return;
            if (before.HasValue(0))
                part.Put(scene, entity, before, 0);
            else
                part.Clear(scene, entity);
        });
    }

    private void Put(EntityPart<TScene, TEntity> part, TEntity entity, in SourceColumns columns, int member, in PutSource source)
    {
        Asked = part.Name;
        switch (columns.Find(member, source, out var column, out var index))
        {
            case Found.Value:
                part.Put(scene, entity, column!, index);
                break;
            case Found.None:
                part.Clear(scene, entity);
                break;
            default:
                // A save that does not know the part leaves a spawned entity with what it was spawned with.
                if (part.HasInitial)
                    part.PutInitial(scene, entity);
                break;
        }
    }

    public override void PutReferences(int slot, in PutSource source, IEntityLookup lookup, EntityId id, LostReferences? lost)
    {
        var entity = _objects[slot];
        var columns = new SourceColumns(kind, source);
        for (var i = 0; i < kind.Links.Count; i++)
        {
            var link = kind.Links[i];
            var found = columns.Find(kind.Parts.Count + i, source, out var column, out var index);
            if (found == Found.Nothing && !link.HasInitial)
                continue;
            Asked = link.Name;
            var references = found == Found.Value ? ReferenceColumns.Get(column!, index, _one) : [];
            var isOfRecord = columns.IsOfRecord(i + kind.Parts.Count, column);
            _targets.Clear();
            for (var place = 0; place < references.Count; place++)
            {
                var target = isOfRecord ? lookup.FindNext(references[place]) : lookup.Find(references[place]);
                _targets.Add(target);
                if (target is null && !link.KeepsReferences)
                    lost?.Add(id, link.Name, place, references[place]);
            }
            link.Put(scene, entity, references, _targets);
        }
        Asked = null;
    }

    public override bool MustReplace(int slot, in PutSource source)
    {
        var columns = new SourceColumns(kind, source);
        var parts = kind.Parts;
        for (var i = 0; i < parts.Count; i++)
        {
            if (parts[i].MayReplace && columns.Find(i, source, out var column, out var index) == Found.Value
                && parts[i].MustReplace(scene, _objects[slot], column!, index))
                return true;
        }
        return false;
    }

    TRow ISavedRows.Row<TRow>(int part) =>
        new SourceColumns(kind, _spawning).Find(part, _spawning, out var column, out var index) == Found.Value
            && ((PartColumn<TRow>)column!).TryGet(index, out var row) ? row : default;

    public override int Spawn(EntityId id, in PutSource source, object? parent)
    {
        _spawning = source;
        TEntity entity;
        try
        {
            entity = kind.Spawn(scene, new EntityCreation(id, kind.Name, scene!, parent, this));
        }
        finally
        {
            _spawning = default;
        }
        if (entity is null)
            throw new SceneException(
                SaveErrorCode.SceneConflict, $"Spawn returned nothing for the {kind.Name} {id}.",
                remedy: "Return the new object from Spawn.");
        // An engine may give the id a frame later; another id would be found at the next save only, which would then be refused.
        var actual = kind.IdOf(scene, entity);
        if (actual != id && actual != default)
        {
            throw new SceneException(
                SaveErrorCode.SceneConflict, $"The {kind.Name} that was spawned as {id} reports the id {actual}.",
                remedy: "Spawn has to give the new object the id that it receives, be it a name or a number.");
        }
        return Add(entity, kind.IsFoundInParent ? parent : null);
    }

    public override void Remove(int slot) => kind.Remove(scene, _objects[slot], ParentFoundIn(slot));

    public override void PutParent(int slot, EntityId? id, object? parent)
    {
        if (_parents is not null)
        {
            kind.MoveTo(_objects[slot], _parents[slot].Object, parent);
            _parents[slot] = new Held(parent);
        }
        kind.PutParent(scene, _objects[slot], id, parent);
    }

    public override void Settle(int slot) => kind.Settle(scene, _objects[slot]);

    public override void Release()
    {
        _objects.Release();
        _parents?.Release();
    }

    /// <summary>What there is to put for a part.</summary>
    private enum Found
    {
        /// <summary>Nothing is known of it: it is left alone.</summary>
        Nothing,

        /// <summary>The entity has no such part.</summary>
        None,

        Value,
    }

    /// <summary>The columns of a record and of the authored scene, which is asked where the record says nothing.</summary>
    private readonly ref struct SourceColumns
    {
        private readonly KindColumns _record;
        private readonly EntityKind<TScene, TEntity> _kind;

        public SourceColumns(EntityKind<TScene, TEntity> kind, in PutSource source)
        {
            _kind = kind;
            _record = source.Index >= 0 ? kind.In(source.Record) : default;
        }

        public bool IsOfRecord(int member, PartColumn? column) => column is not null && column == _record.Columns?[member];

        public Found Find(int member, in PutSource source, out PartColumn? column, out int index)
        {
            (column, index) = (null, -1);
            if (source.Index >= 0)
            {
                (column, index) = (_record.Columns[member], source.Index);
                if (column.HasValue(index))
                    return Found.Value;
                if (column.Has(index))
                    return Found.None;
                var isUnchanged = IsAuthored(source) && (_kind.OmitsUnchanged || _kind.Members[member].OnlyIfChanged);
                if (_record.Knows[member] && !isUnchanged)
                    return Found.None;
            }
            if (!IsAuthored(source))
                return Found.Nothing;
            (column, index) = (_kind.In(source.Authored).Columns[member], source.AuthoredIndex);
            return column.HasValue(index) ? Found.Value : Found.None;
        }

        private bool IsAuthored(in PutSource source) =>
            source.AuthoredIndex >= 0 && source.Authored.EntityAt(source.AuthoredIndex).Kind == _kind.Name;
    }
}

/// <summary>An object of the game in a list. Unlike in a list of objects, nothing looks at it when it is put there.</summary>
internal readonly record struct Held(object? Object);
