using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text.Json;

namespace CheckWithoutLodrik;

/// <summary>A JSON Web Key (RFC 7517): a secret, or the public half of a pair over P-256.</summary>
internal sealed class Key
{
    private readonly byte[]? _sealKey;
    private readonly ECDsa? _public;

    private Key(JsonElement jwk)
    {
        Id = jwk.GetProperty("kid").GetString()!;
        if (jwk.GetProperty("kty").GetString() == "oct")
        {
            // No key is used for two things: the one of seals is derived (RFC 5869).
            _sealKey = HKDF.DeriveKey(HashAlgorithmName.SHA256, Bytes("k"), 32, info: "lodrik seal"u8.ToArray());
            return;
        }
        _public = ECDsa.Create(new ECParameters { Curve = ECCurve.NamedCurves.nistP256, Q = { X = Bytes("x"), Y = Bytes("y") } });

        byte[] Bytes(string name) => Base64Url.DecodeFromChars(jwk.GetProperty(name).GetString());
    }

    public string Id { get; }

    public bool IsPublic => _public is not null;

    /// <summary>The algorithm's name in a JWS (RFC 7518), and its number in COSE (RFC 9053).</summary>
    public (string Jws, int Cose) Algorithm => IsPublic ? ("ES256", -7) : ("HS256", 5);

    public static Key Read(string file)
    {
        using var document = JsonDocument.Parse(File.ReadAllBytes(file));
        return new Key(document.RootElement);
    }

    public bool Fits(byte[] message, byte[] seal) => IsPublic
        ? _public!.VerifyData(message, seal, HashAlgorithmName.SHA256)
        : CryptographicOperations.FixedTimeEquals(HMACSHA256.HashData(_sealKey!, message), seal);
}
