using System.Globalization;
using System.Net;
using System.Text;
using Lodrik.Screens;

namespace SaveScreen;

/// <summary>The save screen as a picture (SVG 1.1), as a game would draw it: a list with pictures, the selected save, the buttons.</summary>
internal static class ScreenPicture
{
    private const int Width = 1280;
    private const int Height = 800;
    private const int RowHeight = 92;

    private static readonly (ScreenAction Action, string Label)[] Buttons =
    [
        (ScreenAction.Save, "Save"), (ScreenAction.Load, "Load"), (ScreenAction.Rename, "Rename"), (ScreenAction.Copy, "Copy"),
        (ScreenAction.Delete, "Delete"), (ScreenAction.Undo, "Undo"), (ScreenAction.ClearAll, "Clear all"), (ScreenAction.Export, "Export"),
    ];

    public static string Of(Lodrik.Screens.SaveScreen screen)
    {
        var svg = new StringBuilder();
        svg.Append(CultureInfo.InvariantCulture, $"""
            <svg xmlns="http://www.w3.org/2000/svg" width="{Width}" height="{Height}" viewBox="0 0 {Width} {Height}" font-family="Georgia, 'DejaVu Serif', 'Noto Serif CJK JP', serif">
            <defs><linearGradient id="dusk" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="#18232f"/><stop offset="1" stop-color="#2c4043"/></linearGradient></defs>
            <rect width="{Width}" height="{Height}" fill="url(#dusk)"/>

            """);
        Text(svg, 56, 70, 34, "#f2dfae", "Saved evenings");
        var y = 104;
        // What does not fit is left out; a game would scroll.
        foreach (var row in screen.Rows.Take(6))
        {
            Row(svg, screen, row, y);
            y += RowHeight + 8;
        }
        if (screen.Rows.Count == 0)
            Text(svg, 56, 150, 22, "#b9c4bd", "There are no saves yet.");
        Details(svg, screen);
        for (var i = 0; i < Buttons.Length; i++)
            Button(svg, 56 + (i * 147), screen.Can(Buttons[i].Action), Buttons[i].Label);
        if (screen.Question is { } question)
            Question(svg, question);
        return svg.Append("</svg>\n").ToString();
    }

    private static void Row(StringBuilder svg, Lodrik.Screens.SaveScreen screen, SaveRow row, int y)
    {
        var isSelected = row == screen.Selected;
        Box(svg, 56, y, 690, RowHeight, isSelected ? "#3d5654" : "#22313a", isSelected ? "#f2dfae" : "none");
        Picture(svg, screen.Picture(row), 64, y + 8, 135, 76);
        Text(svg, 216, y + 32, 22, row.Trouble.Length > 0 ? "#e0a28a" : "#f4efe0", row.IsEmpty ? "Empty" : row.Caption);
        Text(svg, 216, y + 56, 16, "#c2cbc4", row.Trouble.Length > 0 ? row.Trouble : row.Name.Length > 0 ? row.Title : $"{row.Kind} save");
        Text(svg, 216, y + 79, 15, "#93a39c", row.IsEmpty ? "" : $"{row.Saved:yyyy-MM-dd HH:mm} · played {row.Played:h\\:mm}");
        if (row.IsNewest)
            Text(svg, 732, y + 32, 15, "#f2dfae", "newest", "end");
        if (row.IsCurrent)
            Text(svg, 732, y + 79, 15, "#9fc3b4", "being played", "end");
    }

    private static void Details(StringBuilder svg, Lodrik.Screens.SaveScreen screen)
    {
        Box(svg, 778, 104, 446, 592, "#1c2932", "none");
        if (screen.Details() is not { } details)
        {
            Text(svg, 1001, 400, 18, "#93a39c", "No save is selected.", "middle");
            return;
        }
        Picture(svg, details.Picture?.ToArray(), 794, 120, 414, 233);
        var y = 392;
        Text(svg, 794, y, 24, "#f4efe0", details.Row.Caption);
        foreach (var (key, value) in details.Row.Summary)
            Text(svg, 794, y += 32, 18, "#c2cbc4", $"{key}: {value}");
        Text(svg, 794, y += 40, 16, "#93a39c", $"{details.ByteCount:N0} bytes, {details.History.Count} kept");
        foreach (var save in details.History.Take(5))
            Text(svg, 794, y += 25, 15, "#93a39c", $"{save.Number}.  {save.Header?.Title ?? save.Problem?.Problem}");
    }

    private static void Button(StringBuilder svg, int x, ScreenChoice choice, string label)
    {
        svg.Append(CultureInfo.InvariantCulture, $"<g opacity=\"{(choice.IsPossible ? "1" : "0.35")}\"><title>{Escaped(choice.Reason)}</title>");
        Box(svg, x, 724, 139, 48, "#2f4a49", "#7f9a8d");
        Text(svg, x + 69, 755, 19, "#f4efe0", label, "middle");
        svg.Append("</g>\n");
    }

    private static void Question(StringBuilder svg, ScreenQuestion question)
    {
        svg.Append(CultureInfo.InvariantCulture, $"<rect width=\"{Width}\" height=\"{Height}\" fill=\"#0b1216\" opacity=\"0.72\"/>\n");
        Box(svg, 340, 300, 600, 190, "#28383c", "#f2dfae");
        Text(svg, 640, 366, 22, "#f4efe0", question.Text, "middle");
        Box(svg, 440, 410, 180, 48, "#2f4a49", "#7f9a8d");
        Text(svg, 530, 441, 19, "#f4efe0", question.Kind == ScreenQuestionKind.Replace ? "Replace" : "Yes", "middle");
        Box(svg, 660, 410, 180, 48, "#2f4a49", "#7f9a8d");
        Text(svg, 750, 441, 19, "#f4efe0", "Cancel", "middle");
    }

    private static void Box(StringBuilder svg, int x, int y, int width, int height, string fill, string stroke) => svg.Append(
        CultureInfo.InvariantCulture,
        $"<rect x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"{height}\" rx=\"6\" fill=\"{fill}\" stroke=\"{stroke}\" stroke-width=\"2\"/>\n");

    private static void Picture(StringBuilder svg, byte[]? png, int x, int y, int width, int height)
    {
        if (png is null)
            Box(svg, x, y, width, height, "#16202a", "none");
        else
            svg.Append(
                CultureInfo.InvariantCulture,
                $"<image x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"{height}\" href=\"data:image/png;base64,{Convert.ToBase64String(png)}\"/>\n");
    }

    private static void Text(StringBuilder svg, int x, int y, int size, string color, string text, string anchor = "start") => svg.Append(
        CultureInfo.InvariantCulture,
        $"<text x=\"{x}\" y=\"{y}\" font-size=\"{size}\" fill=\"{color}\" text-anchor=\"{anchor}\">{Escaped(text)}</text>\n");

    private static string Escaped(string text) => WebUtility.HtmlEncode(text);
}
