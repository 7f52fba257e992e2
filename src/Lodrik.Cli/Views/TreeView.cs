using Lodrik.Inspection;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Views;

/// <summary>Draws a value as a tree in color.</summary>
/// <param name="full">Whether long lists are shown to their end.</param>
/// <param name="depth">How deep it unfolds.</param>
internal sealed class TreeView(bool full, int depth)
{
    // Beside the value stand the branches of the tree and a name.
    private static readonly int LineLength = Math.Clamp(Screen.Out.Profile.Width - 30, 50, 110);

    private readonly ContentOutline _outline = new(LineLength, full, depth);

    public Tree Of(string name, SaveValue value, string? note = null)
    {
        var outline = _outline.Of(name, value, note);
        var tree = new Tree(Line(outline)).Style(new Style(Color.Grey50));
        AddChildren(tree, outline);
        return tree;
    }

    private static void AddChildren(IHasTreeNodes node, OutlineNode outline)
    {
        foreach (var child in outline.Children)
            AddChildren(node.AddNode(Line(child)), child);
    }

    private static string Line(OutlineNode outline) => string.Concat(outline.Line.Select(span => span.Role switch
    {
        OutlineRole.Name => $"[{Screen.Name}]{Markup.Escape(span.Text)}[/]",
        OutlineRole.Value => $"[{Screen.Number}]{Markup.Escape(span.Text)}[/]",
        OutlineRole.Text => Markup.Escape(span.Text),
        _ => $"[{Screen.Faint}]{Markup.Escape(span.Text)}[/]",
    }));
}
