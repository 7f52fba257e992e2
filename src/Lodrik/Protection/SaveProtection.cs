namespace Lodrik.Protection;

/// <summary>How a store protects its saves, and what it asks of those that it loads.</summary>
/// <param name="Keys">The keys. The current one says which level it is: a secret key seals, a private one signs.</param>
public sealed record SaveProtection(KeyRing Keys)
{
    /// <summary>Whether sections are encrypted, under a secret key; such saves are packed.</summary>
    public bool IsEncrypted { get; init; }

    /// <summary>The level of new saves, and the one that a save has to have to be loaded.</summary>
    public ProtectionLevel Level => IsEncrypted ? ProtectionLevel.Encryption : Keys.Current.Level;

    /// <summary>
    /// What saves are bound to beside their content, such as an account or a device: a save of another context does not load. It is
    /// authenticated and not stored.
    /// </summary>
    public string Context { get; init; } = "";

    /// <summary>
    /// Whether titles and summaries are encrypted as well; a slot list then needs the key to show them. Times, the kind of a save, and its
    /// picture stay open. It takes encryption.
    /// </summary>
    public bool HasHiddenTitles { get; init; }

    /// <summary>
    /// Whether the store counts its writes, so that an old save that was restored instead of a newer one is told
    /// (<see cref="LoadResult{T}.Replay"/>). It costs a small file more with every save.
    /// </summary>
    public bool HasCounter { get; init; }

    /// <summary>
    /// The newest count that the game knows of the store from elsewhere, such as its server
    /// (<see cref="SaveStore{T}.LastWriteNumber()"/>): a store that was set back as a whole is told by nothing else. Null if it
    /// knows none.
    /// </summary>
    public long? NewestKnown { get; init; }

    /// <summary>Saves are sealed by a secret key, or signed by a private one.</summary>
    public static SaveProtection With(SaveKey key) => new(new KeyRing(key));

    /// <summary>Saves are encrypted and sealed by a secret key.</summary>
    public static SaveProtection Encrypted(SaveKey key) => new(new KeyRing(key)) { IsEncrypted = true };

    /// <exception cref="ArgumentException">What is asked for cannot be, or the key cannot write.</exception>
    internal void CheckForWriting()
    {
        Check();
        if (!Keys.Current.CanSeal)
            throw new ArgumentException($"The {Keys.Current} is a public key: it can check signatures but not make them.");
    }

    /// <exception cref="ArgumentException">What is asked for cannot be.</exception>
    internal void Check()
    {
        if (IsEncrypted && Keys.Current.Level != ProtectionLevel.Seal)
            throw new ArgumentException($"The {Keys.Current} cannot encrypt. Encryption needs a secret key.");
        if (HasHiddenTitles && !IsEncrypted)
            throw new ArgumentException("Titles and summaries can be hidden only in encrypted saves.");
    }
}
