using Lodrik.Formats;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.State;

namespace Lodrik.Testing;

/// <summary>Finds what a migrated save has and today's types do not know, so that it would be lost without a word.</summary>
/// <param name="today">The shape of today.</param>
internal sealed class LostMembers(SaveShape today)
{
    /// <summary>The first thing that is lost, by its path and in words; null if nothing is.</summary>
    public (string Path, string Problem)? In(SavedFile save)
    {
        var members = today.Find(today.Root)!.Members;
        foreach (var name in save.Sections.Select(section => section.Name)
            .Where(name => !name.EndsWith("#shared", StringComparison.Ordinal)))
        {
            var slash = name.IndexOf('/', StringComparison.Ordinal);
            var key = slash < 0 ? name : name[..slash];
            if (!members.TryGetValue(key, out var type) || slash > 0 != IsGroup(type))
                return ($"/{name}", "the save root of today has no such section");
            var found = type switch
            {
                "scenes" => InScene(save.ReadSection(name), $"/{name}"),
                "session" => InSession(name[(slash + 1)..], save, $"/{name}"),
                "group" => null,
                _ => In(type, save.ReadSection(name), $"/{name}"),
            };
            if (found is not null)
                return found;
        }
        return null;
    }

    private static bool IsGroup(string type) => type is "scenes" or "session" or "group";

    private (string, string)? InSession(string name, SavedFile save, string path)
    {
        if (name is "place" or "clock" || CheckpointShape.IsName($"session/{name}"))
            return null;
        return today.Subsystems.TryGetValue(name, out var type)
            ? In(type, save.ReadSection(path[1..]), path)
            : (path, "no part of the game of today has that section");
    }

    private (string, string)? InScene(SaveValue scene, string path)
    {
        if (scene is not SaveMap map || !map.TryGet("entities", out var entities) || entities is not SaveMap all)
            return null;
        foreach (var (id, value) in all)
        {
            var at = $"{path}/entities/{PointerBuilder.Escape(id)}";
            if (value is not SaveMap entity || !entity.TryGet("kind", out var kindValue) || kindValue.AsText() is not { } kind)
                continue;
            var name = today.FormerKinds.GetValueOrDefault(kind, kind);
            if (!today.Kinds.TryGetValue(name, out var parts) && !today.Kinds.ContainsKey("*"))
                return (at, $"the game of today has no kind \"{kind}\"");
            if (!entity.TryGet("parts", out var held) || held is not SaveMap heldParts)
                continue;
            foreach (var (part, content) in heldParts)
            {
                if (!(parts ?? []).TryGetValue(part, out var type)
                    && !(today.Kinds.TryGetValue("*", out var any) && any.TryGetValue(part, out type)))
                    return ($"{at}/parts/{PointerBuilder.Escape(part)}", $"the kind \"{name}\" of today has no such part");
                if (In(type, content, $"{at}/parts/{PointerBuilder.Escape(part)}") is { } lost)
                    return lost;
            }
        }
        return null;
    }

    private (string, string)? In(string type, SaveValue value, string path) => In(ShapeExpression.Parse(type), value, path);

    private (string, string)? In(ShapeExpression type, SaveValue value, string path)
    {
        switch (value)
        {
            case SaveList list when type.IsList:
                return First(list.Select((item, i) => In(type.Arguments[0], item, $"{path}/{i}")));
            case SaveList list when type.Name == "tuple":
                return First(list.Take(type.Arguments.Count).Select((item, i) => In(type.Arguments[i], item, $"{path}/{i}")));
            case SaveMap map when type.IsMap:
                return First(map.Select(entry => In(type.Arguments[1], entry.Value, $"{path}/{PointerBuilder.Escape(entry.Key)}")));
            case SaveMap map when today.Find(type.Name) is { IsEnum: false } named:
                return InObject(named, map, path, type.Name);
            default:
                return null;
        }
    }

    private (string, string)? InObject(ShapeType type, SaveMap map, string path, string name)
    {
        if (type.Variants.Count > 0)
        {
            return map.Count == 1 && type.Variants.TryGetValue(map.First().Key, out var variant) && today.Find(variant) is { } variantType
                && map.First().Value is SaveMap members
                ? InMembers(variantType, members, $"{path}/{PointerBuilder.Escape(map.First().Key)}", variant)
                : null;
        }
        return InMembers(type, map, path, name);
    }

    private (string, string)? InMembers(ShapeType type, SaveMap map, string path, string name)
    {
        foreach (var (key, value) in map)
        {
            var at = $"{path}/{PointerBuilder.Escape(key)}";
            if (!type.Members.TryGetValue(type.KeyOf(key), out var member))
            {
                if (!type.KeepsUnknown)
                    return (at, $"{name} of today has no such member");
            }
            else if (In(member, value, at) is { } lost)
            {
                return lost;
            }
        }
        return null;
    }

    private static (string, string)? First(IEnumerable<(string, string)?> found) => found.FirstOrDefault(one => one is not null);
}
