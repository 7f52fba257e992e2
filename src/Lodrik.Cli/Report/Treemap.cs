using Lodrik.Inspection;

namespace Lodrik.Cli.Report;

/// <summary>A rectangle of a drawing, in its units.</summary>
internal readonly record struct Box(double X, double Y, double Width, double Height)
{
    public double Area => Width * Height;

    public Box Inside(double edge, double top) => new(X + edge, Y + top, Math.Max(Width - 2 * edge, 0), Math.Max(Height - top - edge, 0));
}

/// <summary>What takes the space in a save, as nested rectangles: sections, and in them kinds and members.</summary>
internal static class Treemap
{
    private const double Width = 1000;
    private const double Height = 300;
    private const double TitleHeight = 18;
    private const double LetterWidth = 6.6;
    private const int Colors = 8;

    public static Html Draw(SaveWeight weight)
    {
        var cells = new List<Html>();
        var sections = weight.Sections.Where(section => section.Content.ByteCount > 0).ToList();
        var whole = Math.Max(sections.Sum(section => section.Content.ByteCount), 1);
        foreach (var ((section, box), color) in sections.Zip(Fill(new Box(0, 0, Width, Height),
            [.. sections.Select(section => section.Content.ByteCount)])).Zip(Enumerable.Range(0, int.MaxValue)))
        {
            var tone = $"k{color % Colors}";
            var packed = section.FileByteCount == section.Content.ByteCount ? "" : $", {Screen.Size(section.FileByteCount)} in the file";
            cells.Add(Cell(box, tone, "section", section.Section, $"{section.Section}: {Size(section.Content.ByteCount, whole)}{packed}"));
            var children = section.Content.Children.Where(child => child.ByteCount > 0).ToList();
            if (children.Count == 0 || box.Height < 2 * TitleHeight || box.Width < 30)
                continue;
            foreach (var (child, inner) in children.Zip(Fill(box.Inside(2, TitleHeight), [.. children.Select(child => child.ByteCount)])))
            {
                var each = child.Count > 1 ? $", {child.Count} of them, {Screen.Size(child.ByteCount / child.Count)} each" : "";
                var parts = child.Children.Count > 0
                    ? $"; most of it: {string.Join(", ",
                        child.Children.Take(4)
                        .Select(part => $"{part.Name} {Screen.Size(part.ByteCount)}"))}"
                    : "";
                cells.Add(
                    Cell(inner, tone, "part", child.Name, $"{section.Section}, {child.Name}: {Size(child.ByteCount, whole)}{each}{parts}"));
            }
        }
        return Html.Of($"""
            <svg class="treemap" viewBox="0 0 {Width} {Height}" role="group" aria-label="What takes the space">{cells}</svg>
            <p class="told" aria-live="polite">Point at a field, or go through them with the arrow keys.</p>
            """);
    }

    /// <summary>
    /// Divides a rectangle among weights, largest first, so that each part's area is in proportion and the parts are as square as they can
    /// be: rows are laid along the shorter side, and a row takes one more for as long as that makes its worst part no longer.
    /// </summary>
    public static IReadOnlyList<Box> Fill(Box box, IReadOnlyList<long> weights)
    {
        var boxes = new List<Box>(weights.Count);
        var scale = box.Area / Math.Max(weights.Sum(), 1);
        for (var next = 0; next < weights.Count;)
        {
            var side = Math.Min(box.Width, box.Height);
            var (count, area) = (1, weights[next] * scale);
            while (next + count < weights.Count && Worst(weights, next, count + 1, scale, area + weights[next + count] * scale,
                side) <= Worst(weights, next, count, scale, area, side))
                area += weights[next + count++] * scale;
            var depth = side > 0 ? area / side : 0;
            var along = 0.0;
            for (var i = next; i < next + count; i++)
            {
                var length = depth > 0 ? weights[i] * scale / depth : 0;
                boxes.Add(box.Width >= box.Height
                    ? new Box(box.X, box.Y + along, depth, length)
                    : new Box(box.X + along, box.Y, length, depth));
                along += length;
            }
            box = box.Width >= box.Height
                ? new Box(box.X + depth, box.Y, Math.Max(box.Width - depth, 0), box.Height)
                : new Box(box.X, box.Y + depth, box.Width, Math.Max(box.Height - depth, 0));
            next += count;
        }
        return boxes;
    }

    /// <summary>How far the least square part of a row is from a square: the longer side by the shorter one.</summary>
    private static double Worst(IReadOnlyList<long> weights, int first, int count, double scale, double area, double side)
    {
        var (most, least) = (weights[first] * scale, weights[first + count - 1] * scale);
        return area <= 0 || least <= 0 || side <= 0
            ? double.MaxValue
            : Math.Max(side * side * most / (area * area), area * area / (side * side * least));
    }

    private static Html Cell(Box box, string tone, string level, string name, string told)
    {
        var room = (int)((box.Width - 8) / LetterWidth);
        // If there is no room for a section's whole name, its group goes first.
        name = name.Length <= room ? name : name[(name.IndexOf('/', StringComparison.Ordinal) + 1)..];
        var label = box.Height < 14 || room < 3 ? "" : name.Length <= room ? name : name[..(room - 1)] + "…";
        return Html.Of($"""
            <g class="cell {level} {tone}" tabindex="-1" role="img" aria-label="{told}">
                <rect x="{box.X}" y="{box.Y}" width="{box.Width}" height="{box.Height}" rx="2"/>
                <text x="{box.X + 5}" y="{box.Y + 13}">{label}</text><title>{told}</title></g>
            """);
    }

    private static string Size(long bytes, long whole) =>
        FormattableString.Invariant($"{Screen.Size(bytes)}, {100.0 * bytes / whole:0} % of the content");
}
