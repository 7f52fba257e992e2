using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>
/// The operations of a migration step that work on values. Each says what it does by its name and its paths, so that the chain can be
/// printed and checked. Paths are JSON Pointers (RFC 6901) in which <c>*</c> stands for each entry or item; a name that is <c>*</c> itself
/// cannot be given.
/// </summary>
/// <typeparam name="TSelf">The kind of step itself.</typeparam>
/// <remarks>
/// If there is nothing at a path that an operation works on, that is an error that names the step, the section and the path, unless
/// <see cref="IfPresent"/> precedes it. A <c>*</c> that stands for nothing (an empty list) is fine always.
/// </remarks>
public abstract class MigrationScope<TSelf> where TSelf : MigrationScope<TSelf>
{
    private readonly List<MigrationOperation> _operations = [];
    private bool _ifPresent;

    private protected MigrationScope()
    {
    }

    /// <summary>Makes it fine that the next operation finds nothing to work on.</summary>
    public TSelf IfPresent
    {
        get
        {
            _ifPresent = true;
            return (TSelf)this;
        }
    }

    internal IReadOnlyList<MigrationOperation> Operations => _operations;

    /// <summary>Gives a member, an entry or a section another name, in the same place.</summary>
    /// <param name="path">Where it is.</param>
    /// <param name="name">The new name: one step, not a path.</param>
    public TSelf Rename(string path, string name)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        var from = ParseNamed(path);
        var (to, mayMiss) = (from.Beside(name), TakeIfPresent());
        return Add(
            at => $"{Maybe(mayMiss)}{at}{from} becomes {Again(at)}{to}", [from], [At(from), New(to)],
            root => ValueOperations.Rename(root, from, name, mayMiss));
    }

    /// <summary>Moves a value elsewhere, also into another section. Maps on the way that are missing are made.</summary>
    /// <param name="from">Where it is.</param>
    /// <param name="to">
    /// Where it goes: nothing may be there yet. Its first <c>*</c> stands for what the first of <paramref name="from"/> stands for, and so
    /// on.
    /// </param>
    public TSelf Move(string from, string to)
    {
        var (source, target, mayMiss) = (ParseSome(from), ParseTarget(to, from), TakeIfPresent());
        return Add(at => $"{Maybe(mayMiss)}{at}{source} moves to {Again(at)}{target}", [source, target],
            [At(source), New(target)], root => ValueOperations.Move(root, source, target, mayMiss));
    }

    /// <summary>Copies a value elsewhere, also into another section.</summary>
    /// <inheritdoc cref="Move"/>
    public TSelf Copy(string from, string to)
    {
        var (source, target, mayMiss) = (ParseSome(from), ParseTarget(to, from), TakeIfPresent());
        return Add(at => $"{Maybe(mayMiss)}{at}{source} is copied to {Again(at)}{target}", [source, target],
            [At(source), New(target)], root => ValueOperations.Copy(root, source, target, mayMiss));
    }

    /// <summary>Takes a value out.</summary>
    public TSelf Remove(string path)
    {
        var (from, mayMiss) = (ParseSome(path), TakeIfPresent());
        return Add(at => $"{Maybe(mayMiss)}{at}{from} is removed", [from], [At(from)], root => ValueOperations.Remove(root, from, mayMiss));
    }

    /// <summary>Puts a value where there is none. What is there stays.</summary>
    public TSelf SetDefault(string path, SaveValue value)
    {
        ArgumentNullException.ThrowIfNull(value);
        var target = ParseNamed(path);
        RefuseIfPresent(nameof(SetDefault));
        return Add(
            at => $"{at}{target} is {Shown(value)} where it is missing", [target], [New(target)],
            root => ValueOperations.SetDefault(root, target, value));
    }

    /// <summary>Makes a value one of another kind, as <see cref="SaveValue.ConvertTo"/> does. Null stays null.</summary>
    public TSelf Convert(string path, SaveValueKind kind)
    {
        if (!Enum.IsDefined(kind))
            throw new ArgumentOutOfRangeException(nameof(kind), kind, "This is not a valid kind of value.");
        var (at, mayMiss) = (Parse(path), TakeIfPresent());
        return Add(
            prefix =>
                $"{Maybe(mayMiss)}{prefix}{at} becomes {(kind == SaveValueKind.Bytes ? "" : "a ")}{SaveValue.Conversion.NameOf(kind)}",
            [at],
            [At(at)],
            root => ValueOperations.Convert(root, at, value => value.ConvertTo(kind), mayMiss));
    }

    /// <summary>Makes another value of a value.</summary>
    /// <param name="path">Where it is.</param>
    /// <param name="does">What becomes of it, in words: "is rounded".</param>
    /// <param name="convert">Gets the value and gives the new one. It may change the list or the map that it gets.</param>
    public TSelf Convert(string path, string does, Func<SaveValue, SaveValue> convert)
    {
        ArgumentException.ThrowIfNullOrEmpty(does);
        ArgumentNullException.ThrowIfNull(convert);
        var (at, mayMiss) = (Parse(path), TakeIfPresent());
        return Add(prefix => $"{Maybe(mayMiss)}{prefix}{at} {does}", [at], [At(at)],
            root => ValueOperations.Convert(root, at, convert, mayMiss));
    }

    /// <summary>Declares that a change may lose what is at a path, or that it loses nothing there. The save is not changed.</summary>
    /// <param name="path">Where.</param>
    /// <param name="why">Why that is acceptable, in words: "duplicates are dropped".</param>
    public TSelf Accept(string path, string why)
    {
        ArgumentException.ThrowIfNullOrEmpty(why);
        RefuseIfPresent(nameof(Accept));
        var at = Parse(path);
        return Add(prefix => $"{prefix}{at}: {why}", [at], [At(at)], _ => { });
    }

    /// <summary>Makes several values of one, beside where it was.</summary>
    /// <param name="path">Where it is. It is taken out.</param>
    /// <param name="names">The names of the new values.</param>
    /// <param name="does">How, in words: "at the blank".</param>
    /// <param name="split">Gets the value and gives one for each name.</param>
    public TSelf Split(string path, IReadOnlyList<string> names, string does, Func<SaveValue, IReadOnlyList<SaveValue>> split)
    {
        ArgumentNullException.ThrowIfNull(names);
        ArgumentException.ThrowIfNullOrEmpty(does);
        ArgumentNullException.ThrowIfNull(split);
        if (names.Count == 0 || names.Any(string.IsNullOrEmpty) || names.Distinct(StringComparer.Ordinal).Count() < names.Count)
            throw new ArgumentException("A value has to be split into one or more parts with different names.", nameof(names));
        var (from, into, mayMiss) = (ParseNamed(path), names.ToList(), TakeIfPresent());
        return Add(
            at =>
                $"{Maybe(mayMiss)}{at}{from} is split {does} into "
                    + $"{string.Join(" and ", into.Select(name => $"{Again(at)}{from.Beside(name)}"))}", [from],
            [At(from), .. into.Select(name => New(from.Beside(name)))],
            root => ValueOperations.Split(root, from, into, split, mayMiss));
    }

    /// <summary>Makes one value of several.</summary>
    /// <param name="from">
    /// Where they are. They are taken out. Those of the later paths belong to that of the first by what their <c>*</c> stand for.
    /// </param>
    /// <param name="to">Where the new one goes.</param>
    /// <param name="does">How, in words: "with a blank between".</param>
    /// <param name="merge">Gets the values and gives the one.</param>
    public TSelf Merge(IReadOnlyList<string> from, string to, string does, Func<IReadOnlyList<SaveValue>, SaveValue> merge)
    {
        ArgumentNullException.ThrowIfNull(from);
        ArgumentException.ThrowIfNullOrEmpty(does);
        ArgumentNullException.ThrowIfNull(merge);
        if (from.Count == 0)
            throw new ArgumentException("There is nothing to merge.", nameof(from));
        List<MigrationPath> sources = [ParseSome(from[0]), .. from.Skip(1).Select(path => ParseTarget(path, from[0]))];
        var (target, mayMiss) = (ParseTarget(to, from[0]), TakeIfPresent());
        return Add(
            at =>
                $"{Maybe(mayMiss)}{string.Join(" and ", sources.Select((path, i) => $"{(i == 0 ? at : Again(at))}{path}"))} become "
                    + $"{Again(at)}{target} {does}", [.. sources, target],
            [.. sources.Select(At), New(target)],
            root => ValueOperations.Merge(root, sources, target, merge, mayMiss));
    }

    /// <summary>Puts a map around a value, in which it is under a name.</summary>
    public TSelf Wrap(string path, string name)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        var (at, mayMiss) = (Parse(path), TakeIfPresent());
        return Add(prefix => $"{Maybe(mayMiss)}{prefix}{at} goes into a map, as its {name}", [at], [At(at), New(at)],
            root => ValueOperations.Convert(root, at, value => new SaveMap { [name] = value }, mayMiss));
    }

    /// <summary>Puts what a map has under a name in its place. That there is more in the map is an error.</summary>
    public TSelf Unwrap(string path, string name)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        var (at, mayMiss) = (Parse(path), TakeIfPresent());
        return Add(prefix => $"{Maybe(mayMiss)}{prefix}{at} becomes its {name}", [at], [At(at), New(at)],
            root => ValueOperations.Convert(root, at, value => ValueOperations.Unwrap(value, name), mayMiss));
    }

    /// <summary>Makes a list of one item of a value. A list stays as it is, and null becomes a list without items.</summary>
    public TSelf WrapInList(string path)
    {
        var (at, mayMiss) = (Parse(path), TakeIfPresent());
        return Add(
            prefix => $"{Maybe(mayMiss)}{prefix}{at} becomes a list", [at], [At(at), New(at)],
                root => ValueOperations.Convert(root, at, value => value switch
        {
            SaveList => value,
            { Kind: SaveValueKind.Null } => new SaveList(),
            _ => new SaveList { value },
        }, mayMiss));
    }

    /// <summary>Puts the only item of a list in its place. That there is another number of items is an error.</summary>
    public TSelf UnwrapItem(string path)
    {
        var (at, mayMiss) = (Parse(path), TakeIfPresent());
        return Add(prefix => $"{Maybe(mayMiss)}{prefix}{at} becomes its only item", [at], [At(at), New(at)],
            root => ValueOperations.Convert(root, at, ValueOperations.UnwrapItem, mayMiss));
    }

    /// <summary>Gives a variant another name, wherever the path finds an object of it.</summary>
    /// <param name="path">Where objects of the base type are. A null and another variant stay.</param>
    /// <param name="from">The variant's name in older saves.</param>
    /// <param name="to">Its name from now on.</param>
    public TSelf RenameVariant(string path, string from, string to)
    {
        ArgumentException.ThrowIfNullOrEmpty(from);
        ArgumentException.ThrowIfNullOrEmpty(to);
        var (at, mayMiss) = (Parse(path), TakeIfPresent());
        return Add(prefix => $"{Maybe(mayMiss)}{prefix}{at}: the variant {from} becomes {to}", [at],
            [new StepClaim(ClaimSort.Variant, at, from)],
            root => ValueOperations.Convert(root, at, value => ValueOperations.RenameVariant(value, from, to), mayMiss));
    }

    /// <summary>Gives an enum value another name, wherever the path finds it, also in a set of flags.</summary>
    /// <param name="path">Where values of the enum are. Other values stay.</param>
    /// <param name="from">The value's name in older saves.</param>
    /// <param name="to">Its name from now on.</param>
    public TSelf RenameEnumValue(string path, string from, string to)
    {
        ArgumentException.ThrowIfNullOrEmpty(from);
        ArgumentException.ThrowIfNullOrEmpty(to);
        var (at, mayMiss) = (Parse(path), TakeIfPresent());
        return Add(prefix => $"{Maybe(mayMiss)}{prefix}{at}: the value {from} becomes {to}", [at],
            [new StepClaim(ClaimSort.EnumValue, at, from)],
            root => ValueOperations.Convert(root, at, value => ValueOperations.RenameWord(value, from, to), mayMiss));
    }

    /// <summary>Works on each value that a path finds, by paths from there on; the empty path is the value itself.</summary>
    public TSelf ForEach(string path, Action<MigrationItem> describe)
    {
        var (at, mayMiss, inner) = (Parse(path), TakeIfPresent(), Describe(describe));
        return AddGroup(prefix => $"{Maybe(mayMiss)}{prefix}{at}", SectionsOf([at]), inner, claim => claim.Within(at),
            root => root.Find(at, mayMiss).Select(match => match.Place));
    }

    private protected bool TakeIfPresent()
    {
        var taken = _ifPresent;
        _ifPresent = false;
        return taken;
    }

    private protected void RefuseIfPresent(string operation)
    {
        if (TakeIfPresent())
            throw new ArgumentException($"IfPresent says nothing about {operation}; leave it out.");
    }

    /// <summary>What precedes the second path of an operation: a path that leads there, but not words that said it already.</summary>
    private static string Again(string at) => at.EndsWith(' ') ? "" : at;

    private protected static string Maybe(bool ifPresent) => ifPresent ? "if present, " : "";

    private static StepClaim At(MigrationPath path) => new(ClaimSort.Place, path);

    private static StepClaim New(MigrationPath path) => new(ClaimSort.Place, path, IsNew: true);

    private protected TSelf Add(Func<string, string> describe, IReadOnlyList<MigrationPath> paths, IReadOnlyList<StepClaim> claims,
        Action<MigrationRoot> apply) =>
        Add(new MigrationOperation(prefix => [describe(prefix)], SectionsOf(paths), [.. claims.Select(Placed)], apply));

    /// <summary>A claim as it is meant in a step of this kind.</summary>
    private protected virtual StepClaim Placed(StepClaim claim) => claim;

    private protected TSelf Add(MigrationOperation operation)
    {
        _operations.Add(operation);
        return (TSelf)this;
    }

    /// <summary>Adds operations that are done at each of several places.</summary>
    private protected TSelf AddGroup(Func<string, string> where, IReadOnlyList<string> sections, IReadOnlyList<MigrationOperation> inner,
        Func<StepClaim, StepClaim> place, Func<MigrationRoot, IEnumerable<MigrationPlace>> places) =>
        Add(new MigrationOperation(
            prefix => inner.SelectMany(operation => operation.Describe(where(prefix))), sections,
            [.. inner.SelectMany(operation => operation.Claims).Select(place).Select(Placed)], root =>
        {
            // All of them first: an operation may put another value in the place of what is gone through.
            foreach (var place in places(root).ToList())
            {
                var item = new ValueRoot(place);
                foreach (var operation in inner)
                    operation.Apply(item);
            }
        }));

    private protected static IReadOnlyList<MigrationOperation> Describe(Action<MigrationItem> describe)
    {
        ArgumentNullException.ThrowIfNull(describe);
        var item = new MigrationItem();
        describe(item);
        return item.Operations;
    }

    /// <summary>The sections that paths lead into.</summary>
    private protected abstract IReadOnlyList<string> SectionsOf(IReadOnlyList<MigrationPath> paths);

    /// <summary>Reads a path that may be empty if that is a value itself.</summary>
    private protected abstract MigrationPath Parse(string path);

    private static MigrationPath ParseSome(string path) => MigrationPath.Parse(path) is { Steps.Count: > 0 } parsed
        ? parsed
        : throw new ArgumentException("An empty path names the whole value, which cannot be moved or removed. Give the path of a member.");

    private static MigrationPath ParseNamed(string path)
    {
        var parsed = MigrationPath.Parse(path);
        return parsed.Steps.Count > 0 && parsed.Steps[^1] is not null
            ? parsed
            : throw new ArgumentException($"\"{path}\" has to end with a name.");
    }

    private static MigrationPath ParseTarget(string path, string source)
    {
        var (parsed, found) = (ParseSome(path), MigrationPath.Parse(source).EachCount);
        return parsed.EachCount <= found
            ? parsed
            : throw new ArgumentException($"\"{path}\" has more '*' than \"{source}\", so it is unclear what they mean.");
    }

    private static string Shown(SaveValue value) =>
        value is SaveScalar { Kind: SaveValueKind.Text } ? $"\"{Shorten.Text(value.ToString()!)}\"" : Shorten.Text(value.ToString()!);
}

/// <summary>What happens to each of several values in a step: operations by paths from the value on.</summary>
public sealed class MigrationItem : MigrationScope<MigrationItem>
{
    internal MigrationItem()
    {
    }

    private protected override IReadOnlyList<string> SectionsOf(IReadOnlyList<MigrationPath> paths) => [];

    private protected override MigrationPath Parse(string path) => MigrationPath.Parse(path);
}
