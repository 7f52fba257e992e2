using System.Text;
using Lodrik.Formats;
using Lodrik.Formats.Json;
using Lodrik.State;

namespace Lodrik.Inspection;

/// <summary>Values of a save as JSON (RFC 8259), as readable saves have them.</summary>
public static class SaveJson
{
    private const int MostBytes = 256 << 20;

    /// <summary>A value as JSON.</summary>
    /// <param name="value">The value.</param>
    /// <param name="indented">Whether it is laid out for people.</param>
    /// <exception cref="SaveException">It would take more than 256 MB: rows of a table can share one long text.</exception>
    public static string Write(SaveValue value, bool indented = false)
    {
        ArgumentNullException.ThrowIfNull(value);
        using var buffer = new PooledBuffer(most: MostBytes);
        var tokens = new JsonStateWriter(new JsonText(buffer, indented));
        SaveValueCodec.Write(ref tokens, value);
        return Encoding.UTF8.GetString(buffer.Written);
    }

    /// <summary>
    /// The beginning of a value as JSON on one line, with an ellipsis where it is cut. Long values are not written to their end.
    /// </summary>
    /// <param name="value">The value.</param>
    /// <param name="characterCount">How many characters it may have, the ellipsis included.</param>
    public static string WriteShort(SaveValue value, int characterCount)
    {
        ArgumentNullException.ThrowIfNull(value);
        ArgumentOutOfRangeException.ThrowIfLessThan(characterCount, 1);
        if (value is SaveScalar { Kind: SaveValueKind.Text, Text: var whole } && whole.Length > characterCount)
            value = whole[..characterCount];
        // A character takes four bytes at most, or six where it is escaped; the writer asks for room for a text before it writes that.
        using var buffer = new PooledBuffer(most: 4096 + (12 * characterCount));
        var isCut = false;
        try
        {
            var tokens = new JsonStateWriter(new JsonText(buffer, isIndented: false));
            SaveValueCodec.Write(ref tokens, value);
        }
        catch (SaveException)
        {
            // The buffer is full, or the next text does not fit into it.
            isCut = true;
        }
        var text = Encoding.UTF8.GetString(buffer.Written);
        return text.Length < characterCount || (text.Length == characterCount && !isCut)
            ? text + (isCut ? "…" : "")
            : text[..(characterCount - 1)] + "…";
    }

    /// <summary>The value of a JSON text.</summary>
    /// <exception cref="SaveException">It is not JSON.</exception>
    public static SaveValue Read(string json)
    {
        ArgumentNullException.ThrowIfNull(json);
        return SavedFile.FromBytes(Encoding.UTF8.GetBytes($"{{\"value\":{json}\n}}")).ReadTree()["value"];
    }
}
