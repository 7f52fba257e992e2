namespace Lodrik.State;

/// <summary>How far one name is from another.</summary>
internal static class Spelling
{
    /// <summary>The one of the known names that was most likely meant; null if none is near.</summary>
    public static string? Nearest(string name, IEnumerable<string> known)
    {
        var nearest = known.MinBy(one => Distance(one, name));
        return nearest is not null && Distance(nearest, name) <= 1 + (name.Length / 4) ? nearest : null;
    }

    /// <summary>
    /// How many letters have to be changed, added, left out or exchanged with their neighbour; upper and lower case are the same.
    /// </summary>
    public static int Distance(string one, string other)
    {
        var (a, b) = (one.ToLowerInvariant(), other.ToLowerInvariant());
        var rows = new int[a.Length + 1, b.Length + 1];
        for (var i = 0; i <= a.Length; i++)
            rows[i, 0] = i;
        for (var j = 0; j <= b.Length; j++)
            rows[0, j] = j;
        for (var i = 1; i <= a.Length; i++)
        {
            for (var j = 1; j <= b.Length; j++)
            {
                var cost = a[i - 1] == b[j - 1] ? 0 : 1;
                rows[i, j] = Math.Min(Math.Min(rows[i - 1, j] + 1, rows[i, j - 1] + 1), rows[i - 1, j - 1] + cost);
                if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                    rows[i, j] = Math.Min(rows[i, j], rows[i - 2, j - 2] + 1);
            }
        }
        return rows[a.Length, b.Length];
    }
}
