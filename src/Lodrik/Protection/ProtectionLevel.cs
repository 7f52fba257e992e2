namespace Lodrik.Protection;

/// <summary>How far a save is protected beyond the checksum that finds accidents.</summary>
public enum ProtectionLevel
{
    /// <summary>Not at all: the checksum finds damage, and anyone can edit the save.</summary>
    None,

    /// <summary>A seal (HMAC with SHA-256, RFC 2104) that only those can make who have the secret key.</summary>
    Seal,

    /// <summary>A signature (ECDSA over P-256 with SHA-256, FIPS 186-5) that only those can make who have the private key.</summary>
    Signature,

    /// <summary>A seal, and sections that only those can read who have the secret key (AES-256-GCM). The header stays readable.</summary>
    Encryption,
}
