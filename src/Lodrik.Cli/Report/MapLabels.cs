namespace Lodrik.Cli.Report;

/// <summary>Finds room for the names beside the marks of a map, so that none lies on another or on a mark.</summary>
/// <param name="width">The map's width.</param>
/// <param name="height">The map's height.</param>
/// <param name="marks">The middles of all marks.</param>
internal sealed class MapLabels(double width, double height, IEnumerable<(double X, double Y)> marks)
{
    private const double Letter = 6.2;
    private const double Line = 12;
    private const double Mark = 7;

    private readonly List<Area> _taken = [.. marks.Select(at => new Area(at.X - Mark, at.Y - Mark, at.X + Mark, at.Y + Mark))];

    /// <summary>Where the name of a mark goes: right of it, left, below or above; null if there is no room.</summary>
    public (double X, double Y, string Anchor)? Place(double x, double y, string name)
    {
        var length = name.Length * Letter;
        foreach (var (left, baseline, textX, anchor) in ((double, double, double, string)[])[(x + 9, y + 4, x + 9, "start"),
            (x - 9 - length, y + 4, x - 9, "end"), (x - length / 2, y + 19, x, "middle"), (x - length / 2, y - 10, x, "middle")])
        {
            var area = new Area(left, baseline - Line + 2, left + length, baseline + 2);
            if (area.Left < 2 || area.Right > width - 2 || area.Top < 2 || area.Bottom > height - 2 || _taken.Exists(area.Overlaps))
                continue;
            _taken.Add(area);
            return (textX, baseline, anchor);
        }
        return null;
    }

    private readonly record struct Area(double Left, double Top, double Right, double Bottom)
    {
        public bool Overlaps(Area other) => Left < other.Right && other.Left < Right && Top < other.Bottom && other.Top < Bottom;
    }
}
