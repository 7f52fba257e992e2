using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Packs whole numbers into the narrowest typed array that holds them all, chunk by chunk.</summary>
internal sealed class IntegerPacker
{
    private PooledBuffer? _packed;
    private ulong _tag;
    private int _bits;
    private bool _negative;
    private long _same;
    private int _sameCount;

    public void Reset()
    {
        _packed?.Dispose();
        _packed = null;
        _tag = 0;
        _bits = 0;
        _negative = false;
        _sameCount = 0;
    }

    public void TakeOver(IntegerPacker other)
    {
        (_packed, _tag, _bits, _negative) = (other._packed, other._tag, other._bits, other._negative);
        (_same, _sameCount) = (other._same, other._sameCount);
        other._packed = null;
        other.Reset();
    }

    /// <summary>Takes a full chunk.</summary>
    /// <param name="chunk">The numbers.</param>
    /// <param name="expected">How many there will be in all, as far as is known.</param>
    public void Pack(ReadOnlySpan<long> chunk, int expected = 0)
    {
        var (bits, negative, isSame) = Measure(chunk, _sameCount > 0 ? _same : chunk[0]);
        if (_packed is null && isSame)
        {
            // As long as all are equal, one number and a count are all there is.
            _same = chunk[0];
            _sameCount += chunk.Length;
            return;
        }
        _packed ??= new PooledBuffer(8 * Math.Clamp(expected, chunk.Length, 1 << 20));
        Need(bits, negative);
        if (_sameCount > 0)
        {
            var (sameBits, sameNegative, _) = Measure([_same], _same);
            Need(sameBits, sameNegative);
            for (; _sameCount > 0; _sameCount--)
                Write(_packed, _tag, [_same]);
        }
        Write(_packed, _tag, chunk);
    }

    /// <summary>Writes what was packed and the last chunk as one column.</summary>
    public void WriteTo(BinaryStateWriter writer, ReadOnlySpan<long> rest, bool asBits = false)
    {
        if (asBits)
        {
            WriteBits(writer, rest);
            return;
        }
        var (bits, negative, isSame) = rest.IsEmpty ? (0, false, true) : Measure(rest, _sameCount > 0 ? _same : rest[0]);
        if (_packed is null && isSame && _sameCount + rest.Length > 0)
        {
            writer.WriteHead(Cbor.Array, 2);
            writer.WriteInteger((int)ColumnKind.Same);
            writer.WriteInteger(_sameCount > 0 ? _same : rest[0]);
            return;
        }
        if (_sameCount > 0)
        {
            // The last chunk ends the run of equal numbers.
            Pack(rest);
            rest = default;
        }
        else
        {
            Need(bits, negative);
        }
        var tag = _tag;
        writer.WriteTag(tag);
        writer.WriteHead(Cbor.ByteString, (uint)((_packed?.Length ?? 0) + (rest.Length * Cbor.ElementSize(tag))));
        if (_packed is not null)
            writer.WriteRaw(_packed.Written);
        Write(writer.Buffer, tag, rest);
    }

    private void WriteBits(BinaryStateWriter writer, ReadOnlySpan<long> rest)
    {
        writer.WriteHead(Cbor.Array, 2);
        writer.WriteInteger((int)ColumnKind.Bool);
        var before = _packed is { } packed ? packed.Written : default;
        var count = _sameCount + before.Length + rest.Length;
        var bits = new byte[(count + 7) / 8];
        for (var i = 0; i < count; i++)
        {
            var value = i < _sameCount
                ? _same
                : i - _sameCount < before.Length
                ? before[i - _sameCount]
                : rest[i - _sameCount - before.Length];
            if (value != 0)
                bits[i / 8] |= (byte)(1 << (i % 8));
        }
        writer.WriteBytes(bits);
    }

    /// <summary>How many bits the numbers need, whether one is below zero, and whether all are the given one.</summary>
    private static (int Bits, bool Negative, bool IsSame) Measure(ReadOnlySpan<long> numbers, long same)
    {
        var (magnitudes, signs, differences) = (0L, 0L, 0L);
        var vectors = MemoryMarshal.Cast<long, Vector<long>>(numbers);
        if (vectors.Length > 0)
        {
            var (allMagnitudes, allSigns, allDifferences) = (Vector<long>.Zero, Vector<long>.Zero, Vector<long>.Zero);
            var one = new Vector<long>(same);
            foreach (var vector in vectors)
            {
                allMagnitudes |= vector ^ Vector.ShiftRightArithmetic(vector, 63);
                allSigns |= vector;
                allDifferences |= vector ^ one;
            }
            for (var i = 0; i < Vector<long>.Count; i++)
            {
                magnitudes |= allMagnitudes[i];
                signs |= allSigns[i];
                differences |= allDifferences[i];
            }
        }
        foreach (var number in numbers[(vectors.Length * Vector<long>.Count)..])
        {
            magnitudes |= number ^ (number >> 63);
            signs |= number;
            differences |= number ^ same;
        }
        return (64 - BitOperations.LeadingZeroCount((ulong)magnitudes), signs < 0, differences == 0);
    }

    /// <summary>The typed array (RFC 8746) for numbers of so many bits; 64 bits are always signed.</summary>
    private static ulong TagFor(int bits, bool negative) => negative
        ? bits switch { <= 7 => 72, <= 15 => 77, <= 31 => 78, _ => 79 }
        : bits switch { <= 8 => 64, <= 16 => 69, <= 32 => 70, _ => 79UL };

    /// <summary>Makes what was packed as wide as numbers of so many bits need it.</summary>
    private void Need(int bits, bool negative)
    {
        _bits = Math.Max(_bits, bits);
        _negative |= negative;
        var tag = TagFor(_bits, _negative);
        if (tag != _tag)
            Widen(tag);
    }

    private void Widen(ulong tag)
    {
        if (_packed is { Length: > 0 })
        {
            var wider = new PooledBuffer(_packed.Length * 2);
            Span<long> chunk = stackalloc long[256];
            var size = Cbor.ElementSize(_tag);
            for (var rest = _packed.Written; rest.Length > 0;)
            {
                var count = Math.Min(256, rest.Length / size);
                Unpack(_tag, rest[..(count * size)], chunk[..count]);
                Write(wider, tag, chunk[..count]);
                rest = rest[(count * size)..];
            }
            _packed.Dispose();
            _packed = wider;
        }
        _tag = tag;
    }

    /// <summary>Writes little-endian numbers; on a machine that counts from the other end no tables are written.</summary>
    private static void Write(PooledBuffer target, ulong tag, ReadOnlySpan<long> numbers)
    {
        var size = Cbor.ElementSize(tag);
        var bytes = target.GetSpan(Math.Max(1, size * numbers.Length))[..(size * numbers.Length)];
        if (size == 8)
            MemoryMarshal.AsBytes(numbers).CopyTo(bytes);
        else
            Narrow(numbers, bytes, size);
        target.Advance(bytes.Length);
    }

    private static void Narrow(ReadOnlySpan<long> numbers, Span<byte> bytes, int size)
    {
        ref var from = ref MemoryMarshal.GetReference(numbers);
        ref var to = ref MemoryMarshal.GetReference(bytes);
        var i = 0;
        switch (size)
        {
            case 1:
                for (; i <= numbers.Length - 32; i += 32)
                {
                    var low = Vector256.Narrow(Integers(ref from, i), Integers(ref from, i + 8));
                    var high = Vector256.Narrow(Integers(ref from, i + 16), Integers(ref from, i + 24));
                    Vector256.Narrow(low, high).AsByte().StoreUnsafe(ref to, (nuint)i);
                }
                for (; i < numbers.Length; i++)
                    Unsafe.Add(ref to, i) = (byte)Unsafe.Add(ref from, i);
                break;
            case 2:
                for (; i <= numbers.Length - 16; i += 16)
                    Vector256.Narrow(Integers(ref from, i), Integers(ref from, i + 8)).AsByte().StoreUnsafe(ref to, (nuint)(2 * i));
                for (; i < numbers.Length; i++)
                    Unsafe.WriteUnaligned(ref Unsafe.Add(ref to, 2 * i), (short)Unsafe.Add(ref from, i));
                break;
            default:
                for (; i <= numbers.Length - 8; i += 8)
                    Integers(ref from, i).AsByte().StoreUnsafe(ref to, (nuint)(4 * i));
                for (; i < numbers.Length; i++)
                    Unsafe.WriteUnaligned(ref Unsafe.Add(ref to, 4 * i), (int)Unsafe.Add(ref from, i));
                break;
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<int> Integers(ref long from, int i) =>
        Vector256.Narrow(Vector256.LoadUnsafe(ref from, (nuint)i), Vector256.LoadUnsafe(ref from, (nuint)(i + 4)));

    /// <summary>The numbers of a typed array of whole numbers.</summary>
    public static void Unpack(ulong tag, ReadOnlySpan<byte> bytes, Span<long> numbers)
    {
        if (!BitConverter.IsLittleEndian)
        {
            var reversed = bytes.ToArray();
            Reverse(reversed, Cbor.ElementSize(tag));
            bytes = reversed;
        }
        switch (tag)
        {
            case 64:
                Widen<byte>(bytes, numbers);
                break;
            case 72:
                Widen<sbyte>(bytes, numbers);
                break;
            case 69:
                Widen<ushort>(bytes, numbers);
                break;
            case 77:
                Widen<short>(bytes, numbers);
                break;
            case 70:
                Widen<uint>(bytes, numbers);
                break;
            case 78:
                Widen<int>(bytes, numbers);
                break;
            default:
                MemoryMarshal.Cast<byte, long>(bytes).CopyTo(numbers);
                break;
        }
    }

    private static void Widen<T>(ReadOnlySpan<byte> bytes, Span<long> numbers) where T : unmanaged, INumber<T>
    {
        var narrow = MemoryMarshal.Cast<byte, T>(bytes);
        for (var i = 0; i < narrow.Length; i++)
            numbers[i] = long.CreateTruncating(narrow[i]);
    }

    /// <summary>Turns each element's bytes around, on a machine that counts from the other end.</summary>
    private static void Reverse(Span<byte> bytes, int size)
    {
        for (; bytes.Length > 0; bytes = bytes[size..])
            bytes[..size].Reverse();
    }
}
