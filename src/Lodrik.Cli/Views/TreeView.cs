using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Views;

/// <summary>Draws a value as a tree. What fits on one line stands on one; long lists are folded.</summary>
/// <param name="full">Whether long lists are shown to their end.</param>
internal sealed class TreeView(bool full)
{
    private const int Folded = 10;

    // Beside the value stand the branches of the tree and a name.
    private static readonly int LineLength = Math.Clamp(Screen.Out.Profile.Width - 30, 50, 110);

    public Tree Of(string name, SaveValue value, string? note = null)
    {
        var title = $"[{Screen.Name}]{Screen.Text(name)}[/]{(note is null ? "" : $"  [{Screen.Faint}]{Markup.Escape(note)}[/]")}";
        var tree = new Tree(value is SaveMap or SaveList && !IsEmpty(value) ? title : $"{title}  {Inline(value).Markup}").Style(new Style(Color.Grey50));
        AddChildren(tree, value);
        return tree;
    }

    private void AddChildren(IHasTreeNodes node, SaveValue value)
    {
        var children = value switch
        {
            SaveMap map => map.Select(entry => (Name: $"[{Screen.Name}]{Screen.Text(entry.Key)}[/]", entry.Value)),
            SaveList list => list.Select((item, index) => (Name: $"[{Screen.Faint}]{index}[/]", Value: item)),
            _ => [],
        };
        var count = Count(value);
        var shown = full || count <= Folded + 2 ? count : Folded;
        foreach (var (name, child) in children.Take(shown))
        {
            var (markup, length) = Inline(child);
            if (IsEmpty(child) || child is SaveScalar || length <= LineLength)
                node.AddNode($"{name} {markup}");
            else
                AddChildren(node.AddNode(child is SaveList list ? $"{name} [{Screen.Faint}]{list}[/]" : name), child);
        }
        if (shown < count)
            node.AddNode($"[{Screen.Faint}]… {count - shown} more (--full shows all)[/]");
    }

    private static int Count(SaveValue value) => value switch
    {
        SaveMap map => map.Count,
        SaveList list => list.Count,
        _ => 0,
    };

    private static bool IsEmpty(SaveValue value) => value is SaveMap or SaveList && Count(value) == 0;

    /// <summary>The value on one line, and how long that is; no longer than matters.</summary>
    private static (string Markup, int Length) Inline(SaveValue value)
    {
        switch (value)
        {
            case SaveMap { Count: 0 }:
                return ($"[{Screen.Faint}]empty[/]", 5);
            case SaveList { Count: 0 }:
                return ($"[{Screen.Faint}]none[/]", 4);
            case SaveMap map:
                return Join(map.Select(entry => ($"[{Screen.Name}]{Screen.Text(entry.Key)}[/] ", entry.Key.Length + 1, entry.Value)), "{ ", " }");
            case SaveList list:
                return Join(list.Select(item => ("", 0, item)), "[", "]");
            default:
                return Scalar((SaveScalar)value);
        }
    }

    private static (string Markup, int Length) Join(IEnumerable<(string Name, int NameLength, SaveValue Value)> items, string open, string close)
    {
        var parts = new List<string>();
        var length = open.Length + close.Length;
        foreach (var (name, nameLength, value) in items)
        {
            var (markup, valueLength) = Inline(value);
            parts.Add(name + markup);
            length += nameLength + valueLength + 2;
            if (length > LineLength)
                break;
        }
        return ($"[{Screen.Faint}]{Markup.Escape(open)}[/]{string.Join($"[{Screen.Faint}],[/] ", parts)}[{Screen.Faint}]{Markup.Escape(close)}[/]", length);
    }

    private static (string Markup, int Length) Scalar(SaveScalar scalar)
    {
        var text = Screen.Visible(scalar.ToString());
        return scalar.Kind switch
        {
            SaveValueKind.Text => ($"\"{Markup.Escape(text)}\"", text.Length + 2),
            SaveValueKind.Null => ($"[{Screen.Faint}]null[/]", 4),
            SaveValueKind.Bytes => ($"[{Screen.Faint}]{scalar.Bytes.Length} bytes[/]", 12),
            _ => ($"[{Screen.Number}]{Markup.Escape(text)}[/]", text.Length),
        };
    }
}
