namespace Lodrik.Saves;

/// <summary>What tells one content of a section from another: an object that nothing changes, or one with a revision.</summary>
internal readonly record struct SectionIdentity(object? Content, long Revision = 0)
{
    public bool IsKnown => Content is not null;

    public bool IsSame(SectionIdentity other) => ReferenceEquals(Content, other.Content) && Revision == other.Revision;
}

/// <summary>
/// The bytes of sections as they were written last, for those that can tell whether their content is still the same: writing such a
/// section again costs a copy. Of all sections, what they became when they were compressed: one that is encoded to the same bytes
/// again need not be compressed again.
/// </summary>
internal sealed class SectionCache
{
    private readonly Lock _gate = new();
    private readonly Dictionary<string, Entry> _entries = new(StringComparer.Ordinal);
    private readonly Dictionary<string, (UInt128 Digest, SaveCompression Compression, byte[]? Smaller)> _compressed = new(StringComparer.Ordinal);

    /// <summary>What was written of this section, if its content is the same one.</summary>
    public bool TryGet(string name, SectionIdentity identity, out Entry entry)
    {
        lock (_gate)
            return _entries.TryGetValue(name, out entry) && identity.IsKnown && entry.Identity.IsSame(identity);
    }

    /// <summary>Keeps what was written of a section.</summary>
    /// <param name="name">The section.</param>
    /// <param name="identity">What its content was; where that is not known, nothing is kept.</param>
    /// <param name="bytes">Its bytes.</param>
    /// <param name="digest">Their digest.</param>
    /// <param name="shared">The bytes of the section of shared objects beside it, and their digest.</param>
    public void Keep(string name, SectionIdentity identity, ReadOnlySpan<byte> bytes, UInt128 digest, (byte[] Bytes, UInt128 Digest)? shared = null)
    {
        lock (_gate)
        {
            if (identity.IsKnown)
                _entries[name] = new Entry(identity, bytes.ToArray(), digest, shared);
            else
                _entries.Remove(name);
        }
    }

    /// <summary>What a section became when it was compressed before; false where these bytes were not the last ones.</summary>
    /// <param name="section">The section, and the digest of its bytes.</param>
    /// <param name="compression">How it is compressed.</param>
    /// <param name="smaller">The compressed bytes; null where compressing did not pay.</param>
    public bool TryGetCompressed(SectionEntry section, SaveCompression compression, out byte[]? smaller)
    {
        lock (_gate)
        {
            var isKnown = _compressed.TryGetValue(section.Name, out var kept) && kept.Digest == section.Digest && kept.Compression == compression;
            smaller = isKnown ? kept.Smaller : null;
            return isKnown;
        }
    }

    public void KeepCompressed(SectionEntry section, SaveCompression compression, byte[]? smaller)
    {
        lock (_gate)
            _compressed[section.Name] = (section.Digest, compression, smaller);
    }

    /// <summary>Forgets what objects were written as: something else than the game changed them.</summary>
    public void ForgetContents()
    {
        lock (_gate)
            _entries.Clear();
    }

    /// <summary>Forgets the sections that are not in the save any more.</summary>
    public void Retain(IEnumerable<string> names)
    {
        lock (_gate)
        {
            if (_entries.Count == 0 && _compressed.Count == 0)
                return;
            var kept = names.ToHashSet(StringComparer.Ordinal);
            foreach (var name in _entries.Keys.Where(name => !kept.Contains(name)).ToList())
                _entries.Remove(name);
            foreach (var name in _compressed.Keys.Where(name => !kept.Contains(name)).ToList())
                _compressed.Remove(name);
        }
    }

    /// <summary>A section as it was written.</summary>
    /// <param name="Identity">What its content was.</param>
    /// <param name="Bytes">Its bytes.</param>
    /// <param name="Digest">Their digest.</param>
    /// <param name="Shared">The section of shared objects beside it.</param>
    public readonly record struct Entry(SectionIdentity Identity, byte[] Bytes, UInt128 Digest, (byte[] Bytes, UInt128 Digest)? Shared);
}
