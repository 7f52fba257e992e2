using System.Buffers.Text;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using System.Text;
using Lodrik.State;

namespace Lodrik.Formats.Json;

/// <summary>
/// Puts JSON (RFC 8259) into a buffer, byte for byte what the platform's writer puts there. That one takes more than twice as long, because
/// it checks what cannot be wrong here and knows settings that nobody asks for.
/// </summary>
/// <param name="buffer">Where the text goes.</param>
/// <param name="isIndented">Whether it is laid out for people: two blanks for each depth, a line for each value.</param>
internal sealed class JsonText(PooledBuffer buffer, bool isIndented)
{
    /// <summary>How many bytes a character takes at most: a short one that is escaped.</summary>
    private const int WidestCharacter = 6;

    private int _depth;

    // What comes next: a value right after its name, the first one of its container, or one after a comma.
    private bool _isNamed = true;
    private bool _isFirst = true;

    public PooledBuffer Buffer => buffer;

    public bool IsIndented => isIndented;

    public void StartObject() => Start((byte)'{');

    public void EndObject() => End((byte)'}');

    public void StartArray() => Start((byte)'[');

    public void EndArray() => End((byte)']');

    public void Name(in JsonName name)
    {
        if (!isIndented && name.Length <= JsonName.Short)
        {
            // A copy of one fixed size takes less time than one that has to look how much there is.
            var skipped = _isFirst ? 1u : 0u;
            ref var from = ref MemoryMarshal.GetArrayDataReference(name.Bytes);
            Vector256.LoadUnsafe(ref from, skipped).StoreUnsafe(ref MemoryMarshal.GetReference(buffer.GetSpan(JsonName.Short)));
            buffer.Advance(name.Length - (int)skipped);
            _isFirst = false;
            _isNamed = true;
            return;
        }
        BeginItem();
        var prepared = name.Text;
        var room = buffer.GetSpan(prepared.Length + 1);
        prepared.CopyTo(room);
        EndName(room, prepared.Length);
    }

    public void Name(scoped ReadOnlySpan<char> name)
    {
        BeginItem();
        Quoted(name);
        var room = buffer.GetSpan(2);
        room[0] = (byte)':';
        EndName(room, 1);
    }

    public void Null() => Word("null"u8);

    public void Bool(bool value) => Word(value ? "true"u8 : "false"u8);

    public void Integer(long value)
    {
        BeginValue();
        Utf8Formatter.TryFormat(value, buffer.GetSpan(NumberText.MaxLength), out var length);
        buffer.Advance(length);
    }

    /// <summary>A number, or the word for one that JSON has no number for. A whole one stays on the line of the one before it.</summary>
    public void Number<T>(T value) where T : unmanaged, INumberBase<T>
    {
        BeginValue(staysOnLine: typeof(T) != typeof(decimal) && T.IsInteger(value));
        buffer.Advance(Format(value, buffer.GetSpan(NumberText.MaxLength + 2)));
    }

    /// <summary>Numbers on one line, as many as there are.</summary>
    public void Numbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        BeginValue(staysOnLine: !values.IsEmpty);
        // A number, its quotes, and the comma and blank before it.
        const int Widest = NumberText.MaxLength + 4;
        Put((byte)'[');
        for (var isFirst = true; !values.IsEmpty; isFirst = false)
        {
            var part = values[..Math.Min(values.Length, 256)];
            var room = buffer.GetSpan(part.Length * Widest);
            var length = 0;
            foreach (var value in part)
            {
                if (!isFirst)
                {
                    room[length++] = (byte)',';
                    if (isIndented)
                        room[length++] = (byte)' ';
                }
                isFirst = false;
                length += Format(value, room[length..]);
            }
            buffer.Advance(length);
            values = values[part.Length..];
        }
        Put((byte)']');
    }

    public void Text(scoped ReadOnlySpan<char> value)
    {
        BeginValue();
        Quoted(value);
    }

    /// <summary>Bytes as base64 (RFC 4648).</summary>
    public void Base64(scoped ReadOnlySpan<byte> value)
    {
        BeginValue();
        Put((byte)'"');
        Base64Text.Write(value, buffer);
        Put((byte)'"');
    }

    /// <summary>A number that is written already.</summary>
    public void Digits(scoped ReadOnlySpan<byte> digits)
    {
        BeginValue(staysOnLine: true);
        buffer.Write(digits);
    }

    private void Word(scoped ReadOnlySpan<byte> word)
    {
        BeginValue();
        buffer.Write(word);
    }

    private static int Format<T>(T value, Span<byte> room) where T : unmanaged, INumberBase<T>
    {
        if (!NumberText.IsWord(value) && typeof(T) != typeof(decimal))
            return NumberDigits.Format(value, room);
        room[0] = (byte)'"';
        var length = 1 + NumberText.Format(value, room[1..]);
        room[length] = (byte)'"';
        return length + 1;
    }

    private void Start(byte bracket)
    {
        BeginValue();
        Put(bracket);
        _depth++;
        _isFirst = true;
    }

    private void End(byte bracket)
    {
        _depth--;
        if (isIndented && !_isFirst)
            NewLine();
        _isFirst = _isNamed = false;
        Put(bracket);
    }

    private void EndName(Span<byte> room, int length)
    {
        if (isIndented)
            room[length++] = (byte)' ';
        buffer.Advance(length);
        _isNamed = true;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void BeginValue(bool staysOnLine = false)
    {
        if (_isNamed)
            _isNamed = false;
        else
            BeginItem(staysOnLine);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void BeginItem(bool staysOnLine = false)
    {
        if (_isFirst)
            _isFirst = false;
        else
            Put((byte)',');
        if (isIndented && !staysOnLine)
            NewLine();
    }

    private void NewLine()
    {
        var length = 1 + (2 * _depth);
        var room = buffer.GetSpan(length);
        room[0] = (byte)'\n';
        room[1..length].Fill((byte)' ');
        buffer.Advance(length);
    }

    private void Put(byte one)
    {
        buffer.GetSpan(1)[0] = one;
        buffer.Advance(1);
    }

    private void Quoted(scoped ReadOnlySpan<char> text)
    {
        // Eight characters are narrowed at a time.
        var room = buffer.GetSpan(text.Length + 2 + 8);
        room[0] = (byte)'"';
        if (PlainText.TryNarrow<PlainText.InJson>(text, ref room[1]))
        {
            room[text.Length + 1] = (byte)'"';
            buffer.Advance(text.Length + 2);
            return;
        }
        Put((byte)'"');
        Escape(text);
        Put((byte)'"');
    }

    private void Escape(scoped ReadOnlySpan<char> text)
    {
        Span<char> escaped = stackalloc char[512];
        while (!text.IsEmpty)
        {
            // In parts that never divide a pair.
            var count = Math.Min(text.Length, escaped.Length / WidestCharacter);
            if (count < text.Length && char.IsHighSurrogate(text[count - 1]))
                count--;
            JsonName.Encoder.Encode(text[..count], escaped, out var taken, out var length);
            if (taken == 0)
                throw new InvalidOperationException("A text could not be escaped.");
            var part = escaped[..length];
            buffer.Advance(Encoding.UTF8.GetBytes(part, buffer.GetSpan(3 * part.Length)));
            text = text[taken..];
        }
    }
}
