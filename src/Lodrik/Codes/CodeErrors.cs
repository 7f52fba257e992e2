
namespace Lodrik.Codes;

/// <summary>
/// A transfer code cannot be read, or a state cannot be put into one. <see cref="SaveException.Code"/> says which of the things that happen
/// to codes it is.
/// </summary>
public sealed class CodeException : SaveException
{
    internal CodeException(
        SaveErrorCode code, string problem, string forPlayer, IReadOnlyList<CodePosition>? positions = null, string? remedy = null)
        : base(code, problem, default, remedy) => (ForPlayer, Positions) = (forPlayer, positions ?? []);

    /// <summary>What to tell the player, one sentence; empty if the mistake is the game's.</summary>
    public string ForPlayer { get; }

    /// <summary>The characters that are wrong, as far as they can be told: the ones to look at again.</summary>
    public IReadOnlyList<CodePosition> Positions { get; }

    internal static CodeException BadLayout(string problem) => new(SaveErrorCode.BadCodeLayout, problem, "");

    internal static CodeException DoesNotFit(string field, string problem) => new(SaveErrorCode.CodeOutOfRange,
        $"The field \"{field}\" {problem}", "", remedy: "Keep the value within the layout's bounds, or widen them in a new version.");
}
