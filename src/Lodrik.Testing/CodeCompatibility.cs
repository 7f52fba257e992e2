using System.Runtime.CompilerServices;
using Lodrik.Codes;

namespace Lodrik.Testing;

/// <summary>
/// Checks in one line of a test that transfer codes of all released versions still decode correctly:
/// <c>CodeCompatibility.Check(Journey.CodeLayout, "../ledger");</c>
/// </summary>
public static class CodeCompatibility
{
    /// <summary>Compares a layout with the pinned ones.</summary>
    /// <param name="layout">The game's layout of today.</param>
    /// <param name="ledger">The ledger's folder; a relative one is looked for from the file of the calling code.</param>
    /// <param name="here">The file of the calling code, filled in by the compiler.</param>
    /// <returns>The versions that are pinned.</returns>
    /// <exception cref="CompatibilityException">Nothing is pinned, or the layout decodes the codes of a pinned version wrongly.</exception>
    public static IReadOnlyList<int> Check<T>(CodeLayout<T> layout, string ledger, [CallerFilePath] string here = "") where T : class, new()
    {
        ArgumentNullException.ThrowIfNull(layout);
        ArgumentException.ThrowIfNullOrEmpty(ledger);
        var pinned = PinnedCodes.In(Path.Combine(SaveCompatibility.FolderOf(here), ledger));
        if (pinned.ProblemsOf(layout) is { Count: > 0 } problems)
            throw new CompatibilityException(string.Join(Environment.NewLine, problems));
        return pinned.ListVersions(layout.Name) is { Count: > 0 } versions
            ? versions
            : throw new CompatibilityException(
                $"No version of the codes \"{layout.Name}\" is pinned ({pinned.FileOf(layout.Name, layout.Version)}). Pin the one that is "
                    + "released with \"lodrik code pin\".");
    }
}
