using System.Security.Cryptography;
using System.Text;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Protection;

/// <summary>
/// The title and the summary of a save, encrypted in its header: a COSE_Encrypt0 (RFC 9052 section 5.2) with AES-256-GCM that has all that
/// is needed to read it beside the key, so that a slot list still reads headers only. The save's id is authenticated with it.
/// </summary>
/// <remarks>
/// The key is one of its own for every save that is written (HKDF with 32 fresh random bytes), so that the nonce can be all zeros.
/// </remarks>
internal static class HiddenLabel
{
    private const ulong Encrypt0Tag = 16;
    private const int NonceLabel = 5;
    private const int A256Gcm = 3;
    private const int TagBytes = 16;
    private const int SaltBytes = 32;

    private static readonly byte[] Nonce = new byte[12];

    /// <summary>The label unchanged in a save: without its title and summary, and with what hides them.</summary>
    public static SlotLabel Hide(SlotLabel label, Guid save, SaveKey key, KeyMaking making)
    {
        var shown = new SaveMap { ["title"] = label.Title };
        var summary = new SaveMap();
        foreach (var (name, value) in label.Summary)
            summary[name] = value;
        shown["summary"] = summary;
        using var plain = new PooledBuffer();
        var writer = new BinaryStateWriter(plain);
        SaveValueCodec.Write(ref writer, shown);

        var salt = RandomNumberGenerator.GetBytes(SaltBytes);
        var header = CoseHeader.Write(A256Gcm, key, making, salt);
        var ciphertext = new byte[plain.Length + TagBytes];
        using (var cipher = Cipher(key, making, salt))
            cipher.Encrypt(
                Nonce, plain.Written, ciphertext.AsSpan(0, plain.Length), ciphertext.AsSpan(plain.Length), Structure(header, save));

        var hidden = label.Copy();
        hidden.Title = "";
        hidden.Summary = [];
        hidden.Rest[SlotLabel.HiddenKey] = Write(header, ciphertext);
        return hidden;
    }

    /// <summary>
    /// The header with its title and summary, where they are hidden, the key is at hand and nothing was changed; otherwise the header as it
    /// is.
    /// </summary>
    /// <param name="header">The header.</param>
    /// <param name="keys">The keys.</param>
    /// <param name="isListing">Whether this is one of many: then a key that takes long to make is not made for it.</param>
    public static SaveHeader? Reveal(SaveHeader? header, KeyRing keys, bool isListing = false)
    {
        if (header?.Slot is not { } hiding || !hiding.Rest.TryGet(SlotLabel.HiddenKey, out var value)
            || value is not SaveScalar { Kind: SaveValueKind.Bytes } hidden
            || Open(hidden.Bytes.ToArray(), header.SaveId, keys, isListing) is not { } shown)
        {
            return header;
        }
        var revealed = header.Copy();
        var label = revealed.Slot!;
        if (shown.TryGet("title", out var title) && title is SaveScalar { Kind: SaveValueKind.Text } text
            && shown.TryGet("summary", out var values) && values is SaveMap summary)
        {
            label.Title = text.Text;
            label.Summary = [];
            foreach (var (name, one) in summary)
                label.Summary[name] = one;
            label.Rest.Remove(SlotLabel.HiddenKey);
        }
        return revealed;
    }

    private static SaveMap? Open(byte[] hidden, Guid save, KeyRing keys, bool isListing)
    {
        try
        {
            var reader = new BinaryStateReader(hidden);
            reader.TryReadTag();
            if (reader.BeginCountedList() != 3)
                return null;
            reader.NextItem();
            var header = reader.ReadBytes();
            reader.NextItem();
            reader.Skip();
            reader.NextItem();
            var ciphertext = reader.ReadBytes();
            var (id, making, salt) = CoseHeader.Read(header);
            if (salt is not { Length: SaltBytes } || ciphertext.Length < TagBytes || keys.Find(id) is not { IsSecret: true } key
                || !(isListing ? key.CanMakeAtOnce(making) : key.CanMake(making))
                || !CoseHeader.Write(A256Gcm, key, making, salt).AsSpan().SequenceEqual(header)
                    || !Write(header, ciphertext).AsSpan().SequenceEqual(hidden))
            {
                return null;
            }
            var plain = new byte[ciphertext.Length - TagBytes];
            using (var cipher = Cipher(key, making, salt))
                cipher.Decrypt(Nonce, ciphertext.AsSpan(0, plain.Length), ciphertext.AsSpan(plain.Length), plain, Structure(header, save));
            var tokens = new BinaryStateReader(plain);
            return SaveValueCodec.ReadTree(ref tokens) as SaveMap;
        }
        catch (Exception exception) when (exception is ContentException or CryptographicException)
        {
            return null;
        }
    }

    private static AesGcm Cipher(SaveKey key, KeyMaking making, byte[] salt)
    {
        var bytes = key.EncryptionKey(making, salt, EncryptionPurpose.Label);
        try
        {
            return new AesGcm(bytes, TagBytes);
        }
        finally
        {
            CryptographicOperations.ZeroMemory(bytes);
        }
    }

    private static byte[] Write(byte[] header, byte[] ciphertext)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.WriteTag(Encrypt0Tag);
        writer.BeginList(3);
        writer.WriteBytes(header);
        writer.BeginObject(1);
        writer.WriteInteger(NonceLabel);
        writer.WriteBytes(Nonce);
        writer.EndObject();
        writer.WriteBytes(ciphertext);
        writer.EndList();
        return buffer.Written.ToArray();
    }

    /// <summary>The Enc_structure (RFC 9052 section 5.3).</summary>
    private static byte[] Structure(byte[] header, Guid save)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.BeginList(3);
        writer.WriteText("Encrypt0");
        writer.WriteBytes(header);
        writer.WriteBytes(Encoding.ASCII.GetBytes(save.ToString("D")));
        writer.EndList();
        return buffer.Written.ToArray();
    }
}
