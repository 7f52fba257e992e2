using System.Globalization;
using System.IO.Hashing;
using System.Net.Http.Headers;
using System.Text;
using System.Xml;
using Lodrik.Storage;

namespace Lodrik.Http;

/// <summary>What PROPFIND asks and is answered with (RFC 4918, section 9.1).</summary>
internal static class DavListing
{
    private const string Dav = "DAV:";

    private const string Question = """
        <?xml version="1.0" encoding="utf-8"?>
        <propfind xmlns="DAV:"><prop><resourcetype/><getcontentlength/><getetag/><getlastmodified/></prop></propfind>
        """;

    private static readonly XmlReaderSettings Settings =
        new() { DtdProcessing = DtdProcessing.Prohibit, XmlResolver = null, IgnoreWhitespace = true };

    public static HttpContent NewQuestion() =>
        new StringContent(Question, Encoding.UTF8, new MediaTypeHeaderValue("application/xml", "utf-8"));

    /// <summary>Reads a multistatus response. What is not below the folder that was asked for, or has no valid name, is left out.</summary>
    /// <param name="bytes">The response.</param>
    /// <param name="root">The address of the storage.</param>
    /// <param name="folder">The folder that was asked for.</param>
    /// <param name="address">Its address.</param>
    /// <exception cref="StorageException">It is not a multistatus response.</exception>
    public static List<(StoredFile File, bool IsFolder)> Read(byte[] bytes, Uri root, string folder, Uri address)
    {
        var entries = new List<(StoredFile, bool)>();
        try
        {
            using var reader = XmlReader.Create(new MemoryStream(bytes), Settings);
            if (reader.MoveToContent() != XmlNodeType.Element || !Is(reader, "multistatus"))
                throw NotAListing(address, null);
            while (reader.Read())
            {
                if (reader.NodeType == XmlNodeType.Element && Is(reader, "response") && ReadEntry(reader) is { } entry
                    && NameOf(entry.Href, root, address) is { Length: > 0 } name && name != folder
                    && (folder.Length == 0 || name.StartsWith(folder + "/", StringComparison.Ordinal)))
                    entries.Add((new StoredFile(name, entry.ByteCount) { Stamp = entry.Stamp }, entry.IsFolder));
            }
        }
        catch (XmlException exception)
        {
            throw NotAListing(address, exception);
        }
        return entries;
    }

    private static (string Href, long ByteCount, long Stamp, bool IsFolder)? ReadEntry(XmlReader reader)
    {
        if (reader.IsEmptyElement)
            return null;
        var (href, byteCount, isFolder) = ("", 0L, false);
        var (tag, modified) = ("", "");
        var depth = reader.Depth;
        reader.Read();
        while (reader.Depth > depth)
        {
            if (reader.NodeType != XmlNodeType.Element || reader.NamespaceURI != Dav)
            {
                reader.Read();
                continue;
            }
            switch (reader.LocalName)
            {
                case "href":
                    href = reader.ReadElementContentAsString();
                    break;
                case "getcontentlength":
                    if (long.TryParse(reader.ReadElementContentAsString(), NumberStyles.None, CultureInfo.InvariantCulture, out var count))
                        byteCount = count;
                    break;
                case "getetag":
                    tag = reader.ReadElementContentAsString();
                    break;
                case "getlastmodified":
                    modified = reader.ReadElementContentAsString();
                    break;
                case "collection":
                    isFolder = true;
                    reader.Read();
                    break;
                default:
                    reader.Read();
                    break;
            }
        }
        return (href.Trim(), byteCount, StampOf(tag, modified, byteCount), isFolder);
    }

    /// <summary>
    /// A number for a version of a file. A weak tag and the strong one that it becomes a moment later are the same. Without a tag there is
    /// none: times have seconds only.
    /// </summary>
    private static long StampOf(string tag, string modified, long byteCount)
    {
        if (tag.Length == 0)
            return 0;
        var strong = tag.StartsWith("W/", StringComparison.Ordinal) ? tag[2..] : tag;
        return (long)XxHash3.HashToUInt64(Encoding.UTF8.GetBytes($"{strong}\n{modified}\n{byteCount}")) | 1;
    }

    /// <summary>The name of a file within the storage; null for what is elsewhere or has no valid name.</summary>
    private static string? NameOf(string href, Uri root, Uri address)
    {
        if (!Uri.TryCreate(address, href, out var there) || there.Authority != root.Authority
            || !there.AbsolutePath.StartsWith(root.AbsolutePath, StringComparison.Ordinal))
            return null;
        var steps = there.AbsolutePath[root.AbsolutePath.Length..].TrimEnd('/').Split('/').Select(Uri.UnescapeDataString).ToList();
        // An escaped slash would make one step into two.
        if (steps.Any(step => step.Contains('/', StringComparison.Ordinal)))
            return null;
        var name = string.Join('/', steps);
        try
        {
            StorageNames.CheckFolder(name);
            return name;
        }
        catch (ArgumentException)
        {
            return null;
        }
    }

    private static bool Is(XmlReader reader, string name) => reader.LocalName == name && reader.NamespaceURI == Dav;

    private static StorageException NotAListing(Uri address, Exception? exception) => new(
        "The response is not a WebDAV listing.", new SaveLocation { File = address.AbsoluteUri },
        "Check the address. A network that wants you to sign in may answer in the server's place.", exception);
}
