using System.Diagnostics.CodeAnalysis;

namespace Lodrik.State;

/// <summary>One part of all entities of a kind that have it.</summary>
internal abstract class PartColumn(string name)
{
    public string Name { get; } = name;

    /// <summary>Whether anything is said of this part for the entity at an index of the scene: its value, or that it has none.</summary>
    public abstract bool Has(int entity);

    /// <summary>Whether the entity at an index of the scene has this part.</summary>
    public abstract bool HasValue(int entity);

    /// <summary>Whether anything is said of this part for any entity.</summary>
    public abstract bool IsUsed { get; }

    /// <summary>Makes room for the parts of so many entities.</summary>
    public abstract void MakeRoom(int entities);

    /// <summary>Takes its room from the pool, as it is needed for a moment only. It is empty then.</summary>
    public abstract void UsePool();

    /// <summary>Gives the room of a column that was needed for a moment only back to the pool. It is empty then.</summary>
    public abstract void Release();

    /// <summary>Says that an entity has no such part, instead of saying nothing.</summary>
    public abstract void AddNone(int entity);

    public abstract void Write<TWriter>(ref TWriter writer, int entity) where TWriter : IStateWriter, allows ref struct;

    /// <summary>Reads an entity's part.</summary>
    /// <param name="reader">The reader, before the part.</param>
    /// <param name="entity">The entity's index in the scene.</param>
    /// <param name="authored">The column of the authored scene, which has what the part lacks; null if there is none.</param>
    /// <param name="authoredIndex">The entity's index in that.</param>
    public abstract void Read<TReader>(ref TReader reader, int entity, PartColumn? authored, int authoredIndex)
        where TReader : IStateReader, allows ref struct;

    /// <summary>Gives an entity's part to an entity of another record. Records do not change, so it need not be copied.</summary>
    /// <param name="target">The column of the same part in the other record.</param>
    /// <param name="from">The entity's index in this one.</param>
    /// <param name="to">The entity's index in the other.</param>
    public abstract void CopyTo(PartColumn target, int from, int to);

    /// <summary>An empty column of the same part.</summary>
    public abstract PartColumn MakeEmpty();

    /// <summary>Takes back the part of the entity that came last, if it has one.</summary>
    public abstract void RemoveLast(int entity);
}

/// <summary>A column of values. Entities come in ascending order, so that a row is found by searching.</summary>
internal abstract class PartColumn<T>(string name) : PartColumn(name)
{
    private PooledList<int> _entities = new(isPooled: false);
    private PooledList<T> _values = new(isPooled: false);

    // Few entities have none if a record has to say so.
    private List<int>? _without;
    private int _last = -1;

    public override bool Has(int entity) => Row(entity) >= 0 || IsWithout(entity);

    public override bool HasValue(int entity) => Row(entity) >= 0;

    public override bool IsUsed => _entities.Count > 0 || _without is { Count: > 0 };

    public override void MakeRoom(int entities)
    {
        _entities.EnsureRoom(entities);
        _values.EnsureRoom(entities);
    }

    public override void UsePool() => (_entities, _values) = (new PooledList<int>(), new PooledList<T>());

    public override void Release()
    {
        _entities.Release();
        _values.Release();
        (_without, _last) = (null, -1);
    }

    public override void AddNone(int entity) => (_without ??= []).Add(entity);

    /// <summary>A value that shares nothing with this one that could be changed.</summary>
    public abstract T Copy(T value);

    public bool TryGet(int entity, [MaybeNullWhen(false)] out T value)
    {
        var row = Row(entity);
        value = row >= 0 ? _values[row] : default;
        return row >= 0;
    }

    public void Add(int entity, T value)
    {
        _entities.Add(entity);
        _values.Add(value);
    }

    /// <summary>Adds an entity's value, to be filled by the caller at once.</summary>
    public ref T Add(int entity)
    {
        Add(entity, default!);
        return ref _values.Last;
    }

    /// <summary>The row of an entity; -1 if it has none.</summary>
    public int RowOf(int entity) => Row(entity);

    /// <summary>The value in a row; valid until one is added.</summary>
    public ref readonly T At(int row) => ref _values[row];

    public override void CopyTo(PartColumn target, int from, int to)
    {
        if (target is not PartColumn<T> column || column.Has(to))
            return;
        if (TryGet(from, out var value))
            column.Add(to, value);
        else if (IsWithout(from))
            column.AddNone(to);
    }

    public override void RemoveLast(int entity)
    {
        if (_without is { Count: > 0 } && _without[^1] == entity)
            _without.RemoveAt(_without.Count - 1);
        if (_entities.Count == 0 || _entities.Last != entity)
            return;
        _entities.RemoveLast();
        _values.RemoveLast();
    }

    private bool IsWithout(int entity) => _without is not null && _without.BinarySearch(entity) >= 0;

    private int Row(int entity)
    {
        var entities = _entities.Span;
        if (entities.Length == 0 || entities[^1] < entity)
            return -1;
        // Of entities that follow each other without a gap, each is in the row that its number says.
        if (entities[^1] - entities[0] == entities.Length - 1)
            return entity >= entities[0] ? entity - entities[0] : -1;
        // A scene is gone through from its beginning to its end: most often it is the row after the one that was looked up last.
        var next = _last + 1;
        if (next < entities.Length && entities[next] == entity)
            return _last = next;
        if (_last >= 0 && _last < entities.Length && entities[_last] == entity)
            return _last;
        var row = entities.BinarySearch(entity);
        if (row >= 0)
            _last = row;
        return row;
    }
}

/// <summary>A column of values that are no state types: a name, a switch, a reference.</summary>
internal sealed class ScalarPartColumn<T, TCodec>(string name) : PartColumn<T>(name) where TCodec : IStateCodec<T>
{
    public override T Copy(T value) => TCodec.Copy(value, TCodec.Initial, context: null);

    public override PartColumn MakeEmpty() => new ScalarPartColumn<T, TCodec>(Name);

    public override void Write<TWriter>(ref TWriter writer, int entity)
    {
        if (TryGet(entity, out var value))
            TCodec.Write(ref writer, value);
        else
            writer.WriteNull();
    }

    public override void Read<TReader>(ref TReader reader, int entity, PartColumn? authored, int authoredIndex)
    {
        if (Has(entity))
            throw reader.Wrong($"The part {Name} appears twice.");
        var value = TCodec.Initial;
        TCodec.Read(ref reader, ref value);
        Add(entity, value);
    }
}

/// <summary>A column of a state type.</summary>
internal sealed class StatePartColumn<T>(string name) : PartColumn<T>(name) where T : IStateType<T>
{
    public override T Copy(T value) => T.CopyState(value, T.BeginReading(), context: null);

    public override PartColumn MakeEmpty() => new StatePartColumn<T>(Name);

    public override void Write<TWriter>(ref TWriter writer, int entity)
    {
        if (TryGet(entity, out var value) && value is not null)
            T.WriteState(ref writer, value);
        else
            writer.WriteNull();
    }

    public override void Read<TReader>(ref TReader reader, int entity, PartColumn? authored, int authoredIndex)
    {
        if (Has(entity))
            throw reader.Wrong($"The part {Name} appears twice.");
        if (reader.TryReadNull())
        {
            AddNone(entity);
            return;
        }
        // Members that an older save lacks stay as the designer made them.
        var value = authored is PartColumn<T> before && before.TryGet(authoredIndex, out var was) && was is not null
            ? Copy(was)
            : T.BeginReading();
        T.ReadState(ref reader, ref value);
        Add(entity, value);
    }
}

/// <summary>A column of a part that the game does not know, kept as it came.</summary>
internal sealed class TreePartColumn(string name) : PartColumn<SaveValue>(name)
{
    public override SaveValue Copy(SaveValue value) => SaveValueCodec.Copy(value)!;

    public override PartColumn MakeEmpty() => new TreePartColumn(Name);

    public override void Write<TWriter>(ref TWriter writer, int entity)
    {
        TryGet(entity, out var value);
        SaveValueCodec.Write(ref writer, value);
    }

    public override void Read<TReader>(ref TReader reader, int entity, PartColumn? authored, int authoredIndex)
    {
        if (Has(entity))
            throw reader.Wrong($"The part {Name} appears twice.");
        Add(entity, SaveValueCodec.ReadTree(ref reader));
    }
}
