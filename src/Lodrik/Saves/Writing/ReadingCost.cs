using System.Buffers.Binary;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves.Writing;

/// <summary>
/// What reading a section takes of a <see cref="ReadAllowance"/> at most, so that no save is compressed until it can no longer be read.
/// </summary>
internal static class ReadingCost
{
    /// <summary>The most that any content of so many bytes can cost: every byte may be an item of its own.</summary>
    public static long Bound(long bytes) => bytes * (1 + Allowance.Value);

    /// <summary>The bytes of a section, and what its items take beside them.</summary>
    public static long Of(ReadOnlySpan<byte> content, SaveForm form) => content.Length + (Allowance.Value * (form switch
    {
        // Every item but the first in a collection comes after a comma, and every element begins with a bracket. What stands in texts is
        // counted as well: that makes it more, never less.
        SaveForm.Json => 1L + content.Count((byte)',') + content.Count((byte)'[') + content.Count((byte)'{'),
        SaveForm.Xml => content.Count((byte)'<'),
        _ => Items(content),
    }));

    /// <summary>How many CBOR items there are, of any depth.</summary>
    private static long Items(ReadOnlySpan<byte> cbor)
    {
        long items = 0;
        for (long at = 0; at < cbor.Length; items++)
        {
            var initial = cbor[(int)at++];
            var left = cbor[(int)at..];
            // The argument is in the initial byte or in the 1, 2, 4 or 8 bytes after it (RFC 8949, section 3).
            var (argument, size) = (initial & 0x1F) switch
            {
                24 => (left[0], 1),
                25 => (BinaryPrimitives.ReadUInt16BigEndian(left), 2),
                26 => (BinaryPrimitives.ReadUInt32BigEndian(left), 4),
                27 => (BinaryPrimitives.ReadUInt64BigEndian(left), 8),
                var small => ((ulong)small, 0),
            };
            at += size;
            if ((initial & 0xE0) is Cbor.ByteString or Cbor.TextString && initial != (Cbor.ByteString | 31) && initial != (Cbor.TextString | 31))
                at += (long)argument;
        }
        return items;
    }
}
