using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>What a save knows of one entity beside its parts.</summary>
/// <param name="Id">The entity's id.</param>
/// <param name="Kind">The name under which the game can create it again.</param>
/// <param name="Parent">The entity that it belongs to, if any.</param>
/// <param name="IsCarried">Whether a placed entity came from elsewhere: the designer placed none of that name into this scene.</param>
public readonly record struct EntityRecord(EntityId Id, string Kind, EntityId? Parent, bool IsCarried = false);

/// <summary>
/// A scene at one moment: its entities with their parts, and the placed ones that are gone. It is a copy, which later changes
/// of the live scene do not reach.
/// </summary>
public sealed class SceneRecord : IValueWriter
{
    private static readonly KeyTable SceneKeys = new("nextSpawn", "gone", "entities");
    private static readonly KeyTable EntityKeys = new("kind", "parent", "carried", "parts");

    // What an entity may leave out, for writers that gather entities of the same keys: by the sum of what it has.
    private const int HasParent = 1;
    private const int IsCarried = 2;
    private const int HasParts = 4;
    private static readonly KeyTable[] KeysOf = [.. Enumerable.Range(0, 8).Select(has => new KeyTable(
        ["kind", .. (string[])((has & HasParent) > 0 ? ["parent"] : []), .. (string[])((has & IsCarried) > 0 ? ["carried"] : []),
            .. (string[])((has & HasParts) > 0 ? ["parts"] : [])]))];

    private readonly List<EntityRecord> _entities = [];
    private readonly Dictionary<EntityId, int> _byId = [];
    private bool _isIndexed = true;
    private readonly List<EntityId> _gone = [];
    private readonly HashSet<EntityId> _isGone = [];
    private readonly Dictionary<string, List<PartColumn>> _columns = new(StringComparer.Ordinal);
    private readonly Dictionary<object, PartColumn[]> _bound = new(ReferenceEqualityComparer.Instance);
    private object? _lastOwner;
    private PartColumn[] _lastBound = [];

    /// <summary>The entities that are there.</summary>
    public IReadOnlyList<EntityRecord> Entities => _entities;

    /// <summary>The placed entities that are there no more.</summary>
    public IReadOnlyList<EntityId> Gone => _gone;

    /// <summary>The number that the next spawned entity gets; 0 where the game counts by itself.</summary>
    public long NextSpawn { get; internal set; }

    /// <summary>
    /// How many entities there are of each kind, for a slot list's summary; of kinds that are saved only if they changed, those that did.
    /// </summary>
    public IReadOnlyDictionary<string, int> CountByKind()
    {
        var counts = new SortedDictionary<string, int>(StringComparer.Ordinal);
        foreach (var entity in _entities)
            counts[entity.Kind] = counts.GetValueOrDefault(entity.Kind) + 1;
        return counts;
    }

    /// <summary>What is known of an entity; null where it is not in the scene.</summary>
    public EntityRecord? Find(EntityId id) => Index.TryGetValue(id, out var index) ? _entities[index] : null;

    /// <summary>A part of an entity, as a copy: a record does not change.</summary>
    /// <returns>False where the entity has no such part, or where it was not decoded as this type.</returns>
    public bool TryGetPart<T>(EntityId id, string part, [System.Diagnostics.CodeAnalysis.MaybeNullWhen(false)] out T value)
    {
        value = default;
        if (!Index.TryGetValue(id, out var index) || !_columns.TryGetValue(_entities[index].Kind, out var columns))
            return false;
        foreach (var column in columns)
        {
            if (column.Name == part && column is PartColumn<T> typed && typed.TryGet(index, out value))
            {
                value = typed.Copy(value);
                return true;
            }
        }
        return false;
    }

    /// <summary>Adds an entity; false where its id is taken.</summary>
    internal bool TryAdd(EntityRecord entity)
    {
        if (!Index.TryAdd(entity.Id, _entities.Count))
            return false;
        _entities.Add(entity);
        return true;
    }

    /// <summary>Makes room for so many entities.</summary>
    internal void MakeRoom(int entities) => _entities.EnsureCapacity(entities);

    /// <summary>Adds an entity of which the caller knows that it is not there yet.</summary>
    internal void Add(EntityRecord entity)
    {
        _entities.Add(entity);
        _isIndexed = false;
    }

    private Dictionary<EntityId, int> Index
    {
        get
        {
            if (!_isIndexed)
            {
                _byId.Clear();
                _byId.EnsureCapacity(_entities.Count);
                for (var i = 0; i < _entities.Count; i++)
                    _byId.Add(_entities[i].Id, i);
                _isIndexed = true;
            }
            return _byId;
        }
    }

    /// <summary>Takes back the entity that was added last, with its parts.</summary>
    internal void RemoveLast()
    {
        var last = _entities[^1];
        foreach (var column in ColumnsOf(last.Kind))
            column.RemoveLast(_entities.Count - 1);
        if (_isIndexed)
            _byId.Remove(last.Id);
        _entities.RemoveAt(_entities.Count - 1);
    }

    internal void AddGone(EntityId id)
    {
        if (_isGone.Add(id))
            _gone.Add(id);
    }

    internal bool IsGone(EntityId id) => _isGone.Contains(id);

    internal int IndexOf(EntityId id) => Index[id];

    /// <summary>The place of an entity; -1 where it is not in the record.</summary>
    internal int TryIndexOf(EntityId id) => Index.GetValueOrDefault(id, -1);

    /// <summary>The column of a part, made with the first entity that has it.</summary>
    internal PartColumn Column(string kind, string part, Func<PartColumn> make)
    {
        var columns = ColumnsOf(kind);
        foreach (var column in columns)
        {
            if (column.Name == part)
                return column;
        }
        var added = make();
        columns.Add(added);
        return added;
    }

    /// <summary>The columns of a kind's parts in the order that their owner wants, found once.</summary>
    internal PartColumn[] Bound<TOwner>(TOwner owner, Func<SceneRecord, TOwner, PartColumn[]> find) where TOwner : class
    {
        if (ReferenceEquals(_lastOwner, owner))
            return _lastBound;
        if (!_bound.TryGetValue(owner, out var columns))
            _bound.Add(owner, columns = find(this, owner));
        (_lastOwner, _lastBound) = (owner, columns);
        return columns;
    }

    /// <summary>The kinds of its entities.</summary>
    internal IEnumerable<string> Kinds => _entities.Select(entity => entity.Kind).Distinct(StringComparer.Ordinal);

    /// <summary>All columns, each with its kind.</summary>
    internal IEnumerable<(string Kind, PartColumn Column)> Columns =>
        _columns.SelectMany(kind => kind.Value.Select(column => (kind.Key, column)));

    internal List<PartColumn> ColumnsOf(string kind)
    {
        if (!_columns.TryGetValue(kind, out var columns))
            _columns.Add(kind, columns = []);
        return columns;
    }

    /// <summary>Writes the scene as one value: entity by entity, each under its id.</summary>
    void IValueWriter.Write<TWriter>(ref TWriter writer) => Write(ref writer);

    internal void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginObject(3);
        writer.WriteKey(SceneKeys, 0);
        writer.WriteInteger(NextSpawn);
        writer.WriteKey(SceneKeys, 1);
        writer.BeginList(_gone.Count);
        foreach (var id in _gone)
            writer.WriteText(id.ToString());
        writer.EndList();
        writer.WriteKey(SceneKeys, 2);
        if (!writer.TryWriteTable<EntityMap, EntityMap>(new EntityMap(this, null), _entities.Count))
            EntityMap.Write(ref writer, new EntityMap(this, null));
        writer.EndObject();
    }

    /// <summary>Reads a scene.</summary>
    /// <param name="reader">The reader, before the scene's value.</param>
    /// <param name="types">The game's kinds and parts; a part that it does not know is kept as a tree.</param>
    internal static SceneRecord Read<TReader>(ref TReader reader, SceneTypes types) where TReader : IStateReader, allows ref struct
    {
        var scene = new SceneRecord();
        reader.BeginObject();
        var key = -1;
        var seen = default(SeenKeys);
        while (reader.ReadKey(SceneKeys, ref key))
        {
            seen.Note(ref reader, SceneKeys, key);
            switch (key)
            {
                case 0:
                    scene.NextSpawn = reader.ReadInteger(0, long.MaxValue);
                    break;
                case 1:
                    reader.BeginList();
                    while (reader.NextItem())
                        scene.AddGone(EntityIdCodec.Parse(ref reader, reader.ReadText()));
                    break;
                case 2:
                    var entities = new EntityMap(scene, types);
                    if (!reader.TryReadTable<EntityMap, EntityMap>(ref entities))
                        EntityMap.Read(ref reader, ref entities);
                    break;
                default:
                    reader.Skip();
                    break;
            }
        }
        return scene;
    }

    private void WriteEntity<TWriter>(ref TWriter writer, int index) where TWriter : IStateWriter, allows ref struct
    {
        var entity = _entities[index];
        var columns = ColumnsOf(entity.Kind);
        var parts = 0;
        foreach (var column in columns)
            parts += column.Has(index) ? 1 : 0;
        var keys = KeysOf[(entity.Parent is null ? 0 : HasParent) + (entity.IsCarried ? IsCarried : 0) + (parts == 0 ? 0 : HasParts)];
        writer.BeginObject(keys.Count);
        var key = 0;
        writer.WriteKey(keys, key++);
        writer.WriteText(entity.Kind);
        if (entity.Parent is { } parent)
        {
            writer.WriteKey(keys, key++);
            writer.WriteText(parent.ToString());
        }
        if (entity.IsCarried)
        {
            writer.WriteKey(keys, key++);
            writer.WriteBool(true);
        }
        if (parts > 0)
        {
            writer.WriteKey(keys, key);
            writer.BeginObject(parts);
            foreach (var column in columns)
            {
                if (!column.Has(index))
                    continue;
                writer.WriteKey(column.Name);
                column.Write(ref writer, index);
            }
            writer.EndObject();
        }
        writer.EndObject();
    }

    private void ReadEntity<TReader>(ref TReader reader, EntityId id, SceneTypes types) where TReader : IStateReader, allows ref struct
    {
        string? kind = null;
        EntityId? parent = null;
        var isCarried = false;
        reader.BeginObject();
        var key = -1;
        var seen = default(SeenKeys);
        while (reader.ReadKey(EntityKeys, ref key))
        {
            seen.Note(ref reader, EntityKeys, key);
            switch (key)
            {
                case 0:
                    kind = types.KindName(reader.ReadText());
                    break;
                case 1:
                    parent = EntityIdCodec.Parse(ref reader, reader.ReadText());
                    break;
                case 2:
                    isCarried = reader.ReadBool();
                    break;
                case 3:
                    var of = kind ?? throw reader.Wrong($"The kind of the entity {id} has to stand before its parts.");
                    reader.BeginObject();
                    while (reader.ReadKey(out var part))
                        Column(of, part, () => types.MakeColumn(of, part) ?? new TreePartColumn(part)).Read(ref reader, _entities.Count);
                    break;
                default:
                    reader.Skip();
                    break;
            }
        }
        if (kind is null)
            throw reader.Wrong($"The entity {id} has no kind.");
        if (!TryAdd(new EntityRecord(id, kind, parent, isCarried)))
            throw reader.Wrong($"The entity {id} stands twice.");
    }

    /// <summary>The entities of a scene under their ids.</summary>
    private readonly record struct EntityMap(SceneRecord Scene, SceneTypes? Types) : IStateCodec<EntityMap>
    {
        public static void Write<TWriter>(ref TWriter writer, EntityMap value) where TWriter : IStateWriter, allows ref struct
        {
            var entities = value.Scene._entities;
            writer.BeginObject(entities.Count);
            for (var index = 0; index < entities.Count; index++)
            {
                writer.WriteKey(entities[index].Id.ToString());
                value.Scene.WriteEntity(ref writer, index);
            }
            writer.EndObject();
        }

        public static void Read<TReader>(ref TReader reader, ref EntityMap value) where TReader : IStateReader, allows ref struct
        {
            reader.BeginObject();
            while (reader.ReadKey(out var text))
                value.Scene.ReadEntity(ref reader, EntityIdCodec.Parse(ref reader, text), value.Types!);
        }
    }
}
