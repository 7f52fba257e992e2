using System.Globalization;
using System.Text;
using System.Xml;
using Lodrik.Storage;

namespace Lodrik.Server;

/// <summary>A listing as WebDAV has it (RFC 4918, sections 9.1 and 14).</summary>
internal static class DavAnswer
{
    private const string Dav = "DAV:";

    /// <summary>Writes a listing.</summary>
    /// <param name="path">The address of the folder, which ends in a slash.</param>
    /// <param name="folder">The folder's name in its storage.</param>
    /// <param name="files">All files below it.</param>
    /// <param name="depth">How many levels of them: 0 for the folder alone.</param>
    public static byte[] Write(string path, string folder, IReadOnlyList<StoredFile> files, int depth)
    {
        using var bytes = new MemoryStream();
        using (var writer = XmlWriter.Create(bytes, new XmlWriterSettings { Encoding = new UTF8Encoding(false) }))
        {
            writer.WriteStartElement("D", "multistatus", Dav);
            WriteFolder(writer, path);
            var folders = new HashSet<string>(StringComparer.Ordinal);
            var start = folder.Length == 0 ? 0 : folder.Length + 1;
            foreach (var file in depth > 0 ? files : [])
            {
                var steps = file.Name[start..].Split('/');
                for (var level = 1; level < steps.Length && level <= depth; level++)
                {
                    var above = string.Join('/', steps.Take(level).Select(Uri.EscapeDataString));
                    if (folders.Add(above))
                        WriteFolder(writer, $"{path}{above}/");
                }
                if (steps.Length <= depth)
                    WriteFile(writer, path + string.Join('/', steps.Select(Uri.EscapeDataString)), file);
            }
            writer.WriteEndElement();
        }
        return bytes.ToArray();
    }

    private static void WriteFolder(XmlWriter writer, string href)
    {
        Begin(writer, href);
        writer.WriteStartElement("resourcetype", Dav);
        writer.WriteElementString("collection", Dav, null);
        writer.WriteEndElement();
        End(writer);
    }

    private static void WriteFile(XmlWriter writer, string href, StoredFile file)
    {
        Begin(writer, href);
        writer.WriteElementString("resourcetype", Dav, null);
        writer.WriteElementString("getcontentlength", Dav, file.ByteCount.ToString(CultureInfo.InvariantCulture));
        if (file.Stamp != 0)
            writer.WriteElementString(
                "getetag", Dav, string.Create(CultureInfo.InvariantCulture, $"\"{file.Stamp:x}-{file.ByteCount:x}\""));
        End(writer);
    }

    private static void Begin(XmlWriter writer, string href)
    {
        writer.WriteStartElement("response", Dav);
        writer.WriteElementString("href", Dav, href);
        writer.WriteStartElement("propstat", Dav);
        writer.WriteStartElement("prop", Dav);
    }

    private static void End(XmlWriter writer)
    {
        writer.WriteEndElement();
        writer.WriteElementString("status", Dav, "HTTP/1.1 200 OK");
        writer.WriteEndElement();
        writer.WriteEndElement();
    }
}
