using System.Buffers.Text;
using System.Numerics;
using System.Runtime.CompilerServices;
using Lodrik.State;

namespace Lodrik.Formats;

/// <summary>
/// Puts numbers into a buffer as <see cref="NumberText"/> says, in less time: whole numbers go to the platform's formatter without culture,
/// and most floats to <see cref="ShortestFloat"/>.
/// </summary>
internal static class NumberDigits
{
    private const int MostWhole = 1 << 24;

    /// <summary>Writes a number's digits, or the word for one that has none.</summary>
    /// <param name="value">The number.</param>
    /// <param name="room">Room for <see cref="NumberText.MaxLength"/> bytes.</param>
    /// <returns>How many bytes were written.</returns>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static int Format<T>(T value, Span<byte> room) where T : unmanaged, INumberBase<T>
    {
        if (typeof(T) == typeof(float) && TryFormat(Unsafe.BitCast<T, float>(value), room, out var length))
            return length;
        if (typeof(T) == typeof(int) || typeof(T) == typeof(short) || typeof(T) == typeof(ushort) || typeof(T) == typeof(byte)
            || typeof(T) == typeof(sbyte) || typeof(T) == typeof(uint) || typeof(T) == typeof(long))
        {
            Utf8Formatter.TryFormat(long.CreateTruncating(value), room, out length);
            return length;
        }
        return NumberText.Format(value, room);
    }

    private static bool TryFormat(float value, Span<byte> room, out int length)
    {
        var whole = (int)value;
        if (whole != value || Math.Abs(value) >= MostWhole || (whole == 0 && float.IsNegative(value)))
            return ShortestFloat.TryFormat(value, room, out length);
        Utf8Formatter.TryFormat(whole, room, out length);
        ".0"u8.CopyTo(room[length..]);
        length += 2;
        return true;
    }
}
