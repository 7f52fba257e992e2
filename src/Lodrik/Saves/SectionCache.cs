namespace Lodrik.Saves;

/// <summary>
/// The bytes of sections as they were written last, for those that can tell whether their content is still the same. Writing such a
/// section again costs a copy.
/// </summary>
internal sealed class SectionCache
{
    private readonly Lock _gate = new();
    private readonly Dictionary<string, Entry> _entries = new(StringComparer.Ordinal);

    /// <summary>What was written of this section, if its content is the same one.</summary>
    public bool TryGet(string name, object? identity, out Entry entry)
    {
        lock (_gate)
            return _entries.TryGetValue(name, out entry) && identity is not null && ReferenceEquals(entry.Identity, identity);
    }

    public void Keep(string name, object? identity, ReadOnlySpan<byte> bytes, UInt128 digest)
    {
        lock (_gate)
        {
            if (identity is null)
                _entries.Remove(name);
            else
                _entries[name] = new Entry(identity, bytes.ToArray(), digest);
        }
    }

    /// <summary>Forgets the sections that are not in the save any more.</summary>
    public void Retain(IEnumerable<string> names)
    {
        lock (_gate)
        {
            if (_entries.Count == 0)
                return;
            var kept = names.ToHashSet(StringComparer.Ordinal);
            foreach (var name in _entries.Keys.Where(name => !kept.Contains(name)).ToList())
                _entries.Remove(name);
        }
    }

    /// <summary>A section as it was written.</summary>
    /// <param name="Identity">What its content was.</param>
    /// <param name="Bytes">Its bytes.</param>
    /// <param name="Digest">Their digest.</param>
    public readonly record struct Entry(object Identity, byte[] Bytes, UInt128 Digest);
}
