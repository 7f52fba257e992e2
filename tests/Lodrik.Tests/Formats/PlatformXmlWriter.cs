using System.Globalization;
using System.Numerics;
using System.Text;
using System.Xml;
using Lodrik.Formats;
using Lodrik.Formats.Xml;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>Writes state by the platform's own writer of XML: what ours is held against.</summary>
internal struct PlatformXmlWriter(XmlWriter writer, WriteContext? context = null) : IStateWriter
{
    private static readonly PreparedKeys<string?[]> Names = new(Prepare);

    private readonly XmlWriter _writer = writer;
    private readonly char[] _chars = new char[256]; // XmlWriter takes strings or arrays; most texts fit in here, and any number.
    private string? _name;
    private string? _key;
    private int _depth;

    public static XmlWriterSettings Settings(bool indented) => new()
    {
        Encoding = new UTF8Encoding(encoderShouldEmitUTF8Identifier: false),
        Indent = indented,
        IndentChars = "  ",
        NewLineChars = "\n",
        NewLineHandling = NewLineHandling.Entitize,
        CheckCharacters = false,
        CloseOutput = false,
    };

    /// <summary>Names the element of the next value, which stands for itself and not in an object.</summary>
    public void Name(string name) => _name = name;

    public readonly WriteContext? Context => context;

    public void WriteNull() => Marked(XmlWords.NullType);

    public void WriteBool(bool value) => Plain(value ? "true" : "false");

    public void WriteInteger(long value) => Number(value);

    public void WriteBigInteger(BigInteger value)
    {
        Start();
        if (StateLimits.HasTooManyDigits(value))
        {
            // The error names the element that is open, which takes its tag to be whole.
            _writer.WriteString("0");
            StateLimits.CheckDigits(value);
        }
        _writer.WriteString(value.ToString(CultureInfo.InvariantCulture));
        _writer.WriteEndElement();
    }

    public void WriteSingle(float value) => Number(value);

    public void WriteDouble(double value) => Number(value);

    public void WriteDecimal(decimal value)
    {
        Start();
        _writer.WriteAttributeString(XmlWords.Type, XmlWords.DecimalType);
        _writer.WriteString(value.ToString(CultureInfo.InvariantCulture));
        _writer.WriteEndElement();
    }

    public void WriteText(scoped ReadOnlySpan<char> value)
    {
        ReplacedText.Note(value, context);
        StateLimits.CheckLength(value);
        Start();
        if (XmlWords.LooksLikeScalar(value))
            _writer.WriteAttributeString(XmlWords.Type, XmlWords.TextType);
        if (XmlWords.NeedsEscape(value))
        {
            _writer.WriteAttributeString(XmlWords.Escaped, XmlWords.Yes);
            _writer.WriteString(XmlWords.Escape(value));
        }
        else if (value.Length <= _chars.Length)
        {
            value.CopyTo(_chars);
            _writer.WriteChars(_chars, 0, value.Length);
        }
        else
        {
            _writer.WriteString(value.ToString());
        }
        _writer.WriteEndElement();
    }

    public void WriteBytes(scoped ReadOnlySpan<byte> value)
    {
        Start();
        _writer.WriteAttributeString(XmlWords.Type, XmlWords.BytesType);
        _writer.WriteString(Convert.ToBase64String(value));
        _writer.WriteEndElement();
    }

    /// <summary>
    /// Numbers of one type are in one element with blanks between, like an xs:list of XML Schema; no numbers at all are an empty list like
    /// any other.
    /// </summary>
    public void WriteNumbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        StateLimits.RequireRoom(_depth);
        if (values.IsEmpty)
        {
            Marked(XmlWords.ListType);
            return;
        }
        Start();
        _writer.WriteAttributeString(XmlWords.Type, XmlWords.NumbersType);
        Span<byte> digits = stackalloc byte[NumberText.MaxLength];
        for (var i = 0; i < values.Length; i++)
        {
            var length = Encoding.ASCII.GetChars(digits[..NumberText.Format(values[i], digits)], _chars);
            if (i + 1 < values.Length)
                _chars[length++] = ' ';
            _writer.WriteRaw(_chars, 0, length);
        }
        _writer.WriteEndElement();
    }

    public readonly bool TryWriteTable<T, TCodec>(T collection, int count) where TCodec : IStateCodec<T> => false;

    public readonly bool TryWriteItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T> => false;

    public readonly bool TryWriteLog<T, TCodec>(SaveLog<T> log) where TCodec : IStateCodec<T> => false;

    public readonly KeyTable? ShapeOf(SaveMap map) => null;

    public void BeginObject(int members)
    {
        Deeper();
        Start();
        if (members == 0)
            _writer.WriteAttributeString(XmlWords.Type, XmlWords.MapType);
    }

    public void WriteKey(KeyTable keys, int index)
    {
        var names = Names.Of(keys);
        _name = names[index];
        _key = _name is null ? keys[index] : null;
    }

    public void WriteKey(string key)
    {
        ReplacedText.Note(key, context);
        _name = XmlWords.IsName(key) ? key : null;
        _key = _name is null ? key : null;
    }

    public void EndObject() => End();

    public void BeginList(int items)
    {
        Deeper();
        Start();
        _writer.WriteAttributeString(XmlWords.Type, XmlWords.ListType);
    }

    public void EndList() => End();

    private void Start()
    {
        if (_key is not null)
        {
            _writer.WriteStartElement(XmlWords.Entry);
            if (XmlWords.NeedsEscape(_key))
                _writer.WriteAttributeString(XmlWords.EscapedKey, XmlWords.Escape(_key));
            else
                _writer.WriteAttributeString(XmlWords.Key, _key);
        }
        else
        {
            _writer.WriteStartElement(_name ?? XmlWords.Item);
        }
        _name = null;
        _key = null;
    }

    private void End()
    {
        _depth--;
        _writer.WriteEndElement();
    }

    private void Marked(string type)
    {
        Start();
        _writer.WriteAttributeString(XmlWords.Type, type);
        _writer.WriteEndElement();
    }

    private void Plain(string text)
    {
        Start();
        _writer.WriteString(text);
        _writer.WriteEndElement();
    }

    /// <summary>A number's digits need no escaping, and go out without a string of their own.</summary>
    private void Number<T>(T value) where T : IUtf8SpanFormattable
    {
        Span<byte> digits = stackalloc byte[NumberText.MaxLength];
        var length = Encoding.ASCII.GetChars(digits[..NumberText.Format(value, digits)], _chars);
        Start();
        _writer.WriteRaw(_chars, 0, length);
        _writer.WriteEndElement();
    }

    private void Deeper()
    {
        if (++_depth > StateLimits.MaxDepth)
            throw StateLimits.TooDeep();
    }

    private static string?[] Prepare(KeyTable keys)
    {
        var names = new string?[keys.Count];
        for (var i = 0; i < names.Length; i++)
            names[i] = XmlWords.IsName(keys[i]) ? keys[i] : null;
        return names;
    }
}
