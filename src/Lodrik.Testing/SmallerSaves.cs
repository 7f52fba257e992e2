using Lodrik.Migrations;
using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Testing;

/// <summary>Looks for the smallest save of a shape that still fails in the same way.</summary>
/// <param name="shape">The shape, which every smaller save keeps to.</param>
internal sealed class SmallerSaves(SaveShape shape)
{
    private const int MostTries = 3000;

    private int _tries;

    /// <summary>The smallest save that was found.</summary>
    /// <param name="sections">A save that fails.</param>
    /// <param name="fails">Whether a save fails in the same way.</param>
    public SaveMap Find(SaveMap sections, Func<SaveMap, bool> fails)
    {
        var isSmaller = true;
        while (isSmaller)
        {
            isSmaller = false;
            foreach (var smaller in Smaller(sections))
            {
                if (++_tries > MostTries)
                    return sections;
                if (!fails((SaveMap)SaveValueCodec.Copy(smaller)!))
                    continue;
                sections = smaller;
                isSmaller = true;
                break;
            }
        }
        return sections;
    }

    private IEnumerable<SaveMap> Smaller(SaveMap sections)
    {
        var members = shape.Find(shape.Root)!.Members;
        foreach (var (name, value) in sections)
        {
            // What a number stands for can be of any shared type.
            if (name.EndsWith(SharedTree.Suffix, StringComparison.Ordinal))
                continue;
            var slash = name.IndexOf('/', StringComparison.Ordinal);
            var type = ShapeExpression.Parse(members[slash < 0 ? name : name[..slash]]);
            // A scene, and a part of the game, may be missing altogether.
            if (slash > 0)
                yield return Without(sections, name);
            var smaller = type.Name switch
            {
                "scenes" => SmallerScene((SaveMap)value),
                "session" => Smaller(ShapeExpression.Parse(shape.Subsystems[name[(slash + 1)..]]), value),
                _ => Smaller(type, value),
            };
            foreach (var one in smaller)
                yield return With(sections, name, one);
        }
    }

    private IEnumerable<SaveMap> SmallerScene(SaveMap scene)
    {
        var entities = (SaveMap)scene["entities"];
        foreach (var (id, value) in entities)
        {
            yield return With(scene, "entities", Without(entities, id));
            var entity = (SaveMap)value;
            var (parts, types) = ((SaveMap)entity["parts"], shape.Kinds[entity["kind"].AsText()!]);
            foreach (var (part, content) in parts)
            {
                yield return With(scene, "entities", With(entities, id, With(entity, "parts", Without(parts, part))));
                foreach (var smaller in Smaller(ShapeExpression.Parse(types[part]), content))
                    yield return With(scene, "entities", With(entities, id, With(entity, "parts", With(parts, part, smaller))));
            }
        }
    }

    private IEnumerable<SaveValue> Smaller(ShapeExpression type, SaveValue value)
    {
        if (value.Kind == SaveValueKind.Null)
            yield break;
        if (type.IsNullable)
            yield return SaveValue.Null;
        switch (value)
        {
            case SaveList list when type.IsList:
                if (list.Count > 1)
                    yield return new SaveList();
                for (var i = 0; i < list.Count; i++)
                {
                    yield return Without(list, i);
                    foreach (var smaller in Smaller(type.Arguments[0], list[i]))
                        yield return With(list, i, smaller);
                }
                break;
            case SaveMap map when type.IsMap:
                if (map.Count > 1)
                    yield return new SaveMap();
                foreach (var (key, entry) in map)
                {
                    yield return Without(map, key);
                    foreach (var smaller in Smaller(type.Arguments[1], entry))
                        yield return With(map, key, smaller);
                }
                break;
            case SaveList tuple when type.Name == "tuple":
                for (var i = 0; i < tuple.Count; i++)
                {
                    foreach (var smaller in Smaller(type.Arguments[i], tuple[i]))
                        yield return With(tuple, i, smaller);
                }
                break;
            case SaveMap map when shape.Find(type.Name) is { } named:
                foreach (var smaller in SmallerObject(named, map))
                    yield return smaller;
                break;
            case SaveScalar scalar when Simplest(type, scalar) is { } simplest && !simplest.Equals(scalar):
                yield return simplest;
                break;
        }
    }

    private IEnumerable<SaveMap> SmallerObject(ShapeType type, SaveMap map)
    {
        if (type.Variants.Count > 0 && map.Count == 1)
        {
            var (variant, content) = map.First();
            if (content is SaveMap members && type.Variants.TryGetValue(variant, out var name) && shape.Find(name) is { } variantType)
            {
                foreach (var smaller in SmallerObject(variantType, members))
                    yield return new SaveMap { [variant] = smaller };
            }
            yield break;
        }
        foreach (var (key, value) in map)
        {
            if (!type.Members.TryGetValue(key, out var member))
            {
                yield return Without(map, key);
                continue;
            }
            foreach (var smaller in Smaller(ShapeExpression.Parse(member), value))
                yield return With(map, key, smaller);
        }
    }

    private static SaveValue? Simplest(ShapeExpression type, SaveScalar scalar) => (type.Name, scalar.Kind) switch
    {
        (_, SaveValueKind.Integer) => 0,
        (_, SaveValueKind.Bool) => false,
        (_, SaveValueKind.Single) => 0f,
        (_, SaveValueKind.Double) => 0.0,
        (_, SaveValueKind.Decimal) => 0m,
        (_, SaveValueKind.Bytes) => Array.Empty<byte>(),
        ("text", SaveValueKind.Text) => "",
        _ => null,
    };

    private static SaveMap With(SaveMap map, string key, SaveValue value)
    {
        var changed = new SaveMap();
        foreach (var (name, entry) in map)
            changed[name] = name == key ? value : entry;
        return changed;
    }

    private static SaveMap Without(SaveMap map, string key)
    {
        var changed = new SaveMap();
        foreach (var (name, entry) in map.Where(entry => entry.Key != key))
            changed[name] = entry;
        return changed;
    }

    private static SaveList With(SaveList list, int index, SaveValue value)
    {
        var changed = new SaveList();
        for (var i = 0; i < list.Count; i++)
            changed.Add(i == index ? value : list[i]);
        return changed;
    }

    private static SaveList Without(SaveList list, int index)
    {
        var changed = new SaveList();
        for (var i = 0; i < list.Count; i++)
        {
            if (i != index)
                changed.Add(list[i]);
        }
        return changed;
    }
}
