using System.Text;
using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>
/// Guesses from two shapes which operations a step between them needs, as C# to paste. What went and what came in one place with one type
/// is taken for a rename; a person has to look at it.
/// </summary>
internal sealed class StepProposal
{
    private readonly List<ShapeChange> _open;
    private readonly List<ShapeChange> _added;
    private readonly SaveShape _after;
    private readonly SaveShape _before;
    private readonly List<(string? Kind, string? Part, string Line)> _lines = [];

    private StepProposal(SaveShape before, SaveShape after)
    {
        var changes = ShapeComparison.Of(before, after);
        (_before, _after) = (before, after);
        _open = [.. changes.Where(change => change.IsLoss)];
        _added = [.. changes.Where(change =>
            change.Kind == ShapeChangeKind.Added || (change.Kind == ShapeChangeKind.BecameRequired && change.Before.Length == 0))];
    }

    public static string For(SaveShape before, SaveShape after) => new StepProposal(before, after).Write();

    private string Write()
    {
        // What is certain first, so that it is no candidate for what is not.
        var uncertain = _open.Where(change => change.Kind != ShapeChangeKind.Removed || !TryPair(change)).ToList();
        foreach (var change in uncertain)
            Propose(change);
        if (_lines.Count == 0)
            return "";
        var text = new StringBuilder($".From({_before.Version}, step => step");
        foreach (var group in _lines.GroupBy(line => (line.Kind, line.Part)))
        {
            var indent = "    ";
            if (group.Key.Part is { } part)
            {
                text.Append($"\n    .ForEachPart({Quote(group.Key.Kind!)}, {Quote(part)}, part => part");
                indent = "        ";
            }
            foreach (var (_, _, line) in group)
                text.Append('\n').Append(indent).Append(line);
            if (group.Key.Part is not null)
                text.Append(')');
        }
        return text.Append(')').ToString();
    }

    private void Propose(ShapeChange change)
    {
        switch (change.Kind, change.Element)
        {
            case (ShapeChangeKind.Removed, ShapeElement.Member or ShapeElement.Subsystem):
                ProposeToRemove(change);
                break;
            case (ShapeChangeKind.BecameRequired, _):
                Add(change, path => $".SetDefault({Quote(path)}, {InitialOf(change.After)})");
                break;
            case (ShapeChangeKind.TypeChanged, ShapeElement.Member or ShapeElement.Subsystem):
                Add(change, path => ScalarOf(change.After) is { } kind
                    ? $".Convert({Quote(path)}, SaveValueKind.{kind})"
                    : $".Convert({Quote(path)}, \"becomes {change.After}\", value => /* {change.Before} to {change.After} */ value)");
                break;
            case (ShapeChangeKind.Removed, ShapeElement.EnumValue) when Take(change, ShapeElement.EnumValue) is { } value:
                Add(change, path => $".RenameEnumValue({Quote(path)}, {Quote(change.Name)}, {Quote(value.Name)})");
                break;
            case (ShapeChangeKind.Removed, ShapeElement.EnumValue):
                Add(
                    change,
                    path =>
                    $".RenameEnumValue({Quote(path)}, {Quote(change.Name)}, /* one of "
                        + $"{string.Join(", ", _after.Find(change.Owner)?.Values ?? [])} */ \"\")");
                break;
            case (ShapeChangeKind.Removed, ShapeElement.Variant) when Take(change, ShapeElement.Variant) is { } variant:
                Add(change, path => $".RenameVariant({Quote(path)}, {Quote(change.Name)}, {Quote(variant.Name)})");
                break;
            case (ShapeChangeKind.Removed, ShapeElement.Kind) when SimilarKind(change.Name) is { } kind:
                _lines.Add((null, null, $".RenameKind({Quote(change.Name)}, {Quote(kind)})"));
                break;
            case (ShapeChangeKind.Removed, ShapeElement.Part) when PlaceOf(change.Path + ": ") is ({ } kind, { } part, _):
                var other = _added.Find(one => one.Element == ShapeElement.Part
                    && one.Path.EndsWith($" of each {kind}", StringComparison.Ordinal) && one.After == change.Before);
                _lines.Add(
                    (null, null,
                    other is null
                        ? $".ForEachEntity({Quote(kind)}, entity => entity.IfPresent.Remove({Quote("/parts/" + part)}))"
                        : $".RenamePart({Quote(kind)}, {Quote(part)}, {Quote(other.Name)})"));
                break;
            default:
                _lines.Add((null, null, $"/* {change} */"));
                break;
        }
    }

    /// <summary>Pairs a member that went with one that came; false where there is none that would do.</summary>
    private bool TryPair(ShapeChange change)
    {
        if (change.Element is not (ShapeElement.Member or ShapeElement.Subsystem))
            return false;
        var (parent, type) = (ParentOf(change.Path), change.Before);
        var beside = _added.Where(one => one.Element == change.Element && ParentOf(one.Path) == parent && SameType(type, one.After))
            .ToList();
        if ((beside.Find(one => Similar(one.Name, change.Name)) ?? (beside.Count == 1 ? beside[0] : null)) is { } renamed)
        {
            _added.Remove(renamed);
            Add(change, path => $".Rename({Quote(path)}, {Quote(renamed.Name)})");
            return true;
        }
        if (_added.Find(one => one.Element == ShapeElement.Member && one.Name == change.Name && SameType(type, one.After)
            && PlaceOf(one.Path).Part == PlaceOf(change.Path).Part) is { } moved)
        {
            _added.Remove(moved);
            Add(change, path => $".Move({Quote(path)}, {Quote(PlaceOf(moved.Path).Path)})");
            return true;
        }
        if (_added.Find(one => ParentOf(one.Path) == parent && _after.Find(one.After) is { } within
            && within.Members.TryGetValue(change.Name, out var there) && SameType(type, there)) is { } around)
        {
            Add(change, path => $".Move({Quote(path)}, {Quote($"{PlaceOf(around.Path).Path}/{change.Name}")})");
            return true;
        }
        return false;
    }

    private void ProposeToRemove(ShapeChange change)
    {
        // A person has to say whether what is new is what was there before, in another form.
        var others = _added.Where(one => one.Element == change.Element && ParentOf(one.Path) == ParentOf(change.Path))
            .Select(one => one.Name).ToList();
        Add(change, path => $".Remove({Quote(path)})"
            + (others.Count == 0 ? "" : $" /* or did it become {string.Join(" or ", others)}? Then Convert, Split or Rename it. */"));
    }

    private ShapeChange? Take(ShapeChange change, ShapeElement element)
    {
        var candidates = _added.FindAll(one => one.Element == element && one.Path == change.Path);
        var taken = candidates.Find(one => Similar(one.Name, change.Name)) ?? (candidates.Count == 1 ? candidates[0] : null);
        if (taken is not null)
            _added.Remove(taken);
        return taken;
    }

    /// <summary>A new kind whose parts are those that the removed one had.</summary>
    private string? SimilarKind(string kind) => _added.Where(one => one.Element == ShapeElement.Kind).Select(one => one.Name)
        .FirstOrDefault(name => _after.Kinds[name].Keys.SequenceEqual(_before.Kinds[kind].Keys));

    private void Add(ShapeChange change, Func<string, string> line)
    {
        var (kind, part, path) = PlaceOf(change.Path);
        _lines.Add(path.StartsWith('/') || (path.Length == 0 && part is not null)
            ? (kind, part, line(path))
            : (null, null, $"/* {change} */"));
    }

    /// <summary>A path taken apart: <c>flame of each beacon: /lit</c> is within a part.</summary>
    private static (string? Kind, string? Part, string Path) PlaceOf(string path)
    {
        const string Of = " of each ";
        var of = path.IndexOf(Of, StringComparison.Ordinal);
        var colon = of < 0 ? -1 : path.IndexOf(": ", of, StringComparison.Ordinal);
        return of <= 0 || colon < 0 || path[0] == '/'
            ? (null, null, path)
            : (path[(of + Of.Length)..colon], path[..of], path[(colon + 2)..]);
    }

    private static string ParentOf(string path) => path[..Math.Max(0, path.LastIndexOf('/'))];

    /// <summary>Whether two members may be one: of one type, or of types with the same members.</summary>
    private bool SameType(string before, string after) => before == after
        || (_before.Find(before) is { IsEnum: false } one && _after.Find(after) is { IsEnum: false } other
            && one.Members.Keys.Intersect(other.Members.Keys).Count() * 2 > one.Members.Count);

    private static bool Similar(string one, string other) => Spelling.Nearest(one, [other]) is not null
        || one.Contains(other, StringComparison.OrdinalIgnoreCase) || other.Contains(one, StringComparison.OrdinalIgnoreCase);

    private static string? ScalarOf(string type) => ShapeExpression.Parse(type) switch
    {
        { Count: > 0 } => null,
        { Name: var name } when name is "text" or "guid" or "uri" or "version" or "char" => nameof(SaveValueKind.Text),
        { Name: "bool" } => nameof(SaveValueKind.Bool),
        { Name: "single" or "half" } => nameof(SaveValueKind.Single),
        { Name: "double" } => nameof(SaveValueKind.Double),
        { Name: "decimal" } => nameof(SaveValueKind.Decimal),
        { Name: var name } when name == "integer" || name.TrimStart('u').StartsWith("int", StringComparison.Ordinal) =>
            nameof(SaveValueKind.Integer),
        _ => null,
    };

    private static string InitialOf(string type) => ScalarOf(type) switch
    {
        nameof(SaveValueKind.Text) => "\"\"",
        nameof(SaveValueKind.Bool) => "false",
        nameof(SaveValueKind.Single) => "0f",
        nameof(SaveValueKind.Double) => "0.0",
        nameof(SaveValueKind.Decimal) => "0m",
        nameof(SaveValueKind.Integer) => "0",
        _ => ShapeExpression.Parse(type).IsList ? "new SaveList()" : "new SaveMap()",
    };

    private static string Quote(string text) =>
        $"\"{text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";
}
