using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Protection;

/// <summary>
/// Encrypts the sections of one save, each as a COSE_Encrypt0 (RFC 9052 section 5.2) with AES-256-GCM (NIST SP 800-38D).
/// </summary>
/// <remarks>
/// The key is one of its own for every time that a save is written: HKDF with SHA-256 (RFC 5869) over the secret and 32 fresh random bytes.
/// So the nonces may simply be counted, and no nonce comes twice under a key, also where one save is written twice. A section's name is
/// authenticated with it; which sections there are, and that they belong to this save, is for the seal around all of them.
/// </remarks>
internal sealed class SectionCipher : IDisposable
{
    public const int SaltBytes = 32;
    private const int NonceBytes = 12;
    private const int TagBytes = 16;

    /// <summary>How many bytes a section has around its ciphertext at most.</summary>
    public const int MostAround = 64;

    /// <summary>{1: 3}, the algorithm A256GCM: there is one only, and the key's id is in the seal.</summary>
    private static ReadOnlySpan<byte> Protected => [0xA1, 0x01, 0x03];

    /// <summary>
    /// What every section begins with: tag 16, a list of three, the protected header, and a map of the label 5 (IV) to 12 bytes.
    /// </summary>
    private static ReadOnlySpan<byte> Prefix => [0xD0, 0x83, 0x43, 0xA1, 0x01, 0x03, 0xA1, 0x05, 0x4C];

    private readonly AesGcm _key;

    private SectionCipher(byte[] key, byte[] salt)
    {
        _key = new AesGcm(key, TagBytes);
        CryptographicOperations.ZeroMemory(key);
        Salt = salt;
    }

    /// <summary>What the key was made with.</summary>
    public byte[] Salt { get; }

    /// <summary>A cipher for writing a save.</summary>
    public static SectionCipher New(SaveKey key, KeyMaking making) => Of(key, making, RandomNumberGenerator.GetBytes(SaltBytes));

    /// <summary>The cipher that a save was written with.</summary>
    public static SectionCipher Of(SaveKey key, KeyMaking making, byte[] salt) =>
        new(key.EncryptionKey(making, salt, EncryptionPurpose.Sections), salt);

    /// <summary>Encrypts a section.</summary>
    /// <param name="index">Its number in the save, which no other section has.</param>
    /// <param name="name">Its name.</param>
    /// <param name="plain">Its content.</param>
    public byte[] Encrypt(int index, string name, ReadOnlySpan<byte> plain)
    {
        using var buffer = new PooledBuffer(plain.Length + MostAround);
        Encrypt(index, name, plain, buffer);
        return buffer.Written.ToArray();
    }

    /// <summary>Encrypts a section into a buffer.</summary>
    /// <param name="index">Its number in the save, which no other section has.</param>
    /// <param name="name">Its name.</param>
    /// <param name="plain">Its content.</param>
    /// <param name="into">Where it is written; not where the content is.</param>
    public void Encrypt(int index, string name, ReadOnlySpan<byte> plain, PooledBuffer into)
    {
        into.Write(Prefix);
        Span<byte> nonce = stackalloc byte[NonceBytes];
        nonce.Clear();
        BinaryPrimitives.WriteInt32BigEndian(nonce[^sizeof(int)..], index);
        into.Write(nonce);
        new BinaryStateWriter(into).WriteBlockHead(plain.Length + TagBytes);
        var ciphertext = into.GetSpan(plain.Length + TagBytes)[..(plain.Length + TagBytes)];
        _key.Encrypt(nonce, plain, ciphertext[..plain.Length], ciphertext[plain.Length..], Structure(name));
        into.Advance(ciphertext.Length);
    }

    /// <summary>Decrypts a section; null if it is not one that this cipher encrypted under that name.</summary>
    public byte[]? Decrypt(string name, ReadOnlySpan<byte> section)
    {
        if (!TryOpen(section, out var nonce, out var ciphertext))
            return null;
        var plain = GC.AllocateUninitializedArray<byte>(ciphertext.Length - TagBytes);
        try
        {
            _key.Decrypt(nonce, ciphertext[..plain.Length], ciphertext[plain.Length..], plain, Structure(name));
            return plain;
        }
        catch (CryptographicException)
        {
            return null;
        }
    }

    /// <summary>What the seal has of an encrypted section: SHA-256 of its nonce and its tag, which together stand for all of it.</summary>
    public static byte[] DigestOf(ReadOnlySpan<byte> section) => TryOpen(section, out var nonce, out var ciphertext)
        ? SHA256.HashData([.. nonce, .. ciphertext[^TagBytes..]])
        : SHA256.HashData(section);

    public void Dispose() => _key.Dispose();

    /// <summary>Takes a section apart. There is one way only in which it may be written.</summary>
    private static bool TryOpen(ReadOnlySpan<byte> section, out ReadOnlySpan<byte> nonce, out ReadOnlySpan<byte> ciphertext)
    {
        nonce = ciphertext = default;
        if (section.Length < Prefix.Length + NonceBytes + 1 + TagBytes || !section.StartsWith(Prefix))
            return false;
        var rest = section[(Prefix.Length + NonceBytes)..];
        using var head = new PooledBuffer(16);
        try
        {
            var reader = new BinaryStateReader(rest);
            var (offset, length) = reader.ReadBlock();
            new BinaryStateWriter(head).WriteBlockHead(length);
            if (length < TagBytes || offset + length != rest.Length || !rest.StartsWith(head.Written))
                return false;
            nonce = section.Slice(Prefix.Length, NonceBytes);
            ciphertext = rest[offset..];
            return true;
        }
        catch (ContentException)
        {
            return false;
        }
    }

    /// <summary>The Enc_structure (RFC 9052 section 5.3): the section's name is what is authenticated from outside.</summary>
    private static byte[] Structure(string name)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.BeginList(3);
        writer.WriteText("Encrypt0");
        writer.WriteBytes(Protected);
        writer.WriteBytes(Encoding.UTF8.GetBytes(name));
        writer.EndList();
        return buffer.Written.ToArray();
    }
}
