using Lodrik.Slots;

namespace Lodrik.Cli.Report;

/// <summary>The generations of a slot over time: the size of each as a column, the time played as a line.</summary>
internal static class HistoryChart
{
    private const double Width = 460;
    private const double Height = 150;
    private const double Left = 66;
    private const double Right = 84;
    private const double Top = 16;
    private const double Bottom = 26;
    private const int MostShown = 30;

    /// <param name="history">The generations, newest first.</param>
    /// <param name="shown">The generation that the report shows.</param>
    public static Html Draw(IReadOnlyList<GenerationSummary> history, int shown)
    {
        GenerationSummary[] generations = [.. history.Take(MostShown).Reverse()];
        var (most, longest) = (Math.Max(generations.Max(one => one.ByteCount), 1),
            Math.Max(generations.Max(one => one.Header?.Played.TotalSeconds ?? 0), 1));
        var step = (Width - Left - Right) / generations.Length;
        var thickness = Math.Min(step * 0.6, 44);
        var columns = new List<Html>();
        var line = new List<string>();
        for (var i = 0; i < generations.Length; i++)
        {
            var one = generations[i];
            var middle = Left + (i + 0.5) * step;
            var height = (Height - Top - Bottom) * one.ByteCount / most;
            var state = one.Problem is not null ? "bad" : one.Number == shown ? "shown" : "";
            var played = one.Header is { } header ? $", {Screen.Duration(header.Played)} played, saved {Screen.Time(header.Saved)}" : "";
            var told = $"@{one.Number}: {Screen.Size(one.ByteCount)}{played}{(one.Problem is null ? "" : ", damaged")}";
            columns.Add(Html.Of($"""
                <g><rect class="column {state}" x="{middle - thickness / 2}" y="{Height - Bottom - height}"
                    width="{thickness}" height="{height}" rx="2"/><title>{told}</title></g>
                """));
            if (i % Math.Max(generations.Length / 10, 1) == 0)
                columns.Add(Html.Of($"""<text class="tick" x="{middle}" y="{Height - 8}" text-anchor="middle">@{one.Number}</text>"""));
            if (one.Header is { } known)
                line.Add(FormattableString.Invariant(
                    $"{middle:0.##},{Height - Bottom - (Height - Top - Bottom) * known.Played.TotalSeconds / longest:0.##}"));
        }
        var marks = line.Select(point => point.Split(','))
            .Select(point => Html.Of($"""<circle class="played" cx="{point[0]}" cy="{point[1]}" r="3"/>"""));
        return Html.Of($"""
            <svg class="history" viewBox="0 0 {Width} {Height}" role="img" aria-label="Size and time played of each generation">
            <line class="axis" x1="{Left}" x2="{Width - Right}" y1="{Height - Bottom}" y2="{Height - Bottom}"/>
            <text class="tick" x="{Left - 8}" y="{Top + 4}" text-anchor="end">{Screen.Size(most)}</text>
                <text class="tick" x="{Left - 8}" y="{Height - Bottom}" text-anchor="end">0</text>
            <text class="tick played" x="{Width - Right + 8}" y="{Top + 4}">{Screen.Duration(TimeSpan.FromSeconds(longest))}</text>
                <text class="tick played" x="{Width - Right + 8}" y="{Height - Bottom}">0</text>
            {columns}<polyline class="played" points="{string.Join(' ', line)}"/>{marks}</svg>
            <p class="key"><span class="swatch column"></span>size
                <span class="swatch played"></span>time played{(history.Count > MostShown
                ? $", the newest {MostShown} of {history.Count}" : "")}</p>
            """);
    }
}
