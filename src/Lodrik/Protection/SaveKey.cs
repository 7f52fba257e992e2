using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text.Json;

namespace Lodrik.Protection;

/// <summary>
/// A key that seals, signs or encrypts saves. Each save names the id of its key. A key never shows itself: not in a message, not in a
/// log, not in <see cref="ToString"/>.
/// </summary>
/// <remarks>A key that is inside a shipped game can be dug out of it; see docs/protection.md for what that means.</remarks>
public abstract partial class SaveKey
{
    /// <summary>How many bytes a secret key has.</summary>
    public const int SecretBytes = 32;

    private const int MostIdCharacters = 64;

    private protected SaveKey(string id)
    {
        ArgumentException.ThrowIfNullOrEmpty(id);
        if (id.Length > MostIdCharacters || id.Any(c => c is < ' ' or > '~'))
            throw new ArgumentException($"The id of a key has at most {MostIdCharacters} characters of ASCII.", nameof(id));
        Id = id;
    }

    /// <summary>The id, which is in saves as it is.</summary>
    public string Id { get; }

    internal abstract ProtectionLevel Level { get; }

    /// <summary>A secret key.</summary>
    /// <param name="id">Its id.</param>
    /// <param name="secret">32 random bytes. They are copied.</param>
    public static SaveKey FromBytes(string id, ReadOnlySpan<byte> secret) => new SecretKey(id, secret);

    /// <summary>A secret key from Base64 (RFC 4648 section 4).</summary>
    /// <exception cref="ArgumentException">It is not a Base64, or not of 32 bytes.</exception>
    public static SaveKey FromBase64(string id, string secret)
    {
        ArgumentNullException.ThrowIfNull(secret);
        Span<byte> bytes = stackalloc byte[2 * SecretBytes];
        try
        {
            return Convert.TryFromBase64String(secret.Trim(), bytes, out var count)
                ? FromBytes(id, bytes[..count])
                : throw new ArgumentException("The key is not 32 bytes in Base64.", nameof(secret));
        }
        finally
        {
            CryptographicOperations.ZeroMemory(bytes);
        }
    }

    /// <summary>A key that is made of a passphrase (PBKDF2 with SHA-256, RFC 8018). Making it takes a while, once for each salt.</summary>
    /// <param name="id">Its id.</param>
    /// <param name="passphrase">The passphrase: not empty.</param>
    /// <param name="iterations">
    /// How many rounds new saves ask for, from 100,000 to 2,000,000. Saves that ask for fewer than 100,000, or for more than these and the
    /// usual 600,000, are refused unread: their number is the choice of whoever made the file.
    /// </param>
    public static SaveKey FromPassphrase(string id, string passphrase, int iterations = PassphraseKey.DefaultIterations) =>
        new PassphraseKey(id, passphrase, iterations);

    /// <summary>A key from the platform's own store, asked for when it is needed first.</summary>
    /// <param name="id">Its id.</param>
    /// <param name="ask">Gives 32 bytes, in an array that is the key's from then on: it is copied and set to zeros.</param>
    public static SaveKey FromCallback(string id, Func<byte[]> ask) => new AskedKey(id, ask);

    /// <summary>
    /// A private key that signs: ECDSA over P-256 (FIPS 186-5), as PEM (RFC 7468). It belongs on a server or in the studio.
    /// </summary>
    /// <exception cref="ArgumentException">It is no such key.</exception>
    public static SaveKey Signing(string id, string pem) => new SignatureKey(id, pem, canSign: true);

    /// <summary>A public key that checks signatures, as PEM (RFC 7468). It may be in the game.</summary>
    /// <exception cref="ArgumentException">It is no such key.</exception>
    public static SaveKey Verifying(string id, string pem) => new SignatureKey(id, pem, canSign: false);

    /// <summary>
    /// A key from a JSON Web Key (RFC 7517): of the type <c>oct</c> with 32 bytes, or <c>EC</c> over P-256, which signs where it has its
    /// private part.
    /// </summary>
    /// <exception cref="ArgumentException">It is none, or has no <c>kid</c>.</exception>
    public static SaveKey FromJwk(string jwk)
    {
        ArgumentException.ThrowIfNullOrEmpty(jwk);
        try
        {
            using var document = JsonDocument.Parse(jwk);
            var key = document.RootElement;
            var id = Text("kid");
            if (Text("kty") == "oct")
            {
                var secret = Bytes("k");
                try
                {
                    return FromBytes(id, secret);
                }
                finally
                {
                    CryptographicOperations.ZeroMemory(secret);
                }
            }
            if (Text("kty") != "EC" || Text("crv") != "P-256")
                throw new ArgumentException("The key is neither a secret key (oct) nor an EC key on the curve P-256.");
            var canSign = key.TryGetProperty("d", out _);
            using var pair = ECDsa.Create(new ECParameters
            {
                Curve = ECCurve.NamedCurves.nistP256,
                Q = { X = Bytes("x"), Y = Bytes("y") },
                D = canSign ? Bytes("d") : null,
            });
            return canSign ? Signing(id, pair.ExportPkcs8PrivateKeyPem()) : Verifying(id, pair.ExportSubjectPublicKeyInfoPem());

            string Text(string name) => key.GetProperty(name).GetString() ?? "";

            byte[] Bytes(string name) => Base64Url.DecodeFromChars(Text(name));
        }
        catch (Exception exception) when (exception is JsonException or KeyNotFoundException or InvalidOperationException or FormatException
            or CryptographicException)
        {
            // What was wrong is not repeated: it may have a part of the key in it.
            throw new ArgumentException("It is not a JSON Web Key with an id.");
        }
    }

    /// <summary>Whether it is a secret key, which seals and encrypts; otherwise it is one for signatures.</summary>
    public bool IsSecret => Level == ProtectionLevel.Seal;

    /// <summary>Whether it can make seals or signatures: a public key cannot.</summary>
    public virtual bool CanSeal => true;

    /// <summary>The key's id, and nothing else of it.</summary>
    public sealed override string ToString() => $"key {Id}";

    /// <summary>What has to are next to a new seal so that its key can be made again.</summary>
    internal virtual KeyMaking NewMaking => KeyMaking.None;

    /// <summary>
    /// Whether a key can be made so: what a save asks for is not trusted, neither a round too few nor one that keeps the game busy for
    /// minutes.
    /// </summary>
    internal virtual bool CanMake(KeyMaking making) => making.Iterations == 0;

    /// <summary>
    /// Whether a key can be made so without much work: a list of a hundred files must not cost a hundred passphrases.
    /// </summary>
    internal virtual bool CanMakeAtOnce(KeyMaking making) => CanMake(making);

    /// <summary>Seals or signs.</summary>
    /// <exception cref="InvalidOperationException">The key can only check.</exception>
    internal abstract byte[] Seal(ReadOnlySpan<byte> message, KeyMaking making);

    /// <summary>Whether a seal or a signature fits, in a time that does not depend on where it does not.</summary>
    internal abstract bool Fits(ReadOnlySpan<byte> message, ReadOnlySpan<byte> seal, KeyMaking making);

    /// <summary>A key for encrypting the sections or the label of one save, by HKDF from the secret and a salt that is used once.</summary>
    internal virtual byte[] EncryptionKey(KeyMaking making, byte[] salt, EncryptionPurpose purpose) =>
        throw new InvalidOperationException($"The {this} cannot encrypt.");

    /// <summary>
    /// Whether keys for other purposes can be derived from it as it is: a passphrase would take a salt, a pair has no secret to share.
    /// </summary>
    internal virtual bool CanDerive => false;

    /// <summary>A key for a purpose that has no salt, by HKDF from the secret.</summary>
    internal byte[] DeriveKey(EncryptionPurpose purpose) => EncryptionKey(KeyMaking.None, [], purpose);

    private protected static byte[] DeriveEncryptionKey(ReadOnlySpan<byte> secret, byte[] salt, EncryptionPurpose purpose)
    {
        var key = new byte[SecretBytes];
        HKDF.DeriveKey(HashAlgorithmName.SHA256, secret, key, salt, purpose switch
        {
            EncryptionPurpose.Sections => "lodrik encryption"u8,
            EncryptionPurpose.Label => "lodrik label"u8,
            EncryptionPurpose.TransferCode => "lodrik code scramble"u8,
            _ => "lodrik code tag"u8,
        });
        return key;
    }

    /// <summary>Seals by a key of its own for that purpose (HKDF with SHA-256, RFC 5869), so that no key is used for two things.</summary>
    private protected static byte[] Mac(ReadOnlySpan<byte> secret, ReadOnlySpan<byte> message)
    {
        Span<byte> key = stackalloc byte[SecretBytes];
        HKDF.DeriveKey(HashAlgorithmName.SHA256, secret, key, salt: [], info: "lodrik seal"u8);
        try
        {
            return HMACSHA256.HashData(key, message);
        }
        finally
        {
            CryptographicOperations.ZeroMemory(key);
        }
    }
}

/// <summary>Several keys: the one that new saves get, and older ones whose saves are still taken.</summary>
public sealed class KeyRing
{
    private readonly Dictionary<string, SaveKey> _keys = new(StringComparer.Ordinal);

    /// <summary>Makes a ring.</summary>
    /// <param name="current">The key of new saves.</param>
    /// <param name="older">Keys whose saves are still taken.</param>
    /// <exception cref="ArgumentException">Two keys have one id.</exception>
    public KeyRing(SaveKey current, params IReadOnlyList<SaveKey> older)
    {
        ArgumentNullException.ThrowIfNull(current);
        ArgumentNullException.ThrowIfNull(older);
        Current = current;
        foreach (var key in older.Prepend(current))
        {
            if (!_keys.TryAdd(key.Id, key))
                throw new ArgumentException($"Two keys have the id \"{key.Id}\".", nameof(older));
        }
    }

    /// <summary>The key of new saves.</summary>
    public SaveKey Current { get; }

    /// <summary>The ids of all keys.</summary>
    public IReadOnlyCollection<string> Ids => _keys.Keys;

    internal SaveKey? Find(string id) => _keys.GetValueOrDefault(id);

    /// <summary>The ids, and nothing else of the keys.</summary>
    public override string ToString() => $"keys {string.Join(", ", _keys.Keys)}";
}
