namespace Lodrik.Inspection;

/// <summary>What could be done for a section of a damaged save.</summary>
public enum SalvageOutcome
{
    /// <summary>It is as it was written.</summary>
    Intact,

    /// <summary>
    /// It is readable and was changed since it was written, by hand or by damage that leaves it well-formed; it is taken unchanged.
    /// </summary>
    Changed,

    /// <summary>It is not in the new save.</summary>
    Lost,
}

/// <summary>One section of a damaged save.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Outcome">What could be done for it.</param>
/// <param name="Reason">Why it is lost; null if it is not.</param>
public sealed record SalvagedSection(string Name, SalvageOutcome Outcome, string? Reason = null);
