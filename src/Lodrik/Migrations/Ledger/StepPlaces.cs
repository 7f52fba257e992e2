using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>Says whether saves of a shape can have what an operation of a step works on.</summary>
/// <param name="shape">The shape.</param>
internal sealed class StepPlaces(SaveShape shape)
{
    private static readonly HashSet<string> OfEntities = ["kind", "parts"];
    private static readonly HashSet<string> OfScenes = ["nextSpawn", "gone", "entities"];

    /// <summary>Whether there can be such a thing.</summary>
    public bool Has(StepClaim claim)
    {
        if (claim.Kind is null)
            return InSections(claim);
        var kinds = claim.Kind == StepClaim.Any ? shape.Kinds.Values : KindsCalled(claim.Kind);
        if (claim.Part is null)
            return kinds.Any() && (claim.Path.Steps.Count == 0 || claim.Path.Steps[0] is null || OfEntities.Contains(claim.Path.Steps[0]!));
        return kinds.Any(parts => parts.TryGetValue(claim.Part, out var type)
            && Leads(ShapeExpression.Parse(type), claim.Path.Steps, claim));
    }

    /// <summary>The parts of a kind, and of whatever kind's name is not known.</summary>
    private IEnumerable<SortedDictionary<string, string>> KindsCalled(string name) =>
        shape.Kinds.Where(kind => kind.Key == name || kind.Key == StepClaim.Any || shape.FormerKinds.GetValueOrDefault(name) == kind.Key)
            .Select(kind => kind.Value);

    private bool InSections(StepClaim claim)
    {
        var steps = claim.Path.Steps;
        if (steps is [{ } section, ..] && section.EndsWith(SharedTree.Suffix, StringComparison.Ordinal))
            return steps.Count < 3 || shape.Types.Values.Any(type => type.IsShared && InObject(type, [.. steps.Skip(2)], claim));
        return shape.Find(shape.Root)!.Members
            .Where(member => steps.Count == 0 || steps[0] is null || steps[0] == member.Key)
            .Any(member => member.Value switch
            {
                "scenes" => (steps.Count < 2 || steps[1] is null || shape.CanHaveScene(steps[1]!))
                    && (steps.Count < 3 || steps[2] is null || OfScenes.Contains(steps[2]!)),
                "session" => steps.Count < 2 || InSession([.. steps.Skip(1)], claim),
                "group" => true,
                _ => Leads(ShapeExpression.Parse(member.Value), [.. steps.Skip(1)], claim),
            });
    }

    private bool InSession(IReadOnlyList<string?> steps, StepClaim claim) =>
        steps[0] is "place" or "clock" || CheckpointShape.IsName($"session/{steps[0]}")
        || shape.Subsystems.Where(one => steps[0] is null || one.Key == steps[0])
            .Any(one => Leads(ShapeExpression.Parse(one.Value), [.. steps.Skip(1)], claim));

    /// <summary>Whether the steps lead from a value of a type to what the claim is about.</summary>
    private bool Leads(ShapeExpression type, IReadOnlyList<string?> steps, StepClaim claim)
    {
        if (type.Name is "any" or "group")
            return true;
        if (shape.Find(type.Name) is { } named)
            return InObject(named, steps, claim);
        if (steps.Count == 0)
            return claim.Sort is ClaimSort.Place or ClaimSort.Section;
        var rest = (IReadOnlyList<string?>)[.. steps.Skip(1)];
        var index = MigrationPath.IndexOf(steps[0]);
        return type switch
        {
            { IsList: true } => (steps[0] is null || index >= 0) && Leads(type.Arguments[0], rest, claim),
            { IsMap: true } => Leads(type.Arguments[1], rest, claim),
            { Name: "tuple" } => type.Arguments.Where((_, i) => steps[0] is null || index == i).Any(item => Leads(item, rest, claim)),
            { Name: "grid2" or "grid3" } => steps[0] is null or "lengths" or "items",
            { Count: > 0 } => rest.Count == 0 && (steps[0] is null || (index >= 0 && index < type.Count)),
            _ => false,
        };
    }

    private bool InObject(ShapeType type, IReadOnlyList<string?> steps, StepClaim claim)
    {
        if (steps.Count == 0)
        {
            return claim.Sort switch
            {
                ClaimSort.EnumValue => type.Values.Contains(claim.Name) || type.FormerValues.Contains(claim.Name),
                ClaimSort.Variant => type.Variants.ContainsKey(claim.Name),
                _ => true,
            };
        }
        var rest = (IReadOnlyList<string?>)[.. steps.Skip(1)];
        if (type.Variants.Count > 0)
            return type.Variants.Where(variant => steps[0] is null || variant.Key == steps[0])
                .Any(variant => shape.Find(variant.Value) is { } named && InMembers(named, rest, claim));
        return InMembers(type, steps, claim);
    }

    private bool InMembers(ShapeType type, IReadOnlyList<string?> steps, StepClaim claim) => steps.Count == 0
        ? claim.Sort is ClaimSort.Place or ClaimSort.Section
        : type.KeepsUnknown || type.Members.Where(member => steps[0] is null || member.Key == steps[0])
            .Any(member => Leads(ShapeExpression.Parse(member.Value), [.. steps.Skip(1)], claim));
}
