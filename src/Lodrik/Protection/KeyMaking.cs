namespace Lodrik.Protection;

/// <summary>What it takes to make a key of a passphrase again: it is in the seal, under the seal.</summary>
/// <param name="Salt">The salt; empty if the key is there as it is.</param>
/// <param name="Iterations">The rounds.</param>
internal readonly record struct KeyMaking(byte[] Salt, int Iterations)
{
    public static KeyMaking None { get; } = new([], 0);
}

/// <summary>What a key is derived for: keys of different purposes have nothing to do with each other.</summary>
internal enum EncryptionPurpose
{
    Sections,
    Label,
    TransferCode,
    TransferCodeTag,
}
