using System.Buffers.Text;
using System.Text;
using System.Text.Json;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Protection;

/// <summary>A seal that fits.</summary>
/// <param name="Content">What it says.</param>
/// <param name="Key">The key that it was made by.</param>
/// <param name="Making">How that key is made.</param>
internal sealed record OpenedSeal(SealContent Content, SaveKey Key, KeyMaking Making);

/// <summary>
/// A seal unchanged in a file: in packed saves a COSE_Mac0 or a COSE_Sign1 (RFC 9052, algorithms of RFC 9053), in readable ones a
/// compact JWS (RFC 7515, algorithms of RFC 7518).
/// </summary>
/// <remarks>
/// There is one way only to write each, and a reader writes again what it read and compares: no byte of a seal can be another, be it one
/// that the standards leave open.
/// </remarks>
internal static class SealEnvelope
{
    private const ulong Mac0Tag = 17;
    private const ulong Sign1Tag = 18;
    private const int Hmac256 = 5;
    private const int Es256 = -7;

    public static byte[] WriteCose(SaveKey key, SealContent content) => WriteCose(key, key.NewMaking, content);

    public static byte[] WriteCose(SaveKey key, KeyMaking making, SealContent content)
    {
        var header = CoseHeaderOf(key, making);
        var payload = content.ToCbor();
        return Cose(key.Level, header, payload, key.Seal(CoseMessage(key.Level, header, payload), making));
    }

    public static string WriteJws(SaveKey key, SealContent content) => WriteJws(key, content.ToJson());

    public static string WriteJws(SaveKey key, byte[] payload)
    {
        var making = key.NewMaking;
        var message = $"{Base64Url.EncodeToString(JwsHeader(key, making))}.{Base64Url.EncodeToString(payload)}";
        return $"{message}.{Base64Url.EncodeToString(key.Seal(Encoding.ASCII.GetBytes(message), making))}";
    }

    /// <summary>What a seal says, if it fits; it is not held against the file yet.</summary>
    /// <exception cref="TamperedSaveException">It does not fit, or is not written as seals are.</exception>
    public static OpenedSeal OpenCose(ReadOnlySpan<byte> seal, KeyRing keys, SaveLocation location)
    {
        try
        {
            var reader = new BinaryStateReader(seal);
            reader.TryReadTag();
            if (reader.BeginCountedList() != 4)
                throw NoSeal(location);
            reader.NextItem();
            var header = reader.ReadBytes();
            reader.NextItem();
            reader.Skip();
            reader.NextItem();
            var payload = reader.ReadBytes();
            reader.NextItem();
            var tag = reader.ReadBytes();
            var (id, making, _) = CoseHeader.Read(header);
            var key = Choose(keys, id, location);
            var isAsWritten = CoseHeaderOf(key, making).AsSpan().SequenceEqual(header)
                && Cose(key.Level, header, payload, tag).AsSpan().SequenceEqual(seal);
            if (!isAsWritten || !key.Fits(CoseMessage(key.Level, header, payload), tag, making))
                throw NotFitting(key, location);
            return new OpenedSeal(SealContent.FromCbor(payload) ?? throw NoSeal(location), key, making);
        }
        catch (ContentException)
        {
            throw NoSeal(location);
        }
    }

    /// <inheritdoc cref="OpenCose"/>
    public static OpenedSeal OpenJws(string seal, KeyRing keys, SaveLocation location)
    {
        var (payload, key, making) = OpenJwsPayload(seal, keys, location);
        return new OpenedSeal(SealContent.FromJson(payload) ?? throw NoSeal(location), key, making);
    }

    /// <summary>The payload of a JWS that fits.</summary>
    /// <exception cref="TamperedSaveException">It does not fit, or is not written as ours are.</exception>
    public static (byte[] Payload, SaveKey Key, KeyMaking Making) OpenJwsPayload(string seal, KeyRing keys, SaveLocation location)
    {
        try
        {
            var parts = seal.Split('.');
            if (parts.Length != 3)
                throw NoSeal(location);
            var header = Base64Url.DecodeFromChars(parts[0]);
            var payload = Base64Url.DecodeFromChars(parts[1]);
            var tag = Base64Url.DecodeFromChars(parts[2]);
            var (id, making) = ReadJwsHeader(header);
            var key = Choose(keys, id, location);
            // Base64url can say one thing in several ways: the last character has bits to spare, and white space is passed over.
            var isAsWritten = JwsHeader(key, making).AsSpan().SequenceEqual(header)
                && $"{Base64Url.EncodeToString(header)}.{Base64Url.EncodeToString(payload)}.{Base64Url.EncodeToString(tag)}" == seal;
            if (!isAsWritten || !key.Fits(Encoding.ASCII.GetBytes(seal[..seal.LastIndexOf('.')]), tag, making))
                throw NotFitting(key, location);
            return (payload, key, making);
        }
        catch (Exception exception) when (exception is FormatException or JsonException or InvalidOperationException
            or KeyNotFoundException)
        {
            throw NoSeal(location);
        }
    }

    /// <summary>The key of an id, of the level that the ring's current key has: a file does not choose how it is checked.</summary>
    private static SaveKey Choose(KeyRing keys, string id, SaveLocation location)
    {
        var key = keys.Find(id) ?? throw new TamperedSaveException(
            SaveErrorCode.UnknownKey, $"The save is sealed by a key \"{Shorten.Text(id)}\", which is not on the key ring.", location,
            $"Keys on the ring: {string.Join(", ", keys.Ids)}.");
        return key.Level == keys.Current.Level ? key : throw new TamperedSaveException(
            SaveErrorCode.UnknownKey, $"The {key} does not have the required level {keys.Current.Level}.",
            location, "Load an older generation or a copy.");
    }

    private static TamperedSaveException NoSeal(SaveLocation location) => new(
        SaveErrorCode.Tampered, "The save's seal cannot be read.", location, "Load an older generation or a copy.");

    private static TamperedSaveException NotFitting(SaveKey key, SaveLocation location) => new(
        SaveErrorCode.Tampered,
        $"The save's {(key.Level == ProtectionLevel.Signature ? "signature" : "seal")} does not match the {key}: it was changed, or "
            + "made by another key of that id.", location, "Load an older generation or a copy.");

    private static byte[] CoseHeaderOf(SaveKey key, KeyMaking making) =>
        CoseHeader.Write(key.Level == ProtectionLevel.Signature ? Es256 : Hmac256, key, making);

    private static byte[] Cose(ProtectionLevel level, ReadOnlySpan<byte> header, ReadOnlySpan<byte> payload, ReadOnlySpan<byte> tag)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.WriteTag(level == ProtectionLevel.Signature ? Sign1Tag : Mac0Tag);
        writer.BeginList(4);
        writer.WriteBytes(header);
        writer.BeginObject(0);
        writer.EndObject();
        writer.WriteBytes(payload);
        writer.WriteBytes(tag);
        writer.EndList();
        return buffer.Written.ToArray();
    }

    /// <summary>
    /// What is sealed: the MAC_structure or the Sig_structure (RFC 9052 sections 6.3 and 4.4), without anything external.
    /// </summary>
    private static byte[] CoseMessage(ProtectionLevel level, ReadOnlySpan<byte> header, ReadOnlySpan<byte> payload)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.BeginList(4);
        writer.WriteText(level == ProtectionLevel.Signature ? "Signature1" : "MAC0");
        writer.WriteBytes(header);
        writer.WriteBytes([]);
        writer.WriteBytes(payload);
        writer.EndList();
        return buffer.Written.ToArray();
    }

    private static byte[] JwsHeader(SaveKey key, KeyMaking making)
    {
        using var buffer = new MemoryStream();
        using (var writer = new Utf8JsonWriter(buffer))
        {
            writer.WriteStartObject();
            writer.WriteString("alg", key.Level == ProtectionLevel.Signature ? "ES256" : "HS256");
            writer.WriteString("kid", key.Id);
            if (making.Iterations > 0)
            {
                writer.WriteString(CoseHeader.SaltLabel, Base64Url.EncodeToString(making.Salt));
                writer.WriteNumber(CoseHeader.IterationsLabel, making.Iterations);
            }
            writer.WriteEndObject();
        }
        return buffer.ToArray();
    }

    private static (string Id, KeyMaking Making) ReadJwsHeader(ReadOnlySpan<byte> header)
    {
        var reader = new Utf8JsonReader(header);
        using var document = JsonDocument.ParseValue(ref reader);
        var root = document.RootElement;
        var making = root.TryGetProperty(CoseHeader.SaltLabel, out var salt)
            && root.TryGetProperty(CoseHeader.IterationsLabel, out var iterations)
            ? new KeyMaking(Base64Url.DecodeFromChars(salt.GetString()), iterations.GetInt32())
            : KeyMaking.None;
        return (root.GetProperty("kid").GetString() ?? "", making);
    }
}
