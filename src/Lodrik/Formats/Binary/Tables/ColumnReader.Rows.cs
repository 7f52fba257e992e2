using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Values of many rows at once.</summary>
internal sealed partial class ColumnReader
{
    private string?[] _chosen = [];

    /// <summary>Whether all numbers fit into a type, so that they can be taken without a look at each.</summary>
    public bool CanTake<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        if (typeof(T) == typeof(float))
            return Kind == ColumnKind.Single && BitConverter.IsLittleEndian;
        if (typeof(T) == typeof(double))
            return Kind == ColumnKind.Double && BitConverter.IsLittleEndian;
        if (Kind != ColumnKind.Integer || !NumberText.IsWholeType<T>() || (_tag != 0 && !BitConverter.IsLittleEndian))
            return false;
        var (min, max) = (long.CreateSaturating(T.MinValue), long.CreateSaturating(T.MaxValue));
        var (least, most) = _tag switch
        {
            0 => (_same, _same),
            64 => (byte.MinValue, byte.MaxValue),
            69 => (ushort.MinValue, ushort.MaxValue),
            70 => (uint.MinValue, uint.MaxValue),
            72 => (sbyte.MinValue, sbyte.MaxValue),
            77 => (short.MinValue, short.MaxValue),
            78 => (int.MinValue, int.MaxValue),
            _ => (long.MinValue, long.MaxValue),
        };
        return min <= least && max >= most;
    }

    /// <summary>Reads the next whole numbers into their own type; false, and nothing is read, where one may not fit into it.</summary>
    public bool TryTakeIntegers<T>(ReadOnlySpan<byte> bytes, Span<T> numbers) where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        if (Kind != ColumnKind.Integer || numbers.Length > Slots - Position || Position < 0)
            return false;
        var (min, max) = (long.CreateSaturating(T.MinValue), long.CreateSaturating(T.MaxValue));
        if (_tag == 0)
        {
            if (_same < min || _same > max)
                return false;
            numbers.Fill(T.CreateTruncating(_same));
            Index += numbers.Length;
            return true;
        }
        if (!BitConverter.IsLittleEndian)
            return false;
        var size = Cbor.ElementSize(_tag);
        var block = bytes.Slice(_offset + (Position * size), numbers.Length * size);
        var isTaken = _tag switch
        {
            64 => TryWiden<byte, T>(block, numbers, min, max),
            69 => TryWiden<ushort, T>(block, numbers, min, max),
            70 => TryWiden<uint, T>(block, numbers, min, max),
            72 => TryWiden<sbyte, T>(block, numbers, min, max),
            77 => TryWiden<short, T>(block, numbers, min, max),
            78 => TryWiden<int, T>(block, numbers, min, max),
            _ => TryWiden<long, T>(block, numbers, min, max),
        };
        if (isTaken)
            Index += numbers.Length;
        return isTaken;
    }

    /// <summary>Reads the next numbers, or truth values, that are in the file as they are in memory.</summary>
    public bool TryTakeSame<T>(ReadOnlySpan<byte> bytes, Span<T> numbers) where T : unmanaged =>
        numbers.Length <= Slots - Position && TryCopy(bytes, numbers);

    /// <summary>Reads the next truth values.</summary>
    public bool TryTakeFlags(ReadOnlySpan<byte> bytes, Span<bool> flags)
    {
        if (Kind != ColumnKind.Bool || flags.Length > Slots - Position)
            return false;
        var position = Position;
        var to = MemoryMarshal.AsBytes(flags);
        var i = 0;
        if ((position & 7) == 0)
        {
            var from = bytes[(_offset + (position >> 3))..];
            for (; i <= flags.Length - 8; i += 8)
            {
                // Each bit of the byte goes to the lowest bit of its own byte: spread, carried to the top of its byte, moved down.
                var spread = (from[i >> 3] * 0x0101010101010101UL) & 0x8040201008040201UL;
                var bits = ((spread + 0x7F7F7F7F7F7F7F7FUL) >> 7) & 0x0101010101010101UL;
                BinaryPrimitives.WriteUInt64LittleEndian(to[i..], bits);
            }
        }
        for (; i < flags.Length; i++)
            flags[i] = ((bytes[_offset + ((position + i) >> 3)] >> ((position + i) & 7)) & 1) != 0;
        Index += flags.Length;
        return true;
    }

    /// <summary>The next texts, which are not passed over: by their numbers, where the column has each text once.</summary>
    /// <exception cref="InvalidDataException">There is something wrong with them.</exception>
    public RowTexts PeekRows(ReadOnlySpan<byte> bytes, int count)
    {
        if (Kind == ColumnKind.Choice)
            return new RowTexts(PeekChosenTexts(bytes, count), default);
        if (Kind != ColumnKind.Dictionary)
            return new RowTexts(PeekTexts(bytes, count), default);
        _dictionary ??= Children[0].AllTexts(bytes);
        _lengths!.MoveTo(bytes, Position);
        var numbers = _lengths.PeekLongs(bytes, count);
        foreach (var number in numbers)
        {
            if ((ulong)number >= (ulong)_dictionary.Length)
                throw new InvalidDataException("A row refers to a missing text.");
        }
        return new RowTexts(_dictionary, numbers);
    }

    /// <summary>Whether all values are texts or null.</summary>
    public bool HasTexts => Kind is ColumnKind.Text or ColumnKind.Dictionary
        || (Kind == ColumnKind.Choice
            && Array.TrueForAll(Children, one => one.Kind is ColumnKind.Text or ColumnKind.Dictionary or ColumnKind.Null));

    /// <summary>The lengths of the next lists, or the numbers of the next choices, which are passed over.</summary>
    public ReadOnlySpan<long> TakeLengths(ReadOnlySpan<byte> bytes, int count)
    {
        var lengths = PeekLengths(bytes, count);
        _lengths!.Index += count;
        Index += count;
        return lengths;
    }

    /// <summary>The same, which are not passed over.</summary>
    public ReadOnlySpan<long> PeekLengths(ReadOnlySpan<byte> bytes, int count) => _lengths!.PeekLongs(bytes, count);

    private ReadOnlySpan<string?> PeekChosenTexts(ReadOnlySpan<byte> bytes, int count)
    {
        var numbers = PeekLengths(bytes, count);
        if (_chosen.Length < count)
            _chosen = new string?[count];
        for (var child = 0; child < Children.Length; child++)
        {
            var ours = 0;
            foreach (var number in numbers)
                ours += number == child ? 1 : 0;
            var texts = ours == 0 || Children[child].Kind == ColumnKind.Null ? default : Children[child].PeekRows(bytes, ours);
            ours = 0;
            for (var i = 0; i < count; i++)
            {
                if (numbers[i] == child)
                    _chosen[i] = texts.IsEmpty ? null : texts[ours++];
            }
        }
        return _chosen.AsSpan(0, count);
    }

    private static bool TryWiden<TFrom, T>(ReadOnlySpan<byte> block, Span<T> numbers, long min, long max)
        where TFrom : unmanaged, INumber<TFrom>, IMinMaxValue<TFrom> where T : unmanaged, INumber<T>
    {
        if (typeof(TFrom) == typeof(T))
        {
            block.CopyTo(MemoryMarshal.AsBytes(numbers));
            return true;
        }
        var from = MemoryMarshal.Cast<byte, TFrom>(block);
        if (long.CreateTruncating(TFrom.MinValue) < min || long.CreateTruncating(TFrom.MaxValue) > max)
        {
            foreach (var number in from)
            {
                // Read one by one, the one that does not fit is named.
                if (long.CreateTruncating(number) < min || long.CreateTruncating(number) > max)
                    return false;
            }
        }
        var i = 0;
        if (typeof(T) == typeof(int) && typeof(TFrom) == typeof(byte))
        {
            for (; i <= from.Length - 8; i += 8)
            {
                var eight = Vector128.CreateScalarUnsafe(BinaryPrimitives.ReadUInt64LittleEndian(block[i..]));
                var words = Vector128.WidenLower(eight.AsByte());
                var (low, high) = Vector128.Widen(words);
                var target = MemoryMarshal.Cast<T, int>(numbers[i..]);
                low.AsInt32().CopyTo(target);
                high.AsInt32().CopyTo(target[4..]);
            }
        }
        for (; i < numbers.Length && i < from.Length; i++)
            numbers[i] = T.CreateTruncating(from[i]);
        return true;
    }
}
