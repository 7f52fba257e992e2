using Lodrik.Saves.Forms;

namespace Lodrik.Saves.Writing;

/// <summary>What tells one content of a section from another: an object that nothing changes, or one with a revision.</summary>
internal readonly record struct SectionIdentity(object? Content, long Revision = 0)
{
    public bool IsKnown => Content is not null;

    public bool IsSame(SectionIdentity other) => ReferenceEquals(Content, other.Content) && Revision == other.Revision;
}

/// <summary>
/// Sections as they were written last, for those that can tell whether their content is still the same: such a section costs the next
/// snapshot nothing. Of all sections, what they became when they were compressed: one that is encoded to the same bytes again need not be
/// compressed again.
/// </summary>
internal sealed class SectionCache
{
    private readonly Lock _gate = new();
    private readonly Dictionary<string, (SectionIdentity Identity, PackedSection Section)> _sections = new(StringComparer.Ordinal);
    private readonly Dictionary<string, (UInt128 Digest, SaveCompression Compression, byte[]? Smaller)> _compressed = new(
        StringComparer.Ordinal);

    /// <summary>
    /// How large the next snapshot will be, in bytes, as far as can be told: it has room for as much at once, and is not copied as it
    /// grows.
    /// </summary>
    public int SnapshotSize { get; set; }

    /// <summary>Whether what is the same, by its own account, is encoded all the same, and compared.</summary>
    public bool ChecksWhatIsKept { get; init; }

    /// <summary>The section as it was written, if its content is the same one; otherwise null.</summary>
    public PackedSection? Find(string name, SectionIdentity identity)
    {
        lock (_gate)
            return identity.IsKnown && _sections.TryGetValue(name, out var known) && known.Identity.IsSame(identity) ? known.Section : null;
    }

    /// <summary>Keeps a section; where it is not known what its content was, forgets what there was of that name.</summary>
    public void Keep(SectionIdentity identity, PackedSection section)
    {
        lock (_gate)
        {
            if (identity.IsKnown)
                _sections[section.Name] = (identity, section);
            else
                _sections.Remove(section.Name);
        }
    }

    /// <summary>What a section became when it was compressed before; false if these bytes were not the last ones.</summary>
    /// <param name="section">The section, and the digest of its bytes.</param>
    /// <param name="compression">How it is compressed.</param>
    /// <param name="smaller">The compressed bytes; null if compressing did not pay.</param>
    public bool TryGetCompressed(EncodedSection section, SaveCompression compression, out byte[]? smaller)
    {
        lock (_gate)
        {
            var isKnown = _compressed.TryGetValue(section.Name, out var kept) && kept.Digest == section.Digest
                && kept.Compression == compression;
            smaller = isKnown ? kept.Smaller : null;
            return isKnown;
        }
    }

    public void KeepCompressed(EncodedSection section, SaveCompression compression, byte[]? smaller)
    {
        lock (_gate)
            _compressed[section.Name] = (section.Digest, compression, smaller);
    }

    /// <summary>Forgets what objects were written as: something else than the game changed them.</summary>
    public void ForgetContents()
    {
        lock (_gate)
            _sections.Clear();
    }

    /// <summary>Forgets the sections that are not in the save any more.</summary>
    public void Retain(IReadOnlyList<PackedSection> sections)
    {
        lock (_gate)
        {
            if (_sections.Count == 0 && _compressed.Count == 0)
                return;
            var kept = sections.Select(section => section.Name).ToHashSet(StringComparer.Ordinal);
            foreach (var name in _sections.Keys.Where(name => !kept.Contains(name)).ToList())
                _sections.Remove(name);
            foreach (var name in _compressed.Keys.Where(name => !kept.Contains(name)).ToList())
                _compressed.Remove(name);
        }
    }
}
