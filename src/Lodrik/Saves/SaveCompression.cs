using System.Buffers;
using System.IO.Compression;
using Lodrik.State;

namespace Lodrik
{
    /// <summary>How the sections of a save are compressed. A compressed save is packed, whatever the form of its content.</summary>
    public enum SaveCompression
    {
        /// <summary>Not at all.</summary>
        None,

        /// <summary>Quickly (Brotli at its lowest level, RFC 7932).</summary>
        Fast,

        /// <summary>As small as is sensible (Brotli, RFC 7932); takes some thirty times as long as <see cref="Fast"/>.</summary>
        Small,
    }
}

namespace Lodrik.Saves
{
    /// <summary>Sections, compressed one by one, so that each can still be read without the others.</summary>
    internal static class SectionCompression
    {
        /// <summary>The most that a byte of a file may stand for; whatever would be denser is stored as it is.</summary>
        private const int MaxRatio = 1000;

        /// <summary>Below this nothing is to be gained.</summary>
        private const int Least = 64;

        /// <summary>The section compressed; null if that does not pay.</summary>
        public static byte[]? Compress(ReadOnlySpan<byte> section, SaveCompression compression)
        {
            if (section.Length < Least)
                return null;
            var (quality, window) = compression == SaveCompression.Fast ? (1, 20) : (9, 22);
            // What does not fit in here would not pay.
            var room = ArrayPool<byte>.Shared.Rent(section.Length - (section.Length / 20));
            try
            {
                var most = section.Length - (section.Length / 20) - 1;
                var isSmaller = BrotliEncoder.TryCompress(section, room.AsSpan(0, most), out var length, quality, window);
                return isSmaller && section.Length / length < MaxRatio ? room[..length] : null;
            }
            finally
            {
                ArrayPool<byte>.Shared.Return(room);
            }
        }

        /// <summary>The section as it was before it was compressed.</summary>
        /// <exception cref="ContentException">It does not become what the table says, or says too much.</exception>
        public static byte[] Decompress(ReadOnlySpan<byte> compressed, int size)
        {
            if (size / Math.Max(compressed.Length, 1) > MaxRatio)
                throw new ContentException(
                    SaveErrorCode.LimitExceeded, "The compressed section would become more than a thousand times as large.", default);
            var section = new byte[size];
            return BrotliDecoder.TryDecompress(compressed, section, out var length) && length == size
                ? section
                : throw new ContentException(SaveErrorCode.Damaged, "The section cannot be decompressed.", default);
        }
    }
}
