using System.ComponentModel;
using System.Drawing;
using System.Globalization;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Lodrik.State;

// The language's own single values: one short struct each, all that a format has to know about them is the tokens of
// IStateWriter and IStateReader. Numbers go as numbers, vectors and rectangles as short lists of numbers, and what has a
// standard text (ISO 8601 for dates and times, RFC 9562 for Guid, RFC 3986 for Uri) as that text.

#pragma warning disable CS1591 // The codecs are named by generated code only; each does what IStateCodec says for its type.

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct BoolCodec : IStateCodec<bool>
{
    public static void Write<TWriter>(ref TWriter writer, bool value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteBool(value);

    public static void Read<TReader>(ref TReader reader, ref bool value) where TReader : IStateReader, allows ref struct =>
        value = reader.ReadBool();

    public static bool TryReadRows<TRows>(ref TRows rows, Span<bool> items) where TRows : IRowReader, allows ref struct =>
        rows.TryReadFlags(items);
}

/// <summary>sbyte, byte, short, ushort, int, uint, long.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct IntegerCodec<T> : IStateCodec<T> where T : unmanaged, IBinaryInteger<T>, IMinMaxValue<T>
{
    public static void Write<TWriter>(ref TWriter writer, T value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteInteger(long.CreateTruncating(value));

    public static void Read<TReader>(ref TReader reader, ref T value) where TReader : IStateReader, allows ref struct =>
        value = T.CreateTruncating(reader.ReadInteger(long.CreateTruncating(T.MinValue), long.CreateTruncating(T.MaxValue)));

    public static bool TryReadRows<TRows>(ref TRows rows, Span<T> items) where TRows : IRowReader, allows ref struct =>
        rows.TryReadNumbers(items);
}

/// <summary>ulong, Int128, UInt128.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct WideIntegerCodec<T> : IStateCodec<T> where T : unmanaged, IBinaryInteger<T>, IMinMaxValue<T>
{
    public static void Write<TWriter>(ref TWriter writer, T value) where TWriter : IStateWriter, allows ref struct
    {
        if (value >= T.CreateSaturating(long.MinValue) && value <= T.CreateSaturating(long.MaxValue))
            writer.WriteInteger(long.CreateTruncating(value));
        else
            writer.WriteBigInteger(BigInteger.CreateChecked(value));
    }

    public static void Read<TReader>(ref TReader reader, ref T value) where TReader : IStateReader, allows ref struct
    {
        var number = reader.ReadBigInteger();
        if (number < BigInteger.CreateChecked(T.MinValue) || number > BigInteger.CreateChecked(T.MaxValue))
            throw reader.Wrong($"{number} is out of range: it must be between {T.MinValue} and {T.MaxValue}.");
        value = T.CreateChecked(number);
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct BigIntegerCodec : IStateCodec<BigInteger>
{
    public static void Write<TWriter>(ref TWriter writer, BigInteger value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteBigInteger(value);

    public static void Read<TReader>(ref TReader reader, ref BigInteger value) where TReader : IStateReader, allows ref struct =>
        value = reader.ReadBigInteger();
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct HalfCodec : IStateCodec<Half>
{
    public static void Write<TWriter>(ref TWriter writer, Half value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteSingle((float)value);

    public static void Read<TReader>(ref TReader reader, ref Half value) where TReader : IStateReader, allows ref struct
    {
        var number = reader.ReadSingle();
        value = (Half)number;
        if (NumberText.IsTooLarge(value, number))
            throw reader.Wrong(NumberText.TooLargeFor<Half>(NumberText.Of(number)));
    }

    public static bool AreEqual(Half one, Half other, CompareContext? context) =>
        BitConverter.HalfToInt16Bits(one) == BitConverter.HalfToInt16Bits(other);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct SingleCodec : IStateCodec<float>
{
    public static void Write<TWriter>(ref TWriter writer, float value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteSingle(value);

    public static void Read<TReader>(ref TReader reader, ref float value) where TReader : IStateReader, allows ref struct =>
        value = reader.ReadSingle();

    public static bool TryReadRows<TRows>(ref TRows rows, Span<float> items) where TRows : IRowReader, allows ref struct =>
        rows.TryReadNumbers(items);

    public static bool AreEqual(float one, float other, CompareContext? context) =>
        BitConverter.SingleToInt32Bits(one) == BitConverter.SingleToInt32Bits(other);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct DoubleCodec : IStateCodec<double>
{
    public static void Write<TWriter>(ref TWriter writer, double value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteDouble(value);

    public static void Read<TReader>(ref TReader reader, ref double value) where TReader : IStateReader, allows ref struct =>
        value = reader.ReadDouble();

    public static bool TryReadRows<TRows>(ref TRows rows, Span<double> items) where TRows : IRowReader, allows ref struct =>
        rows.TryReadNumbers(items);

    public static bool AreEqual(double one, double other, CompareContext? context) =>
        BitConverter.DoubleToInt64Bits(one) == BitConverter.DoubleToInt64Bits(other);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct DecimalCodec : IStateCodec<decimal>
{
    public static void Write<TWriter>(ref TWriter writer, decimal value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteDecimal(value);

    public static void Read<TReader>(ref TReader reader, ref decimal value) where TReader : IStateReader, allows ref struct =>
        value = reader.ReadDecimal();

    public static bool AreEqual(decimal one, decimal other, CompareContext? context) => one == other && one.Scale == other.Scale;
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct CharCodec : IStateCodec<char>
{
    public static void Write<TWriter>(ref TWriter writer, char value) where TWriter : IStateWriter, allows ref struct
    {
        // Half of a pair is not text; as a number every char survives.
        if (char.IsSurrogate(value))
            writer.WriteInteger(value);
        else
            writer.WriteText([value]);
    }

    public static void Read<TReader>(ref TReader reader, ref char value) where TReader : IStateReader, allows ref struct
    {
        if (reader.Peek() == SaveValueKind.Integer)
        {
            value = (char)reader.ReadInteger(char.MinValue, char.MaxValue);
            return;
        }
        var text = reader.ReadText();
        value = text.Length == 1 ? text[0] : throw reader.Wrong($"A single character is expected, not \"{Shorten.Text(text)}\".");
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TextCodec : IStateCodec<string?>
{
    public static void Write<TWriter>(ref TWriter writer, string? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
            writer.WriteNull();
        else
            writer.WriteText(value);
    }

    public static void Read<TReader>(ref TReader reader, ref string? value) where TReader : IStateReader, allows ref struct =>
        value = reader.TryReadNull() ? null : reader.ReadText();

    public static bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<string?> items) where TRows : IRowWriter, allows ref struct =>
        rows.TryWriteTexts(items);

    public static bool TryReadRows<TRows>(ref TRows rows, Span<string?> items) where TRows : IRowReader, allows ref struct =>
        rows.TryReadTexts(items);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct BytesCodec : IStateCodec<byte[]?>
{
    public static void Write<TWriter>(ref TWriter writer, byte[]? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
            writer.WriteNull();
        else
            writer.WriteBytes(value);
    }

    public static void Read<TReader>(ref TReader reader, ref byte[]? value) where TReader : IStateReader, allows ref struct =>
        value = reader.TryReadNull() ? null : reader.ReadBytes();

    public static byte[]? Copy(byte[]? value, byte[]? into, CopyContext? context)
    {
        if (value is null || !CopyContext.MayFill(value, into, context))
            return value?.AsSpan().ToArray();
        value.CopyTo(into, 0);
        return into;
    }

    public static bool AreEqual(byte[]? one, byte[]? other, CompareContext? context) =>
        one is null == other is null && one.AsSpan().SequenceEqual(other);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct MemoryCodec : IStateCodec<Memory<byte>>
{
    public static void Write<TWriter>(ref TWriter writer, Memory<byte> value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteBytes(value.Span);

    public static void Read<TReader>(ref TReader reader, ref Memory<byte> value) where TReader : IStateReader, allows ref struct =>
        value = reader.ReadBytes();

    public static Memory<byte> Copy(Memory<byte> value, Memory<byte> into, CopyContext? context) => value.ToArray();

    public static bool AreEqual(Memory<byte> one, Memory<byte> other, CompareContext? context) => one.Span.SequenceEqual(other.Span);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ReadOnlyMemoryCodec : IStateCodec<ReadOnlyMemory<byte>>
{
    public static void Write<TWriter>(ref TWriter writer, ReadOnlyMemory<byte> value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteBytes(value.Span);

    public static void Read<TReader>(ref TReader reader, ref ReadOnlyMemory<byte> value)
        where TReader : IStateReader, allows ref struct => value = reader.ReadBytes();

    public static ReadOnlyMemory<byte> Copy(ReadOnlyMemory<byte> value, ReadOnlyMemory<byte> into, CopyContext? context) => value.ToArray();

    public static bool AreEqual(ReadOnlyMemory<byte> one, ReadOnlyMemory<byte> other, CompareContext? context) =>
        one.Span.SequenceEqual(other.Span);
}

/// <summary>Guid, DateTime, DateTimeOffset, DateOnly, TimeOnly, TimeSpan: as their standard text.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TextScalarCodec<T> : IStateCodec<T> where T : struct, ISpanFormattable, ISpanParsable<T>
{
    public static void Write<TWriter>(ref TWriter writer, T value) where TWriter : IStateWriter, allows ref struct
    {
        Span<char> text = stackalloc char[64];
        value.TryFormat(text, out var length, ParsableKey<T>.Format, CultureInfo.InvariantCulture);
        writer.WriteText(text[..length]);
    }

    public static void Read<TReader>(ref TReader reader, ref T value) where TReader : IStateReader, allows ref struct
    {
        var text = reader.ReadText();
        if (!ParsableKey<T>.TryParse(text, out value))
            throw reader.Wrong($"\"{Shorten.Text(text)}\" is not a valid {typeof(T).Name}.");
    }

    public static bool AreEqual(T one, T other, CompareContext? context) =>
        one.Equals(other) && (typeof(T) != typeof(DateTime) || ((DateTime)(object)one).Kind == ((DateTime)(object)other).Kind);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct UriCodec : IStateCodec<Uri?>
{
    public static void Write<TWriter>(ref TWriter writer, Uri? value) where TWriter : IStateWriter, allows ref struct =>
        TextCodec.Write(ref writer, value?.OriginalString);

    public static void Read<TReader>(ref TReader reader, ref Uri? value) where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
        {
            value = null;
            return;
        }
        var text = reader.ReadText();
        if (!Uri.TryCreate(text, UriKind.RelativeOrAbsolute, out value))
            throw reader.Wrong($"\"{Shorten.Text(text)}\" is not a valid URI.");
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct VersionCodec : IStateCodec<Version?>
{
    public static void Write<TWriter>(ref TWriter writer, Version? value) where TWriter : IStateWriter, allows ref struct =>
        TextCodec.Write(ref writer, value?.ToString());

    public static void Read<TReader>(ref TReader reader, ref Version? value) where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
        {
            value = null;
            return;
        }
        var text = reader.ReadText();
        if (!Version.TryParse(text, out value))
            throw reader.Wrong($"\"{Shorten.Text(text)}\" is not a valid version number.");
    }
}

/// <summary>A color as #AARRGGBB; a color that the platform knows by name keeps its name.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ColorCodec : IStateCodec<Color>
{
    public static void Write<TWriter>(ref TWriter writer, Color value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteText(value.IsEmpty ? "" : value.IsKnownColor ? value.Name : $"#{value.ToArgb():X8}");

    public static void Read<TReader>(ref TReader reader, ref Color value) where TReader : IStateReader, allows ref struct
    {
        var text = reader.ReadText();
        if (text.Length == 0)
            value = Color.Empty;
        else if (text[0] == '#' && text.Length == 9 && int.TryParse(text.AsSpan(1), NumberStyles.AllowHexSpecifier, null, out var argb))
            value = Color.FromArgb(argb);
        else if (Enum.TryParse<KnownColor>(text, out var known))
            value = Color.FromKnownColor(known);
        else
            throw reader.Wrong($"\"{Shorten.Text(text)}\" is not a valid color. Write it as #AARRGGBB.");
    }
}

/// <summary>A struct that is nothing but a few numbers (a vector, a point, a matrix): a list of them in the order of its fields.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct PackCodec<T, TNumber> : IStateCodec<T>
    where T : unmanaged where TNumber : unmanaged, INumber<TNumber>, IMinMaxValue<TNumber>
{
    public static bool HasColumns => true;

    public static void Write<TWriter>(ref TWriter writer, T value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteNumbers<TNumber>(MemoryMarshal.Cast<T, TNumber>(new ReadOnlySpan<T>(in value)));

    public static void Read<TReader>(ref TReader reader, ref T value) where TReader : IStateReader, allows ref struct
    {
        var numbers = reader.ReadNumbers<TNumber>();
        var fields = MemoryMarshal.Cast<T, TNumber>(new Span<T>(ref value));
        if (numbers.Length != fields.Length)
            throw reader.Wrong($"{typeof(T).Name} has {fields.Length} numbers, not {numbers.Length}.");
        numbers.CopyTo(fields);
    }

    public static bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<T> items) where TRows : IRowWriter, allows ref struct
    {
        var lengths = rows.RentValues<int>(items.Length);
        lengths.Fill(Unsafe.SizeOf<T>() / Unsafe.SizeOf<TNumber>());
        var isWritten = rows.TryWriteNumberLists(lengths, MemoryMarshal.Cast<T, TNumber>(items));
        rows.ReturnValues(lengths);
        return isWritten;
    }

    public static bool TryReadRows<TRows>(ref TRows rows, Span<T> items) where TRows : IRowReader, allows ref struct
    {
        var fields = Unsafe.SizeOf<T>() / Unsafe.SizeOf<TNumber>();
        if (!rows.TryReadNumberLists<TNumber>(items.Length, fields, out _))
            return false;
        rows.TakeNumbers(MemoryMarshal.Cast<T, TNumber>(items));
        return true;
    }

    public static bool AreEqual(T one, T other, CompareContext? context) =>
        MemoryMarshal.AsBytes(new ReadOnlySpan<T>(in one)).SequenceEqual(MemoryMarshal.AsBytes(new ReadOnlySpan<T>(in other)));
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct NullableCodec<T, TCodec> : IStateCodec<T?> where T : struct where TCodec : IStateCodec<T>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.Visit<T, TCodec>();

    public static void Write<TWriter>(ref TWriter writer, T? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is { } present)
            TCodec.Write(ref writer, present);
        else
            writer.WriteNull();
    }

    public static void Read<TReader>(ref TReader reader, ref T? value) where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
        {
            value = null;
            return;
        }
        var present = value ?? TCodec.Initial;
        TCodec.Read(ref reader, ref present);
        value = present;
    }

    public static T? Copy(T? value, T? into, CopyContext? context) =>
        value is { } present ? TCodec.Copy(present, into ?? TCodec.Initial, context) : null;

    public static bool AreEqual(T? one, T? other, CompareContext? context) =>
        one is { } a && other is { } b ? TCodec.AreEqual(a, b, context) : one is null && other is null;
}
