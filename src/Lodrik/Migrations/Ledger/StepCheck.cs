namespace Lodrik.Migrations;

/// <summary>Holds the steps of a chain against the shapes of the versions that they lead between.</summary>
internal static class StepCheck
{
    /// <summary>
    /// What is wrong: an operation that names something no save of its version has, and a change that loses something without an operation
    /// that deals with it.
    /// </summary>
    /// <param name="steps">The steps in their order.</param>
    /// <param name="shapes">The recorded shapes in the order of their versions, and today's as the last.</param>
    public static IEnumerable<string> Problems(IReadOnlyList<MigrationStep> steps, IReadOnlyList<SaveShape> shapes)
    {
        for (var i = 0; i < shapes.Count - 1; i++)
        {
            var (before, after) = (shapes[i], shapes[i + 1]);
            var between = steps.Where(step => step.From >= before.Version && step.From < after.Version).ToList();
            // Between two of them that were not recorded, nothing is known of the later steps' saves.
            if (between.Find(step => step.From == before.Version) is { } step)
            {
                foreach (var problem in Unmatched(step, before, after))
                    yield return problem;
            }
            if (before.Version == after.Version)
                continue;
            var claims = between.SelectMany(one => one.Operations).SelectMany(operation => operation.Claims).ToList();
            foreach (var change in before.ChangesTo(after)
                .Where(change => change.IsLoss && !claims.Exists(claim => claim.Covers(change))))
                yield return $"{Steps(before.Version, after.Version)} not handle this: {change}. Add an operation, or declare "
                    + "the loss with Accept.";
        }
    }

    private static string Steps(int from, int to) =>
        to == from + 1 ? $"The step {from} → {to} does" : $"The steps from {from} to {to} do";

    private static IEnumerable<string> Unmatched(MigrationStep step, SaveShape before, SaveShape after)
    {
        var (were, are) = (new StepPlaces(before), new StepPlaces(after));
        var made = new List<StepClaim>();
        foreach (var operation in step.Operations)
        {
            var claims = operation.Claims.Where(claim => !claim.IsNew).ToList();
            if (claims.Find(claim => !were.Has(claim) && !are.Has(claim) && !made.Exists(one => IsWithin(claim, one))) is { } unmatched)
                yield return $"The step {step.From} → {step.To} names something that no save of version {before.Version} has"
                    + $"{(unmatched.Name.Length > 0 ? $", {unmatched.Name}" : "")}: {operation.Describe("").First()}.";
            made.AddRange(operation.Claims.Where(claim => claim.IsNew));
        }
    }

    /// <summary>Whether one thing is at or in a place that an earlier operation has put something to.</summary>
    private static bool IsWithin(StepClaim claim, StepClaim made) =>
        (made.Kind == claim.Kind || made.Kind == StepClaim.Any || claim.Kind == StepClaim.Any)
        && (made.Part is null || made.Part == claim.Part)
        && made.Path.Steps.Zip(claim.Path.Steps, (one, other) => one is null || other is null || one == other).All(same => same);
}
