using Lodrik.State;

namespace Lodrik.Scenes;

// How a scene is written and read.
public sealed partial class SceneRecord
{
    /// <summary>
    /// The largest number that a save may say comes next. No game gets there by counting; from a larger one, a stranger's save would leave
    /// no numbers to hand out.
    /// </summary>
    internal const long LargestNextSpawn = 1L << 62;

    private static readonly KeyTable SceneKeys = new("nextSpawn", "gone", "kinds", "entities", "kept");
    private static readonly KeyTable KindKeys = new("members", "hasParent");
    private static readonly KeyTable EntityKeys = new("kind", "parent", "carried", "parts", "id");

    // What an entity may leave out, for writers that gather entities of the same keys: by the sum of what it has.
    private const int HasParent = 1;
    private const int IsCarried = 2;
    private const int HasParts = 4;
    private const int HasId = 8;
    private static readonly KeyTable[] KeysOf = [.. Enumerable.Range(0, 16).Select(has => new KeyTable(
        [.. (string[])((has & HasId) > 0 ? ["id"] : []), "kind", .. (string[])((has & HasParent) > 0 ? ["parent"] : []),
            .. (string[])((has & IsCarried) > 0 ? ["carried"] : []),
            .. (string[])((has & HasParts) > 0 ? ["parts"] : [])]))];

    /// <summary>Writes the scene as one value: entity by entity, each under its id.</summary>
    void IValueWriter.Write<TWriter>(ref TWriter writer) => Write(ref writer);

    internal void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct
    {
        var kinds = Kinds.Concat(Kept?.Kinds ?? []).Distinct(StringComparer.Ordinal).Where(_known.ContainsKey)
            .Order(StringComparer.Ordinal).ToList();
        writer.BeginObject(3 + (kinds.Count > 0 ? 1 : 0) + (Kept is null ? 0 : 1));
        writer.WriteKey(SceneKeys, 0);
        writer.WriteInteger(Math.Min(NextSpawn, LargestNextSpawn));
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
                    scene.NextSpawn = reader.ReadInteger(0, LargestNextSpawn);
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
                    if (under is not null)
                        authoredIndex = types.AuthoredIndexOf(id);
                    reader.BeginObject();
                    while (reader.ReadKey(out var part))
                    {
                        Column(of, part, () => types.MakeColumn(of, part) ?? new TreePartColumn(part)).Read(
                            ref reader, _entities.Count, authoredIndex < 0 ? null : types.AuthoredColumn(of, part), authoredIndex);
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
