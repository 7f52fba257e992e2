using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Text;

namespace Lodrik.Protection;

// The kinds of keys that there are.
public abstract partial class SaveKey
{
    /// <summary>32 secret bytes.</summary>
    private sealed class SecretKey : SaveKey
    {
        private readonly byte[] _secret;

        public SecretKey(string id, ReadOnlySpan<byte> secret) : base(id)
        {
            if (secret.Length != SecretBytes)
                throw new ArgumentException($"A secret key has {SecretBytes} bytes, and this has {secret.Length}.", nameof(secret));
            if (secret.IndexOfAnyExcept(secret[0]) < 0)
                throw new ArgumentException("A secret key has to be random, but all bytes of this one are the same.", nameof(secret));
            _secret = secret.ToArray();
        }

        internal override ProtectionLevel Level => ProtectionLevel.Seal;

        internal override byte[] Seal(ReadOnlySpan<byte> message, KeyMaking making) => Mac(_secret, message);

        internal override bool CanDerive => true;

        internal override byte[] EncryptionKey(KeyMaking making, byte[] salt, EncryptionPurpose purpose) =>
            DeriveEncryptionKey(_secret, salt, purpose);

        internal override bool Fits(ReadOnlySpan<byte> message, ReadOnlySpan<byte> seal, KeyMaking making) =>
            making.Iterations == 0 && CryptographicOperations.FixedTimeEquals(Mac(_secret, message), seal);
    }

    /// <summary>32 secret bytes that the platform keeps.</summary>
    private sealed class AskedKey(string id, Func<byte[]> ask) : SaveKey(id)
    {
        private readonly Lazy<SecretKey> _key = new(() => Ask(id, ask));

        internal override ProtectionLevel Level => ProtectionLevel.Seal;

        internal override byte[] Seal(ReadOnlySpan<byte> message, KeyMaking making) => _key.Value.Seal(message, making);

        internal override bool CanDerive => true;

        internal override byte[] EncryptionKey(KeyMaking making, byte[] salt, EncryptionPurpose purpose) =>
            _key.Value.EncryptionKey(making, salt, purpose);

        internal override bool Fits(ReadOnlySpan<byte> message, ReadOnlySpan<byte> seal, KeyMaking making) =>
            _key.Value.Fits(message, seal, making);

        private static SecretKey Ask(string id, Func<byte[]> ask)
        {
            var secret = ask() ?? [];
            try
            {
                return new SecretKey(id, secret);
            }
            finally
            {
                CryptographicOperations.ZeroMemory(secret);
            }
        }
    }

    /// <summary>A key that is made of a passphrase and a salt, once for each salt that is met.</summary>
    private sealed class PassphraseKey : SaveKey
    {
        public const int DefaultIterations = 600_000;
        private const int FewestIterations = 100_000;
        private const int MostIterations = 2_000_000;
        private const int SaltBytes = 16;
        private const int MostKeptKeys = 16;

        private readonly byte[] _passphrase;
        private readonly int _iterations;
        private readonly ConcurrentDictionary<(string Salt, int Iterations), byte[]> _made = new();
        private KeyMaking? _last;

        /// <summary>Whether a list has made a key already; it makes one and no more, since what it asks for is the file's choice.</summary>
        private bool _hasListed;

        public PassphraseKey(string id, string passphrase, int iterations) : base(id)
        {
            ArgumentException.ThrowIfNullOrEmpty(passphrase);
            ArgumentOutOfRangeException.ThrowIfLessThan(iterations, FewestIterations);
            ArgumentOutOfRangeException.ThrowIfGreaterThan(iterations, MostIterations);
            _passphrase = Encoding.UTF8.GetBytes(passphrase);
            _iterations = iterations;
        }

        internal override ProtectionLevel Level => ProtectionLevel.Seal;

        /// <summary>
        /// The salt of a save that fitted, so that the key need not be made again for every save; a fresh one before that.
        /// </summary>
        internal override KeyMaking NewMaking => _last ??= new KeyMaking(RandomNumberGenerator.GetBytes(SaltBytes), _iterations);

        internal override bool CanMake(KeyMaking making) =>
            making is { Salt.Length: SaltBytes, Iterations: >= FewestIterations }
                && making.Iterations <= Math.Max(_iterations, DefaultIterations);

        internal override bool CanMakeAtOnce(KeyMaking making) =>
            CanMake(making) && (_made.ContainsKey(NameOf(making)) || Interlocked.Exchange(ref _hasListed, true) == false);

        internal override byte[] Seal(ReadOnlySpan<byte> message, KeyMaking making) => Mac(Make(making), message);

        internal override byte[] EncryptionKey(KeyMaking making, byte[] salt, EncryptionPurpose purpose) =>
            DeriveEncryptionKey(Make(making), salt, purpose);

        internal override bool Fits(ReadOnlySpan<byte> message, ReadOnlySpan<byte> seal, KeyMaking making)
        {
            if (!CanMake(making))
                return false;
            var fits = CryptographicOperations.FixedTimeEquals(Mac(Make(making), message), seal);
            if (fits && making.Iterations == _iterations)
                _last = making;
            return fits;
        }

        private static (string Salt, int Iterations) NameOf(KeyMaking making) => (Convert.ToHexString(making.Salt), making.Iterations);

        private byte[] Make(KeyMaking making)
        {
            if (_made.Count >= MostKeptKeys)
                _made.Clear();
            return _made.GetOrAdd(
                NameOf(making),
                _ => Rfc2898DeriveBytes.Pbkdf2(_passphrase, making.Salt, making.Iterations, HashAlgorithmName.SHA256, SecretBytes));
        }
    }

    /// <summary>An ECDSA key over P-256.</summary>
    private sealed class SignatureKey : SaveKey
    {
        private readonly ECDsa _key = ECDsa.Create();
        private readonly Lock _gate = new();
        private readonly bool _canSign;

        public SignatureKey(string id, string pem, bool canSign) : base(id)
        {
            ArgumentException.ThrowIfNullOrEmpty(pem);
            _canSign = canSign;
            try
            {
                _key.ImportFromPem(pem);
                var parameters = _key.ExportParameters(includePrivateParameters: false);
                if (parameters.Curve.Oid.Value != ECCurve.NamedCurves.nistP256.Oid.Value)
                    throw new ArgumentException("The key is not on the curve P-256.", nameof(pem));
                if (canSign)
                    CryptographicOperations.ZeroMemory(_key.ExportParameters(includePrivateParameters: true).D);
            }
            catch (Exception exception) when (exception is CryptographicException or ArgumentException { ParamName: not nameof(pem) })
            {
                throw new ArgumentException(
                    canSign ? "It is not a private EC key in PEM format." : "It is not an EC key in PEM format.", nameof(pem), exception);
            }
        }

        public override bool CanSeal => _canSign;

        internal override ProtectionLevel Level => ProtectionLevel.Signature;

        internal override byte[] Seal(ReadOnlySpan<byte> message, KeyMaking making)
        {
            if (!_canSign)
                throw new InvalidOperationException($"The {this} is a public key: it can check signatures but not make them.");
            lock (_gate)
                return _key.SignData(message.ToArray(), HashAlgorithmName.SHA256, DSASignatureFormat.IeeeP1363FixedFieldConcatenation);
        }

        internal override bool Fits(ReadOnlySpan<byte> message, ReadOnlySpan<byte> seal, KeyMaking making)
        {
            lock (_gate)
                return making.Iterations == 0
                    && _key.VerifyData(message, seal, HashAlgorithmName.SHA256, DSASignatureFormat.IeeeP1363FixedFieldConcatenation);
        }
    }
}
