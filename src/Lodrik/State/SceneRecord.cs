using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>What a save knows of one entity beside its parts.</summary>
/// <param name="Id">The entity's id.</param>
/// <param name="Kind">The name under which the game can create it again.</param>
/// <param name="Parent">The entity that it belongs to, if any.</param>
/// <param name="IsCarried">Whether a placed entity came from elsewhere: the designer placed none of that name into this scene.</param>
public readonly record struct EntityRecord(EntityId Id, string Kind, EntityId? Parent, bool IsCarried = false)
{
    /// <summary>Whether it is said that the entity belongs to nothing; without that, an unchanged one belongs to what it was placed in.</summary>
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
public sealed class SceneRecord : IValueWriter
{
    private static readonly KeyTable SceneKeys = new("nextSpawn", "gone", "kinds", "entities", "kept");
    private static readonly KeyTable KindKeys = new("members", "hasParent");
    private static readonly KeyTable EntityKeys = new("kind", "parent", "carried", "parts", "id");

    // What an entity may leave out, for writers that gather entities of the same keys: by the sum of what it has.
    private const int HasParent = 1;
    private const int IsCarried = 2;
    private const int HasParts = 4;
    private const int HasId = 8;
    private static readonly KeyTable[] KeysOf = [.. Enumerable.Range(0, 16).Select(has => new KeyTable(
        [.. (string[])((has & HasId) > 0 ? ["id"] : []), "kind", .. (string[])((has & HasParent) > 0 ? ["parent"] : []), .. (string[])((has & IsCarried) > 0 ? ["carried"] : []),
            .. (string[])((has & HasParts) > 0 ? ["parts"] : [])]))];

    private readonly List<EntityRecord> _entities = [];
    private readonly EntityIndex _byId = new();
    private bool _isIndexed = true;
    private readonly List<EntityId> _gone = [];
    private readonly HashSet<EntityId> _isGone = [];
    private readonly Dictionary<string, List<PartColumn>> _columns = new(StringComparer.Ordinal);
    private readonly Dictionary<string, KnownKind> _known = new(StringComparer.Ordinal);
    private readonly Dictionary<object, KindColumns> _bound = new(ReferenceEqualityComparer.Instance);
    private readonly List<string> _warnings = [];
    private object? _lastOwner;
    private KindColumns _lastBound;

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

    private EntityIndex Index
    {
        get
        {
            foreach (var _ in MakeIndex())
            {
            }
            return _byId;
        }
    }

    /// <summary>Makes the index that entities are found by, and gives a value after each entity.</summary>
    internal IEnumerable<int> MakeIndex()
    {
        if (_isIndexed)
            yield break;
        _byId.Clear();
        for (var i = 0; i < _entities.Count; i++)
        {
            _byId.TryAdd(_entities[i].Id, i);
            if (i % 32 == 0)
                yield return 0;
        }
        _isIndexed = true;
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

    internal int IndexOf(EntityId id) => Index.IndexOf(id);

    /// <summary>The place of an entity; -1 where it is not in the record.</summary>
    internal int TryIndexOf(EntityId id) => Index.IndexOf(id);

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
        _known.TryGetValue(kind, out var known) ? known.HasParent : _entities.Exists(one => one.Kind == kind && one.Parent is not null);

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

    /// <summary>Writes the scene as one value: entity by entity, each under its id.</summary>
    void IValueWriter.Write<TWriter>(ref TWriter writer) => Write(ref writer);

    internal void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct
    {
        var kinds = Kinds.Concat(Kept?.Kinds ?? []).Distinct(StringComparer.Ordinal).Where(_known.ContainsKey)
            .Order(StringComparer.Ordinal).ToList();
        writer.BeginObject(3 + (kinds.Count > 0 ? 1 : 0) + (Kept is null ? 0 : 1));
        writer.WriteKey(SceneKeys, 0);
        writer.WriteInteger(NextSpawn);
        writer.WriteKey(SceneKeys, 1);
        writer.BeginList(_gone.Count);
        foreach (var id in _gone)
            writer.WriteText(id.ToString());
        writer.EndList();
        if (kinds.Count > 0)
        {
            writer.WriteKey(SceneKeys, 2);
            WriteKnown(ref writer, kinds);
        }
        writer.WriteKey(SceneKeys, 3);
        if (!writer.TryWriteTable<EntityMap, EntityMap>(new EntityMap(this, null), _entities.Count))
            EntityMap.Write(ref writer, new EntityMap(this, null));
        if (Kept is not null)
        {
            writer.WriteKey(SceneKeys, 4);
            writer.BeginList(Kept._entities.Count);
            for (var index = 0; index < Kept._entities.Count; index++)
                Kept.WriteEntity(ref writer, index, Kept._entities[index].Id.ToString());
            writer.EndList();
        }
        writer.EndObject();
    }

    private void WriteKnown<TWriter>(ref TWriter writer, List<string> kinds) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginObject(kinds.Count);
        foreach (var kind in kinds)
        {
            var known = _known[kind];
            writer.WriteKey(kind);
            writer.BeginObject(known.HasParent ? 2 : 1);
            writer.WriteKey(KindKeys, 0);
            writer.BeginList(known.Members.Count);
            foreach (var member in known.Members.Order(StringComparer.Ordinal))
                writer.WriteText(member);
            writer.EndList();
            if (known.HasParent)
            {
                writer.WriteKey(KindKeys, 1);
                writer.WriteBool(true);
            }
            writer.EndObject();
        }
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
                    scene.ReadKnown(ref reader, types);
                    break;
                case 3:
                    var entities = new EntityMap(scene, types);
                    if (!reader.TryReadTable<EntityMap, EntityMap>(ref entities))
                        EntityMap.Read(ref reader, ref entities);
                    break;
                case 4:
                    reader.BeginList();
                    while (reader.NextItem())
                        (scene.Kept ??= new SceneRecord()).ReadEntity(ref reader, null, types);
                    break;
                default:
                    reader.Skip();
                    break;
            }
        }
        return scene;
    }

    private void ReadKnown<TReader>(ref TReader reader, SceneTypes types) where TReader : IStateReader, allows ref struct
    {
        reader.BeginObject();
        while (reader.ReadKey(out var kind))
        {
            var members = new HashSet<string>(StringComparer.Ordinal);
            var hasParent = false;
            reader.BeginObject();
            var key = -1;
            var seen = default(SeenKeys);
            while (reader.ReadKey(KindKeys, ref key))
            {
                seen.Note(ref reader, KindKeys, key);
                if (key == 0)
                {
                    reader.BeginList();
                    while (reader.NextItem())
                        members.Add(reader.ReadText());
                }
                else if (key == 1)
                    hasParent = reader.ReadBool();
                else
                    reader.Skip();
            }
            var name = types.KindName(kind);
            if (_known.TryGetValue(name, out var former))
                members.UnionWith(former.Members);
            _known[name] = new KnownKind(members, hasParent || former is { HasParent: true });
        }
    }

    private void WriteEntity<TWriter>(ref TWriter writer, int index, string? id = null)
        where TWriter : IStateWriter, allows ref struct
    {
        var entity = _entities[index];
        var columns = ColumnsOf(entity.Kind);
        var parts = 0;
        foreach (var column in columns)
            parts += column.Has(index) ? 1 : 0;
        var saysParent = entity.Parent is not null || entity.IsSetFree;
        var keys = KeysOf[
            (saysParent ? HasParent : 0) + (entity.IsCarried ? IsCarried : 0) + (parts == 0 ? 0 : HasParts) + (id is null ? 0 : HasId)];
        writer.BeginObject(keys.Count);
        var key = 0;
        if (id is not null)
        {
            writer.WriteKey(keys, key++);
            writer.WriteText(id);
        }
        writer.WriteKey(keys, key++);
        writer.WriteText(entity.Kind);
        if (saysParent)
        {
            writer.WriteKey(keys, key++);
            TextCodec.Write(ref writer, entity.Parent?.ToString());
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

    /// <summary>Reads an entity; its id is within it if that is null here.</summary>
    private void ReadEntity<TReader>(ref TReader reader, EntityId? under, SceneTypes types)
        where TReader : IStateReader, allows ref struct
    {
        string? kind = null;
        EntityId? parent = null;
        var isSetFree = false;
        var id = under.GetValueOrDefault();
        var authored = types.Authored;
        var authoredIndex = -1;
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
                    isSetFree = reader.TryReadNull();
                    if (!isSetFree)
                        parent = EntityIdCodec.Parse(ref reader, reader.ReadText());
                    break;
                case 2:
                    isCarried = reader.ReadBool();
                    break;
                case 3:
                    var of = kind ?? throw reader.Wrong($"The kind of the entity {id} has to come before its parts.");
                    if (authored is not null && under is not null)
                        authoredIndex = authored.TryIndexOf(id);
                    reader.BeginObject();
                    while (reader.ReadKey(out var part))
                    {
                        Column(of, part, () => types.MakeColumn(of, part) ?? new TreePartColumn(part)).Read(
                            ref reader, _entities.Count, authoredIndex < 0 ? null : authored!.FindColumn(of, part), authoredIndex);
                    }
                    break;
                case 4 when under is null:
                    id = EntityIdCodec.Parse(ref reader, reader.ReadText());
                    break;
                default:
                    reader.Skip();
                    break;
            }
        }
        if (kind is null)
            throw reader.Wrong($"The entity {id} has no kind.");
        var entity = new EntityRecord(id, kind, parent, isCarried) { IsSetFree = isSetFree };
        if (under is null)
        {
            if (id == default)
                throw reader.Wrong("An entity that is kept has no id.");
            _entities.Add(entity);
        }
        else if (!TryAdd(entity))
            throw reader.Wrong($"The entity {id} appears twice.");
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
