using System.Formats.Cbor;
using System.Numerics;
using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Tests.State;

namespace Lodrik.Tests.Formats;

/// <summary>The token writer and reader against System.Formats.Cbor, which is the oracle for RFC 8949.</summary>
public sealed class CborTests
{
    [Fact]
    public void Every_tree_that_we_write_is_read_the_same_by_the_platforms_reader() => SampleStates.AnyTree.Sample(
        tree =>
        {
            using var buffer = new PooledBuffer();
            var writer = new BinaryStateWriter(buffer);
            SaveValueCodec.Write(ref writer, tree);
            var reader = new CborReader(buffer.WrittenMemory, CborConformanceMode.Strict);
            Assert.Equal(tree, Read(reader));
            Assert.Equal(0, reader.BytesRemaining);
        },
        iter: 2000, threads: 2);

    [Fact]
    public void Every_tree_that_the_platform_writes_is_read_the_same_by_us() => SampleStates.AnyTree.Sample(
        tree =>
        {
            var writer = new CborWriter(CborConformanceMode.Strict, convertIndefiniteLengthEncodings: true);
            Write(writer, tree);
            var reader = new BinaryStateReader(writer.Encode());
            Assert.Equal(tree, Widened(SaveValueCodec.ReadTree(ref reader)));
            reader.End();
        },
        iter: 2000, threads: 2);

    [Fact]
    public void Whole_saves_are_well_formed_CBOR_behind_the_self_described_tag() => SampleStates.Any.Sample(
        save =>
        {
            var reader = new CborReader(StateFile.ToBytes(save, SaveForm.Binary), CborConformanceMode.Strict);
            Assert.Equal(CborTag.SelfDescribeCbor, reader.ReadTag());
            var parts = reader.ReadStartArray();
            Assert.Equal(5 + 6, parts);
            Assert.Equal(1, reader.ReadInt32());
            reader.ReadByteString();
            for (var i = 2; i < parts - 1; i++)
            {
                // The header, the table and each section are CBOR within their byte strings.
                var inner = new CborReader(reader.ReadByteString(), CborConformanceMode.Strict);
                inner.SkipValue();
                Assert.Equal(0, inner.BytesRemaining);
            }
            reader.ReadNull();
            reader.ReadEndArray();
            Assert.Equal(0, reader.BytesRemaining);
        },
        iter: 200, threads: 2);

    [Fact]
    public void Tables_are_read_the_same_by_the_platforms_reader_and_what_the_format_page_says_of_them() =>
        DriftSave.Of(Gen.OneOf(Gen.Int[8, 40], Gen.Int[8, 40], Gen.Int[8, 40], Gen.Int[1020, 1040])).Sample(
            save =>
            {
                var bytes = StateFile.ToBytes(save, SaveForm.Binary);
                var file = SavedFile.FromBytes(bytes);
                foreach (var slice in Lodrik.Saves.Forms.FileForms.Recognise(bytes, default).Find(bytes, default).Sections)
                {
                    var reader = new CborReader(bytes.AsMemory(slice.Offset, slice.Length), CborConformanceMode.Strict);
                    Same.Assert(file.ReadSection(slice.Name), PlainCbor.Read(reader));
                    Assert.Equal(0, reader.BytesRemaining);
                }
            },
            iter: 25, threads: 2);

    // Appendix A of RFC 8949, as far as values have one: the diagnostic notation beside the bytes.
    [Theory]
    [InlineData("00", 0L)]
    [InlineData("01", 1L)]
    [InlineData("0a", 10L)]
    [InlineData("17", 23L)]
    [InlineData("1818", 24L)]
    [InlineData("1819", 25L)]
    [InlineData("1864", 100L)]
    [InlineData("1903e8", 1000L)]
    [InlineData("1a000f4240", 1000000L)]
    [InlineData("1b000000e8d4a51000", 1000000000000L)]
    [InlineData("20", -1L)]
    [InlineData("29", -10L)]
    [InlineData("3863", -100L)]
    [InlineData("3903e7", -1000L)]
    public void Whole_numbers_of_the_standards_examples_are_read_and_written(string hex, long value)
    {
        var bytes = Convert.FromHexString(hex);
        Assert.Equal(value, new BinaryStateReader(bytes).ReadInteger(long.MinValue, long.MaxValue));
        using var buffer = new PooledBuffer();
        new BinaryStateWriter(buffer).WriteInteger(value);
        Assert.Equal(bytes, buffer.Written.ToArray());
    }

    [Theory]
    [InlineData("1bffffffffffffffff", "18446744073709551615")]
    [InlineData("c249010000000000000000", "18446744073709551616")]
    [InlineData("3bffffffffffffffff", "-18446744073709551616")]
    [InlineData("c349010000000000000000", "-18446744073709551617")]
    public void Big_numbers_of_the_standards_examples_are_read_and_written(string hex, string value)
    {
        var bytes = Convert.FromHexString(hex);
        Assert.Equal(BigInteger.Parse(value), new BinaryStateReader(bytes).ReadBigInteger());
        using var buffer = new PooledBuffer();
        new BinaryStateWriter(buffer).WriteBigInteger(BigInteger.Parse(value));
        Assert.Equal(bytes, buffer.Written.ToArray());
    }

    [Theory]
    [InlineData("f90000", 0.0)]
    [InlineData("f98000", -0.0)]
    [InlineData("f93c00", 1.0)]
    [InlineData("fb3ff199999999999a", 1.1)]
    [InlineData("f97bff", 65504.0)]
    [InlineData("fa47c35000", 100000.0)]
    [InlineData("fa7f7fffff", 3.4028234663852886e+38)]
    [InlineData("fb7e37e43c8800759c", 1.0e+300)]
    [InlineData("f90001", 5.960464477539063e-8)]
    [InlineData("f90400", 0.00006103515625)]
    [InlineData("f9c400", -4.0)]
    [InlineData("fbc010666666666666", -4.1)]
    [InlineData("f97c00", double.PositiveInfinity)]
    [InlineData("fa7fc00000", double.NaN)]
    [InlineData("fbfff0000000000000", double.NegativeInfinity)]
    public void Floats_of_the_standards_examples_are_read(string hex, double value) =>
        Assert.Equal(Bits(value), Bits(new BinaryStateReader(Convert.FromHexString(hex)).ReadDouble()));

    [Theory]
    [InlineData("60", "")]
    [InlineData("6449455446", "IETF")]
    [InlineData("62225c", "\"\\")]
    [InlineData("62c3bc", "ü")]
    [InlineData("63e6b0b4", "水")]
    [InlineData("64f0908591", "\ud800\udd51")]
    public void Text_of_the_standards_examples_is_read_and_written(string hex, string value)
    {
        var bytes = Convert.FromHexString(hex);
        Assert.Equal(value, new BinaryStateReader(bytes).ReadText());
        using var buffer = new PooledBuffer();
        new BinaryStateWriter(buffer).WriteText(value);
        Assert.Equal(bytes, buffer.Written.ToArray());
    }

    [Theory]
    [InlineData("80", "[]")]
    [InlineData("83010203", "[1, 2, 3]")]
    [InlineData("8301820203820405", "[1, [2, 3], [4, 5]]")]
    [InlineData("a0", "{}")]
    [InlineData("a26161016162820203", "{\"a\": 1, \"b\": [2, 3]}")]
    [InlineData("826161a161626163", "[\"a\", {\"b\": \"c\"}]")]
    [InlineData("84f4f5f6f7", "[false, true, null, null]")]
    [InlineData("98190102030405060708090a0b0c0d0e0f101112131415161718181819", "[1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17,18,19,20,21,22,23,24,25]")]
    [InlineData("a56161614161626142616361436164614461656145", "{\"a\":\"A\",\"b\":\"B\",\"c\":\"C\",\"d\":\"D\",\"e\":\"E\"}")]
    [InlineData("7f657374726561646d696e67ff", "\"streaming\"")]
    [InlineData("9fff", "[]")]
    [InlineData("9f018202039f0405ffff", "[1, [2, 3], [4, 5]]")]
    [InlineData("9f01820203820405ff", "[1, [2, 3], [4, 5]]")]
    [InlineData("83018202039f0405ff", "[1, [2, 3], [4, 5]]")]
    [InlineData("83019f0203ff820405", "[1, [2, 3], [4, 5]]")]
    [InlineData("9f0102030405060708090a0b0c0d0e0f101112131415161718181819ff", "[1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17,18,19,20,21,22,23,24,25]")]
    [InlineData("bf61610161629f0203ffff", "{\"a\": 1, \"b\": [2, 3]}")]
    [InlineData("826161bf61626163ff", "[\"a\", {\"b\": \"c\"}]")]
    [InlineData("bf6346756ef563416d7421ff", "{\"Fun\": true, \"Amt\": -2}")]
    public void Structures_of_the_standards_examples_are_read(string hex, string json)
    {
        var reader = new BinaryStateReader(Convert.FromHexString(hex));
        var expected = new Lodrik.Formats.Json.JsonStateReader(System.Text.Encoding.UTF8.GetBytes(json));
        Assert.Equal(SaveValueCodec.ReadTree(ref expected), SaveValueCodec.ReadTree(ref reader));
        reader.End();
        var skipping = new BinaryStateReader(Convert.FromHexString(hex));
        skipping.Skip();
        skipping.End();
    }

    [Theory]
    [InlineData("40", "")]
    [InlineData("4401020304", "01020304")]
    [InlineData("5f42010243030405ff", "0102030405")]
    public void Bytes_of_the_standards_examples_are_read(string hex, string bytes) =>
        Assert.Equal(bytes, Convert.ToHexString(new BinaryStateReader(Convert.FromHexString(hex)).ReadBytes()));

    // The rest of the appendix stands for what no save has: tags for dates, links and nested CBOR, simple values without a meaning,
    // and keys that are no text.
    [Theory]
    [InlineData("c074323031332d30332d32315432303a30343a30305a", "The CBOR tag 0 is not supported here.")]
    [InlineData("c11a514b67b0", "The CBOR tag 1 is not supported here.")]
    [InlineData("c1fb41d452d9ec200000", "The CBOR tag 1 is not supported here.")]
    [InlineData("d74401020304", "The CBOR tag 23 is not supported here.")]
    [InlineData("d818456449455446", "The CBOR tag 24 is not supported here.")]
    [InlineData("d82076687474703a2f2f7777772e6578616d706c652e636f6d", "The CBOR tag 32 is not supported here.")]
    [InlineData("f0", "The CBOR byte 0xF0 is not supported here.")]
    [InlineData("f818", "The CBOR byte 0xF8 is not supported here.")]
    [InlineData("a201020304", "Expected text, found a whole number.")]
    public void What_the_standard_knows_and_a_save_does_not_have_is_named_and_can_be_passed_over(string hex, string message)
    {
        var problem = Assert.Throws<ContentException>(() =>
        {
            var reader = new BinaryStateReader(Convert.FromHexString(hex));
            SaveValueCodec.ReadTree(ref reader);
        });
        Assert.Equal(message, problem.Message);
        var skipping = new BinaryStateReader(Convert.FromHexString(hex));
        skipping.Skip();
        skipping.End();
    }

    [Theory]
    [InlineData("1c")]
    [InlineData("18")]
    [InlineData("62ff")]
    [InlineData("61ff")]
    [InlineData("8201")]
    [InlineData("a101")]
    [InlineData("ff")]
    [InlineData("9f01")]
    [InlineData("bf616101")]
    [InlineData("5f41")]
    [InlineData("5f6161ff")]
    [InlineData("7f7f6161ffff")]
    [InlineData("1f")]
    [InlineData("f8ff")]
    [InlineData("d90001")]
    [InlineData("c482")]
    [InlineData("c4820000ff")]
    [InlineData("d84e4101")]
    public void What_is_not_well_formed_is_refused(string hex) => Assert.Throws<ContentException>(() =>
    {
        var reader = new BinaryStateReader(Convert.FromHexString(hex));
        SaveValueCodec.ReadTree(ref reader);
        reader.End();
    });

    [Fact]
    public void A_typed_array_is_read_as_numbers_of_another_type_and_item_by_item()
    {
        using var buffer = new PooledBuffer();
        new BinaryStateWriter(buffer).WriteNumbers<short>([1, -2, 300]);
        Assert.Equal(new long[] { 1, -2, 300 }, new BinaryStateReader(buffer.Written).ReadNumbers<long>());
        Assert.Equal(new double[] { 1, -2, 300 }, new BinaryStateReader(buffer.Written).ReadNumbers<double>());
        var reader = new BinaryStateReader(buffer.Written);
        Assert.Equal(3, ((SaveList)SaveValueCodec.ReadTree(ref reader)).Count);
        reader.End();
        Assert.Throws<ContentException>(() => new BinaryStateReader(buffer.Written).ReadNumbers<byte>());
    }

    [Theory]
    [InlineData("0"), InlineData("1.50"), InlineData("-79228162514264337593543950335"), InlineData("0.0000000000000000000000000001")]
    public void A_decimal_keeps_its_scale(string text)
    {
        var value = decimal.Parse(text, System.Globalization.CultureInfo.InvariantCulture);
        using var buffer = new PooledBuffer();
        new BinaryStateWriter(buffer).WriteDecimal(value);
        Assert.Equal(value, new CborReader(buffer.WrittenMemory).ReadDecimal());
        Assert.Equal(decimal.GetBits(value), decimal.GetBits(new BinaryStateReader(buffer.Written).ReadDecimal()));
    }

    /// <summary>The bits of a number; all that are no number are the same.</summary>
    private static long Bits(double value) => double.IsNaN(value) ? -1 : BitConverter.DoubleToInt64Bits(value);

    /// <summary>The tree with every single widened: the platform's writer takes the shortest float that keeps the value.</summary>
    private static SaveValue Widened(SaveValue value)
    {
        switch (value)
        {
            case SaveScalar { Kind: SaveValueKind.Single } scalar:
                return (double)scalar.Single;
            case SaveList list:
                var items = new SaveList();
                foreach (var item in list)
                    items.Add(Widened(item));
                return items;
            case SaveMap map:
                var entries = new SaveMap();
                foreach (var (key, entry) in map)
                    entries[key] = Widened(entry);
                return entries;
            default:
                return value;
        }
    }

    private static SaveValue Read(CborReader reader) => PlainCbor.Read(reader);

    private static void Write(CborWriter writer, SaveValue value)
    {
        switch (value)
        {
            case SaveList list:
                writer.WriteStartArray(list.Count);
                foreach (var item in list)
                    Write(writer, item);
                writer.WriteEndArray();
                break;
            case SaveMap map:
                writer.WriteStartMap(map.Count);
                foreach (var (key, entry) in map)
                {
                    writer.WriteTextString(key);
                    Write(writer, entry);
                }
                writer.WriteEndMap();
                break;
            case SaveScalar { Kind: SaveValueKind.Bool } scalar:
                writer.WriteBoolean(scalar.Bool);
                break;
            case SaveScalar { Kind: SaveValueKind.Integer } scalar when scalar.Integer >= 0 && scalar.Integer <= ulong.MaxValue:
                writer.WriteUInt64((ulong)scalar.Integer);
                break;
            case SaveScalar { Kind: SaveValueKind.Integer } scalar:
                writer.WriteBigInteger(scalar.Integer);
                break;
            case SaveScalar { Kind: SaveValueKind.Double } scalar:
                writer.WriteDouble(scalar.Double);
                break;
            case SaveScalar { Kind: SaveValueKind.Text } scalar:
                writer.WriteTextString(scalar.Text);
                break;
            default:
                writer.WriteNull();
                break;
        }
    }
}
