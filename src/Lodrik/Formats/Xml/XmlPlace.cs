using System.Xml;

namespace Lodrik.Formats.Xml;

/// <summary>Finds out which element is at a line and a column. It costs a second reading, and only errors pay for it.</summary>
internal static class XmlPlace
{
    /// <summary>The pointer of the element at the place; at the end of what can be read where the text breaks off before it.</summary>
    public static string PointerAt(ReadOnlyMemory<byte> xml, int line, int column)
    {
        var walk = new Walk();
        try
        {
            using var reader = XmlReader.Create(new MemoryStream(xml.ToArray(), writable: false), XmlStateReader.Settings);
            while (reader.Read())
            {
                if (reader.NodeType == XmlNodeType.EndElement)
                    walk.Leave();
                if (reader.NodeType != XmlNodeType.Element)
                    continue;
                walk.Reach(reader);
                if (IsAt((IXmlLineInfo)reader, line, column))
                    break;
                walk.Enter(reader);
            }
        }
        catch (XmlException)
        {
            // The text is broken from here on; the place reached is the best there is.
        }
        return walk.Pointer.ToString();
    }

    private static bool IsAt(IXmlLineInfo place, int line, int column) =>
        place.LineNumber > line || (place.LineNumber == line && place.LinePosition >= column);

    /// <summary>Follows the elements with a pointer.</summary>
    private sealed class Walk
    {
        // What is open: whether each element is a list, outermost first.
        private readonly Stack<bool> _lists = new();

        public PointerBuilder Pointer { get; } = new();

        /// <summary>An element is there: below a map it has a key.</summary>
        public void Reach(XmlReader element)
        {
            if (_lists.Count == 0 || _lists.Peek())
                return;
            var key = element.GetAttribute(XmlWords.Key) ?? XmlWords.Unescape(element.GetAttribute(XmlWords.EscapedKey) ?? "");
            Pointer.Key(key is { Length: > 0 } ? key : element.LocalName);
        }

        public void Enter(XmlReader element)
        {
            if (element.IsEmptyElement)
            {
                Pointer.ValueEnded();
                return;
            }
            _lists.Push(element.GetAttribute(XmlWords.Type) == XmlWords.ListType);
            if (_lists.Peek())
                Pointer.EnterList();
            else
                Pointer.EnterMap();
        }

        public void Leave()
        {
            _lists.Pop();
            Pointer.Leave();
            Pointer.ValueEnded();
        }
    }
}
