namespace Lodrik.Migrations;

/// <summary>What became of a shape in a later version.</summary>
public static class SaveShapeChanges
{
    /// <summary>What is different in a later shape, and what of it loses something.</summary>
    public static IReadOnlyList<ShapeChange> ChangesTo(this SaveShape shape, SaveShape later)
    {
        ArgumentNullException.ThrowIfNull(shape);
        ArgumentNullException.ThrowIfNull(later);
        return ShapeComparison.Of(shape, later);
    }

    /// <summary>
    /// The operations that a migration step to a later shape most likely needs, as C# to paste; empty if no step is needed.
    /// </summary>
    public static string ProposeStepTo(this SaveShape shape, SaveShape later)
    {
        ArgumentNullException.ThrowIfNull(shape);
        ArgumentNullException.ThrowIfNull(later);
        return StepProposal.For(shape, later);
    }
}
