using System.Runtime.Intrinsics;
using System.Text.Encodings.Web;
using System.Text.Json;

namespace Lodrik.Formats.Json;

/// <summary>A name that was prepared: quoted and escaped, with its colon, and the comma that precedes all but the first.</summary>
internal readonly struct JsonName
{
    /// <summary>How long a name is at most that can be copied at once, comma and all.</summary>
    public static readonly int Short = Vector256<byte>.Count;

    /// <summary>Letters of any script stand as they are; only what has to be escaped is.</summary>
    public static JavaScriptEncoder Encoder => JavaScriptEncoder.UnsafeRelaxedJsonEscaping;

    public JsonName(string name)
    {
        byte[] text = [(byte)',', (byte)'"', .. JsonEncodedText.Encode(name, Encoder).EncodedUtf8Bytes, (byte)'"', (byte)':'];
        Length = text.Length;
        Array.Resize(ref text, Math.Max(Length, Short + 1));
        Bytes = text;
    }

    /// <summary>The name, and after a short one as much as a copy takes, with or without the comma.</summary>
    public byte[] Bytes { get; }

    /// <summary>How many bytes it has, with the comma.</summary>
    public int Length { get; }

    /// <summary>The name without the comma.</summary>
    public ReadOnlySpan<byte> Text => Bytes.AsSpan(1, Length - 1);
}
