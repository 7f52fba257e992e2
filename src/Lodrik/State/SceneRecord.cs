using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>What a save knows of one entity beside its parts.</summary>
/// <param name="Id">The entity's id.</param>
/// <param name="Kind">The name under which the game can create it again.</param>
/// <param name="Parent">The entity that it belongs to, if any.</param>
/// <param name="IsCarried">Whether a placed entity came from elsewhere: the designer placed none of that name into this scene.</param>
public readonly record struct EntityRecord(EntityId Id, string Kind, EntityId? Parent, bool IsCarried = false)
{
    /// <summary>
    /// Whether it is said that the entity belongs to nothing; without that, an unchanged one belongs to what it was placed in.
    /// </summary>
    internal bool IsSetFree { get; init; }
}

/// <summary>The columns of a kind's members in a record, in the order of the members.</summary>
/// <param name="Columns">A column for each member.</param>
/// <param name="Knows">Whether the game that made the record had the member; otherwise its absence says nothing.</param>
internal readonly record struct KindColumns(PartColumn[] Columns, bool[] Knows);

/// <summary>What a kind had when a record was made.</summary>
/// <param name="Members">The names of its parts and references.</param>
/// <param name="HasParent">Whether its entities could belong to others.</param>
internal sealed record KnownKind(HashSet<string> Members, bool HasParent);

/// <summary>
/// A scene at one moment: its entities with their parts, and the placed ones that are gone. It is a copy, which later changes
/// of the live scene do not reach.
/// </summary>
public sealed partial class SceneRecord : IValueWriter
{
    private readonly PooledList<EntityRecord> _entities;
    private readonly bool _isTemporary;
    private EntityIndex _byId = new();
    private bool _isIndexed = true;
    private readonly List<EntityId> _gone = [];
    private readonly HashSet<EntityId> _isGone = [];
    private readonly Dictionary<string, List<PartColumn>> _columns = new(StringComparer.Ordinal);
    private readonly Dictionary<string, KnownKind> _known = new(StringComparer.Ordinal);
    private readonly Dictionary<object, KindColumns> _bound = new(ReferenceEqualityComparer.Instance);
    private readonly List<string> _warnings = [];
    private object? _lastOwner;
    private KindColumns _lastBound;

    /// <summary>A scene with nothing in it.</summary>
    public SceneRecord()
        : this(isTemporary: false)
    {
    }

    /// <param name="isTemporary">Whether it is needed for a moment only, and <see cref="Release"/> is called then.</param>
    internal SceneRecord(bool isTemporary)
    {
        _isTemporary = isTemporary;
        _entities = new PooledList<EntityRecord>(isPooled: isTemporary);
    }

    /// <summary>The entities that are there.</summary>
    public IReadOnlyList<EntityRecord> Entities => _entities;

    /// <summary>The placed entities that are there no more.</summary>
    public IReadOnlyList<EntityId> Gone => _gone;

    /// <summary>
    /// What could not be saved and was passed over when the scene was captured, such as a reference to an object that is not in it. It is
    /// not stored with the scene.
    /// </summary>
    public IReadOnlyList<string> Warnings => _warnings;

    /// <summary>
    /// Entities of kinds that the game does not know, whose ids others have now. They wait for a game that knows them; the same id may
    /// occur twice. Null if there are none.
    /// </summary>
    internal SceneRecord? Kept { get; private set; }

    /// <summary>The number that the next spawned entity gets; 0 if the game counts by itself.</summary>
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

    /// <summary>What is known of an entity; null if it is not in the scene.</summary>
    public EntityRecord? Find(EntityId id) => Index.IndexOf(id) is >= 0 and var index ? _entities[index] : null;

    /// <summary>A part of an entity, as a copy: a record does not change.</summary>
    /// <returns>False where the entity has no such part, or where it was not decoded as this type.</returns>
    public bool TryGetPart<T>(EntityId id, string part, [System.Diagnostics.CodeAnalysis.MaybeNullWhen(false)] out T value)
    {
        value = default;
        if (Index.IndexOf(id) is not (>= 0 and var index) || !_columns.TryGetValue(_entities[index].Kind, out var columns))
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

    /// <summary>Adds an entity; false if its id is taken.</summary>
    internal bool TryAdd(EntityRecord entity)
    {
        if (!Index.TryAdd(entity.Id, _entities.Count))
            return false;
        _entities.Add(entity);
        return true;
    }

    /// <summary>Makes room for so many entities.</summary>
    internal void MakeRoom(int entities) => _entities.EnsureRoom(entities);

    /// <summary>Gives the room of a record that was needed for a moment only back to the pool. It has no entities then.</summary>
    internal void Release()
    {
        if (!_isTemporary)
            return;
        _entities.Release();
        _byId.Clear();
        _isIndexed = true;
        foreach (var (_, column) in Columns)
            column.Release();
    }

    internal int Count => _entities.Count;

    /// <summary>What is known of the entity at a place, without a copy.</summary>
    internal ref readonly EntityRecord EntityAt(int index) => ref _entities[index];

    /// <summary>Adds an entity of which the caller knows that it is not there yet.</summary>
    internal void Add(EntityRecord entity)
    {
        _entities.Add(entity);
        _isIndexed = false;
    }

    private EntityIndex Index
    {
        get
        {
            if (!_isIndexed)
                FinishIndex();
            return _byId;
        }
    }

    private void FinishIndex()
    {
        foreach (var _ in MakeIndex())
        {
        }
    }

    /// <summary>Makes the index that entities are found by, and gives a value after some of them.</summary>
    internal IEnumerable<int> MakeIndex()
    {
        if (_isIndexed)
            yield break;
        var placed = 0;
        for (var i = 0; i < _entities.Count; i++)
        {
            placed += _entities[i].Id.IsSpawned ? 0 : 1;
            if (i % 256 == 0)
                yield return 0;
        }
        var index = new EntityIndex(placed);
        for (var i = 0; i < _entities.Count; i++)
        {
            index.TryAdd(_entities[i].Id, i);
            if (i % 32 == 0)
                yield return 0;
        }
        (_byId, _isIndexed) = (index, true);
    }

    /// <summary>Takes back the entity that was added last, with its parts.</summary>
    internal void RemoveLast()
    {
        var last = _entities.Last;
        foreach (var column in ColumnsOf(last.Kind))
            column.RemoveLast(_entities.Count - 1);
        if (_isIndexed)
            _byId.Remove(last.Id);
        _entities.RemoveLast();
    }

    internal void AddGone(EntityId id)
    {
        if (_isGone.Add(id))
            _gone.Add(id);
    }

    internal bool IsGone(EntityId id) => _isGone.Contains(id);

    internal int IndexOf(EntityId id) => Index.IndexOf(id);

    /// <summary>The place of an entity; -1 where it is not in the record.</summary>
    internal int TryIndexOf(EntityId id) => Index.IndexOf(id);

    /// <summary>
    /// The place of an entity; -1 where it is not in the record. What is asked for in the order of the record is found without a search.
    /// </summary>
    /// <param name="id">The entity.</param>
    /// <param name="next">Where the next entity is likely to be.</param>
    internal int TryIndexOf(EntityId id, ref NextEntity next)
    {
        var likely = id.IsSpawned ? next.Spawned : next.Placed;
        var found = likely < _entities.Count && _entities[likely].Id == id ? likely : Index.IndexOf(id);
        if (found >= 0)
        {
            if (id.IsSpawned)
                next.Spawned = found + 1;
            else
                next.Placed = found + 1;
        }
        return found;
    }

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
        if (_isTemporary)
            added.UsePool();
        columns.Add(added);
        return added;
    }

    internal PartColumn? FindColumn(string kind, string part)
    {
        if (!_columns.TryGetValue(kind, out var columns))
            return null;
        foreach (var column in columns)
        {
            if (column.Name == part)
                return column;
        }
        return null;
    }

    /// <summary>The columns of a kind's members in the order that their owner wants, found once.</summary>
    internal KindColumns Bound<TOwner>(TOwner owner, Func<SceneRecord, TOwner, KindColumns> find) where TOwner : class
    {
        if (ReferenceEquals(_lastOwner, owner))
            return _lastBound;
        if (!_bound.TryGetValue(owner, out var columns))
            _bound.Add(owner, columns = find(this, owner));
        (_lastOwner, _lastBound) = (owner, columns);
        return columns;
    }

    /// <summary>Says what a kind has in the game that makes this record.</summary>
    internal void SetKnown(string kind, KnownKind known) => _known[kind] = known;

    internal KnownKind? KnownOf(string kind) => _known.GetValueOrDefault(kind);

    /// <summary>Whether the game that made the record had this part or reference: it says so, or an entity has one.</summary>
    internal bool Knows(string kind, string member) => _known.TryGetValue(kind, out var known)
        ? known.Members.Contains(member) || IsUsed(kind, member)
        : IsUsed(kind, member);

    /// <summary>Whether entities of the kind could belong to others in the game that made the record.</summary>
    internal bool KnowsParent(string kind) =>
        _known.TryGetValue(kind, out var known) ? known.HasParent : _entities.Any(one => one.Kind == kind && one.Parent is not null);

    private bool IsUsed(string kind, string member) =>
        _columns.TryGetValue(kind, out var columns) && columns.Exists(column => column.Name == member && column.IsUsed);

    internal void AddWarning(string warning) => _warnings.Add(warning);

    /// <summary>A record of the same scene without any entity.</summary>
    internal SceneRecord CopyHead()
    {
        var head = new SceneRecord { NextSpawn = NextSpawn };
        foreach (var id in _gone)
            head.AddGone(id);
        foreach (var (kind, known) in _known)
            head._known.Add(kind, known);
        return head;
    }

    /// <summary>Gives the parts of an entity to the last entity of another record.</summary>
    internal void CopyEntity(int index, SceneRecord target)
    {
        var kind = _entities[index].Kind;
        foreach (var column in ColumnsOf(kind))
        {
            if (column.Has(index))
                column.CopyTo(target.Column(kind, column.Name, column.MakeEmpty), index, target._entities.Count - 1);
        }
    }

    /// <summary>Keeps an entity beside the others, whoever has its id.</summary>
    internal SceneRecord KeepBeside(EntityRecord entity)
    {
        Kept ??= new SceneRecord();
        Kept._entities.Add(entity);
        return Kept;
    }

    /// <summary>Whether a place in a save, as a JSON Pointer (RFC 6901), is what a scene says of the kinds that the game had.</summary>
    /// <param name="path">The place.</param>
    /// <param name="find">The content of a section.</param>
    internal static bool IsAboutKinds(string path, Func<string, SaveValue?> find) =>
        path.Split('/') is ["", var section, "kinds", ..]
        && find(section.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal)) is SaveMap scene
        && scene.TryGet("entities", out var entities) && entities is SaveMap && scene.TryGet("gone", out var gone) && gone is SaveList;

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
}

/// <summary>
/// Where in a record the entities are that come after those found last: placed ones and spawned ones each have their order.
/// </summary>
internal struct NextEntity
{
    public int Placed;
    public int Spawned;
}
