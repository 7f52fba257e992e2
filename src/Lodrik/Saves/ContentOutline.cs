using System.Globalization;
using System.Text;
using Lodrik.State;

namespace Lodrik.Inspection;

/// <summary>What a piece of an outline's line is, for whoever colors it.</summary>
public enum OutlineRole
{
    /// <summary>The name of a section or a member.</summary>
    Name,

    /// <summary>The place of an item in its list.</summary>
    Index,

    /// <summary>Text between quotation marks.</summary>
    Text,

    /// <summary>A number, a truth value, a date.</summary>
    Value,

    /// <summary>Brackets, commas, notes.</summary>
    Mark,
}

/// <summary>A piece of an outline's line. Control characters are in it as escapes.</summary>
/// <param name="Text">The text.</param>
/// <param name="Role">What it is.</param>
public readonly record struct OutlineSpan(string Text, OutlineRole Role);

/// <summary>A line of an outline, and what is below it.</summary>
/// <param name="Line">The line's pieces, from left to right.</param>
/// <param name="Children">The lines below.</param>
public sealed record OutlineNode(IReadOnlyList<OutlineSpan> Line, IReadOnlyList<OutlineNode> Children)
{
    /// <summary>The outline as text: a tree of lines.</summary>
    public override string ToString()
    {
        var text = new StringBuilder();
        Append(text, "", "");
        return text.ToString();
    }

    private void Append(StringBuilder text, string first, string rest)
    {
        text.Append(first);
        foreach (var span in Line)
            text.Append(span.Text);
        text.AppendLine();
        for (var i = 0; i < Children.Count; i++)
        {
            var isLast = i == Children.Count - 1;
            Children[i].Append(text, rest + (isLast ? "└── " : "├── "), rest + (isLast ? "    " : "│   "));
        }
    }
}

/// <summary>Lays a value of a save out as a tree of lines. What fits on one line is on one; long lists are folded.</summary>
/// <param name="lineLength">How long a value on one line may be, in characters.</param>
/// <param name="full">Whether long lists are shown to their end.</param>
/// <param name="depth">How many levels below the name are unfolded; what is deeper and does not fit on one line is only counted.</param>
public sealed class ContentOutline(int lineLength = 80, bool full = false, int depth = int.MaxValue)
{
    private const int Folded = 10;

    private long _left = 10_000_000;

    /// <summary>How many characters it may still lay out.</summary>
    internal long Most
    {
        init => _left = value;
    }

    /// <summary>Lays a value out.</summary>
    /// <param name="name">What it is called.</param>
    /// <param name="value">The value.</param>
    /// <param name="note">What to say beside the name; null for nothing.</param>
    /// <exception cref="SaveException">It would be far larger than any file that one wants to look at.</exception>
    public OutlineNode Of(string name, SaveValue value, string? note = null)
    {
        ArgumentNullException.ThrowIfNull(name);
        ArgumentNullException.ThrowIfNull(value);
        List<OutlineSpan> line = [Span(name, OutlineRole.Name)];
        if (note is not null)
            line.Add(Span("  " + note, OutlineRole.Mark));
        if (value is not (SaveMap or SaveList) || Count(value) == 0)
        {
            line.Add(new OutlineSpan("  ", OutlineRole.Mark));
            AddInline(line, value);
        }
        return new OutlineNode(line, Children(value, 1));
    }

    /// <summary>
    /// Text with what acts on a display instead of being shown written as escapes: control characters, line separators and the marks that
    /// turn the direction of writing (UAX 9). No save can move a cursor, or pass for another one.
    /// </summary>
    public static string Visible(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return text.Any(Acts) ? string.Concat(text.Select(c => Acts(c) ? $"\\u{(int)c:x4}" : c.ToString())) : text;
    }

    private static bool Acts(char c) => char.IsControl(c)
        || c is '\u061C' or '\u200E' or '\u200F' or (>= '\u2028' and <= '\u202E') or (>= '\u2066' and <= '\u2069');

    private List<OutlineNode> Children(SaveValue value, int level)
    {
        if (level > depth)
            return [];
        var children = value switch
        {
            SaveMap map => map.Select(entry => (Name: Span(entry.Key, OutlineRole.Name), entry.Value)),
            SaveList list => list.Select((item, index) =>
                (Name: new OutlineSpan(index.ToString(CultureInfo.InvariantCulture), OutlineRole.Index), Value: item)),
            _ => [],
        };
        var count = Count(value);
        var shown = full || count <= Folded + 2 ? count : Folded;
        var nodes = new List<OutlineNode>();
        foreach (var (name, child) in children.Take(shown))
        {
            List<OutlineSpan> line = [name, new OutlineSpan(" ", OutlineRole.Mark)];
            if (child is SaveScalar || Count(child) == 0 || LengthOf(child, lineLength) <= lineLength)
            {
                AddInline(line, child);
                nodes.Add(new OutlineNode(line, []));
                continue;
            }
            if (child is SaveList || level == depth)
                line.Add(Span(child.ToString()!, OutlineRole.Mark));
            else
                line.RemoveAt(1);
            nodes.Add(new OutlineNode(line, Children(child, level + 1)));
        }
        if (shown < count)
            nodes.Add(new OutlineNode([new OutlineSpan(
                string.Create(CultureInfo.InvariantCulture, $"… {count - shown} more (--full shows all)"), OutlineRole.Mark)], []));
        return nodes;
    }

    private static int Count(SaveValue value) => value switch
    {
        SaveMap map => map.Count,
        SaveList list => list.Count,
        _ => 0,
    };

    /// <summary>How long a value is on one line; no longer than matters.</summary>
    private int LengthOf(SaveValue value, int most)
    {
        var length = 0;
        switch (value)
        {
            case SaveMap { Count: > 0 } map:
                length = 4;
                foreach (var (key, entry) in map)
                {
                    length += key.Length + 3 + LengthOf(entry, most);
                    if (length > most)
                        break;
                }
                return length;
            case SaveList { Count: > 0 } list:
                length = 2;
                foreach (var item in list)
                {
                    length += 2 + LengthOf(item, most);
                    if (length > most)
                        break;
                }
                return length;
            default:
                var before = _left;
                var line = new List<OutlineSpan>();
                AddInline(line, value);
                // It is measured, and shown only after that.
                _left = before;
                return line.Sum(span => span.Text.Length);
        }
    }

    private void AddInline(List<OutlineSpan> line, SaveValue value)
    {
        switch (value)
        {
            case SaveMap { Count: 0 }:
                line.Add(new OutlineSpan("empty", OutlineRole.Mark));
                break;
            case SaveList { Count: 0 }:
                line.Add(new OutlineSpan("none", OutlineRole.Mark));
                break;
            case SaveMap map:
                line.Add(new OutlineSpan("{ ", OutlineRole.Mark));
                var isFirst = true;
                foreach (var (key, entry) in map)
                {
                    if (!isFirst)
                        line.Add(new OutlineSpan(", ", OutlineRole.Mark));
                    line.Add(Span(key + " ", OutlineRole.Name));
                    AddInline(line, entry);
                    isFirst = false;
                }
                line.Add(new OutlineSpan(" }", OutlineRole.Mark));
                break;
            case SaveList list:
                line.Add(new OutlineSpan("[", OutlineRole.Mark));
                var index = 0;
                foreach (var item in list)
                {
                    if (index++ > 0)
                        line.Add(new OutlineSpan(", ", OutlineRole.Mark));
                    AddInline(line, item);
                }
                line.Add(new OutlineSpan("]", OutlineRole.Mark));
                break;
            case SaveScalar scalar:
                line.Add(scalar.Kind switch
                {
                    SaveValueKind.Text => Span($"\"{scalar}\"", OutlineRole.Text),
                    SaveValueKind.Null => new OutlineSpan("null", OutlineRole.Mark),
                    SaveValueKind.Bytes =>
                        new OutlineSpan(string.Create(CultureInfo.InvariantCulture, $"{scalar.Bytes.Length} bytes"), OutlineRole.Mark),
                    _ => Span(scalar.ToString(), OutlineRole.Value),
                });
                break;
        }
    }

    private OutlineSpan Span(string text, OutlineRole role)
    {
        // Rows of a table can share one long text, and each of them would be shown.
        if ((_left -= text.Length) < 0)
            throw new SaveException(
                SaveErrorCode.LimitExceeded, "The content is too large for one view.",
                remedy: "Show a part of it, or convert the save.");
        return new OutlineSpan(Visible(text), role);
    }
}
