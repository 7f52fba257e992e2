using System.Globalization;
using System.Numerics;
using System.Text;
using System.Xml;
using Lodrik.State;

namespace Lodrik.Formats.Xml;

/// <summary>
/// Reads state from XML 1.0. Comments and processing instructions are passed over; a DTD is refused, and with it every entity
/// but the five of XML itself. Between two calls the reader stands on the start tag of the next value, or on the last node of
/// the one before.
/// </summary>
internal struct XmlStateReader : IStateReader
{
    private readonly XmlReader _reader;
    private readonly IXmlLineInfo _line;
    private int _depth;
    private bool _ended;
    private bool _atChild;
    private string[]? _numbers;
    private int _nextNumber;
    private Ahead _ahead;
    private string _aheadText;
    private ContentPlace _place;

    /// <param name="reader">A reader made with <see cref="Settings"/>, before the value's element.</param>
    public XmlStateReader(XmlReader reader)
    {
        _reader = reader;
        _line = (IXmlLineInfo)reader;
        _aheadText = "";
        reader.MoveToContent();
        Note();
    }

    // XmlReader's own limits on entities do not matter: without a DTD there are none.
    public static XmlReaderSettings Settings => new()
    {
        DtdProcessing = DtdProcessing.Prohibit,
        XmlResolver = null,
        IgnoreComments = true,
        IgnoreProcessingInstructions = true,
        CheckCharacters = true,
    };

    public ReadContext? Context { get; init; }

    public string UnknownKey { get; private set; } = "";

    public SaveValueKind Peek()
    {
        switch (Attribute(XmlWords.Type))
        {
            case XmlWords.NullType: return SaveValueKind.Null;
            case XmlWords.ListType or XmlWords.NumbersType: return SaveValueKind.List;
            case XmlWords.MapType: return SaveValueKind.Map;
            case XmlWords.TextType: return SaveValueKind.Text;
            case XmlWords.BytesType: return SaveValueKind.Bytes;
            case XmlWords.DecimalType: return SaveValueKind.Decimal;
            case null: return PeekContent();
            case var type: throw Wrong($"The type \"{Shorten.Text(type)}\" is not known.");
        }
    }

    public bool TryReadNull()
    {
        if (Attribute(XmlWords.Type) != XmlWords.NullType)
            return false;
        if (Content().Length > 0)
            throw Wrong("A null has no content.");
        return true;
    }

    public bool ReadBool() => Content() switch
    {
        "true" => true,
        "false" => false,
        var text => throw Unexpected("true or false", text),
    };

    public long ReadInteger(long min, long max)
    {
        var text = Content();
        if (long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number) && number >= min
            && number <= max)
            return number;
        throw XmlWords.IsInteger(text)
            ? Wrong($"{Shorten.Text(text)} is out of range: it has to be between {min} and {max}.")
            : Unexpected("a whole number", text);
    }

    public BigInteger ReadBigInteger()
    {
        var text = Content();
        if (text.Length > StateLimits.MostDigits)
            throw Wrong(StateLimits.TooManyDigits);
        if (!BigInteger.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number))
            throw Unexpected("a whole number", text);
        return StateLimits.HasTooManyDigits(number) ? throw Wrong(StateLimits.TooManyDigits) : number;
    }

    public float ReadSingle() => ReadFloat<float>(Content());

    public double ReadDouble() => ReadFloat<double>(Content());

    public decimal ReadDecimal()
    {
        var text = Content();
        return decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
            ? number
            : throw Unexpected("a decimal number", text);
    }

    public string ReadText()
    {
        var escaped = Attribute(XmlWords.Escaped) == XmlWords.Yes;
        var type = Attribute(XmlWords.Type);
        if (type is not (null or XmlWords.TextType or XmlWords.DecimalType))
            throw Wrong($"Expected text, found an element of type \"{Shorten.Text(type)}\".");
        var text = Content();
        return escaped ? XmlWords.Unescape(text) ?? throw Wrong("The text has an escape other than \\\\ and \\u with four digits.") : text;
    }

    public byte[] ReadBytes()
    {
        var text = Content();
        var bytes = new byte[text.Length];
        return Convert.TryFromBase64String(text, bytes, out var length)
            ? bytes[..length]
            : throw Wrong($"\"{Shorten.Text(text)}\" is not Base64.");
    }

    public T[] ReadNumbers<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        var numbers = new List<T>();
        BeginList();
        while (NextItem())
            numbers.Add(ReadNumber<T>(Content()));
        return [.. numbers];
    }

    public readonly SaveList? TakeTable() => null;

    public readonly bool TryReadTable<T, TCodec>(ref T value) where TCodec : IStateCodec<T> => false;

    public readonly void ReadItems<T, TCodec>(List<T> items) where TCodec : IStateCodec<T>
    {
    }

    public void BeginObject()
    {
        Note();
        if (Attribute(XmlWords.Type) is { } type and not XmlWords.MapType)
            throw Wrong($"Expected an object, found an element of type \"{Shorten.Text(type)}\".");
        Enter();
    }

    public bool ReadKey(KeyTable keys, ref int key)
    {
        if (!MoveToChild())
            return false;
        UnknownKey = KeyOfElement();
        key = keys.Find(UnknownKey, key + 1);
        return true;
    }

    public bool ReadKey(out string key)
    {
        var found = MoveToChild();
        key = found ? KeyOfElement() : "";
        return found;
    }

    public int BeginList()
    {
        Note();
        switch (Attribute(XmlWords.Type))
        {
            case XmlWords.NumbersType:
                EnterNumbers();
                return 0;
            case { } type and not XmlWords.ListType:
                throw Wrong($"Expected a list, found an element of type \"{Shorten.Text(type)}\".");
        }
        Enter();
        return 0;
    }

    public bool NextItem()
    {
        if (_numbers is null)
            return MoveToChild();
        if (_nextNumber == _numbers.Length)
        {
            _numbers = null;
            _depth--;
            return false;
        }
        // Each number is handed out as if it were the text of an element of its own.
        _aheadText = _numbers[_nextNumber++];
        _ahead = Ahead.Text;
        return true;
    }

    public void Skip()
    {
        var ahead = _ahead;
        _ahead = Ahead.None;
        if (ahead == Ahead.Text || (ahead == Ahead.None && _reader.IsEmptyElement))
            return;
        var depth = ahead == Ahead.Child ? _reader.Depth - 1 : _reader.Depth;
        while (_reader.Read() && _reader.Depth > depth)
        {
            // Passing over everything below the element, up to its end tag.
        }
    }

    public Exception Wrong(string problem)
    {
        return new ContentException(SaveErrorCode.WrongContent, problem, _place);
    }

    public long Mark()
    {
        Note();
        return ((long)_place.Line << 32) | (uint)_place.Column;
    }

    public readonly Exception Invalid(long mark, string problem) =>
        new ContentException(SaveErrorCode.Invalid, problem, new ContentPlace(0, (int)(mark >> 32), (int)(uint)mark));

    /// <summary>Where the value stands that was read last.</summary>
    public readonly ContentPlace Place => _place;

    /// <summary>Makes sure that the value was read to its end and nothing stands behind it.</summary>
    /// <exception cref="XmlException">What is left is not well-formed.</exception>
    public readonly void End()
    {
        while (_reader.Read())
        {
            // XmlReader itself refuses whatever may not stand behind the element.
        }
    }

    /// <summary>How far the reader looked into the value that comes next.</summary>
    private enum Ahead
    {
        None,
        Text,
        Child,
    }

    private void Note()
    {
        if (_ahead == Ahead.None)
            _place = new ContentPlace(0, _line.LineNumber, _line.LinePosition);
    }

    private readonly string? Attribute(string name) => _ahead == Ahead.None ? _reader.GetAttribute(name) : null;

    private string KeyOfElement()
    {
        if (_reader.GetAttribute(XmlWords.Key) is { } key)
            return key;
        if (_reader.GetAttribute(XmlWords.EscapedKey) is { } escaped)
            return XmlWords.Unescape(escaped) ?? throw Wrong("The key has an escape other than \\\\ and \\u with four digits.");
        return _reader.LocalName;
    }

    private void Enter()
    {
        if (++_depth > StateLimits.MaxDepth)
            throw new ContentException(SaveErrorCode.LimitExceeded, StateLimits.TooDeepToRead, _place);
        // An element without an end tag of its own has no end to come upon, and one that was looked into may be past it.
        if (_ahead == Ahead.Text && !string.IsNullOrWhiteSpace(_aheadText))
            throw Wrong($"Expected elements, found the text \"{Shorten.Text(_aheadText.Trim())}\".");
        _ended = _ahead == Ahead.Text || (_ahead == Ahead.None && _reader.IsEmptyElement);
        _atChild = _ahead == Ahead.Child;
        _ahead = Ahead.None;
    }

    private void EnterNumbers()
    {
        _numbers = Content().Split((char[])[' ', '\n', '\r', '\t'], StringSplitOptions.RemoveEmptyEntries);
        _nextNumber = 0;
        _depth++;
    }

    private bool MoveToChild()
    {
        if (_ended)
        {
            _ended = false;
            _depth--;
            return false;
        }
        if (_atChild)
        {
            _atChild = false;
            Note();
            return true;
        }
        while (_reader.Read())
        {
            switch (_reader.NodeType)
            {
                case XmlNodeType.Element:
                    Note();
                    return true;
                case XmlNodeType.EndElement:
                    _depth--;
                    return false;
                case XmlNodeType.Text or XmlNodeType.CDATA:
                    Note();
                    throw Wrong($"Expected elements, found the text \"{Shorten.Text(_reader.Value.Trim())}\".");
            }
        }
        throw Wrong("The content ends too soon.");
    }

    /// <summary>The text of the element that the reader stands on; afterwards it stands on the end tag.</summary>
    private string Content()
    {
        if (_ahead == Ahead.None)
            LookAhead();
        if (_ahead == Ahead.Child)
            throw Wrong($"Expected a single value, found the element \"{_reader.Name}\" inside it.");
        _ahead = Ahead.None;
        return _aheadText;
    }

    /// <summary>Reads on to the element's end or its first child, whichever comes first, and keeps the text that stands before.</summary>
    private void LookAhead()
    {
        Note();
        _ahead = Ahead.Text;
        _aheadText = "";
        if (_reader.IsEmptyElement)
            return;
        StringBuilder? more = null;
        while (_reader.Read())
        {
            switch (_reader.NodeType)
            {
                case XmlNodeType.EndElement:
                    _aheadText = more?.ToString() ?? _aheadText;
                    return;
                case XmlNodeType.Element:
                    _aheadText = more?.ToString() ?? _aheadText;
                    if (!string.IsNullOrWhiteSpace(_aheadText))
                        throw Wrong($"The text \"{Shorten.Text(_aheadText.Trim())}\" stands beside elements.");
                    _ahead = Ahead.Child;
                    return;
                case XmlNodeType.Text or XmlNodeType.CDATA or XmlNodeType.Whitespace or XmlNodeType.SignificantWhitespace:
                    if (_aheadText.Length == 0)
                        _aheadText = _reader.Value;
                    else
                        (more ??= new StringBuilder(_aheadText)).Append(_reader.Value);
                    break;
            }
        }
        throw Wrong("The content ends too soon.");
    }

    /// <summary>What an element without a type is: its content tells.</summary>
    private SaveValueKind PeekContent()
    {
        if (_ahead == Ahead.None)
        {
            if (Attribute(XmlWords.Escaped) == XmlWords.Yes)
                return SaveValueKind.Text;
            LookAhead();
        }
        return _ahead == Ahead.Child ? SaveValueKind.Map
            : _aheadText is "true" or "false" ? SaveValueKind.Bool
            : XmlWords.IsInteger(_aheadText) ? SaveValueKind.Integer
            : XmlWords.IsFloat(_aheadText) || NumberText.IsFloatWord(_aheadText) ? SaveValueKind.Double
            : SaveValueKind.Text;
    }

    private T ReadNumber<T>(string text) where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        if (typeof(T) == typeof(decimal) || !NumberText.IsWholeType<T>())
            return ReadFloat<T>(text);
        if (T.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number))
            return number;
        throw XmlWords.IsInteger(text)
            ? Wrong($"{Shorten.Text(text)} is out of range: it has to be between {T.MinValue} and {T.MaxValue}.")
            : Unexpected("a whole number", text);
    }

    private T ReadFloat<T>(string text) where T : INumber<T> =>
        !T.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) ? throw Unexpected("a number", text)
        : T.IsInfinity(number) && !NumberText.IsFloatWord(text) ? throw Wrong(NumberText.TooLargeFor<T>(text))
        : number;

    private Exception Unexpected(string expected, string text) =>
        Wrong(text.Length == 0 ? $"Expected {expected}, found nothing." : $"Expected {expected}, found \"{Shorten.Text(text)}\".");
}
