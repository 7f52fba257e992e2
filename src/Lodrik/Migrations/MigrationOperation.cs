using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>One declared operation of a step: what it does in words, which sections it looks at, and the doing.</summary>
/// <param name="describe">The operation as lines, each after a prefix that says where it happens.</param>
/// <param name="sections">The sections that it looks at, groups as <c>name/*</c>; none for what happens within a value.</param>
/// <param name="claims">What it says that saves have, and what it puts there.</param>
/// <param name="apply">The doing.</param>
internal sealed class MigrationOperation(
    Func<string, IEnumerable<string>> describe, IReadOnlyList<string> sections, IReadOnlyList<StepClaim> claims,
    Action<MigrationRoot> apply)
{
    public IReadOnlyList<StepClaim> Claims => claims;

    public IReadOnlyList<string> Sections => sections;

    public IEnumerable<string> Describe(string prefix) => describe(prefix);

    /// <exception cref="OperationException">It cannot be done.</exception>
    public void Apply(MigrationRoot root) => apply(root);
}

/// <summary>The doing of the operations that work on any values.</summary>
internal static class ValueOperations
{
    public static void Rename(MigrationRoot root, MigrationPath path, string name, bool mayMiss)
    {
        if (root is SaveRoot save && save.GroupAt(path) is { } group)
        {
            foreach (var section in group)
            {
                var renamed = $"{name}{section.FullName[section.FullName.IndexOf('/', StringComparison.Ordinal)..]}";
                if (save.Store.Has(renamed))
                    throw new OperationException($"There is a section \"{renamed}\" already.",
                        new SaveLocation { Section = section.FullName }, "Remove or rename that one first. Nothing was lost.");
                save.Store.Rename(section.FullName, renamed);
            }
            return;
        }
        foreach (var (place, _) in root.Find(path, mayMiss))
        {
            if (place.IsItem)
                throw new OperationException("An item of a list has no name to change.", place.Locate());
            if (!place.TryRename(name))
                throw new OperationException(
                    $"There is a \"{name}\" already beside it.", place.Locate(), "Remove or rename that one first. Nothing was lost.");
        }
    }

    public static void Move(MigrationRoot root, MigrationPath from, MigrationPath to, bool mayMiss)
    {
        var matches = root.Find(from, mayMiss);
        // All values are taken out before any is put in, so that two can change places; and a list loses its last items first.
        var values = matches.ConvertAll(match => (to: to.Bind(match.Each), match.Place.Value, Shared: SharedOf(root, match.Place, to)));
        for (var i = matches.Count - 1; i >= 0; i--)
            matches[i].Place.Remove();
        foreach (var (target, value, shared) in values)
        {
            root.Put(target, value);
            if (shared is not null)
                root.Put(SharedBeside(target), shared);
        }
    }

    public static void Copy(MigrationRoot root, MigrationPath from, MigrationPath to, bool mayMiss)
    {
        foreach (var (place, each) in root.Find(from, mayMiss))
        {
            var shared = SharedOf(root, place, to);
            root.Put(to.Bind(each), CopyOf(place.Value));
            if (shared is not null)
                root.Put(SharedBeside(to.Bind(each)), CopyOf(shared));
        }
    }

    public static void Remove(MigrationRoot root, MigrationPath path, bool mayMiss)
    {
        if (root is SaveRoot save && save.GroupAt(path) is { } group)
        {
            group.ForEach(section => save.Store.Remove(section.FullName));
            return;
        }
        var matches = root.Find(path, mayMiss);
        for (var i = matches.Count - 1; i >= 0; i--)
            matches[i].Place.Remove();
    }

    public static void SetDefault(MigrationRoot root, MigrationPath path, SaveValue value)
    {
        if (path.EachCount == 0)
        {
            if (root.FindOne(path) is null)
                root.Put(path, CopyOf(value));
            return;
        }
        // For each thing that could have it: the path up to its last name leads there.
        var name = path.Steps[^1]!;
        foreach (var (place, _) in root.Find(path.Parent, mayMiss: true))
        {
            if (place.Value is SaveMap map)
                map.TryAdd(name, CopyOf(value));
        }
    }

    public static void Convert(MigrationRoot root, MigrationPath path, Func<SaveValue, SaveValue> convert, bool mayMiss)
    {
        foreach (var (place, _) in root.Find(path, mayMiss))
            place.Value = Call(place, () => convert(place.Value)) ?? SaveValue.Null;
    }

    public static void Split(
        MigrationRoot root, MigrationPath path, IReadOnlyList<string> into, Func<SaveValue, IReadOnlyList<SaveValue>> split, bool mayMiss)
    {
        var matches = root.Find(path, mayMiss);
        var parts = matches.ConvertAll(match =>
        {
            var made = Call(match.Place, () => split(match.Place.Value));
            return made?.Count == into.Count ? made : throw new OperationException(
                $"It was split into {made?.Count ?? 0} values, not into {into.Count}.", match.Place.Locate());
        });
        foreach (var (place, _) in matches)
            place.Remove();
        for (var i = 0; i < matches.Count; i++)
        {
            for (var part = 0; part < into.Count; part++)
                root.Put(path.Bind(matches[i].Each).Beside(into[part]), parts[i][part] ?? SaveValue.Null);
        }
    }

    public static void Merge(MigrationRoot root, IReadOnlyList<MigrationPath> from, MigrationPath to,
        Func<IReadOnlyList<SaveValue>, SaveValue> merge, bool mayMiss)
    {
        // What the first path leads to says how often; the others belong to it by what their * stand for.
        foreach (var (first, each) in root.Find(from[0], mayMiss))
        {
            var places = from.Select((path, i) => i == 0 ? first : root.FindOne(path.Bind(each))).ToList();
            if (places.IndexOf(null) is >= 0 and var missing)
            {
                if (mayMiss)
                    continue;
                throw new OperationException($"There is nothing at {from[missing].Bind(each)} that could be merged.",
                    first.Locate(), "If that is fine, write IfPresent before the operation.");
            }
            var merged = Call(first, () => merge([.. places.Select(place => place!.Value)]));
            for (var i = places.Count - 1; i >= 0; i--)
                places[i]!.Remove();
            root.Put(to.Bind(each), merged ?? SaveValue.Null);
        }
    }

    public static SaveValue Unwrap(SaveValue value, string name) => value switch
    {
        { Kind: SaveValueKind.Null } => value,
        SaveMap { Count: 1 } map when map.TryGet(name, out var content) => content,
        SaveMap map when map.TryGet(name, out _) =>
            throw new InvalidCastException($"There is more than \"{name}\", which would be lost: {string.Join(", ", map.Keys)}."),
        SaveMap => throw new InvalidCastException($"There is no \"{name}\" in it."),
        _ => throw new InvalidCastException($"It is not a map but {MigrationRoot.DescribeKind(value)}."),
    };

    public static SaveValue UnwrapItem(SaveValue value) => value switch
    {
        { Kind: SaveValueKind.Null } => value,
        SaveList { Count: 1 } list => list[0],
        SaveList list => throw new InvalidCastException($"There are {list.Count} items, not one."),
        _ => throw new InvalidCastException($"It is not a list but {MigrationRoot.DescribeKind(value)}."),
    };

    /// <summary>A set of flags has several names with commas between.</summary>
    public static SaveValue RenameWord(SaveValue value, string from, string to) =>
        value is SaveScalar { Kind: SaveValueKind.Text, Text: var text }
        ? string.Join(", ", text.Split(", ").Select(word => word == from ? to : word))
        : value;

    public static SaveValue RenameVariant(SaveValue value, string from, string to)
    {
        if (value is SaveMap { Count: 1 } map)
            map.TryRename(from, to);
        return value;
    }

    /// <summary>The contents of a section's shared objects, which go where it goes; null if there are none.</summary>
    private static SaveValue? SharedOf(MigrationRoot root, MigrationPlace place, MigrationPath to)
    {
        if (root is not SaveRoot save || place.SharedName is not { } name || !save.Store.Has(name))
            return null;
        return save.IsSection(to)
            ? save.Store.Read(name)
            : throw new OperationException("The section has shared objects, so it can only become another section.", place.Locate());
    }

    private static MigrationPath SharedBeside(MigrationPath section) =>
        section.Beside(section.Steps[^1] + Saves.Forms.SharedTree.Suffix);

    private static SaveValue CopyOf(SaveValue value) => SaveValueCodec.Copy(value)!;

    /// <summary>Runs the game's own code for a place; whatever it throws is said of that place.</summary>
    private static TResult Call<TResult>(MigrationPlace place, Func<TResult> code)
    {
        try
        {
            return code();
        }
        catch (Exception exception) when (exception is not (OperationException or SaveException or OutOfMemoryException))
        {
            throw new OperationException(
                $"The value could not be converted: {exception.Message}", place.Locate(), innerException: exception);
        }
    }
}
