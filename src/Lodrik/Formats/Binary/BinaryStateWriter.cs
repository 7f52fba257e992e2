using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.InteropServices;
using System.Text;
using Lodrik.Formats.Binary.Tables;
using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>
/// Writes state as CBOR (RFC 8949), always in the shortest heads and with definite lengths. Numbers of one type go out as one
/// typed array (RFC 8746).
/// </summary>
/// <param name="buffer">Where it writes to.</param>
/// <param name="context">What goes along.</param>
/// <param name="depth">How deep what is written is nested already, or will be where it is embedded.</param>
internal partial struct BinaryStateWriter(PooledBuffer buffer, WriteContext? context = null, int depth = 0) : IStateWriter
{
    private static readonly PreparedKeys<byte[][]> Heads = new(Prepare);

    private int _depth = depth;
    private bool _withoutTables;

    /// <summary>Where it writes to.</summary>
    public readonly PooledBuffer Buffer => buffer;

    public readonly WriteContext? Context => context;

    public readonly void WriteNull() => Byte(Cbor.Null);

    public readonly void WriteBool(bool value) => Byte(value ? Cbor.True : Cbor.False);

    public readonly void WriteInteger(long value)
    {
        if (value >= 0)
            Head(Cbor.Unsigned, (ulong)value);
        else
            Head(Cbor.Negative, (ulong)~value);
    }

    public readonly void WriteBigInteger(BigInteger value)
    {
        var magnitude = value.Sign < 0 ? Cbor.Below(value) : value;
        if (magnitude <= ulong.MaxValue)
        {
            Head(value.Sign < 0 ? Cbor.Negative : Cbor.Unsigned, (ulong)magnitude);
            return;
        }
        StateLimits.CheckDigits(value);
        Head(Cbor.Tag, value.Sign < 0 ? Cbor.NegativeBignum : Cbor.PositiveBignum);
        WriteBytes(magnitude.ToByteArray(isUnsigned: true, isBigEndian: true));
    }

    public readonly void WriteSingle(float value)
    {
        var span = buffer.GetSpan(5);
        span[0] = Cbor.Single;
        BinaryPrimitives.WriteSingleBigEndian(span[1..], value);
        buffer.Advance(5);
    }

    public readonly void WriteDouble(double value)
    {
        var span = buffer.GetSpan(9);
        span[0] = Cbor.Double;
        BinaryPrimitives.WriteDoubleBigEndian(span[1..], value);
        buffer.Advance(9);
    }

    /// <summary>A decimal fraction (RFC 8949 section 3.4.4): [−scale, mantissa].</summary>
    public readonly void WriteDecimal(decimal value)
    {
        Span<int> bits = stackalloc int[4];
        decimal.GetBits(value, bits);
        var mantissa = new BigInteger(new decimal(bits[0], bits[1], bits[2], decimal.IsNegative(value), 0));
        Head(Cbor.Tag, Cbor.DecimalFraction);
        Head(Cbor.Array, 2);
        WriteInteger(-value.Scale);
        WriteBigInteger(mantissa);
    }

    public readonly void WriteText(scoped ReadOnlySpan<char> value) => WriteText(value, Cbor.TextString);

    /// <summary>Writes text in UTF-8, as a string of this major type.</summary>
    public readonly void WriteText(scoped ReadOnlySpan<char> value, byte major)
    {
        StateLimits.CheckLength(value);
        // Most text is ASCII: the head is made for that length, and mended where the text turns out longer.
        var guess = Cbor.HeadSize((uint)value.Length);
        var span = buffer.GetSpan(checked(9 + 3 * value.Length));
        var length = Encoding.UTF8.GetBytes(value, span[guess..]);
        if (length != value.Length)
            ReplacedText.Note(value, context);
        var head = Cbor.HeadSize((uint)length);
        if (head != guess)
            span.Slice(guess, length).CopyTo(span[head..]);
        WriteHead(span, major, (uint)length);
        buffer.Advance(head + length);
    }

    /// <summary>Writes what precedes so many bytes.</summary>
    public readonly void WriteBlockHead(int length) => Head(Cbor.ByteString, (uint)length);

    public readonly void WriteBytes(scoped ReadOnlySpan<byte> value)
    {
        Head(Cbor.ByteString, (uint)value.Length);
        buffer.Write(value);
    }

    public void WriteNumbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        StateLimits.RequireRoom(_depth);
        var tag = Cbor.TypedArrayTag<T>();
        if (tag == 0 || !BitConverter.IsLittleEndian)
        {
            WriteNumbersOneByOne(values);
            return;
        }
        Head(Cbor.Tag, tag);
        WriteBytes(MemoryMarshal.AsBytes(values));
    }

    public bool TryWriteTable<T, TCodec>(T collection, int count) where TCodec : IStateCodec<T>
    {
        if (count < TableFormat.LeastItems || _withoutTables || !BitConverter.IsLittleEndian)
            return false;
        var start = buffer.Length;
        try
        {
            if (TableWriter.TryWrite<T, TCodec>(this, _depth, collection))
                return true;
        }
        catch (ContentException)
        {
            // A value that cannot be saved: written plainly, the bytes before it tell where it is.
            buffer.Truncate(start);
        }
        _withoutTables = true;
        TCodec.Write(ref this, collection);
        _withoutTables = false;
        return true;
    }

    public readonly bool TryWriteItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T> => false;

    public readonly KeyTable? ShapeOf(SaveMap map) => null;

    public void BeginObject(int members)
    {
        Deeper();
        Head(Cbor.Map, (uint)members);
    }

    public readonly void WriteKey(KeyTable keys, int index)
    {
        // The key with its head was prepared once, and is copied as it is.
        buffer.Write(Heads.Of(keys)[index]);
    }

    public readonly void WriteKey(string key) => WriteText(key);

    public void EndObject() => _depth--;

    public void BeginList(int items)
    {
        Deeper();
        Head(Cbor.Array, (uint)items);
    }

    public void EndList() => _depth--;

    /// <summary>Writes the tag that the next item follows.</summary>
    public readonly void WriteTag(ulong tag) => Head(Cbor.Tag, tag);

    private readonly void Byte(byte value)
    {
        buffer.GetSpan(1)[0] = value;
        buffer.Advance(1);
    }

    /// <summary>Writes the head of an item.</summary>
    public readonly void WriteHead(byte major, uint argument) => Head(major, argument);

    /// <summary>Writes bytes that are CBOR already.</summary>
    public readonly void WriteRaw(ReadOnlySpan<byte> cbor) => buffer.Write(cbor);

    private readonly void Head(byte major, ulong argument)
    {
        var span = buffer.GetSpan(9);
        if (argument < 24)
        {
            span[0] = (byte)(major | (uint)argument);
            buffer.Advance(1);
            return;
        }
        buffer.Advance(WriteHead(span, major, argument));
    }

    /// <summary>Writes a head in its shortest form (RFC 8949 section 4.1) and gives its size.</summary>
    private static int WriteHead(Span<byte> span, byte major, ulong argument)
    {
        switch (argument)
        {
            case < 24:
                span[0] = (byte)(major | (uint)argument);
                return 1;
            case <= byte.MaxValue:
                span[0] = (byte)(major | 24);
                span[1] = (byte)argument;
                return 2;
            case <= ushort.MaxValue:
                span[0] = (byte)(major | 25);
                BinaryPrimitives.WriteUInt16BigEndian(span[1..], (ushort)argument);
                return 3;
            case <= uint.MaxValue:
                span[0] = (byte)(major | 26);
                BinaryPrimitives.WriteUInt32BigEndian(span[1..], (uint)argument);
                return 5;
            default:
                span[0] = (byte)(major | 27);
                BinaryPrimitives.WriteUInt64BigEndian(span[1..], argument);
                return 9;
        }
    }

    private static byte[][] Prepare(KeyTable keys)
    {
        var heads = new byte[keys.Count][];
        Span<byte> head = stackalloc byte[9];
        for (var i = 0; i < heads.Length; i++)
        {
            var name = keys.Utf8(i);
            heads[i] = [.. head[..WriteHead(head, Cbor.TextString, (uint)name.Length)], .. name];
        }
        return heads;
    }

    private void WriteNumbersOneByOne<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        BeginList(values.Length);
        foreach (var value in values)
        {
            if (typeof(T) == typeof(decimal))
                WriteDecimal(decimal.CreateChecked(value));
            else if (NumberText.IsWholeType<T>())
                WriteBigInteger(BigInteger.CreateChecked(value));
            else
                WriteDouble(double.CreateChecked(value));
        }
        EndList();
    }

    private void Deeper()
    {
        if (++_depth > StateLimits.MaxDepth)
            throw StateLimits.TooDeep();
    }
}
