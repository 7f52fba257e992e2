using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>Lists of numbers: as one typed array (RFC 8746), or item by item.</summary>
internal ref partial struct BinaryStateReader
{
    public T[] ReadNumbers<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        var (major, argument) = PeekHead(out var size);
        if (major == Cbor.Tag && argument == Cbor.TypedArrayTag<T>() && BitConverter.IsLittleEndian)
        {
            Begin();
            _position += size;
            var block = Content(Cbor.ByteString, "numbers");
            if (block.Length % Unsafe.SizeOf<T>() != 0)
                throw Wrong("The block of numbers does not end with a number.");
            var values = new T[block.Length / Unsafe.SizeOf<T>()];
            block.CopyTo(MemoryMarshal.AsBytes(values.AsSpan()));
            return values;
        }
        BeginList();
        var numbers = new List<T>();
        while (NextItem())
            numbers.Add(ReadNumber<T>());
        return [.. numbers];
    }

    private T ReadNumber<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        if (typeof(T) == typeof(decimal))
            return T.CreateChecked(ReadDecimal());
        if (!NumberText.IsWholeType<T>())
            return Narrowed<T>(ReadDouble());
        var number = ReadBigInteger();
        if (number < BigInteger.CreateChecked(T.MinValue) || number > BigInteger.CreateChecked(T.MaxValue))
            throw Wrong($"{number} is out of range: it must be between {T.MinValue} and {T.MaxValue}.");
        return T.CreateChecked(number);
    }

    private void ExpandNumbers(ulong tag)
    {
        var block = Content(Cbor.ByteString, "numbers");
        var size = Cbor.ElementSize(tag);
        if (block.Length % size != 0)
            throw Wrong("The block of numbers does not end with a number.");
        using var list = new PooledBuffer(16 + 2 * block.Length);
        var writer = new BinaryStateWriter(list);
        writer.BeginList(block.Length / size);
        for (; block.Length > 0; block = block[size..])
        {
            switch (tag)
            {
                case 64: writer.WriteInteger(block[0]); break;
                case 72: writer.WriteInteger((sbyte)block[0]); break;
                case 69: writer.WriteInteger(BinaryPrimitives.ReadUInt16LittleEndian(block)); break;
                case 77: writer.WriteInteger(BinaryPrimitives.ReadInt16LittleEndian(block)); break;
                case 70: writer.WriteInteger(BinaryPrimitives.ReadUInt32LittleEndian(block)); break;
                case 78: writer.WriteInteger(BinaryPrimitives.ReadInt32LittleEndian(block)); break;
                case 71: writer.WriteBigInteger(BinaryPrimitives.ReadUInt64LittleEndian(block)); break;
                case 79: writer.WriteInteger(BinaryPrimitives.ReadInt64LittleEndian(block)); break;
                case 84: writer.WriteSingle((float)BinaryPrimitives.ReadHalfLittleEndian(block)); break;
                case 85: writer.WriteSingle(BinaryPrimitives.ReadSingleLittleEndian(block)); break;
                default: writer.WriteDouble(BinaryPrimitives.ReadDoubleLittleEndian(block)); break;
            }
        }
        ReadInstead(list.Written.ToArray());
    }
}
