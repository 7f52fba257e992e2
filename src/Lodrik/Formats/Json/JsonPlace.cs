using System.Text.Json;

namespace Lodrik.Formats.Json;

/// <summary>Finds out which value is at an offset of a JSON text. It costs a second reading, and only errors pay for it.</summary>
internal static class JsonPlace
{
    /// <summary>The pointer of the value at the offset; at the end of what can be read where the text breaks off before it.</summary>
    public static string PointerAt(ReadOnlySpan<byte> json, long offset)
    {
        var pointer = new PointerBuilder();
        var reader = new Utf8JsonReader(json, JsonStateReader.Options);
        try
        {
            while (reader.Read())
            {
                if (reader.TokenType == JsonTokenType.PropertyName)
                    pointer.Key(reader.GetString()!);
                if (reader.TokenStartIndex >= offset)
                    break;
                switch (reader.TokenType)
                {
                    case JsonTokenType.StartObject:
                        pointer.EnterMap();
                        break;
                    case JsonTokenType.StartArray:
                        pointer.EnterList();
                        break;
                    case JsonTokenType.EndObject or JsonTokenType.EndArray:
                        pointer.Leave();
                        pointer.ValueEnded();
                        break;
                    case JsonTokenType.PropertyName:
                        break;
                    default:
                        pointer.ValueEnded();
                        break;
                }
            }
        }
        catch (Exception exception) when (exception is JsonException or InvalidOperationException)
        {
            // The text is broken from here on; the place reached is the best there is.
        }
        return pointer.ToString();
    }
}
