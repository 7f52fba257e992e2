namespace Lodrik.Cli.Report;

/// <summary>A scene from above: what has a place in it, by kind, and whether it was placed, spawned or is gone.</summary>
internal static class SceneMap
{
    private const double Width = 560;
    private const double MostHeight = 380;
    private const double LeastHeight = 150;
    private const double Margin = 26;
    private const double Mark = 6;
    private const int Colors = 8;
    private const int MostNames = 60;

    /// <summary>The color of a kind in its scene.</summary>
    public static string Tone(IReadOnlyList<string> kinds, string kind)
    {
        for (var i = 0; i < kinds.Count; i++)
        {
            if (kinds[i] == kind)
                return $"k{i % Colors}";
        }
        return "k0";
    }

    /// <param name="scene">The scene.</param>
    /// <param name="kinds">The kinds of the scene, in the order of their colors.</param>
    public static Html Draw(SceneReport scene, IReadOnlyList<string> kinds)
    {
        var kept = scene.Tables.Sum(table => table.Entities.Count);
        var all = scene.Tables.SelectMany(table => table.Entities).Select(entity => (Entity: entity,
            State: entity.Id.IsSpawned ? "spawned" : "placed")).Concat(scene.Gone.Select(entity => (Entity: entity, State: "gone")))
            .Select(one => (one.Entity, one.State, At: one.Entity.Position)).Where(one => one.At is not null).ToList();
        if (all.Count == 0)
            return Html.Of($"<p class=\"quiet\">Nothing in this scene has a place in the save.</p>");
        var (across, down) = Axes([.. all.Select(one => one.At!)]);
        var (left, right) = (all.Min(one => one.At![across]), all.Max(one => one.At![across]));
        var (top, bottom) = (all.Min(one => Down(one.At!)), all.Max(one => Down(one.At!)));
        var scale = Math.Min((Width - 2 * Margin) / Math.Max(right - left, 1e-9), (MostHeight - 2 * Margin) / Math.Max(bottom - top, 1e-9));
        if (double.IsInfinity(scale) || scale > 1e9)
            scale = 1;
        var height = Math.Max((bottom - top) * scale + 2 * Margin, LeastHeight);
        var (dx, dy) = ((Width - (right - left) * scale) / 2, (height - (bottom - top) * scale) / 2);
        var labels = new MapLabels(Width, height, all.Select(one => Place(one.At!)));
        var marks = all.Select(one =>
        {
            var (x, y) = Place(one.At!);
            var told =
                $"{one.Entity.Id}{(one.Entity.Kind.Length > 0
                    ? $", {one.Entity.Kind}" : "")}, {one.State}, at {string.Join(" ",
                    one.At!.Select(number => FormattableString.Invariant($"{number:0.##}")))}";
            var name = all.Count <= MostNames && labels.Place(x, y, one.Entity.Id.ToString()) is { } label
                ? Html.Of($"""<text x="{label.X}" y="{label.Y}" text-anchor="{label.Anchor}">{one.Entity.Id.ToString()}</text>""")
                : Html.None;
            return Html.Of($"""
                <g class="mark {one.State} {Tone(kinds, one.Entity.Kind)}" data-kind="{one.Entity.Kind}"
                    data-id="{one.Entity.Id.ToString()}">{Shape(one.State, x, y)}{name}<title>{told}</title></g>
                """);
        });
        return Html.Of($"""
            <svg class="map" viewBox="0 0 {Width} {height}" role="img" aria-label="The scene {scene.Name} from above">
                <rect class="ground" width="{Width}" height="{height}" rx="6"/>
            {marks}<text class="scale" x="10" y="{height - 9}">
                {Name(across)} {left} to {right}, {Name(down)} {top} to {bottom} downwards{(kept < scene.Count
                ? $"; {kept} of {scene.Count} entities" : "")}</text></svg>
            """);

        (double X, double Y) Place(IReadOnlyList<double> at) => (dx + (at[across] - left) * scale, dy + (Down(at) - top) * scale);

        double Down(IReadOnlyList<double> at) => down < at.Count ? at[down] : 0;
    }

    /// <summary>Which two coordinates a map shows: in space, the two in which the scene stretches farthest.</summary>
    private static (int Across, int Down) Axes(IReadOnlyList<IReadOnlyList<double>> places)
    {
        if (places.Any(at => at.Count < 3))
            return (0, 1);
        var spread = Enumerable.Range(0, 3).Select(axis => places.Max(at => at[axis]) - places.Min(at => at[axis])).ToArray();
        return spread[1] <= spread[2] ? (0, 2) : spread[0] < spread[2] ? (1, 2) : (0, 1);
    }

    private static string Name(int axis) => ((string[])["x", "y", "z"])[axis];

    /// <summary>
    /// A disc for what was placed, a diamond for what was spawned, a cross for what is gone: distinguished without color as well.
    /// </summary>
    private static Html Shape(string state, double x, double y) => state switch
    {
        "spawned" => Html.Of($"""<path d="M{x} {y - Mark - 1}L{x + Mark + 1} {y}L{x} {y + Mark + 1}L{x - Mark - 1} {y}Z"/>"""),
        "gone" => Html.Of($"""<path d="M{x - 5} {y - 5}L{x + 5} {y + 5}M{x + 5} {y - 5}L{x - 5} {y + 5}"/>"""),
        _ => Html.Of($"""<circle cx="{x}" cy="{y}" r="{Mark}"/>"""),
    };
}
