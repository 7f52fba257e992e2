using System.Buffers;
using System.Globalization;
using System.Numerics;
using System.Text.Encodings.Web;
using System.Text.Json;
using Lodrik.Formats;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>Writes state by the platform's own writer of JSON: what ours is held against.</summary>
internal struct PlatformJsonWriter(Utf8JsonWriter writer, WriteContext? context = null) : IStateWriter
{
    private int _depth;

    /// <summary>How the library writes JSON: letters of any script as they are, no validation of what the generator made.</summary>
    public static JsonWriterOptions Options(bool indented) => new()
    {
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        Indented = indented,
        SkipValidation = true,
        MaxDepth = StateLimits.MaxDepth + 8,
        NewLine = "\n",
    };

    public readonly WriteContext? Context => context;

    public readonly void WriteNull() => writer.WriteNullValue();

    public readonly void WriteBool(bool value) => writer.WriteBooleanValue(value);

    public readonly void WriteInteger(long value) => writer.WriteNumberValue(value);

    public readonly void WriteBigInteger(BigInteger value)
    {
        if (value >= long.MinValue && value <= long.MaxValue)
        {
            writer.WriteNumberValue((long)value);
        }
        else
        {
            StateLimits.CheckDigits(value);
            writer.WriteRawValue(value.ToString(CultureInfo.InvariantCulture), skipInputValidation: true);
        }
    }

    // A number with a fraction is written with a point or an exponent by the platform; only the others need help.

    public readonly void WriteSingle(float value)
    {
        if (float.IsFinite(value) && !float.IsInteger(value))
            writer.WriteNumberValue(value);
        else
            WriteNumber(value);
    }

    public readonly void WriteDouble(double value)
    {
        if (double.IsFinite(value) && !double.IsInteger(value))
            writer.WriteNumberValue(value);
        else
            WriteNumber(value);
    }

    /// <summary>A decimal is text, because a JSON number with a point is a float to every reader.</summary>
    public readonly void WriteDecimal(decimal value)
    {
        Span<byte> digits = stackalloc byte[NumberText.MaxLength];
        writer.WriteStringValue(digits[..NumberText.Format(value, digits)]);
    }

    public readonly void WriteText(scoped ReadOnlySpan<char> value)
    {
        StateLimits.CheckLength(value);
        ReplacedText.Note(value, context);
        writer.WriteStringValue(value);
    }

    public readonly void WriteBytes(scoped ReadOnlySpan<byte> value) => writer.WriteBase64StringValue(value);

    /// <summary>Numbers are on one line, as many as there are; no numbers at all are an empty list like any other.</summary>
    public readonly void WriteNumbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        StateLimits.RequireRoom(_depth);
        if (values.IsEmpty)
        {
            writer.WriteStartArray();
            writer.WriteEndArray();
            return;
        }
        // A number, its quotes, and the comma and blank before it.
        const int Widest = NumberText.MaxLength + 4;
        var room = checked(2 + (values.Length * Widest));
        var rented = room > 1024 ? ArrayPool<byte>.Shared.Rent(room) : null;
        var line = rented ?? stackalloc byte[1024];
        var length = 0;
        line[length++] = (byte)'[';
        foreach (var value in values)
        {
            if (length > 1)
            {
                line[length++] = (byte)',';
                if (writer.Options.Indented)
                    line[length++] = (byte)' ';
            }
            var isText = NumberText.IsWord(value) || typeof(T) == typeof(decimal);
            if (isText)
                line[length++] = (byte)'"';
            length += NumberText.Format(value, line[length..]);
            if (isText)
                line[length++] = (byte)'"';
        }
        line[length++] = (byte)']';
        writer.WriteRawValue(line[..length], skipInputValidation: true);
        if (rented is not null)
            ArrayPool<byte>.Shared.Return(rented);
    }

    public readonly bool TryWriteTable<T, TCodec>(T collection, int count) where TCodec : IStateCodec<T> => false;

    public readonly bool TryWriteItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T> => false;

    public readonly bool TryWriteLog<T, TCodec>(SaveLog<T> log) where TCodec : IStateCodec<T> => false;

    public readonly KeyTable? ShapeOf(SaveMap map) => null;

    public void BeginObject(int members)
    {
        Deeper();
        writer.WriteStartObject();
    }

    public readonly void WriteKey(KeyTable keys, int index) => writer.WritePropertyName(keys[index]);

    public readonly void WriteKey(string key)
    {
        ReplacedText.Note(key, context);
        writer.WritePropertyName(key);
    }

    public void EndObject()
    {
        _depth--;
        writer.WriteEndObject();
    }

    public void BeginList(int items)
    {
        Deeper();
        writer.WriteStartArray();
    }

    public void EndList()
    {
        _depth--;
        writer.WriteEndArray();
    }

    private void Deeper()
    {
        if (++_depth > StateLimits.MaxDepth)
            throw StateLimits.TooDeep();
    }

    private readonly void WriteNumber<T>(T value) where T : unmanaged, IUtf8SpanFormattable, INumberBase<T>
    {
        Span<byte> digits = stackalloc byte[NumberText.MaxLength];
        var text = digits[..NumberText.Format(value, digits)];
        if (NumberText.IsWord(value))
            writer.WriteStringValue(text);
        else
            writer.WriteRawValue(text, skipInputValidation: true);
    }
}
