using System.Globalization;
using System.Numerics;
using System.Xml;
using Lodrik.State;

namespace Lodrik.Formats.Xml;

/// <summary>
/// Reads state from XML 1.0. Comments and processing instructions are passed over; a DTD is refused, and with it every entity
/// but the five of XML itself. Between two calls the reader is on the start tag of the next value, or on the last node of
/// the one before.
/// </summary>
internal struct XmlStateReader : IStateReader
{
    private static readonly char[] Blanks = [' ', '\n', '\r', '\t'];

    private readonly XmlReader _reader;
    private readonly IXmlLineInfo _line;
    private int _depth;
    private bool _ended;
    private bool _atChild;
    private char[]? _numbers;
    private int _nextNumber;
    private Ahead _ahead;
    private char[] _text;
    private int _length;
    private KnownTexts _texts;
    private ContentPlace _place;

    /// <param name="reader">A reader made with <see cref="Settings"/>, before the value's element.</param>
    public XmlStateReader(XmlReader reader)
    {
        _reader = reader;
        _line = (IXmlLineInfo)reader;
        _text = new char[256];
        _texts = new KnownTexts(int.MaxValue);
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
            case var type: throw Wrong($"\"{Shorten.Text(type)}\" is not a known type.");
        }
    }

    public bool TryReadNull()
    {
        if (Attribute(XmlWords.Type) != XmlWords.NullType)
            return false;
        if (Content().Length > 0)
            throw Wrong("A null cannot have content.");
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
            ? Wrong($"{Shortened(text)} is out of range: it must be between {min} and {max}.")
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
        var text = _texts.Of(Content());
        return escaped ? XmlWords.Unescape(text) ?? throw Wrong("The text has an escape other than \\\\ and \\u with four digits.") : text;
    }

    public byte[] ReadBytes()
    {
        var text = Content();
        var bytes = new byte[text.Length];
        return Convert.TryFromBase64Chars(text, bytes, out var length)
            ? bytes[..length]
            : throw Wrong($"\"{Shortened(text)}\" is not Base64.");
    }

    public T[] ReadNumbers<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        BeginList();
        var numbers = new NumberList<T>(stackalloc T[16]);
        while (NextItem())
            numbers.Add(ReadNumber<T>(Content()));
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
        // Each number is handed out as if it were the text of its own element.
        var rest = _numbers.AsSpan(_nextNumber).TrimStart(Blanks);
        if (rest.IsEmpty)
        {
            _numbers = null;
            _depth--;
            return false;
        }
        _nextNumber = _numbers.Length - rest.Length;
        var end = rest.IndexOfAny(Blanks);
        _length = 0;
        Append(end < 0 ? rest : rest[..end]);
        _nextNumber += _length;
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

    /// <summary>Where the value is that was read last.</summary>
    public readonly ContentPlace Place => _place;

    /// <summary>Makes sure that the value was read to its end and nothing follows it.</summary>
    /// <exception cref="XmlException">What is left is not well-formed.</exception>
    public readonly void End()
    {
        while (_reader.Read())
        {
            // XmlReader itself refuses whatever may not be after the element.
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

    // Most elements have no attribute, which is told without looking the name up.
    private readonly string? Attribute(string name) =>
        _ahead == Ahead.None && _reader.HasAttributes ? _reader.GetAttribute(name) : null;

    private string KeyOfElement()
    {
        if (!_reader.HasAttributes)
            return _reader.LocalName;
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
        if (_ahead == Ahead.Text && !Text.IsWhiteSpace())
            throw Wrong($"Expected elements, found the text \"{Shortened(Text.Trim())}\".");
        _ended = _ahead == Ahead.Text || (_ahead == Ahead.None && _reader.IsEmptyElement);
        _atChild = _ahead == Ahead.Child;
        _ahead = Ahead.None;
    }

    private void EnterNumbers()
    {
        _numbers = Content().ToArray();
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
        throw Wrong("The content is cut off.");
    }

    /// <summary>The text of the element that the reader is on; afterwards it is on the end tag.</summary>
    private ReadOnlySpan<char> Content()
    {
        if (_ahead == Ahead.None)
            LookAhead();
        if (_ahead == Ahead.Child)
            throw Wrong($"Expected a single value, found the element \"{_reader.Name}\" inside it.");
        _ahead = Ahead.None;
        return Text;
    }

    /// <summary>Reads on to the element's end or its first child, whichever comes first, and keeps the text that precedes.</summary>
    private void LookAhead()
    {
        Note();
        _ahead = Ahead.Text;
        _length = 0;
        if (_reader.IsEmptyElement)
            return;
        while (_reader.Read())
        {
            switch (_reader.NodeType)
            {
                case XmlNodeType.EndElement:
                    return;
                case XmlNodeType.Element:
                    if (!Text.IsWhiteSpace())
                        throw Wrong($"The text \"{Shortened(Text.Trim())}\" is mixed with elements.");
                    _ahead = Ahead.Child;
                    return;
                case XmlNodeType.Text or XmlNodeType.CDATA or XmlNodeType.Whitespace or XmlNodeType.SignificantWhitespace:
                    AppendValue();
                    break;
            }
        }
        throw Wrong("The content is cut off.");
    }

    /// <summary>Adds the node's text to what precedes it, without its own string.</summary>
    private void AppendValue()
    {
        while (true)
        {
            // Without room, nothing would be read as if there were no more; and a surrogate pair needs two characters, or is an error.
            if (_text.Length - _length < 2)
                Array.Resize(ref _text, Math.Max(16, 2 * _text.Length));
            var count = _reader.ReadValueChunk(_text, _length, _text.Length - _length);
            if (count == 0)
                return;
            _length += count;
        }
    }

    private void Append(ReadOnlySpan<char> text)
    {
        if (_text.Length - _length < text.Length)
            Array.Resize(ref _text, Math.Max(_length + text.Length, 2 * _text.Length));
        text.CopyTo(_text.AsSpan(_length));
        _length += text.Length;
    }

    private readonly ReadOnlySpan<char> Text => _text.AsSpan(0, _length);

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
            : Text is "true" or "false" ? SaveValueKind.Bool
            : XmlWords.IsInteger(Text) ? SaveValueKind.Integer
            : XmlWords.IsFloat(Text) || NumberText.IsFloatWord(Text) ? SaveValueKind.Double
            : SaveValueKind.Text;
    }

    private T ReadNumber<T>(ReadOnlySpan<char> text) where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        if (typeof(T) == typeof(decimal) || !NumberText.IsWholeType<T>())
            return ReadFloat<T>(text);
        if (T.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number))
            return number;
        throw XmlWords.IsInteger(text)
            ? Wrong($"{Shortened(text)} is out of range: it must be between {T.MinValue} and {T.MaxValue}.")
            : Unexpected("a whole number", text);
    }

    private T ReadFloat<T>(ReadOnlySpan<char> text) where T : INumber<T> =>
        !T.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) ? throw Unexpected("a number", text)
        : T.IsInfinity(number) && !NumberText.IsFloatWord(text) ? throw Wrong(NumberText.TooLargeFor<T>(text.ToString()))
        : number;

    private Exception Unexpected(string expected, ReadOnlySpan<char> text) =>
        Wrong(text.Length == 0 ? $"Expected {expected}, found nothing." : $"Expected {expected}, found \"{Shortened(text)}\".");

    private static string Shortened(ReadOnlySpan<char> text) => Shorten.Text(text.ToString());
}
