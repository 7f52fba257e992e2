using System.Globalization;
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
        // What is certain first, so that it is not a candidate for what is not.
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
            case (ShapeChangeKind.TypeChanged,
                ShapeElement.Member or ShapeElement.Subsystem or ShapeElement.Part or ShapeElement.EnumValue):
                Add(change, path => ConversionOf(change, path));
                break;
            case (ShapeChangeKind.MeaningChanged, _):
                Add(change, path => $".Convert({Quote(path)}, \"now means something else\", value => /* {change} */ value)");
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
            case (ShapeChangeKind.Removed, ShapeElement.Variant):
                Add(change, path => $".Convert({Quote(path)}, \"the variant {change.Name} goes\", value => /* {change} */ value)");
                break;
            case (ShapeChangeKind.Removed, ShapeElement.Scene) when Take(change, ShapeElement.Scene) is { } scene:
                _lines.Add((null, null, $".RenameScene({Quote(change.Name)}, {Quote(scene.Name)})"));
                break;
            case (ShapeChangeKind.Removed, ShapeElement.Scene):
                _lines.Add((null, null, $".IfPresent.Remove({Quote(change.Path)})"));
                break;
            case (ShapeChangeKind.Removed, ShapeElement.Kind) when SimilarKind(change.Name) is null:
                _lines.Add((null, null, $".RemoveKind({Quote(change.Name)})"));
                break;
            case (ShapeChangeKind.Removed, ShapeElement.Kind) when SimilarKind(change.Name) is { } kind:
                _lines.Add((null, null, $".RenameKind({Quote(change.Name)}, {Quote(kind)})"));
                break;
            case (ShapeChangeKind.Removed, ShapeElement.Part) when StepClaim.PlaceOf(change) is ({ } kind, { } part, _):
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

    /// <summary>What makes the value that a type reads today of the one that it wrote before.</summary>
    private static string ConversionOf(ShapeChange change, string path)
    {
        var (before, after) = (ShapeExpression.Parse(change.Element == ShapeElement.EnumValue ? "any" : change.Before),
            ShapeExpression.Parse(change.Element == ShapeElement.EnumValue ? "any" : change.After));
        var at = Quote(path);
        if (before.IsNullable && !after.IsNullable && change.Before.TrimEnd('?') == change.After)
            return $".Convert({at}, \"is {InitialOf(change.After).Replace("\"", "\\\"", StringComparison.Ordinal)} where it was null\", "
                + $"value => value.Kind == SaveValueKind.Null ? {InitialOf(change.After)} : value)";
        if (after is { IsSet: true } && before is { IsList: true, IsSet: false } && before.Arguments[0].Name == after.Arguments[0].Name)
            return $".Accept({at}, {Quote(change.Note)})";
        if (RangeOf(before) is not null && RangeOf(after) is var (least, most))
            return $".Convert({at}, \"is at least {least} and at most {most}\", value => "
                + $"Math.Clamp(value.AsInt64(), {least}, {most}))";
        if (before is { Count: 0, Name: "half" or "single" or "double" or "decimal" }
            && ScalarOf(change.After) == nameof(SaveValueKind.Integer))
            return $".Convert({at}, \"is rounded\", value => (long)Math.Round(value.AsDouble()))";
        return ScalarOf(change.After) is { } kind && ScalarOf(change.Before) is { } was && kind != was
            ? $".Convert({at}, SaveValueKind.{kind})"
            : $".Convert({at}, {Quote($"becomes {change.After}")}, value => /* {change.Before} to {change.After}"
                + $"{(change.Note.Length > 0 ? ": " + change.Note : "")} */ value)";
    }

    /// <summary>The least and the greatest of a kind of whole numbers that are no more than 64 bits.</summary>
    private static (string Least, string Most)? RangeOf(ShapeExpression type) =>
        type is { Count: 0, IsNullable: false } && ScalarTypes.Called(type.Name) is { Sort: ScalarSort.Whole } whole
        && long.TryParse(whole.Samples[0], NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out _)
        && long.TryParse(whole.Samples[1], NumberStyles.None, CultureInfo.InvariantCulture, out _)
            ? (whole.Samples[0], whole.Samples[1])
            : null;

    /// <summary>Pairs a member that went with one that came; false if there is none that would do.</summary>
    private bool TryPair(ShapeChange change)
    {
        if (change.Element is not (ShapeElement.Member or ShapeElement.Subsystem))
            return false;
        var (parent, type) = (ParentOf(change.Path), change.Before);
        var beside = _added.Where(one => one.Element == change.Element && ParentOf(one.Path) == parent && SameType(type, one.After))
            .ToList();
        if (beside.Find(one => Similar(one.Name, change.Name)) is { } similar)
            return Rename(change, similar);
        // What is of a type of its own is recognised by it wherever it went.
        var elsewhere = _added.Where(one => one.Element == ShapeElement.Member && SameType(type, one.After)
            && StepClaim.PlaceOf(one).Part == StepClaim.PlaceOf(change).Part && ParentOf(one.Path) != parent
            && MigrationPath.Parse(StepClaim.PlaceOf(one).Path).EachCount
                <= MigrationPath.Parse(StepClaim.PlaceOf(change).Path).EachCount).ToList();
        if ((elsewhere.Find(one => one.Name == change.Name)
            ?? (beside.Count == 0 && elsewhere.Count == 1 && IsOfItsOwn(type) ? elsewhere[0] : null)) is { } moved)
        {
            _added.Remove(moved);
            Add(change, path => $".Move({Quote(path)}, {Quote(StepClaim.PlaceOf(moved).Path)})");
            return true;
        }
        if (beside.Count == 1)
            return Rename(change, beside[0]);
        if (_added.Find(one => ParentOf(one.Path) == parent && _after.Find(one.After) is { } within
            && within.Members.TryGetValue(change.Name, out var there) && SameType(type, there)) is { } around)
        {
            Add(change, path => $".Move({Quote(path)}, {Quote($"{StepClaim.PlaceOf(around).Path}/{change.Name}")})");
            return true;
        }
        return false;
    }

    private bool Rename(ShapeChange change, ShapeChange renamed)
    {
        _added.Remove(renamed);
        Add(change, path => $".Rename({Quote(path)}, {Quote(renamed.Name)})");
        return true;
    }

    /// <summary>Whether a type says what a value is: one that speaks of a type of the game.</summary>
    private static bool IsOfItsOwn(string type) => IsOfItsOwn(ShapeExpression.Parse(type));

    private static bool IsOfItsOwn(ShapeExpression type) => type.IsNamed || type.Arguments.Any(IsOfItsOwn);

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
        var candidates = _added.FindAll(one => one.Element == element
            && (one.Path == change.Path || element == ShapeElement.Scene));
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
        var (kind, part, path) = StepClaim.PlaceOf(change);
        _lines.Add(path.StartsWith('/') || (path.Length == 0 && part is not null)
            ? (kind, part, line(path))
            : (null, null, $"/* {change} */"));
    }

    private static string ParentOf(string path) => path[..Math.Max(0, path.LastIndexOf('/'))];

    /// <summary>Whether two members may be one: of one type, or of types with the same members.</summary>
    private bool SameType(string before, string after) =>
        before == after || SameType(ShapeExpression.Parse(before), ShapeExpression.Parse(after));

    private bool SameType(ShapeExpression before, ShapeExpression after) => before.Name == after.Name
        ? before.Count == after.Count && before.Arguments.Count == after.Arguments.Count
            && before.Arguments.Zip(after.Arguments).All(pair => SameType(pair.First, pair.Second))
        : _before.Find(before.Name) is { IsEnum: false } one && _after.Find(after.Name) is { IsEnum: false } other
            && one.Members.Keys.Intersect(other.Members.Keys).Count() * 2 > one.Members.Count;

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
        _ => ShapeExpression.Parse(type) is { IsList: true } or { Name: "tuple" } or { Count: > 0 } ? "new SaveList()" : "new SaveMap()",
    };

    private static string Quote(string text) =>
        $"\"{text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";
}
