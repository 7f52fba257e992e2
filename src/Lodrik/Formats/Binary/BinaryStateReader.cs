using System.Buffers.Binary;
using System.Globalization;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Text;
using Lodrik.Formats.Binary.Tables;
using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>
/// Reads state from CBOR (RFC 8949). Every length is held against the bytes that are there before anything is reserved for it,
/// so that no file can ask for more memory than a small multiple of its own size.
/// </summary>
internal ref partial struct BinaryStateReader : IStateReader
{
    private static readonly UTF8Encoding StrictUtf8 = new(false, throwOnInvalidBytes: true);

    /// <summary>The length of what ends with a break.</summary>
    private const ulong Indefinite = ulong.MaxValue;
    private const int UntilBreak = -1;

    private const int Shallow = 12;

    private ReadOnlySpan<byte> _bytes;
    private int _position;
    private int _start;
    private int _depth;

    // How many items are left at each level; only few values are nested deeper than the first array has levels.
    private Remaining _remaining;
    private int[]? _remainingBelow;

    // A typed array or a table that is asked for item by item is laid out plainly and read in its place.
    private readonly ReadOnlySpan<byte> _original;
    private Stack<Outer>? _outer;

    // The bytes that are read at the moment, where they are not the original ones.
    private byte[]? _expanded;
    private readonly ContentPlace? _fixedPlace;

    /// <param name="cbor">One CBOR item and nothing else.</param>
    public BinaryStateReader(ReadOnlySpan<byte> cbor) => _bytes = _original = cbor;

    /// <param name="cbor">CBOR items.</param>
    /// <param name="position">The offset of the one to read.</param>
    /// <param name="depth">How deep it is in what it is a part of.</param>
    public BinaryStateReader(ReadOnlySpan<byte> cbor, int position, int depth = 0)
    {
        _bytes = _original = cbor;
        _position = position;
        _depth = depth;
    }

    /// <param name="cbor">A value that was copied out of a table.</param>
    /// <param name="place">Where it is there.</param>
    public BinaryStateReader(ReadOnlySpan<byte> cbor, ContentPlace place)
    {
        _bytes = _original = cbor;
        _fixedPlace = place;
    }

    public ReadContext? Context { get; init; }

    public string UnknownKey { get; private set; } = "";

    /// <summary>Whether the next value is a table, which is a list or a map by columns.</summary>
    public readonly bool IsTable => PeekHead(out _) is (Cbor.Tag, TableFormat.Tag);

    public readonly SaveValueKind Peek()
    {
        var (major, argument) = PeekHead(out _);
        return major switch
        {
            Cbor.Unsigned or Cbor.Negative => SaveValueKind.Integer,
            Cbor.ByteString => SaveValueKind.Bytes,
            Cbor.TextString => SaveValueKind.Text,
            Cbor.Array => SaveValueKind.List,
            Cbor.Map => SaveValueKind.Map,
            Cbor.Tag when argument is Cbor.PositiveBignum or Cbor.NegativeBignum => SaveValueKind.Integer,
            Cbor.Tag when argument == Cbor.DecimalFraction => SaveValueKind.Decimal,
            Cbor.Tag when Cbor.IsTypedArray(argument) => SaveValueKind.List,
            Cbor.Tag when argument == TableFormat.Tag => TableKind(),
            Cbor.Tag when argument == TableFormat.PartsTag => SaveValueKind.List,
            Cbor.Tag => throw Wrong($"The CBOR tag {argument} is not supported here."),
            _ => _bytes[_position] switch
            {
                Cbor.False or Cbor.True => SaveValueKind.Bool,
                Cbor.Null or Cbor.Undefined => SaveValueKind.Null,
                Cbor.Half or Cbor.Single => SaveValueKind.Single,
                Cbor.Double => SaveValueKind.Double,
                var simple => throw Wrong($"The CBOR byte 0x{simple:X2} is not supported here."),
            },
        };
    }

    public bool TryReadNull()
    {
        if (_position >= _bytes.Length || _bytes[_position] is not (Cbor.Null or Cbor.Undefined))
            return false;
        Begin();
        _position++;
        return true;
    }

    public bool ReadBool()
    {
        Begin();
        var value = Next();
        return value switch
        {
            Cbor.True => true,
            Cbor.False => false,
            _ => throw Unexpected("true or false"),
        };
    }

    public long ReadInteger(long min, long max)
    {
        Begin();
        var (major, argument) = Head();
        if (major is Cbor.Unsigned or Cbor.Negative && argument <= long.MaxValue)
        {
            var number = major == Cbor.Unsigned ? (long)argument : ~(long)argument;
            if (number >= min && number <= max)
                return number;
            throw Wrong($"{number} is out of range: it must be between {min} and {max}.");
        }
        throw major is Cbor.Unsigned or Cbor.Negative || (major == Cbor.Tag && argument is Cbor.PositiveBignum or Cbor.NegativeBignum)
            ? Wrong($"The number is out of range: it must be between {min} and {max}.")
            : Unexpected("a whole number");
    }

    public BigInteger ReadBigInteger()
    {
        Begin();
        var (major, argument) = Head();
        switch (major)
        {
            case Cbor.Unsigned:
                return argument;
            case Cbor.Negative:
                return Cbor.Below(argument);
            case Cbor.Tag when argument is Cbor.PositiveBignum or Cbor.NegativeBignum:
                var bytes = Content(Cbor.ByteString, "a whole number");
                if (bytes.Length > StateLimits.MostDigitBytes)
                    throw Wrong(StateLimits.TooManyDigits);
                var magnitude = new BigInteger(bytes, isUnsigned: true, isBigEndian: true);
                var whole = argument == Cbor.PositiveBignum ? magnitude : Cbor.Below(magnitude);
                return StateLimits.HasTooManyDigits(whole) ? throw Wrong(StateLimits.TooManyDigits) : whole;
            case Cbor.TextString:
                _position = _start;
                var text = ReadText();
                return text.Length <= StateLimits.MostDigits
                    && BigInteger.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number)
                    ? number
                    : throw Unexpected("a whole number");
            default:
                throw Unexpected("a whole number");
        }
    }

    public float ReadSingle()
    {
        if (_bytes.Length - _position >= 5 && _bytes[_position] == Cbor.Single)
        {
            Begin();
            _position += 5;
            return BinaryPrimitives.ReadSingleBigEndian(_bytes[(_position - 4)..]);
        }
        return Narrowed<float>(ReadDouble());
    }

    private T Narrowed<T>(double number)
        where T : INumber<T> => T.CreateTruncating(number) is var taken && NumberText.IsTooLarge(taken, number)
        ? throw Wrong(NumberText.TooLargeFor<T>(NumberText.Of(number)))
        : taken;

    public double ReadDouble()
    {
        Begin();
        switch (Next())
        {
            case Cbor.Double:
                return BinaryPrimitives.ReadDoubleBigEndian(Take(8));
            case Cbor.Single:
                return BinaryPrimitives.ReadSingleBigEndian(Take(4));
            case Cbor.Half:
                return (double)BinaryPrimitives.ReadHalfBigEndian(Take(2));
        }
        _position = _start;
        switch (Peek())
        {
            case SaveValueKind.Integer:
                var whole = ReadBigInteger();
                return double.IsFinite((double)whole)
                    ? (double)whole
                    : throw Wrong(NumberText.TooLargeFor<double>(whole.ToString(CultureInfo.InvariantCulture)));
            case SaveValueKind.Text:
                // Text forms have no number for these, and a converted save may carry the word.
                var word = ReadText();
                return NumberText.IsFloatWord(word) ? NumberText.ParseWord(word) : throw Unexpected("a number");
            default:
                throw Unexpected("a number");
        }
    }

    public decimal ReadDecimal()
    {
        Begin();
        if (Peek() == SaveValueKind.Text)
        {
            var text = ReadText();
            return decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var parsed)
                ? parsed
                : throw Unexpected("a decimal number");
        }
        var (major, argument) = Head();
        if (major is Cbor.Unsigned or Cbor.Negative)
            return major == Cbor.Unsigned ? argument : -1m - argument;
        if (major != Cbor.Tag || argument != Cbor.DecimalFraction || Head() is not (Cbor.Array, 2))
            throw Unexpected("a decimal number");
        var start = _start;
        var scale = -ReadInteger(-28, 0);
        var mantissa = ReadBigInteger();
        _start = start;
        var magnitude = BigInteger.Abs(mantissa);
        if (magnitude.GetBitLength() > 96)
            throw Wrong("A decimal number has at most 96 bits.");
        Span<byte> bits = stackalloc byte[12];
        magnitude.TryWriteBytes(bits, out _, isUnsigned: true);
        var words = MemoryMarshal.Cast<byte, int>(bits);
        return new decimal(words[0], words[1], words[2], mantissa.Sign < 0, (byte)scale);
    }

    public string ReadText()
    {
        Begin();
        var utf8 = Content(Cbor.TextString, "text");
        try
        {
            return StrictUtf8.GetString(utf8);
        }
        catch (DecoderFallbackException)
        {
            throw Wrong("The text is not valid UTF-8.");
        }
    }

    public byte[] ReadBytes()
    {
        if (Peek() == SaveValueKind.Text)
        {
            var text = ReadText();
            var bytes = new byte[text.Length];
            return Convert.TryFromBase64String(text, bytes, out var length) ? bytes[..length] : throw Wrong("The text is not Base64.");
        }
        Begin();
        return Content(Cbor.ByteString, "bytes").ToArray();
    }

    public readonly void ReadItems<T, TCodec>(List<T> items) where TCodec : IStateCodec<T>
    {
    }

    public void BeginObject()
    {
        Begin();
        if (AtTable && TableKind() == SaveValueKind.Map)
            ExpandTable();
        var (major, entries) = Head();
        if (major != Cbor.Map)
            throw Unexpected("an object");
        // A key and a value take a byte each at the least.
        Deeper(entries, 2);
    }

    public bool ReadKey(KeyTable keys, ref int key)
    {
        if (!HasNext())
            return false;
        Begin();
        key = keys.Find(Content(Cbor.TextString, "a key"), key + 1);
        if (key < 0)
        {
            _position = _start;
            UnknownKey = ReadText();
        }
        return true;
    }

    public bool ReadKey(out string key)
    {
        if (!HasNext())
        {
            key = "";
            return false;
        }
        key = ReadText();
        return true;
    }

    public int BeginList()
    {
        Begin();
        if (AtTable && TableKind() == SaveValueKind.List)
            ExpandTable();
        else if (AtParts)
            ExpandParts();
        var (major, argument) = Head();
        if (major == Cbor.Tag && Cbor.IsTypedArray(argument))
        {
            ExpandNumbers(argument);
            (major, argument) = Head();
        }
        if (major != Cbor.Array)
            throw Unexpected("a list");
        Deeper(argument, 1);
        return argument == Indefinite ? 0 : (int)argument;
    }

    public bool NextItem() => HasNext();

    public readonly Exception Wrong(string problem) => new ContentException(SaveErrorCode.WrongContent, problem, Place);

    /// <summary>The tag before the next item, consumed; 0 if there is none.</summary>
    public ulong TryReadTag()
    {
        var (major, argument) = PeekHead(out var size);
        if (major != Cbor.Tag)
            return 0;
        _position += size;
        return argument;
    }

    /// <summary>Enters a list and says how many items it has.</summary>
    /// <param name="clipped">Whether the bytes may break off before the list's end, so that its length proves nothing.</param>
    public int BeginCountedList(bool clipped = false)
    {
        Begin();
        var (major, count) = Head();
        if (major != Cbor.Array)
            throw Unexpected("a list");
        if (count == Indefinite)
            throw Wrong("A list of indefinite length is not accepted here.");
        if (clipped && count > int.MaxValue)
            throw Short();
        Deeper(count, clipped ? 0 : 1);
        return (int)count;
    }

    /// <summary>Takes back the entering of a list, whose items are read one by one as values of their own.</summary>
    public void LeaveList() => _depth--;

    /// <summary>Where a byte string's content stands, without copying it.</summary>
    public (int Offset, int Length) ReadBlock()
    {
        Begin();
        var content = Content(Cbor.ByteString, "bytes");
        return (_position - content.Length, content.Length);
    }

    /// <summary>Makes sure that nothing follows the item.</summary>
    public void End()
    {
        Begin();
        if (_position < _bytes.Length)
            throw Wrong("There is extra data after the end of the content.");
    }

    /// <summary>What has not been read yet.</summary>
    public readonly ReadOnlySpan<byte> Rest => _bytes[_position..];

    /// <summary>The offset of the next item.</summary>
    public readonly int Position => _position;

    /// <summary>Whether the next item is a typed array (RFC 8746).</summary>
    public readonly bool AtTypedArray => PeekHead(out _) is (Cbor.Tag, var tag) && Cbor.IsTypedArray(tag);

    public readonly long Mark() => _position;

    public readonly Exception Invalid(long mark, string problem) =>
        new ContentException(SaveErrorCode.Invalid, problem, new ContentPlace(mark));

    /// <summary>Where the value is that was read last.</summary>
    public readonly ContentPlace Place => _fixedPlace ?? new(_outer is { Count: > 0 } ? _outer.Last().Start : _start);

    private void Begin() => _start = _position;

    private readonly Exception Short() =>
        new ContentException(SaveErrorCode.Damaged, "The content is cut off.", Place);

    private Exception Unexpected(string expected)
    {
        _position = _start;
        string found;
        try
        {
            found = Peek() switch
            {
                SaveValueKind.Null => "null",
                SaveValueKind.Bool => "true or false",
                SaveValueKind.Integer => "a whole number",
                SaveValueKind.Single or SaveValueKind.Double or SaveValueKind.Decimal => "a number with a point",
                SaveValueKind.Text => "text",
                SaveValueKind.Bytes => "bytes",
                SaveValueKind.List => "a list",
                _ => "an object",
            };
        }
        catch (ContentException)
        {
            found = "something else";
        }
        return Wrong($"Expected {expected}, found {found}.");
    }

    /// <summary>What is read on with behind something that was laid out plainly.</summary>
    private readonly record struct Outer(byte[]? Bytes, int Start, int Position, int Depth);

    [InlineArray(Shallow)]
    private struct Remaining
    {
        private int _count;
    }
}
