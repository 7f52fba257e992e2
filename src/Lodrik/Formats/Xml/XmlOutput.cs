using System.Buffers;
using System.Numerics;
using System.Text;
using Lodrik.State;

namespace Lodrik.Formats.Xml;

/// <summary>
/// Puts XML 1.0 into a buffer, byte for byte what the platform's writer puts there: elements, attributes and text, which is all that a save
/// has. That one takes more than twice as long, because it checks what cannot be wrong here. An element has text or elements in it, never
/// both.
/// </summary>
/// <param name="buffer">Where the text goes.</param>
/// <param name="isIndented">Whether it is laid out for people: two blanks for each depth, a line for each element.</param>
internal sealed class XmlOutput(PooledBuffer buffer, bool isIndented)
{
    private const int MostNumbersAtOnce = 256;

    // A line break within text stays one, but a carriage return would be read as a line break; in an attribute all three would be blanks.
    private static readonly SearchValues<char> EscapedInText = SearchValues.Create("&<>\r");
    private static readonly SearchValues<char> EscapedInAttributes = SearchValues.Create("&<>\"\t\n\r");

    private byte[][] _names = new byte[8][];
    private int _depth;

    // Whether the start tag still lacks its bracket, and whether the element that is open has elements in it.
    private bool _isTagOpen;
    private bool _hasElements;

    public PooledBuffer Buffer => buffer;

    /// <summary>Begins an element.</summary>
    /// <param name="name">Its name in UTF-8.</param>
    public void Start(byte[] name)
    {
        // The bracket of the tag before, a line break, the indentation, and the tag.
        var room = buffer.GetSpan(name.Length + 3 + (2 * _depth));
        var length = 0;
        if (_isTagOpen)
            room[length++] = (byte)'>';
        if (isIndented && _depth > 0)
            length += LineBreak(room[length..]);
        room[length++] = (byte)'<';
        name.CopyTo(room[length..]);
        buffer.Advance(length + name.Length);
        if (_depth == _names.Length)
            Array.Resize(ref _names, 2 * _depth);
        _names[_depth++] = name;
        _isTagOpen = true;
        _hasElements = false;
    }

    /// <summary>Ends the element that is open.</summary>
    public void End()
    {
        var name = _names[--_depth];
        var room = buffer.GetSpan(name.Length + 4 + (2 * _depth));
        var length = 0;
        if (_isTagOpen)
        {
            " />"u8.CopyTo(room);
            length = 3;
            _isTagOpen = false;
        }
        else
        {
            if (_hasElements && isIndented)
                length = LineBreak(room);
            room[length++] = (byte)'<';
            room[length++] = (byte)'/';
            name.CopyTo(room[length..]);
            length += name.Length;
            room[length++] = (byte)'>';
        }
        buffer.Advance(length);
        _hasElements = true;
    }

    /// <summary>Ends the start tag that is open, though nothing comes after it.</summary>
    public void EndTag()
    {
        if (!_isTagOpen)
            return;
        buffer.Write(">"u8);
        _isTagOpen = false;
    }

    /// <summary>An attribute that was prepared.</summary>
    /// <param name="prepared">A blank, its name, and its value in quotes.</param>
    public void Attribute(scoped ReadOnlySpan<byte> prepared) => buffer.Write(prepared);

    /// <summary>An attribute of the element that was begun last.</summary>
    /// <param name="prepared">A blank, its name, the equals sign and the first quote.</param>
    /// <param name="value">Its value, without characters that XML does not have.</param>
    public void Attribute(scoped ReadOnlySpan<byte> prepared, scoped ReadOnlySpan<char> value)
    {
        buffer.Write(prepared);
        Escape(value, EscapedInAttributes);
        buffer.Write("\""u8);
    }

    /// <summary>Writes text that needs no escaping. Returns false, and writes nothing, if some of it does.</summary>
    public bool TryText(scoped ReadOnlySpan<char> text)
    {
        var room = buffer.GetSpan(1 + PlainText.RoomFor(text));
        if (!PlainText.TryNarrow<PlainText.InXml>(text, ref room[1]))
            return false;
        room[0] = (byte)'>';
        buffer.Advance(1 + text.Length);
        _isTagOpen = false;
        return true;
    }

    /// <summary>Text without characters that XML does not have, which is escaped where that is needed.</summary>
    public void Text(scoped ReadOnlySpan<char> text)
    {
        EndTag();
        Escape(text, EscapedInText);
    }

    /// <summary>Text that is all digits, letters and signs.</summary>
    public void Raw(scoped ReadOnlySpan<byte> text)
    {
        EndTag();
        buffer.Write(text);
    }

    public void Number<T>(T value) where T : unmanaged, INumberBase<T>
    {
        EndTag();
        buffer.Advance(NumberDigits.Format(value, buffer.GetSpan(NumberText.MaxLength)));
    }

    /// <summary>Numbers with blanks between, like an xs:list of XML Schema.</summary>
    public void Numbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumberBase<T>
    {
        EndTag();
        for (var isFirst = true; !values.IsEmpty; isFirst = false)
        {
            var part = values[..Math.Min(values.Length, MostNumbersAtOnce)];
            var room = buffer.GetSpan(part.Length * (NumberText.MaxLength + 1));
            var length = 0;
            foreach (var value in part)
            {
                if (!isFirst)
                    room[length++] = (byte)' ';
                isFirst = false;
                length += NumberDigits.Format(value, room[length..]);
            }
            buffer.Advance(length);
            values = values[part.Length..];
        }
    }

    /// <summary>Bytes as base64 (RFC 4648).</summary>
    public void Base64(scoped ReadOnlySpan<byte> value)
    {
        EndTag();
        Base64Text.Write(value, buffer);
    }

    private int LineBreak(Span<byte> room)
    {
        room[0] = (byte)'\n';
        room.Slice(1, 2 * _depth).Fill((byte)' ');
        return 1 + (2 * _depth);
    }

    private void Escape(scoped ReadOnlySpan<char> text, SearchValues<char> escaped)
    {
        while (!text.IsEmpty)
        {
            var plain = text.IndexOfAny(escaped);
            var part = plain < 0 ? text : text[..plain];
            buffer.Reserve(part.Length);
            Encoding.UTF8.GetBytes(part, buffer);
            if (plain < 0)
                return;
            buffer.Write(text[plain] switch
            {
                '&' => "&amp;"u8,
                '<' => "&lt;"u8,
                '>' => "&gt;"u8,
                '"' => "&quot;"u8,
                '\t' => "&#x9;"u8,
                '\n' => "&#xA;"u8,
                _ => "&#xD;"u8,
            });
            text = text[(plain + 1)..];
        }
    }
}
