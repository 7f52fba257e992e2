using System.Globalization;
using System.Numerics;
using System.Text;
using System.Text.Json;
using Lodrik.State;

namespace Lodrik.Formats.Json;

/// <summary>
/// Reads state from JSON (RFC 8259); comments and trailing commas are passed over, because people edit these files. Between
/// two calls the reader is on the first token of the next value, or on the last of the one before.
/// </summary>
internal ref struct JsonStateReader : IStateReader
{
    private Utf8JsonReader _reader;
    private int _depth;
    private KnownTexts _texts;

    /// <param name="json">One JSON value, with nothing around it but white space and comments.</param>
    public JsonStateReader(ReadOnlySpan<byte> json)
    {
        _reader = new Utf8JsonReader(json, Options);
        _texts = new KnownTexts(json.Length);
        Read();
    }

    public static JsonReaderOptions Options => new()
    {
        AllowTrailingCommas = true,
        CommentHandling = JsonCommentHandling.Skip,
        MaxDepth = StateLimits.MaxDepth + 8,
    };

    public ReadContext? Context { get; init; }

    public string UnknownKey { get; private set; } = "";

    public readonly SaveValueKind Peek() => _reader.TokenType switch
    {
        JsonTokenType.Null => SaveValueKind.Null,
        JsonTokenType.True or JsonTokenType.False => SaveValueKind.Bool,
        JsonTokenType.Number => _reader.ValueSpan.IndexOfAny(".eE"u8) < 0 ? SaveValueKind.Integer : SaveValueKind.Double,
        JsonTokenType.String => SaveValueKind.Text,
        JsonTokenType.StartArray => SaveValueKind.List,
        _ => SaveValueKind.Map,
    };

    public readonly bool TryReadNull() => _reader.TokenType == JsonTokenType.Null;

    public readonly bool ReadBool() => _reader.TokenType switch
    {
        JsonTokenType.True => true,
        JsonTokenType.False => false,
        _ => throw Unexpected("true or false"),
    };

    public readonly long ReadInteger(long min, long max)
    {
        if (_reader.TokenType != JsonTokenType.Number)
            throw Unexpected("a whole number");
        if (_reader.TryGetInt64(out var number) && number >= min && number <= max)
            return number;
        throw Peek() == SaveValueKind.Integer
            ? Wrong($"{Token()} is out of range: it must be between {min} and {max}.")
            : Unexpected("a whole number");
    }

    public readonly BigInteger ReadBigInteger()
    {
        if (_reader.TokenType is not (JsonTokenType.Number or JsonTokenType.String))
            throw Unexpected("a whole number");
        if (_reader.TokenType == JsonTokenType.Number && _reader.TryGetInt64(out var small))
            return small;
        if (_reader.ValueSpan.Length > StateLimits.MostDigits)
            throw Wrong(StateLimits.TooManyDigits);
        if (!BigInteger.TryParse(Token(), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number))
            throw Unexpected("a whole number");
        return StateLimits.HasTooManyDigits(number) ? throw Wrong(StateLimits.TooManyDigits) : number;
    }

    public readonly float ReadSingle() => ReadFloat<float>();

    public readonly double ReadDouble() => ReadFloat<double>();

    public readonly decimal ReadDecimal()
    {
        if (_reader.TokenType is not (JsonTokenType.Number or JsonTokenType.String))
            throw Unexpected("a decimal number");
        return decimal.TryParse(Token(), NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
            ? number
            : throw Unexpected("a decimal number");
    }

    public string ReadText()
    {
        if (_reader.TokenType != JsonTokenType.String)
            throw Unexpected("text");
        if (_reader.ValueIsEscaped)
            return _reader.GetString()!;
        if (_texts.Find(_reader.ValueSpan) is { } known)
            return known;
        var text = _reader.GetString()!;
        _texts.Keep(_reader.ValueSpan, text);
        return text;
    }

    public readonly byte[] ReadBytes()
    {
        if (_reader.TokenType != JsonTokenType.String)
            throw Unexpected("bytes in Base64");
        return _reader.TryGetBytesFromBase64(out var bytes) ? bytes : throw Wrong($"\"{Shorten.Text(Token())}\" is not Base64.");
    }

    public T[] ReadNumbers<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        BeginList();
        var numbers = new NumberList<T>(stackalloc T[16]);
        while (NextItem())
            numbers.Add(NumberText.IsWholeType<T>() ? ReadWhole<T>() : ReadFloat<T>());
        return numbers.ToArray();
    }

    public readonly SaveList? TakeTable() => null;

    public readonly bool TryReadParts<T, TCodec>(ref List<T>? items) where TCodec : IStateCodec<T> => false;

    public readonly bool TryReadTable<T, TCodec>(ref T value) where TCodec : IStateCodec<T> => false;

    public readonly void ReadItems<T, TCodec>(List<T> items) where TCodec : IStateCodec<T>
    {
    }

    public void BeginObject()
    {
        if (_reader.TokenType != JsonTokenType.StartObject)
            throw Unexpected("an object");
        Deeper();
    }

    public bool ReadKey(KeyTable keys, ref int key)
    {
        Read();
        if (_reader.TokenType == JsonTokenType.EndObject)
        {
            _depth--;
            return false;
        }
        key = _reader.ValueIsEscaped ? keys.Find(_reader.GetString()!, key + 1) : keys.Find(_reader.ValueSpan, key + 1);
        if (key < 0)
            UnknownKey = _reader.GetString()!;
        Read();
        return true;
    }

    public bool ReadKey(out string key)
    {
        Read();
        if (_reader.TokenType == JsonTokenType.EndObject)
        {
            _depth--;
            key = "";
            return false;
        }
        key = _reader.GetString()!;
        Read();
        return true;
    }

    public int BeginList()
    {
        if (_reader.TokenType != JsonTokenType.StartArray)
            throw Unexpected("a list");
        Deeper();
        return 0;
    }

    public bool NextItem()
    {
        Read();
        if (_reader.TokenType != JsonTokenType.EndArray)
            return true;
        _depth--;
        return false;
    }

    public void Skip() => _reader.Skip();

    public readonly Exception Wrong(string problem) =>
        new ContentException(SaveErrorCode.WrongContent, problem, new ContentPlace(_reader.TokenStartIndex));

    public readonly long Mark() => _reader.TokenStartIndex;

    public readonly Exception Invalid(long mark, string problem) =>
        new ContentException(SaveErrorCode.Invalid, problem, new ContentPlace(mark));

    /// <summary>Where the value is that was read last.</summary>
    public readonly ContentPlace Place => new(_reader.TokenStartIndex);

    /// <summary>Makes sure that nothing follows the value.</summary>
    public void End()
    {
        if (_reader.Read())
            throw Wrong("There is extra data after the end of the content.");
    }

    private void Read()
    {
        if (!_reader.Read())
            throw Wrong("The content is cut off.");
    }

    private void Deeper()
    {
        if (++_depth > StateLimits.MaxDepth)
            throw new ContentException(SaveErrorCode.LimitExceeded, StateLimits.TooDeepToRead, new ContentPlace(_reader.TokenStartIndex));
    }

    private readonly T ReadFloat<T>() where T : INumber<T>
    {
        if (_reader.TokenType == JsonTokenType.Number
            && T.TryParse(_reader.ValueSpan, NumberStyles.Float, CultureInfo.InvariantCulture, out var number))
            return T.IsInfinity(number) ? throw Wrong(NumberText.TooLargeFor<T>(Token())) : number;
        if (_reader.TokenType == JsonTokenType.String && (NumberText.IsFloatWord(Token()) || typeof(T) == typeof(decimal)))
            return T.TryParse(Token(), NumberStyles.Float, CultureInfo.InvariantCulture, out number)
                ? number
                : throw Unexpected("a number");
        throw Unexpected("a number");
    }

    private readonly T ReadWhole<T>() where T : INumber<T>, IMinMaxValue<T>
    {
        if (_reader.TokenType == JsonTokenType.Number
            && T.TryParse(_reader.ValueSpan, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number))
            return number;
        throw _reader.TokenType == JsonTokenType.Number && Peek() == SaveValueKind.Integer
            ? Wrong($"{Shorten.Text(Token())} is out of range: it must be between {T.MinValue} and {T.MaxValue}.")
            : Unexpected("a whole number");
    }

    private readonly string Token() => _reader.TokenType switch
    {
        JsonTokenType.StartObject => "an object",
        JsonTokenType.StartArray => "a list",
        JsonTokenType.String => _reader.GetString()!,
        _ => Encoding.UTF8.GetString(_reader.ValueSpan),
    };

    private readonly Exception Unexpected(string expected)
    {
        var found = _reader.TokenType == JsonTokenType.String ? $"the text \"{Shorten.Text(Token())}\"" : Shorten.Text(Token());
        return Wrong($"Expected {expected}, found {found}.");
    }
}
