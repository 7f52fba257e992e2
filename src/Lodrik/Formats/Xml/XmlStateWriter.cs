using System.Globalization;
using System.Numerics;
using System.Text;
using Lodrik.State;

namespace Lodrik.Formats.Xml;

/// <summary>
/// Writes state as XML 1.0: an element for each member, named after it; a list's items in elements of their own; entries
/// whose key is not an XML name in <c>entry</c> elements with the key in an attribute.
/// </summary>
internal struct XmlStateWriter(XmlOutput xml, WriteContext? context = null) : IStateWriter
{
    private static readonly PreparedKeys<byte[]?[]> Names = new(Prepare);
    private static readonly byte[] Item = Encoding.UTF8.GetBytes(XmlWords.Item);
    private static readonly byte[] Entry = Encoding.UTF8.GetBytes(XmlWords.Entry);
    private static readonly byte[] KeyAttribute = Encoding.UTF8.GetBytes($" {XmlWords.Key}=\"");
    private static readonly byte[] EscapedKeyAttribute = Encoding.UTF8.GetBytes($" {XmlWords.EscapedKey}=\"");
    private static readonly byte[] IsEscaped = Encoding.UTF8.GetBytes($" {XmlWords.Escaped}=\"{XmlWords.Yes}\"");
    private static readonly byte[] IsNull = TypeIs(XmlWords.NullType);
    private static readonly byte[] IsList = TypeIs(XmlWords.ListType);
    private static readonly byte[] IsNumbers = TypeIs(XmlWords.NumbersType);
    private static readonly byte[] IsMap = TypeIs(XmlWords.MapType);
    private static readonly byte[] IsText = TypeIs(XmlWords.TextType);
    private static readonly byte[] IsBytes = TypeIs(XmlWords.BytesType);
    private static readonly byte[] IsDecimal = TypeIs(XmlWords.DecimalType);

    private byte[]? _name;
    private string? _key;
    private int _depth;

    /// <summary>Names the element of the next value, which stands for itself and not in an object.</summary>
    public void Name(string name) => _name = Encoding.UTF8.GetBytes(name);

    public readonly WriteContext? Context => context;

    public void WriteNull() => Marked(IsNull);

    public void WriteBool(bool value)
    {
        Start();
        xml.Raw(value ? "true"u8 : "false"u8);
        xml.End();
    }

    public void WriteInteger(long value) => Number(value);

    public void WriteBigInteger(BigInteger value)
    {
        Start();
        // An error names the element that is open, which takes its tag to be whole.
        xml.EndTag();
        StateLimits.CheckDigits(value);
        xml.Raw(Encoding.ASCII.GetBytes(value.ToString(CultureInfo.InvariantCulture)));
        xml.End();
    }

    public void WriteSingle(float value) => Number(value);

    public void WriteDouble(double value) => Number(value);

    public void WriteDecimal(decimal value)
    {
        Start();
        xml.Attribute(IsDecimal);
        xml.Number(value);
        xml.End();
    }

    public void WriteText(scoped ReadOnlySpan<char> value)
    {
        ReplacedText.Note(value, context);
        StateLimits.CheckLength(value);
        Start();
        if (XmlWords.LooksLikeScalar(value))
            xml.Attribute(IsText);
        if (!xml.TryText(value))
            WriteEscaped(value);
        xml.End();
    }

    public void WriteBytes(scoped ReadOnlySpan<byte> value)
    {
        Start();
        xml.Attribute(IsBytes);
        xml.Base64(value);
        xml.End();
    }

    /// <summary>Numbers of one type are in one element; no numbers at all are an empty list like any other.</summary>
    public void WriteNumbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        StateLimits.RequireRoom(_depth);
        if (values.IsEmpty)
        {
            Marked(IsList);
            return;
        }
        Start();
        xml.Attribute(IsNumbers);
        xml.Numbers(values);
        xml.End();
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
            xml.Attribute(IsMap);
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
        _name = XmlWords.IsName(key) ? Encoding.UTF8.GetBytes(key) : null;
        _key = _name is null ? key : null;
    }

    public void EndObject() => End();

    public void BeginList(int items)
    {
        Deeper();
        Start();
        xml.Attribute(IsList);
    }

    public void EndList() => End();

    private void Start()
    {
        if (_key is null)
        {
            xml.Start(_name ?? Item);
            _name = null;
            return;
        }
        xml.Start(Entry);
        if (XmlWords.NeedsEscape(_key))
            xml.Attribute(EscapedKeyAttribute, XmlWords.Escape(_key));
        else
            xml.Attribute(KeyAttribute, _key);
        _key = null;
    }

    private void End()
    {
        _depth--;
        xml.End();
    }

    private void Marked(byte[] type)
    {
        Start();
        xml.Attribute(type);
        xml.End();
    }

    private void Number<T>(T value) where T : unmanaged, INumberBase<T>
    {
        Start();
        xml.Number(value);
        xml.End();
    }

    private readonly void WriteEscaped(scoped ReadOnlySpan<char> value)
    {
        if (!XmlWords.NeedsEscape(value))
        {
            xml.Text(value);
            return;
        }
        xml.Attribute(IsEscaped);
        xml.Text(XmlWords.Escape(value));
    }

    private void Deeper()
    {
        if (++_depth > StateLimits.MaxDepth)
            throw StateLimits.TooDeep();
    }

    private static byte[] TypeIs(string type) => Encoding.UTF8.GetBytes($" {XmlWords.Type}=\"{type}\"");

    private static byte[]?[] Prepare(KeyTable keys)
    {
        var names = new byte[]?[keys.Count];
        for (var i = 0; i < names.Length; i++)
            names[i] = XmlWords.IsName(keys[i]) ? keys.Utf8(i) : null;
        return names;
    }
}
