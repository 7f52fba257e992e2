namespace Lodrik.Migrations;

/// <summary>Holds the shape of an older version against a later one: by what is saved, not by what the types are called.</summary>
internal sealed class ShapeComparison
{
    private static readonly string[] Whole = ["int8", "int16", "int32", "int64", "int128", "integer"];
    private static readonly string[] WholeUnsigned = ["uint8", "uint16", "uint32", "uint64", "uint128"];

    private readonly SaveShape _before;
    private readonly SaveShape _after;
    private readonly List<ShapeChange> _changes = [];
    private readonly HashSet<ShapeChange> _known = [];
    /// <summary>In how many places a type is looked at; one that is in more is told in these.</summary>
    private const int MostPlaces = 16;

    private readonly Dictionary<(string, string), int> _compared = [];
    private readonly HashSet<(string, string)> _open = [];
    private string _what = "";

    private ShapeComparison(SaveShape before, SaveShape after) => (_before, _after) = (before, after);

    /// <summary>
    /// All that is different in the later shape, from the root on, then in scenes and in the sections of the game's parts.
    /// </summary>
    public static IReadOnlyList<ShapeChange> Of(SaveShape before, SaveShape after)
    {
        var comparison = new ShapeComparison(before, after);
        if (before.Root.Length > 0 && after.Root.Length > 0)
            comparison.CompareNamed(before.Root, after.Root, "");
        comparison.CompareKinds();
        comparison.CompareSubsystems();
        comparison.CompareScenes();
        // What is reached from nowhere is used in ways that cannot be seen from here, and goes by its name.
        foreach (var type in before.Types.Keys.Where(after.Types.ContainsKey).ToList())
            comparison.CompareNamed(type, type, type + ": ");
        return comparison._changes;
    }

    private void CompareNamed(string before, string after, string path)
    {
        if (_before.Find(before) is not { } old || _after.Find(after) is not { } now)
            return;
        if (path == after + ": " && _compared.Keys.Any(pair => pair.Item2 == after))
            return;
        _compared[(before, after)] = _compared.TryGetValue((before, after), out var places) ? places + 1 : 1;
        if (places >= MostPlaces || !_open.Add((before, after)))
            return;
        // What all variants have in common is among the members of each of them.
        Compare(old, now, after, path, hasMembers: old.Variants.Count == 0 || old.Variants.ContainsValue(before));
        _open.Remove((before, after));
    }

    private void Compare(ShapeType old, ShapeType now, string after, string path, bool hasMembers)
    {
        if (old.IsEnum || now.IsEnum)
        {
            CompareEnums(old, now, after, path);
            return;
        }
        if (hasMembers)
            CompareMembers(old, now, after, path);
        foreach (var variant in old.Variants)
        {
            if (now.Variants.TryGetValue(variant.Key, out var type))
            {
                if (IsExchanged(variant.Value, type, old.Variants.Values, now.Variants.Values))
                    Add(ShapeChangeKind.MeaningChanged, ShapeElement.Variant, path, variant.Key, after, variant.Value, type, true,
                        $"it was {variant.Value} and is {type}");
                CompareNamed(variant.Value, type, $"{path}/{Escape(variant.Key)}");
            }
            else
                Add(ShapeChangeKind.Removed, ShapeElement.Variant, path, variant.Key, after, variant.Value, "", true);
        }
        foreach (var variant in now.Variants.Where(variant => !old.Variants.ContainsKey(variant.Key)))
            Add(ShapeChangeKind.Added, ShapeElement.Variant, path, variant.Key, after, "", variant.Value, false);
        if (old.Variants.Count == 0 != (now.Variants.Count == 0))
            Add(ShapeChangeKind.TypeChanged, ShapeElement.Member, path, "", after, old.Variants.Count == 0
                ? "without variants"
                : "one of several variants", now.Variants.Count == 0
                ? "without variants"
                : "one of several variants", true);
        if (old.KeepsUnknown && !now.KeepsUnknown)
            Add(ShapeChangeKind.TypeChanged, ShapeElement.Member, path, "", after,
                "a type that keeps unknown members", "a type that does not",
                true);
    }

    private void CompareMembers(ShapeType old, ShapeType now, string after, string path)
    {
        foreach (var member in old.Members)
            CompareMember(old, now, member.Key, after, path);
        var renamed = old.Members.Keys.Select(now.KeyOf).ToList();
        foreach (var member in now.Members.Where(member => !renamed.Contains(member.Key)))
        {
            var required = now.Required.Contains(member.Key);
            Add(required ? ShapeChangeKind.BecameRequired : ShapeChangeKind.Added, ShapeElement.Member, $"{path}/{Escape(member.Key)}",
                member.Key, after, "", member.Value, required,
                required ? "it is new" : "");
        }
    }

    private void CompareMember(ShapeType old, ShapeType now, string key, string owner, string path)
    {
        var at = $"{path}/{Escape(key)}";
        var today = now.KeyOf(key);
        if (!now.Members.TryGetValue(today, out var type))
        {
            if (!now.KeepsUnknown)
                Add(ShapeChangeKind.Removed, ShapeElement.Member, at, key, owner, old.Members[key], "", true);
            return;
        }
        if (now.Required.Contains(today) && !old.Required.Contains(key))
            Add(ShapeChangeKind.BecameRequired, ShapeElement.Member, at, key, owner, old.Members[key], type,
                false, "saves of the older version have it");
        if (today == key && HasAnotherMeaning(old, now, key))
            Add(ShapeChangeKind.MeaningChanged, ShapeElement.Member, at, key, owner, old.Members[key], type, true,
                $"it was {NameOf(old, key)} and is {NameOf(now, key)}");
        CompareValues(old.Members[key], type, at, key, owner);
    }

    /// <summary>
    /// Whether a key went from one member to another that was there under another key, or left one that is still there.
    /// </summary>
    private static bool HasAnotherMeaning(ShapeType old, ShapeType now, string key)
    {
        return IsExchanged(NameOf(old, key), NameOf(now, key),
            old.Members.Keys.Where(other => other != key).Select(other => NameOf(old, other)),
            now.Members.Keys.Where(other => other != key).Select(other => NameOf(now, other)));
    }

    /// <summary>Whether what is in a place today was in another place before, or what was there is in another today.</summary>
    private static bool IsExchanged(string was, string @is, IEnumerable<string> before, IEnumerable<string> after) =>
        was != @is && (after.Contains(was) || before.Contains(@is));

    private static string NameOf(ShapeType type, string key) => type.Named.TryGetValue(key, out var name) ? name : key;

    private void CompareValues(string before, string after, string path, string name, string owner)
    {
        if (WhatGoes(before, after, path) is { } what)
            Add(ShapeChangeKind.TypeChanged, ShapeElement.Member, path, name, owner, before, after, true, what);
    }

    /// <summary>What the later type does not take of what the older one wrote,
    /// or an empty text where that says itself; null for nothing.</summary>
    private string? WhatGoes(string before, string after, string path)
    {
        _what = "";
        return Compare(ShapeExpression.Parse(before), ShapeExpression.Parse(after), path) ? null : _what;
    }

    private bool Goes(string what)
    {
        _what = what;
        return false;
    }

    /// <summary>Whether the later type reads what the older one wrote; what is within it is looked at as well.</summary>
    private bool Compare(ShapeExpression old, ShapeExpression now, string path)
    {
        if (now.Name == "any")
            return true;
        if (old.IsNullable && !now.IsNullable)
            return Goes("null is no longer allowed");
        if (now.Label == ShapeExpression.Caseless && old.Label != now.Label)
            return Goes("entries that differ only in case are merged");
        if (old.IsNamed && now.IsNamed)
            return CompareTypes(old, now, path);
        if (old.IsList && now.IsList)
            return HasRoom(old, now) && HoldsItems(old, now) && CompareArguments(old, now, path);
        if (old.IsMap && now.IsMap)
            return CompareMaps(old, now, path);
        if (old.Name == now.Name && old.Count == now.Count && old.Arguments.Count == now.Arguments.Count)
            return MeansTheSame(old, now) && CompareArguments(old, now, path);
        return IsWider(old, now) || IsListOf(old, now) || (old.Name == "entry" && now.Name == "text");
    }

    private bool CompareTypes(ShapeExpression old, ShapeExpression now, string path)
    {
        var (one, other) = (_before.Find(old.Name), _after.Find(now.Name));
        if (one is not null && other is not null && one.IsEnum != other.IsEnum)
            return false;
        if (one is not null && other is not null && one.IsShared != other.IsShared)
            return Goes(one.IsShared ? "its objects are no longer shared" : "its objects are now shared");
        // What a shared object has is next to the section, once for all places.
        CompareNamed(old.Name, now.Name, one is { IsShared: true } && SectionIn(path) is { } section ? $"{section}#shared/*" : path);
        // A type that was renamed, or moved, is the same one.
        return old.Name == now.Name || one is null || other is null || old.Name.IndexOf('<') >= 0
            || (_after.Find(old.Name) is null && _before.Find(now.Name) is null)
            || Goes("it is a different type, and both types still exist");
    }

    /// <summary>The section that a path begins with; null for a path in a part of a scene.</summary>
    private static string? SectionIn(string path)
    {
        if (path.Length == 0 || path[0] != '/')
            return null;
        const string Session = "/session/";
        var end = path.IndexOf('/', path.StartsWith(Session, StringComparison.Ordinal) ? Session.Length : 1);
        return end < 0 ? path : path.Substring(0, end);
    }

    /// <summary>Whether a collection takes all items of another, in their order where it has one.</summary>
    private bool HoldsItems(ShapeExpression old, ShapeExpression now)
    {
        if (now.IsSet && !old.IsSet)
            return Goes(now.Name == "set" ? "duplicates are dropped"
                : "duplicates are dropped and the order is lost");
        return (old.Name, now.Name) is not (("queue", "stack") or ("stack", "queue"))
            || Goes("the order in which items come out is reversed");
    }

    /// <summary>Whether numbers that belong together, or the items of a tuple, are called what they were.</summary>
    private bool MeansTheSame(ShapeExpression old, ShapeExpression now)
    {
        if (now.Count > 0 && old.Label != now.Label)
            return Goes("its numbers have another meaning");
        var (before, after) = (old.Arguments.Select(one => one.Label).ToList(), now.Arguments.Select(one => one.Label).ToList());
        return now.Name != "tuple" || !before.Zip(after, (was, @is) => (was, @is))
            .Any(pair => pair.was.Length > 0 && pair.@is.Length > 0 && IsExchanged(pair.was, pair.@is, before, after))
            || Goes("its items have another meaning");
    }

    /// <summary>A list's item has its own path, and a tuple's parts have the tuple's.</summary>
    private bool CompareArguments(ShapeExpression old, ShapeExpression now, string path) =>
        old.Arguments.Zip(now.Arguments, (a, b) => (a, b))
            .All(pair => Compare(pair.a, pair.b, old.Name == "tuple" ? path : path + "/*"));

    /// <summary>Several of a fixed number became a list of them.</summary>
    private static bool IsListOf(ShapeExpression old, ShapeExpression now) =>
        old.Count > 0 && now.Name == "list" && now.Arguments[0].Name == old.Name && HasRoom(old, now);

    /// <summary>Whether an array of fixed length has room for whatever the older version saved.</summary>
    private static bool HasRoom(ShapeExpression old, ShapeExpression now) => now.Count == 0 || (old.Count > 0 && old.Count <= now.Count);

    private bool CompareMaps(ShapeExpression old, ShapeExpression now, string path)
    {
        var (oldKey, newKey) = (old.Arguments[0], now.Arguments[0]);
        if (old.Name == "orderedmap" && now.Name != "orderedmap")
            return Goes("the order is lost");
        return ((newKey.Name == "text" && newKey.Label.Length == 0) || Compare(oldKey, newKey, path))
            && Compare(old.Arguments[1], now.Arguments[1], path + "/*");
    }

    private static bool IsWider(ShapeExpression old, ShapeExpression now)
    {
        if (old.Count > 0 || now.Count > 0)
            return false;
        var (from, to) = (Array.IndexOf(Whole, old.Name), Array.IndexOf(Whole, now.Name));
        var (fromUnsigned, toUnsigned) = (Array.IndexOf(WholeUnsigned, old.Name), Array.IndexOf(WholeUnsigned, now.Name));
        return (from >= 0 && to >= from)
            || (fromUnsigned >= 0 && toUnsigned >= fromUnsigned)
            || (fromUnsigned >= 0 && to > fromUnsigned)
            || (old.Name == "half" && now.Name is "single" or "double")
            || (old.Name == "single" && now.Name == "double");
    }

    private void CompareEnums(ShapeType old, ShapeType now, string owner, string path)
    {
        foreach (var value in old.Values.Where(value => !now.Values.Contains(value) && !now.FormerValues.Contains(value)))
            Add(ShapeChangeKind.Removed, ShapeElement.EnumValue, path, value, owner, "", "", true);
        if (old.IsFlags && !now.IsFlags)
            Add(ShapeChangeKind.TypeChanged, ShapeElement.EnumValue, path, "", owner, "a set of flags", "a single value", true,
                "combined values no longer fit");
        foreach (var value in now.Values.Where(value => !old.Values.Contains(value)))
            Add(ShapeChangeKind.Added, ShapeElement.EnumValue, path, value, owner, "", "", false);
    }

    private void CompareKinds()
    {
        foreach (var kind in _before.Kinds.Where(kind => kind.Key != "*"))
        {
            var today = _after.FormerKinds.TryGetValue(kind.Key, out var renamed) ? renamed : kind.Key;
            if (!_after.Kinds.TryGetValue(today, out var parts))
            {
                Add(ShapeChangeKind.Removed, ShapeElement.Kind, "", kind.Key, "", "", "", true, _after.Kinds.ContainsKey("*")
                    ? "or its name is no longer a constant"
                    : "");
                continue;
            }
            foreach (var part in kind.Value)
                ComparePart(kind.Key, part.Key, part.Value, parts);
            foreach (var part in parts.Where(part => !kind.Value.ContainsKey(part.Key)))
                Add(ShapeChangeKind.Added, ShapeElement.Part, $"{part.Key} of each {today}", part.Key, "", "", part.Value, false);
        }
        foreach (var kind in _after.Kinds.Keys.Where(kind =>
            kind != "*" && !_before.Kinds.ContainsKey(kind) && !_after.FormerKinds.Values.Contains(kind)))
            Add(ShapeChangeKind.Added, ShapeElement.Kind, "", kind, "", "", "", false);
    }

    private void ComparePart(string kind, string part, string before, SortedDictionary<string, string> parts)
    {
        if (!parts.TryGetValue(part, out var after)
            && !(_after.Kinds.TryGetValue("*", out var any) && any.TryGetValue(part, out after)))
        {
            Add(ShapeChangeKind.Removed, ShapeElement.Part, $"{part} of each {kind}", part, "", before, "", true);
            return;
        }
        if (WhatGoes(before, after, $"{part} of each {kind}: ") is { } what)
            Add(ShapeChangeKind.TypeChanged, ShapeElement.Part, $"{part} of each {kind}", part, "", before, after, true, what);
    }

    private void CompareSubsystems()
    {
        foreach (var subsystem in _before.Subsystems)
        {
            if (_after.Subsystems.TryGetValue(subsystem.Key, out var type))
                CompareValues(subsystem.Value, type, $"/session/{Escape(subsystem.Key)}", subsystem.Key, "");
            else
                Add(ShapeChangeKind.Removed, ShapeElement.Subsystem, $"/session/{Escape(subsystem.Key)}", subsystem.Key, "",
                    subsystem.Value, "", true);
        }
        foreach (var subsystem in _after.Subsystems.Where(subsystem => !_before.Subsystems.ContainsKey(subsystem.Key)))
            Add(ShapeChangeKind.Added, ShapeElement.Subsystem, $"/session/{Escape(subsystem.Key)}", subsystem.Key, "", "",
                subsystem.Value, false);
    }

    private void CompareScenes()
    {
        if (_before.Find(_before.Root)?.Members.FirstOrDefault(member => member.Value == "scenes").Key is not { } section)
            return;
        foreach (var scene in _before.Scenes.Where(scene => _after.Scenes.Count > 0 && !_after.CanHaveScene(scene)))
            Add(ShapeChangeKind.Removed, ShapeElement.Scene, $"/{Escape(section)}/{Escape(scene)}", scene, "", "", "", true);
        foreach (var scene in _after.Scenes.Where(scene => _before.Scenes.Count > 0 && !_before.CanHaveScene(scene) && scene != "*"))
            Add(ShapeChangeKind.Added, ShapeElement.Scene, $"/{Escape(section)}/{Escape(scene)}", scene, "", "", "", false);
    }

    private void Add(ShapeChangeKind kind, ShapeElement element, string path, string name, string owner, string before, string after,
        bool isLoss, string note = "")
    {
        var change = new ShapeChange(kind, element, path, name, owner, before, after, isLoss, note);
        // The contents of shared objects are one place, whichever member led there.
        if (_known.Add(change))
            _changes.Add(change);
    }

    // RFC 6901 section 3.
    private static string Escape(string key) => key.Replace("~", "~0").Replace("/", "~1");
}
