using System.Buffers;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using System.Text;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Texts one after the other: their characters are gathered and turned into UTF-8 many at a time.</summary>
internal sealed class TextBlob
{
    private const int Gathered = 16 * 1024;
    private const int TypicalText = 16;

    private readonly IntegerPacker _packedLengths = new();
    private char[] _chars = [];
    private long[] _lengths = [];
    private int _count;
    private int _flushed;
    private PooledBuffer? _utf8;
    private bool _hasReplaced;

    // Whether the texts of this chunk went straight to UTF-8, so that the lengths are already those of the bytes.
    private bool _isDirect;

    /// <summary>How many texts there will be, as far as is known; only for choosing the size of buffers.</summary>
    public int Expected { get; set; }

    /// <summary>How many texts there are.</summary>
    public int Count => _flushed + _count;

    /// <summary>How many characters are gathered.</summary>
    public int Chars { get; private set; }

    public void Reset()
    {
        _packedLengths.Reset();
        _utf8?.Dispose();
        _utf8 = null;
        _hasReplaced = _isDirect = false;
        _count = _flushed = Chars = 0;
        if (_chars.Length > Gathered)
        {
            ArrayPool<char>.Shared.Return(_chars);
            _chars = [];
        }
    }

    /// <summary>Adds a text and gives where it is; texts added so stay in place.</summary>
    public int AddKept(ReadOnlySpan<char> text)
    {
        if (_count == _lengths.Length)
            Array.Resize(ref _lengths, Math.Max(64, 2 * _lengths.Length));
        if (_chars.Length - Chars < text.Length)
            Grow(text.Length);
        text.CopyTo(_chars.AsSpan(Chars));
        _lengths[_count++] = text.Length;
        Chars += text.Length;
        return Chars - text.Length;
    }

    public ReadOnlySpan<char> Span(int start, int length) => _chars.AsSpan(start, length);

    /// <summary>From now on what was added need not stay.</summary>
    public void ForgetKept()
    {
        if (_count > TableFormat.Chunk || Chars > Gathered)
            Flush();
    }

    /// <summary>Takes out all characters; the texts are added again by the caller, who returns the array to the pool.</summary>
    public char[] TakeKept()
    {
        var chars = _chars;
        _chars = ArrayPool<char>.Shared.Rent(Math.Max(256, chars.Length));
        _count = Chars = 0;
        return chars;
    }

    public void Add(ReadOnlySpan<char> text)
    {
        if (_count >= TableFormat.Chunk || Chars > Gathered || _isDirect)
            Flush();
        AddKept(text);
    }

    /// <summary>Adds the texts of many rows, up to the first that is null, straight as UTF-8.</summary>
    /// <returns>How many were added.</returns>
    public int AddRows(ReadOnlySpan<string?> texts)
    {
        if (Chars > 0 || _count >= TableFormat.Chunk || _utf8 is null)
            Flush();
        if (_lengths.Length < TableFormat.Chunk)
            Array.Resize(ref _lengths, TableFormat.Chunk);
        var taken = 0;
        while (taken < texts.Length && texts[taken] is not null)
        {
            if (_count == TableFormat.Chunk)
                Flush();
            _isDirect = true;
            taken += AddDirectly(texts.Slice(taken, Math.Min(texts.Length - taken, TableFormat.Chunk - _count)));
        }
        return taken;
    }

    private int AddDirectly(ReadOnlySpan<string?> texts)
    {
        var room = _utf8!.GetSpan(texts.Length * 3 * TypicalText);
        var written = 0;
        var i = 0;
        for (; i < texts.Length; i++)
        {
            if (texts[i] is not { } text)
                break;
            // Eight characters are narrowed at a time, and what is after the last of them is written over.
            if ((3L * text.Length) + 16 > room.Length - written)
            {
                _utf8.Advance(written);
                room = _utf8.GetSpan(checked((3 * text.Length) + 16 + ((texts.Length - i) * 3 * TypicalText)));
                written = 0;
            }
            var length = Narrow(text, ref Unsafe.Add(ref MemoryMarshal.GetReference(room), written));
            if (length < 0)
            {
                _hasReplaced |= LoneSurrogates.AreIn(text);
                length = Encoding.UTF8.GetBytes(text, room[written..]);
            }
            written += length;
            _lengths[_count++] = length;
        }
        _utf8.Advance(written);
        return i;
    }

    /// <summary>Writes a byte for each character; -1 where one of them is not ASCII.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static int Narrow(string text, ref byte to)
    {
        var length = text.Length;
        ref var from = ref Unsafe.As<char, ushort>(ref Unsafe.AsRef(in text.GetPinnableReference()));
        if (length < 8)
        {
            var bits = 0;
            for (var i = 0; i < length; i++)
            {
                var one = Unsafe.Add(ref from, i);
                bits |= one;
                Unsafe.Add(ref to, i) = (byte)one;
            }
            return bits < 0x80 ? length : -1;
        }
        var all = Vector128<ushort>.Zero;
        for (nuint i = 0; i < (nuint)length; i += 8)
        {
            // The last eight may overlap those before.
            var at = Math.Min(i, (nuint)length - 8);
            var eight = Vector128.LoadUnsafe(ref from, at);
            all |= eight;
            Vector128.Narrow(eight, eight).GetLower().StoreUnsafe(ref to, at);
        }
        return (all & Vector128.Create((ushort)0xFF80)) == Vector128<ushort>.Zero ? length : -1;
    }

    public void WriteTo(BinaryStateWriter writer)
    {
        // Whatever is still gathered: most small tables are written from here, without a buffer between.
        writer.WriteHead(Cbor.Array, 3);
        writer.WriteInteger((int)ColumnKind.Text);
        if (_utf8 is not null || !Ascii.IsValid(_chars.AsSpan(0, Chars)))
        {
            Flush();
            if (_hasReplaced)
                writer.Context?.HasReplacedText = true;
            _packedLengths.WriteTo(writer, default);
            writer.WriteBytes(_utf8!.Written);
            return;
        }
        _packedLengths.WriteTo(writer, _lengths.AsSpan(0, _count));
        writer.WriteText(_chars.AsSpan(0, Chars), Cbor.ByteString);
    }

    private void Flush()
    {
        _utf8 ??= new PooledBuffer(Math.Clamp(Expected, Gathered / TypicalText, 1 << 18) * TypicalText);
        var chars = _chars.AsSpan(0, Chars);
        var before = _utf8.Length;
        var room = _utf8.GetSpan(Math.Max(1, 3 * chars.Length));
        if (Ascii.IsValid(chars))
        {
            Ascii.FromUtf16(chars, room, out var length);
            _utf8.Advance(length);
        }
        else
        {
            // Text by text, so that half a pair at the end of one never meets its half in the next.
            var at = 0;
            var written = 0;
            for (var i = 0; i < _count; i++)
            {
                var count = (int)_lengths[i];
                _hasReplaced |= LoneSurrogates.AreIn(chars.Slice(at, count));
                var length = Encoding.UTF8.GetBytes(chars.Slice(at, count), room[written..]);
                _lengths[i] = length;
                at += count;
                written += length;
            }
            _utf8.Advance(written);
        }
        if (_count > 0)
            _packedLengths.Pack(_lengths.AsSpan(0, _count));
        _flushed += _count;
        _count = Chars = 0;
        _isDirect = false;
    }

    private void Grow(int room)
    {
        var larger = ArrayPool<char>.Shared.Rent(Math.Max(2 * _chars.Length, Math.Max(256, Chars + room)));
        _chars.AsSpan(0, Chars).CopyTo(larger);
        if (_chars.Length > 0)
            ArrayPool<char>.Shared.Return(_chars);
        _chars = larger;
    }
}
