using System.Globalization;
using Lodrik.Formats;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.State;

namespace Lodrik.Testing;

/// <summary>Finds a value that was in a section before it was loaded, and is not in it when it is saved again.</summary>
/// <param name="today">The shape of today.</param>
/// <param name="before">The contents of the section's shared objects before it was loaded; null for none.</param>
/// <param name="after">The same in what was saved again.</param>
/// <param name="isChanged">Whether the game itself changes what is at a path.</param>
internal sealed class KeptValues(SaveShape today, SaveMap? before, SaveMap? after, Func<string, bool> isChanged)
{
    private readonly HashSet<(string, string)> _compared = [];

    /// <summary>The first value that is another, by its path and in words; null if there is none.</summary>
    public (string Path, string Problem)? In(string type, SaveValue old, SaveValue now, string path) =>
        In(ShapeExpression.Parse(type), old, now, path);

    private (string, string)? In(ShapeExpression type, SaveValue old, SaveValue now, string path)
    {
        var isSame = isChanged(path) || IsSame(type, old, now);
        switch (old, now)
        {
            case (SaveList one, SaveList other) when type.IsSet:
                return isChanged(path) || HasAll(type.Arguments[0], one, other) ? null : Changed(old, now, path);
            case (SaveList one, SaveList other) when type.IsList:
                return one.Count > other.Count
                    ? isSame ? null : Changed(old, now, path)
                    : First(one.Select((item, i) => In(type.Arguments[0], item, other[i], $"{path}/{i}")));
            case (SaveList one, SaveList other) when one.Count == other.Count && (type.Count > 0 || type.Name == "tuple"):
                return First(one.Select((item, i) =>
                    In(type.Count > 0 ? ShapeExpression.Parse(type.Name) : type.Arguments[i], item, other[i], $"{path}/{i}")));
            case (SaveMap one, SaveMap other) when type.Name is "grid2" or "grid3":
                return InEntries(one, other, path, (key, value, kept, at) =>
                    In(ShapeExpression.Parse(key == "items" && value is SaveList ? $"list<{type.Arguments[0]}>" : "any"), value, kept, at));
            case (SaveMap one, SaveMap other) when type.IsMap:
                return InEntries(one, other, path, (_, value, kept, at) => In(type.Arguments[1], value, kept, at));
            case (SaveMap one, SaveMap other) when today.Find(type.Name) is { IsEnum: false } named:
                return InObject(named, one, other, path);
            case (SaveScalar { Kind: SaveValueKind.Integer } one, SaveScalar { Kind: SaveValueKind.Integer } other)
                when today.Find(type.Name) is { IsShared: true } shared:
                return InShared(shared, one.ToString(), other.ToString(), path);
            default:
                return isSame ? null : Changed(old, now, path);
        }
    }

    private (string, string)? InObject(ShapeType type, SaveMap old, SaveMap now, string path)
    {
        if (type.Variants.Count > 0)
            return InEntries(old, now, path, (variant, content, kept, at) =>
                type.Variants.TryGetValue(variant, out var name) && today.Find(name) is { } one && content is SaveMap was
                    && kept is SaveMap @is
                    ? InMembers(one, was, @is, at)
                    : null);
        return InMembers(type, old, now, path);
    }

    private (string, string)? InMembers(ShapeType type, SaveMap old, SaveMap now, string path) =>
        InEntries(old, now, path, (key, value, kept, at) =>
            In(type.Members.TryGetValue(type.KeyOf(key), out var member) ? member : "any", value, kept, at), type.KeyOf);

    private (string, string)? InEntries(
        SaveMap old, SaveMap now, string path, Func<string, SaveValue, SaveValue, string, (string, string)?> compare,
        Func<string, string>? keyOf = null)
    {
        foreach (var (key, value) in old)
        {
            var at = $"{path}/{PointerBuilder.Escape(key)}";
            if (!now.TryGet(keyOf is null ? key : keyOf(key), out var kept))
            {
                if (!isChanged(at))
                    return (at, $"{Shown(value)} is missing after loading");
            }
            else if (compare(key, value, kept, at) is { } lost)
            {
                return lost;
            }
        }
        return null;
    }

    /// <summary>The numbers of shared objects may be others; what they lead to may not.</summary>
    private (string, string)? InShared(ShapeType type, string old, string now, string path)
    {
        if (!_compared.Add((old, now)) || before is null || !before.TryGet(old, out var was) || was is not SaveMap content)
            return null;
        return after is not null && after.TryGet(now, out var @is) && @is is SaveMap kept
            ? InObject(type, content, kept, path)
            : (path, $"the content of the shared object {old} is missing after loading");
    }

    private bool HasAll(ShapeExpression type, SaveList old, SaveList now)
    {
        var left = now.ToList();
        foreach (var item in old)
        {
            var at = left.FindIndex(other => new KeptValues(today, before, after, isChanged).In(type, item, other, "") is null);
            if (at < 0)
                return false;
            left.RemoveAt(at);
        }
        return true;
    }

    /// <summary>Whether two values are one: bit for bit, in a wider type, or by the name that a value of an enum had before.</summary>
    private bool IsSame(ShapeExpression type, SaveValue old, SaveValue now)
    {
        if (old.Equals(now) || type.Name == "entry")
            return true;
        if (old is not SaveScalar was || now is not SaveScalar @is || was.Kind == SaveValueKind.Null || @is.Kind == SaveValueKind.Null)
            return false;
        if (today.Find(type.Name) is { IsEnum: true } named && was.Kind == SaveValueKind.Text)
            // Of flags, several names may be one.
            return named.IsFlags || named.FormerValues.Contains(was.Text);
        try
        {
            return was.Kind != @is.Kind && @is.ConvertTo(was.Kind).Equals(was);
        }
        catch (Exception exception) when (exception is InvalidCastException or FormatException or OverflowException)
        {
            return false;
        }
    }

    private static (string, string) Changed(SaveValue old, SaveValue now, string path) =>
        (path, string.Create(CultureInfo.InvariantCulture, $"{Shown(old)} became {Shown(now)}"));

    private static string Shown(SaveValue value) => SaveJson.WriteShort(value, 60);

    private static (string, string)? First(IEnumerable<(string, string)?> found) => found.FirstOrDefault(one => one is not null);
}
