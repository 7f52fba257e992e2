using System.Globalization;
using Lodrik.Formats;

namespace Lodrik.Migrations;

/// <summary>
/// A place in a save as a JSON Pointer (RFC 6901), in which a step that is <c>*</c> stands for each entry or item. The first step is a
/// section; of a section in a group, the first two are.
/// </summary>
internal sealed class MigrationPath
{
    private const string Each = "*";

    private MigrationPath(IReadOnlyList<string?> steps)
    {
        Steps = steps;
        EachCount = steps.Count(step => step is null);
    }

    /// <summary>The steps, without the pointer's escapes; null for each.</summary>
    public IReadOnlyList<string?> Steps { get; }

    /// <summary>How many of the steps are <c>*</c>.</summary>
    public int EachCount { get; }

    /// <summary>Reads a path as a migration step names it.</summary>
    /// <exception cref="ArgumentException">It is not JSON Pointer.</exception>
    public static MigrationPath Parse(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        if (text.Length == 0)
            return new MigrationPath([]);
        if (text[0] != '/')
            throw new ArgumentException(
                $"\"{text}\" is not a valid path: it has to begin with a slash, as in \"/section/member\" (RFC 6901).");
        for (var tilde = text.IndexOf('~', StringComparison.Ordinal); tilde >= 0; tilde = text.IndexOf('~', tilde + 1))
        {
            if (tilde + 1 == text.Length || text[tilde + 1] is not ('0' or '1'))
                throw new ArgumentException($"\"{text}\" is not a valid path: a '~' is written ~0, and a '/' within a name ~1 (RFC 6901).");
        }
        return new MigrationPath([.. text[1..].Split('/').Select(step => step == Each ? null : Unescape(step))]);
    }

    /// <summary>The path that these names lead along.</summary>
    public static MigrationPath Of(params IReadOnlyList<string?> steps) => new(steps);

    /// <summary>The path without its last step.</summary>
    public MigrationPath Parent => new([.. Steps.Take(Steps.Count - 1)]);

    /// <summary>The path without its first steps.</summary>
    public MigrationPath From(int step) => new([.. Steps.Skip(step)]);

    /// <summary>The place beside this one under another name.</summary>
    public MigrationPath Beside(string name) => new([.. Steps.Take(Steps.Count - 1), name]);

    /// <summary>Whether this path, with its <c>*</c> for whatever is there, leads to a place or to something around it.</summary>
    public bool Matches(MigrationPath place) =>
        place.Steps.Count >= Steps.Count && Steps.Zip(place.Steps, (mine, its) => mine is null || mine == its).All(same => same);

    /// <summary>This path with each <c>*</c> replaced by what another path found in its place.</summary>
    public MigrationPath Bind(IReadOnlyList<string> found)
    {
        var next = 0;
        return EachCount == 0 ? this : new MigrationPath([.. Steps.Select(step => step ?? found[next++])]);
    }

    public override string ToString() => string.Concat(Steps.Select(step => $"/{(step is null ? Each : PointerBuilder.Escape(step))}"));

    /// <summary>A pointer's step as an index into a list; -1 where it is none.</summary>
    public static int IndexOf(string? step) =>
        step?.Length is > 0 and < 10 && (step == "0" || step[0] != '0')
            && int.TryParse(step, NumberStyles.None, CultureInfo.InvariantCulture, out var index) ? index : -1;

    private static string Unescape(string step) =>
        step.Contains('~', StringComparison.Ordinal)
            ? step.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal)
            : step;
}
