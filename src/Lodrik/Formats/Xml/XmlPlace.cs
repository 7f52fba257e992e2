using System.Xml;

namespace Lodrik.Formats.Xml;

/// <summary>Finds out which element stands at a line and a column. It costs a second reading, and only errors pay for it.</summary>
internal static class XmlPlace
{
    /// <summary>The pointer of the element at the place; at the end of what can be read where the text breaks off before it.</summary>
    public static string PointerAt(ReadOnlyMemory<byte> xml, int line, int column)
    {
        var pointer = new PointerBuilder();
        // What stands open: whether each element is a list, outermost first.
        var lists = new Stack<bool>();
        try
        {
            using var reader = XmlReader.Create(new MemoryStream(xml.ToArray(), writable: false), XmlStateReader.Settings);
            var place = (IXmlLineInfo)reader;
            while (reader.Read())
            {
                if (reader.NodeType == XmlNodeType.Element)
                {
                    if (lists.Count > 0 && !lists.Peek())
                    {
                        var key = reader.GetAttribute(XmlWords.Key) ?? XmlWords.Unescape(reader.GetAttribute(XmlWords.EscapedKey) ?? "");
                        pointer.Key(key is { Length: > 0 } ? key : reader.LocalName);
                    }
                    if (place.LineNumber > line || (place.LineNumber == line && place.LinePosition >= column))
                        break;
                    var isList = reader.GetAttribute(XmlWords.Type) == XmlWords.ListType;
                    if (reader.IsEmptyElement)
                    {
                        pointer.ValueEnded();
                        continue;
                    }
                    lists.Push(isList);
                    if (isList)
                        pointer.EnterList();
                    else
                        pointer.EnterMap();
                }
                else if (reader.NodeType == XmlNodeType.EndElement)
                {
                    lists.Pop();
                    pointer.Leave();
                    pointer.ValueEnded();
                }
            }
        }
        catch (XmlException)
        {
            // The text is broken from here on; the place reached is the best there is.
        }
        return pointer.ToString();
    }
}
