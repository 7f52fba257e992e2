using System.Text;
using System.Xml;
using Lodrik.State;

namespace Lodrik.Formats.Xml;

/// <summary>
/// Finds the children of the root element as byte ranges, which XmlReader does not tell. It looks at nothing but angle
/// brackets and quotes; whether what stands inside a child is well-formed shows when the child is read.
/// </summary>
internal sealed class XmlSlices(ReadOnlyMemory<byte> file)
{
    private int _position = file.Span.StartsWith(Encoding.UTF8.Preamble) ? Encoding.UTF8.Preamble.Length : 0;

    /// <summary>Where the root element begins.</summary>
    public int RootOffset { get; private set; }

    /// <summary>The root element's bytes.</summary>
    public int RootLength { get; private set; }

    /// <summary>The root's first child, as soon as it is whole.</summary>
    /// <exception cref="ContentException">The bytes break off before.</exception>
    public (string Name, int Offset, int Length)? First()
    {
        foreach (var child in All())
            return child;
        return null;
    }

    /// <summary>All of the root's children, each with the key that it stands for.</summary>
    /// <exception cref="ContentException">The document is not well-formed as far as this looks.</exception>
    public IEnumerable<(string Name, int Offset, int Length)> All()
    {
        if (!SkipToElement(inRoot: false))
            throw Broken("The file has no element.");
        RootOffset = _position;
        var root = ReadTag();
        if (root.IsEmpty)
        {
            RootLength = _position - RootOffset;
            SkipToEnd();
            yield break;
        }
        while (SkipToElement(inRoot: true))
        {
            var offset = _position;
            SkipElement();
            yield return (KeyOf(offset), offset, _position - offset);
        }
        var end = ReadTag();
        if (!end.IsEnd || end.Name != root.Name)
            throw Broken($"The element \"{Shorten.Text(root.Name)}\" is not closed.");
        RootLength = _position - RootOffset;
        SkipToEnd();
    }

    /// <summary>Moves to the next start tag; false at an end tag (within the root) or at the end of the file (outside).</summary>
    private bool SkipToElement(bool inRoot)
    {
        while (true)
        {
            var rest = file.Span[_position..];
            var text = rest.IndexOf((byte)'<');
            if (text < 0 ? !IsBlank(rest) : !IsBlank(rest[..text]))
                throw Broken("There is text outside the sections.");
            if (text < 0)
            {
                _position = file.Length;
                return inRoot ? throw Broken("The file is cut off.") : false;
            }
            _position += text;
            rest = file.Span[_position..];
            if (rest.StartsWith("<!--"u8))
                SkipPast("-->"u8);
            else if (rest.StartsWith("<?"u8))
                SkipPast("?>"u8);
            else if (rest.StartsWith("<!"u8))
                throw Broken(inRoot ? "There is text outside the sections." : "A document type is not accepted.");
            else
                return !rest.StartsWith("</"u8);
        }
    }

    private void SkipElement()
    {
        var depth = 0;
        do
        {
            var next = file.Span[_position..].IndexOf((byte)'<');
            if (next < 0)
                throw Broken("The file is cut off.");
            _position += next;
            var rest = file.Span[_position..];
            if (rest.StartsWith("<!--"u8))
                SkipPast("-->"u8);
            else if (rest.StartsWith("<![CDATA["u8))
                SkipPast("]]>"u8);
            else if (rest.StartsWith("<?"u8))
                SkipPast("?>"u8);
            else if (ReadTag(out var isEnd, out var isEmpty) && !isEmpty)
                depth += isEnd ? -1 : 1;
        }
        while (depth > 0);
    }

    private void SkipToEnd()
    {
        if (SkipToElement(inRoot: false) || _position < file.Length)
            throw Broken("There is extra data after the end of the save.");
    }

    private (string Name, bool IsEnd, bool IsEmpty) ReadTag()
    {
        var start = _position;
        ReadTag(out var isEnd, out var isEmpty);
        var tag = file.Span[start.._position];
        tag = tag[(isEnd ? 2 : 1)..];
        return (Encoding.UTF8.GetString(tag[..tag.IndexOfAny(" \t\r\n/>"u8)]), isEnd, isEmpty);
    }

    /// <summary>Passes over one tag; a bracket within a quoted attribute does not end it.</summary>
    private bool ReadTag(out bool isEnd, out bool isEmpty)
    {
        var span = file.Span;
        var start = _position;
        var i = start + 1;
        byte quote = 0;
        for (; i < span.Length; i++)
        {
            var c = span[i];
            if (quote != 0)
                quote = c == quote ? (byte)0 : quote;
            else if (c is (byte)'"' or (byte)'\'')
                quote = c;
            else if (c == (byte)'>')
                break;
        }
        if (i >= span.Length)
            throw Broken("The file is cut off.");
        isEnd = span[start + 1] == (byte)'/';
        isEmpty = !isEnd && span[i - 1] == (byte)'/';
        _position = i + 1;
        return true;
    }

    private void SkipPast(ReadOnlySpan<byte> mark)
    {
        var found = file.Span[_position..].IndexOf(mark);
        if (found < 0)
            throw Broken("The file is cut off.");
        _position += found + mark.Length;
    }

    /// <summary>The key that a child stands for: its name, or what its key attribute says.</summary>
    private string KeyOf(int offset)
    {
        var tag = file.Span[(offset + 1).._position];
        var name = Encoding.UTF8.GetString(tag[..tag.IndexOfAny(" \t\r\n/>"u8)]);
        if (name != XmlWords.Entry)
            return name;
        using var reader = XmlReader.Create(new MemoryStream(file[offset.._position].ToArray()), XmlStateReader.Settings);
        reader.MoveToContent();
        if (reader.GetAttribute(XmlWords.Key) is { } key)
            return key;
        return reader.GetAttribute(XmlWords.EscapedKey) is not { } escaped ? name
            : XmlWords.Unescape(escaped) ?? throw Broken("The key has an escape other than \\\\ and \\u with four digits.");
    }

    private static bool IsBlank(ReadOnlySpan<byte> bytes) => bytes.IndexOfAnyExcept(" \t\r\n"u8) < 0;

    private ContentException Broken(string problem) => new(SaveErrorCode.Damaged, problem, new ContentPlace(_position));
}
