using System.Formats.Cbor;
using System.Numerics;
using System.Text;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>Reads CBOR by the platform's reader, and typed arrays and tables by what RFC 8746 and docs/format.md say: a second opinion.</summary>
internal static class PlainCbor
{
    private const ulong TableTag = 0x4C44524B;

    public static SaveValue Read(CborReader reader)
    {
        switch (reader.PeekState())
        {
            case CborReaderState.Null:
                reader.ReadNull();
                return SaveValue.Null;
            case CborReaderState.Boolean:
                return reader.ReadBoolean();
            case CborReaderState.UnsignedInteger:
                return new BigInteger(reader.ReadUInt64());
            case CborReaderState.NegativeInteger:
                return -1 - new BigInteger(reader.ReadCborNegativeIntegerRepresentation());
            case CborReaderState.Tag:
                return ReadTagged(reader);
            case CborReaderState.SinglePrecisionFloat:
                return reader.ReadSingle();
            case CborReaderState.DoublePrecisionFloat:
                return reader.ReadDouble();
            case CborReaderState.TextString:
                return reader.ReadTextString();
            case CborReaderState.ByteString:
                return reader.ReadByteString();
            case CborReaderState.StartArray:
                var list = new SaveList();
                for (var count = reader.ReadStartArray(); count > 0; count--)
                    list.Add(Read(reader));
                reader.ReadEndArray();
                return list;
            default:
                var map = new SaveMap();
                for (var count = reader.ReadStartMap(); count > 0; count--)
                    map[reader.ReadTextString()] = Read(reader);
                reader.ReadEndMap();
                return map;
        }
    }

    private static SaveValue ReadTagged(CborReader reader)
    {
        switch (reader.PeekTag())
        {
            case CborTag.UnsignedBigNum or CborTag.NegativeBigNum:
                return reader.ReadBigInteger();
            case CborTag.DecimalFraction:
                return reader.ReadDecimal();
            case (CborTag)TableTag:
                reader.ReadTag();
                return Column(reader, 1)[0];
            default:
                var list = new SaveList();
                Numbers(reader).ForEach(list.Add);
                return list;
        }
    }

    /// <summary>The elements of a typed array (RFC 8746 section 2.1).</summary>
    private static List<SaveValue> Numbers(CborReader reader)
    {
        var tag = (int)reader.ReadTag();
        var bytes = reader.ReadByteString();
        var isFloat = (tag & 0x10) != 0;
        var isSigned = (tag & 0x08) != 0;
        Assert.True(tag is 64 or 72 || (tag & 0x04) != 0, $"The typed array {tag} is not little-endian.");
        var size = 1 << ((isFloat ? 1 : 0) + (tag & 0x03));
        var numbers = new List<SaveValue>();
        for (var i = 0; i < bytes.Length; i += size)
        {
            var element = bytes.AsSpan(i, size);
            numbers.Add((isFloat, size) switch
            {
                (true, 4) => BitConverter.ToSingle(element),
                (true, _) => BitConverter.ToDouble(element),
                _ => new BigInteger(element, isUnsigned: !isSigned),
            });
        }
        return numbers;
    }

    /// <summary>The values of a column of so many.</summary>
    private static List<SaveValue> Column(CborReader reader, int slots)
    {
        if (reader.PeekState() == CborReaderState.Tag)
        {
            var numbers = Numbers(reader);
            Assert.Equal(slots, numbers.Count);
            return numbers;
        }
        var parts = reader.ReadStartArray()!.Value;
        var values = ReadParts(reader, reader.ReadInt32(), parts, slots);
        reader.ReadEndArray();
        Assert.Equal(slots, values.Count);
        return values;
    }

    private static List<SaveValue> ReadParts(CborReader reader, int code, int parts, int slots)
    {
        switch (code)
        {
            case 0:
                return [.. Enumerable.Repeat(SaveValue.Null, slots)];
            case 1:
                return [.. Enumerable.Repeat((SaveValue)reader.ReadInt64(), slots)];
            case 2:
                var bits = reader.ReadByteString();
                return [.. Enumerable.Range(0, slots).Select(i => (SaveValue)((bits[i / 8] >> (i % 8) & 1) != 0))];
            case 3 or 5:
                var sizes = Lengths(reader, slots);
                var content = reader.ReadByteString();
                var at = 0;
                return sizes.ConvertAll(size => code == 3
                    ? (SaveValue)Encoding.UTF8.GetString(content, (at += size) - size, size)
                    : content.AsSpan((at += size) - size, size).ToArray());
            case 4:
                var numbers = Lengths(reader, slots);
                var texts = Column(reader, reader.ReadInt32());
                return numbers.ConvertAll(number => texts[number]);
            case 6:
                var lengths = Lengths(reader, slots);
                var items = new Queue<SaveValue>(Column(reader, lengths.Sum()));
                return lengths.ConvertAll(length => (SaveValue)ToList(items, length));
            case 7:
                var counts = Lengths(reader, slots);
                var keys = new Queue<SaveValue>(Column(reader, counts.Sum()));
                var entries = new Queue<SaveValue>(Column(reader, counts.Sum()));
                return counts.ConvertAll(count => (SaveValue)ToMap(keys, entries, count));
            case 8:
                var rows = Enumerable.Range(0, slots).Select(_ => new SaveMap()).ToList();
                for (var member = 0; member < (parts - 1) / 2; member++)
                {
                    var name = reader.ReadTextString();
                    var column = Column(reader, slots);
                    for (var i = 0; i < slots; i++)
                        rows[i][name] = column[i];
                }
                return [.. rows];
            case 9:
                var choices = Column(reader, slots).ConvertAll(choice => choice is SaveScalar { Kind: SaveValueKind.Bool } bit ? bit.Bool ? 1 : 0 : (int)((SaveScalar)choice).Integer);
                var columns = Enumerable.Range(0, parts - 2).Select(i => new Queue<SaveValue>(Column(reader, choices.Count(choice => choice == i)))).ToList();
                return choices.ConvertAll(choice => columns[choice].Dequeue());
            case 10:
                return [.. Enumerable.Range(0, slots).Select(_ => Read(reader))];
            default:
                throw new InvalidOperationException($"There is no column {code}.");
        }
    }

    private static List<int> Lengths(CborReader reader, int slots) => Column(reader, slots).ConvertAll(length => (int)((SaveScalar)length).Integer);

    private static SaveList ToList(Queue<SaveValue> items, int count)
    {
        var list = new SaveList();
        for (; count > 0; count--)
            list.Add(items.Dequeue());
        return list;
    }

    private static SaveMap ToMap(Queue<SaveValue> keys, Queue<SaveValue> entries, int count)
    {
        var map = new SaveMap();
        for (; count > 0; count--)
            map[((SaveScalar)keys.Dequeue()).Text] = entries.Dequeue();
        return map;
    }
}
