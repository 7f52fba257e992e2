namespace Lodrik.Migrations;

/// <summary>A ledger, or the assembly that it is to be held against, is not what it has to be.</summary>
/// <param name="problem">What is wrong, one sentence.</param>
/// <param name="location">Where.</param>
/// <param name="remedy">What to do about it, or null.</param>
/// <param name="innerException">What caused it, if anything did.</param>
public sealed class LedgerException(
    string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(SaveErrorCode.BadLedger, problem, location, remedy, innerException);
