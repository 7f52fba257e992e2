using System.Buffers.Text;
using System.Text;
using System.Text.Json;

namespace CheckWithoutLodrik;

/// <summary>A save that is JSON, with a compact JWS (RFC 7515) as its last member.</summary>
internal static class ReadableSave
{
    public static Parts Open(byte[] save, Key key)
    {
        var members = new List<(string Name, int Offset, int Length)>();
        var reader = new Utf8JsonReader(save);
        reader.Read();
        while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
        {
            var name = reader.GetString()!;
            reader.Read();
            var offset = (int)reader.TokenStartIndex;
            reader.Skip();
            members.Add((name, offset, (int)reader.BytesConsumed - offset));
        }
        var seal = members.Find(member => member.Name == "seal");
        if (seal.Length < 2)
            throw new InvalidDataException("There is no seal.");
        // The header and the list of sections belong to the frame; the seal's own value is what stands between its quotes.
        var sections = members.FindAll(member => member.Name is not ("lodrik" or "headerDigest" or "contents" or "seal"));
        var (start, length) = (seal.Offset + 1, seal.Length - 2);
        return new Parts(sections, start, length, Verify(Encoding.ASCII.GetString(save, start, length), key));
    }

    private static Seal Verify(string jws, Key key)
    {
        var parts = jws.Split('.');
        if (parts.Length != 3 || !key.Fits(Encoding.ASCII.GetBytes($"{parts[0]}.{parts[1]}"), Base64Url.DecodeFromChars(parts[2])))
            throw new InvalidDataException("The seal does not fit the key.");
        using var header = JsonDocument.Parse(Base64Url.DecodeFromChars(parts[0]));
        if (header.RootElement.GetProperty("alg").GetString() != key.Algorithm.Jws)
            throw new InvalidDataException("The seal is made by another algorithm.");
        using var payload = JsonDocument.Parse(Base64Url.DecodeFromChars(parts[1]));
        return new Seal(
            Base64Url.DecodeFromChars(payload.RootElement.GetProperty("frame").GetString()),
            [.. payload.RootElement.GetProperty("sections").EnumerateArray().Select(section => (section[0].GetString()!, Base64Url.DecodeFromChars(section[1].GetString())))]);
    }
}
