using System.Buffers.Text;

namespace Lodrik.Formats;

/// <summary>Bytes as base64 (RFC 4648), straight into a buffer.</summary>
internal static class Base64Text
{
    // Three bytes at a time are four characters, without padding but at the end.
    private const int Part = 3 << 12;

    public static void Write(scoped ReadOnlySpan<byte> bytes, PooledBuffer buffer)
    {
        while (!bytes.IsEmpty)
        {
            var part = bytes[..Math.Min(bytes.Length, Part)];
            Base64.EncodeToUtf8(part, buffer.GetSpan(Base64.GetMaxEncodedToUtf8Length(part.Length)), out _, out var length);
            buffer.Advance(length);
            bytes = bytes[part.Length..];
        }
    }
}
