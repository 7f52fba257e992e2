using System.Text;
using System.Text.Json;
using Lodrik.Formats;
using Lodrik.Formats.Json;
using Lodrik.State;

namespace Lodrik.Inspection;

/// <summary>Values of a save as JSON (RFC 8259), as readable saves have them.</summary>
public static class SaveJson
{
    /// <summary>A value as JSON.</summary>
    /// <param name="value">The value.</param>
    /// <param name="indented">Whether it is laid out for people.</param>
    public static string Write(SaveValue value, bool indented = false)
    {
        ArgumentNullException.ThrowIfNull(value);
        using var buffer = new PooledBuffer();
        using (var writer = new Utf8JsonWriter(buffer, JsonStateWriter.Options(indented)))
        {
            var tokens = new JsonStateWriter(writer);
            SaveValueCodec.Write(ref tokens, value);
        }
        return Encoding.UTF8.GetString(buffer.Written);
    }

    /// <summary>The value of a JSON text.</summary>
    /// <exception cref="SaveException">It is no JSON.</exception>
    public static SaveValue Read(string json)
    {
        ArgumentNullException.ThrowIfNull(json);
        return SavedFile.FromBytes(Encoding.UTF8.GetBytes($"{{\"value\":{json}\n}}")).ReadTree()["value"];
    }
}
