namespace Lodrik
{
    /// <summary>
    /// A limit on the memory that reading a save may take, once decompressed and laid out. A file that somebody made to use up
    /// the machine is refused (<see cref="SaveErrorCode.LimitExceeded"/>) instead of read.
    /// </summary>
    /// <remarks>
    /// The rule: the larger of <see cref="LeastBytes"/> and <see cref="BytesPerByte"/> times the file's size. A save that is not compressed
    /// never comes near it, and a store compresses no further than the default can read: what would be too dense is stored as it is.
    /// </remarks>
    public sealed class ReadAllowance
    {
        /// <summary>What any save may become, however small its file is, in bytes; 256 MB if not given.</summary>
        public long LeastBytes { get; init; } = 256 << 20;

        /// <summary>What a larger one may become for each byte of its file; 1,000 if not given.</summary>
        public int BytesPerByte { get; init; } = 1000;

        /// <summary>What is used where nothing else is given.</summary>
        public static ReadAllowance Default { get; } = new();

        /// <summary>What a file of that size may become.</summary>
        internal long For(long fileBytes) => Math.Max(LeastBytes, fileBytes * BytesPerByte);
    }
}

namespace Lodrik.State
{
    /// <summary>What is left of a <see cref="ReadAllowance"/> for one file.</summary>
    /// <param name="bytes">All of it.</param>
    internal sealed class FileAllowance(long bytes)
    {
        private long _left = bytes;

        public static string TooMuch =>
            "The content would take far more memory than a file of this size should (SaveStoreOptions.Allowance).";

        /// <summary>What is left, as far as it fits into one array.</summary>
        public int Room => (int)Math.Clamp(Interlocked.Read(ref _left), 0, Array.MaxLength);

        /// <summary>Uses some of it.</summary>
        /// <exception cref="ContentException">There is no more.</exception>
        public void Take(long count)
        {
            if (Interlocked.Add(ref _left, -count) < 0)
                throw new ContentException(SaveErrorCode.LimitExceeded, TooMuch, new ContentPlace(long.MaxValue, int.MaxValue));
        }
    }

    /// <summary>What one section uses of its file's allowance. Reading it once more uses no more of it.</summary>
    internal sealed class SectionAllowance(FileAllowance file)
    {
        private long _highest;

        public int Room => file.Room;

        /// <summary>Notes what was used since the section's beginning.</summary>
        /// <exception cref="ContentException">There is not as much.</exception>
        public void Reach(long used)
        {
            var more = used - Interlocked.Read(ref _highest);
            if (more <= 0)
                return;
            Interlocked.Exchange(ref _highest, used);
            file.Take(more);
        }
    }

    /// <summary>What reading a section uses, from its beginning on.</summary>
    internal sealed class Allowance(SectionAllowance section)
    {
        /// <summary>About what a single value, a list or a member of a list takes in memory.</summary>
        public const int Value = 64;

        /// <summary>About what a map takes in memory.</summary>
        public const int Map = 320;

        private long _used;

        /// <summary>How many bytes may be written at once.</summary>
        public int Room => section.Room;

        /// <inheritdoc cref="FileAllowance.Take"/>
        public void Take(long count) => section.Reach(_used += count);
    }
}
