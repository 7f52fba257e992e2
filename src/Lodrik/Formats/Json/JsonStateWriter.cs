using System.Globalization;
using System.Numerics;
using System.Text;
using Lodrik.State;

namespace Lodrik.Formats.Json;

/// <summary>Writes state as JSON (RFC 8259).</summary>
internal struct JsonStateWriter(JsonText text, WriteContext? context = null) : IStateWriter
{
    private static readonly PreparedKeys<JsonName[]> Names = new(Prepare);

    private int _depth;

    public readonly WriteContext? Context => context;

    public readonly void WriteNull() => text.Null();

    public readonly void WriteBool(bool value) => text.Bool(value);

    public readonly void WriteInteger(long value) => text.Integer(value);

    public readonly void WriteBigInteger(BigInteger value)
    {
        if (value >= long.MinValue && value <= long.MaxValue)
        {
            text.Integer((long)value);
            return;
        }
        StateLimits.CheckDigits(value);
        text.Digits(Encoding.ASCII.GetBytes(value.ToString(CultureInfo.InvariantCulture)));
    }

    public readonly void WriteSingle(float value) => text.Number(value);

    public readonly void WriteDouble(double value) => text.Number(value);

    /// <summary>A decimal is text, because a JSON number with a point is a float to every reader.</summary>
    public readonly void WriteDecimal(decimal value) => text.Number(value);

    public readonly void WriteText(scoped ReadOnlySpan<char> value)
    {
        StateLimits.CheckLength(value);
        ReplacedText.Note(value, context);
        text.Text(value);
    }

    public readonly void WriteBytes(scoped ReadOnlySpan<byte> value) => text.Base64(value);

    /// <summary>Numbers are on one line, as many as there are; no numbers at all are an empty list like any other.</summary>
    public readonly void WriteNumbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        StateLimits.RequireRoom(_depth);
        text.Numbers(values);
    }

    public readonly bool TryWriteTable<T, TCodec>(T collection, int count) where TCodec : IStateCodec<T> => false;

    public readonly bool TryWriteItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T> => false;

    public readonly bool TryWriteLog<T, TCodec>(SaveLog<T> log) where TCodec : IStateCodec<T> => false;

    public readonly KeyTable? ShapeOf(SaveMap map) => null;

    public void BeginObject(int members)
    {
        Deeper();
        text.StartObject();
    }

    public readonly void WriteKey(KeyTable keys, int index) => text.Name(in Names.Of(keys)[index]);

    public readonly void WriteKey(string key)
    {
        ReplacedText.Note(key, context);
        text.Name(key.AsSpan());
    }

    public void EndObject()
    {
        _depth--;
        text.EndObject();
    }

    public void BeginList(int items)
    {
        Deeper();
        text.StartArray();
    }

    public void EndList()
    {
        _depth--;
        text.EndArray();
    }

    private void Deeper()
    {
        if (++_depth > StateLimits.MaxDepth)
            throw StateLimits.TooDeep();
    }

    private static JsonName[] Prepare(KeyTable keys)
    {
        var names = new JsonName[keys.Count];
        for (var i = 0; i < names.Length; i++)
            names[i] = new JsonName(keys[i]);
        return names;
    }
}
