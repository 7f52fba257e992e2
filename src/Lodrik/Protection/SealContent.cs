using System.Buffers.Binary;
using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Protection;

/// <summary>The digest of one section under a seal.</summary>
/// <param name="Name">The section's name.</param>
/// <param name="Digest">SHA-256 (FIPS 180-4) of its bytes unchanged in the file.</param>
internal readonly record struct SealedSection(string Name, byte[] Digest);

/// <summary>
/// What a seal says: a digest of the frame, which is every byte of the file outside the sections and the seal's own value, and one of each
/// section, in the order of the file.
/// </summary>
/// <param name="Frame">SHA-256 of the context's length (4 bytes, big-endian), the context in UTF-8, and the frame.</param>
/// <param name="Sections">The sections.</param>
/// <param name="Salt">What the key of encrypted sections was made with; null if they are not encrypted.</param>
internal sealed record SealContent(byte[] Frame, IReadOnlyList<SealedSection> Sections, byte[]? Salt = null)
{
    public const int DigestBytes = SHA256.HashSizeInBytes;

    /// <summary>Takes the digests of a file.</summary>
    /// <param name="file">The file.</param>
    /// <param name="sections">Where its sections stand, in order.</param>
    /// <param name="sealOffset">Where the seal's own value begins.</param>
    /// <param name="sealLength">How long it is.</param>
    /// <param name="context">What the save is bound to.</param>
    /// <param name="salt">The salt of encrypted sections.</param>
    public static SealContent Of(ReadOnlySpan<byte> file, IReadOnlyList<(string Name, int Offset, int Length)> sections, int sealOffset,
        int sealLength, string context, byte[]? salt = null)
    {
        var digests = new List<SealedSection>(sections.Count);
        foreach (var (name, offset, length) in sections)
            digests.Add(new SealedSection(name, DigestOf(file.Slice(offset, length), isEncrypted: salt is not null)));
        return new SealContent(FrameOf(file, sections, sealOffset, sealLength, context), digests, salt);
    }

    /// <summary>What a seal has of a section.</summary>
    public static byte[] DigestOf(ReadOnlySpan<byte> section, bool isEncrypted) =>
        isEncrypted ? SectionCipher.DigestOf(section) : SHA256.HashData(section);

    /// <summary>The digest of the frame alone.</summary>
    public static byte[] FrameOf(ReadOnlySpan<byte> file, IReadOnlyList<(string Name, int Offset, int Length)> sections, int sealOffset,
        int sealLength, string context)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        var bound = Encoding.UTF8.GetBytes(context);
        Span<byte> length = stackalloc byte[sizeof(int)];
        BinaryPrimitives.WriteInt32BigEndian(length, bound.Length);
        hash.AppendData(length);
        hash.AppendData(bound);
        var at = 0;
        foreach (var (offset, bytes) in sections.Select(section => (section.Offset, section.Length)).Append((sealOffset, sealLength))
            .OrderBy(part => part.Item1))
        {
            hash.AppendData(file[at..offset]);
            at = offset + bytes;
        }
        hash.AppendData(file[at..]);
        return hash.GetHashAndReset();
    }

    /// <summary>
    /// As the payload of a JWS: <c>{"frame":…,"sections":[[name, digest], …]}</c>, digests in base64url (RFC 4648 section 5).
    /// </summary>
    public byte[] ToJson()
    {
        using var buffer = new MemoryStream();
        using (var writer = new Utf8JsonWriter(buffer))
        {
            writer.WriteStartObject();
            writer.WriteString("frame", Base64Url.EncodeToString(Frame));
            writer.WriteStartArray("sections");
            foreach (var (name, digest) in Sections)
            {
                writer.WriteStartArray();
                writer.WriteStringValue(name);
                writer.WriteStringValue(Base64Url.EncodeToString(digest));
                writer.WriteEndArray();
            }
            writer.WriteEndArray();
            writer.WriteEndObject();
        }
        return buffer.ToArray();
    }

    /// <summary>Reads a JWS's payload; null if it is none of ours. It is read after the seal was found to fit.</summary>
    public static SealContent? FromJson(ReadOnlySpan<byte> json)
    {
        try
        {
            var reader = new Utf8JsonReader(json);
            using var document = JsonDocument.ParseValue(ref reader);
            var sections = document.RootElement.GetProperty("sections").EnumerateArray()
                .Select(one => new SealedSection(one[0].GetString()!, Digest(one[1]))).ToList();
            return new SealContent(Digest(document.RootElement.GetProperty("frame")), sections);
        }
        catch (Exception exception) when (exception is JsonException or InvalidOperationException or KeyNotFoundException or FormatException
            or IndexOutOfRangeException)
        {
            return null;
        }

        static byte[] Digest(JsonElement element) =>
            Base64Url.DecodeFromChars(element.GetString()) is { Length: DigestBytes } digest ? digest : throw new FormatException();
    }

    /// <summary>
    /// As the payload of a COSE structure: <c>[frame, [[name, digest], …]]</c>, with the salt behind where sections are encrypted.
    /// </summary>
    public byte[] ToCbor()
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.BeginList(Salt is null ? 2 : 3);
        writer.WriteBytes(Frame);
        writer.BeginList(Sections.Count);
        foreach (var (name, digest) in Sections)
        {
            writer.BeginList(2);
            writer.WriteText(name);
            writer.WriteBytes(digest);
            writer.EndList();
        }
        writer.EndList();
        if (Salt is not null)
            writer.WriteBytes(Salt);
        writer.EndList();
        return buffer.Written.ToArray();
    }

    /// <summary>Reads a COSE structure's payload; null if it is none of ours.</summary>
    public static SealContent? FromCbor(ReadOnlySpan<byte> cbor)
    {
        try
        {
            var reader = new BinaryStateReader(cbor);
            var items = reader.BeginCountedList();
            if (items is not (2 or 3))
                return null;
            reader.NextItem();
            var frame = reader.ReadBytes();
            reader.NextItem();
            var sections = new List<SealedSection>();
            reader.BeginList();
            while (reader.NextItem())
            {
                if (reader.BeginCountedList() != 2)
                    return null;
                reader.NextItem();
                var name = reader.ReadText();
                reader.NextItem();
                sections.Add(new SealedSection(name, reader.ReadBytes()));
                reader.NextItem();
            }
            byte[]? salt = null;
            if (items == 3)
            {
                reader.NextItem();
                salt = reader.ReadBytes();
            }
            reader.NextItem();
            reader.End();
            return frame.Length == DigestBytes && salt is null or { Length: SectionCipher.SaltBytes }
                && sections.TrueForAll(section => section.Digest.Length == DigestBytes)
                ? new SealContent(frame, sections, salt)
                : null;
        }
        catch (ContentException)
        {
            return null;
        }
    }
}
