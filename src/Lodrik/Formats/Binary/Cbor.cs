using System.Numerics;

namespace Lodrik.Formats.Binary;

/// <summary>The numbers of CBOR (RFC 8949) and of its typed arrays (RFC 8746) that saves are made of.</summary>
internal static class Cbor
{
    // Major types, RFC 8949 section 3.1, in the place they have in the initial byte.
    public const byte Unsigned = 0 << 5;
    public const byte Negative = 1 << 5;
    public const byte ByteString = 2 << 5;
    public const byte TextString = 3 << 5;
    public const byte Array = 4 << 5;
    public const byte Map = 5 << 5;
    public const byte Tag = 6 << 5;

    // Simple values and floats, RFC 8949 section 3.3.
    public const byte False = 0xF4;
    public const byte True = 0xF5;
    public const byte Null = 0xF6;
    public const byte Undefined = 0xF7;
    public const byte Half = 0xF9;
    public const byte Single = 0xFA;
    public const byte Double = 0xFB;
    public const byte Break = 0xFF;

    // Tags, RFC 8949 section 3.4.
    public const ulong PositiveBignum = 2;
    public const ulong NegativeBignum = 3;
    public const ulong DecimalFraction = 4;
    public const ulong SelfDescribed = 55799;

    /// <summary>The bytes of tag 55799, with which every packed save begins.</summary>
    public static ReadOnlySpan<byte> Signature => [0xD9, 0xD9, 0xF7];

    /// <summary>
    /// The tag of a typed array of this element type in little-endian order (RFC 8746 section 2.1); 0 if there is none.
    /// </summary>
    public static ulong TypedArrayTag<T>() =>
        typeof(T) == typeof(byte) ? 64
        : typeof(T) == typeof(ushort) ? 69
        : typeof(T) == typeof(uint) ? 70
        : typeof(T) == typeof(ulong) ? 71
        : typeof(T) == typeof(sbyte) ? 72
        : typeof(T) == typeof(short) ? 77
        : typeof(T) == typeof(int) ? 78
        : typeof(T) == typeof(long) ? 79
        : typeof(T) == typeof(Half) ? 84
        : typeof(T) == typeof(float) ? 85
        : typeof(T) == typeof(double) ? 86UL
        : 0;

    public static bool IsTypedArray(ulong tag) => tag is 64 or 69 or 70 or 71 or 72 or 77 or 78 or 79 or 84 or 85 or 86;

    /// <summary>The bytes of one element of a typed array (RFC 8746 section 2.1: 2 to the power of f + ll).</summary>
    public static int ElementSize(ulong tag) => tag switch
    {
        64 or 72 => 1,
        69 or 77 or 84 => 2,
        70 or 78 or 85 => 4,
        _ => 8,
    };

    /// <summary>How many bytes the head of an item with this argument takes.</summary>
    public static int HeadSize(ulong argument) => argument switch
    {
        < 24 => 1,
        <= byte.MaxValue => 2,
        <= ushort.MaxValue => 3,
        <= uint.MaxValue => 5,
        _ => 9,
    };

    /// <summary>-1 - n, as CBOR counts below zero.</summary>
    public static BigInteger Below(BigInteger n) => -1 - n;
}
