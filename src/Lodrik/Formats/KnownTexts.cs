using System.Numerics;
using System.Runtime.InteropServices;
using System.Text;

namespace Lodrik.Formats;

/// <summary>
/// Short texts that were read lately. A save has the same few over and over, the names of kinds and items, and one that comes again is the
/// string that was made before. A slot has the latest text that fell on it; what is asked for is compared with it in full.
/// </summary>
/// <param name="byteCount">How much there is to read: little needs few slots.</param>
internal struct KnownTexts(int byteCount)
{
    private const int Longest = 32;
    private const int BytesPerSlot = 64;
    private const int LeastBits = 4;
    private const int MostBits = 9;

    private readonly int _bits = Math.Clamp(BitOperations.Log2((uint)byteCount / BytesPerSlot), LeastBits, MostBits);
    private string[]? _texts;

    /// <summary>The string of these characters.</summary>
    public string Of(scoped ReadOnlySpan<char> text)
    {
        if (text.Length is 0 or > Longest)
            return text.ToString();
        ref var slot = ref SlotOf(MemoryMarshal.AsBytes(text));
        return text.SequenceEqual(slot) ? slot : slot = text.ToString();
    }

    /// <summary>The string of these bytes if it is known and all ASCII; null otherwise.</summary>
    public string? Find(scoped ReadOnlySpan<byte> utf8)
    {
        if (utf8.Length is 0 or > Longest)
            return null;
        var slot = SlotOf(utf8);
        return Ascii.Equals(utf8, slot) ? slot : null;
    }

    /// <summary>Keeps the string of these bytes.</summary>
    public void Keep(scoped ReadOnlySpan<byte> utf8, string text)
    {
        if (utf8.Length is > 0 and <= Longest)
            SlotOf(utf8) = text;
    }

    /// <summary>The ends of a text and its length distinguish most: "lantern 17" and "lantern 18" among them.</summary>
    private ref string SlotOf(scoped ReadOnlySpan<byte> bytes)
    {
        if (_texts is null)
            Array.Fill(_texts = new string[1 << _bits], "");
        ulong first = 0, last = 0;
        if (bytes.Length >= sizeof(ulong))
        {
            first = MemoryMarshal.Read<ulong>(bytes);
            last = MemoryMarshal.Read<ulong>(bytes[^sizeof(ulong)..]);
        }
        else
        {
            foreach (var one in bytes)
                first = (first << 8) | one;
        }
        var mixed = (first ^ ulong.RotateLeft(last, 29) ^ (uint)bytes.Length) * 0x9E3779B97F4A7C15;
        return ref _texts[mixed >> (64 - _bits)];
    }
}
