using System.Buffers.Binary;
using System.Diagnostics.CodeAnalysis;
using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>Heads, lengths and levels (RFC 8949 section 3), and passing over what they lead to.</summary>
internal ref partial struct BinaryStateReader
{
    public void Skip()
    {
        Begin();
        // Level by level and without recursion, so that nesting cannot exhaust the stack.
        var level = _depth;
        do
        {
            SkipHead();
            while (_depth > level && !HasNext())
            {
            }
        }
        while (_depth > level);
    }

    private void SkipHead()
    {
        var (major, argument) = Head();
        while (major == Cbor.Tag)
            (major, argument) = Head();
        switch (major)
        {
            case Cbor.ByteString or Cbor.TextString when argument == Indefinite:
                _ = Pieces(major);
                break;
            case Cbor.ByteString or Cbor.TextString:
                Take(argument);
                break;
            case Cbor.Array:
                Deeper(argument, 1);
                break;
            case Cbor.Map when argument == Indefinite:
                Deeper(argument, 1);
                break;
            case Cbor.Map:
                // A key and a value each: twice as many items.
                Deeper(argument <= int.MaxValue ? 2 * argument : argument, 1);
                break;
        }
    }

    private byte Next() => _position < _bytes.Length ? _bytes[_position++] : throw Short();

    private ReadOnlySpan<byte> Take(ulong count)
    {
        if (count > (ulong)(_bytes.Length - _position))
            throw Short();
        _position += (int)count;
        return _bytes.Slice(_position - (int)count, (int)count);
    }

    private (byte Major, ulong Argument) Head()
    {
        if ((uint)_position < (uint)_bytes.Length && (_bytes[_position] & 0x1F) < 24)
        {
            // Most heads are one byte.
            var head = _bytes[_position++];
            return ((byte)(head & 0xE0), (ulong)(head & 0x1F));
        }
        return LongHead();
    }

    private (byte Major, ulong Argument) LongHead()
    {
        var head = PeekHead(out var size);
        _position += size;
        return head;
    }

    private readonly (byte Major, ulong Argument) PeekHead(out int size)
    {
        var rest = _bytes[_position..];
        if (rest.IsEmpty)
            throw Short();
        var additional = rest[0] & 0x1F;
        size = additional switch
        {
            < 24 => 1,
            24 => 2,
            25 => 3,
            26 => 5,
            27 => 9,
            31 when (rest[0] & 0xE0) is Cbor.ByteString or Cbor.TextString or Cbor.Array or Cbor.Map => 1,
            _ => throw Wrong($"The CBOR byte 0x{rest[0]:X2} is not supported here."),
        };
        if (rest.Length < size)
            throw Short();
        var argument = size switch
        {
            1 => additional == 31 ? Indefinite : (ulong)additional,
            2 => rest[1],
            3 => BinaryPrimitives.ReadUInt16BigEndian(rest[1..]),
            5 => BinaryPrimitives.ReadUInt32BigEndian(rest[1..]),
            _ => BinaryPrimitives.ReadUInt64BigEndian(rest[1..]),
        };
        return ((byte)(rest[0] & 0xE0), argument);
    }

    private ReadOnlySpan<byte> Content(byte major, string expected)
    {
        var (found, length) = Head();
        if (found != major)
            throw Unexpected(expected);
        return length == Indefinite ? Pieces(major) : Take(length);
    }

    /// <summary>A string of indefinite length (RFC 8949 section 3.2.3): pieces of the same sort, up to a break.</summary>
    private byte[] Pieces(byte major)
    {
        using var whole = new PooledBuffer(256);
        while (!TryBreak())
        {
            var (found, length) = Head();
            if (found != major || length == Indefinite)
                throw Wrong("A string in pieces has a piece of another type.");
            whole.Write(Take(length));
        }
        return whole.Written.ToArray();
    }

    /// <summary>Consumes the break that ends something of indefinite length.</summary>
    private bool TryBreak()
    {
        if (_position >= _bytes.Length)
            throw Short();
        if (_bytes[_position] != Cbor.Break)
            return false;
        _position++;
        return true;
    }

    private void Deeper(ulong count, int bytesEach)
    {
        if (count != Indefinite && bytesEach > 0 && count > (ulong)(_bytes.Length - _position) / (uint)bytesEach)
            throw Short();
        if (_depth >= StateLimits.MaxDepth)
            throw new ContentException(SaveErrorCode.LimitExceeded, StateLimits.TooDeepToRead, Place);
        if (_depth >= Shallow)
            _remainingBelow ??= new int[StateLimits.MaxDepth - Shallow];
        RemainingAt(_depth++) = count == Indefinite ? UntilBreak : (int)count;
    }

    [UnscopedRef]
    private ref int RemainingAt(int level) => ref level < Shallow ? ref _remaining[level] : ref _remainingBelow![level - Shallow];

    private bool HasNext()
    {
        ref var remaining = ref RemainingAt(_depth - 1);
        if (remaining > 0)
        {
            remaining--;
            return true;
        }
        if (remaining == UntilBreak && !TryBreak())
            return true;
        _depth--;
        if (_outer is { Count: > 0 } outer && outer.Peek().Depth == _depth)
            LeaveExpanded();
        return false;
    }
}
