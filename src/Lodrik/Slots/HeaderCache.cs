using System.Collections.Concurrent;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// The headers, and the slots' names, that were read of files that have not changed since, as far as the storage tells: who lists the same
/// slots again reads only what is new.
/// </summary>
internal sealed class HeaderCache
{
    private const int Room = 1000;

    private readonly ConcurrentDictionary<string, (long ByteCount, long Stamp, SaveHeader Header)> _headers = new(StringComparer.Ordinal);

    private readonly ConcurrentDictionary<string, (StoredFile File, string Name)> _names = new(StringComparer.Ordinal);

    public SaveHeader? Find(Generation generation) =>
        generation.Stamp != 0 && _headers.TryGetValue(generation.File, out var known)
        && known.ByteCount == generation.ByteCount && known.Stamp == generation.Stamp ? known.Header : null;

    public void Add(Generation generation, SaveHeader header)
    {
        if (generation.Stamp != 0)
            _headers[generation.File] = (generation.ByteCount, generation.Stamp, header);
    }

    public string? FindName(StoredFile file) =>
        file.Stamp != 0 && _names.TryGetValue(file.Name, out var known) && known.File == file ? known.Name : null;

    public void AddName(StoredFile file, string name)
    {
        if (file.Stamp != 0)
            _names[file.Name] = (file, name);
    }

    /// <summary>Forgets what is not there any more, once it outnumbers what is.</summary>
    public void Trim(int files)
    {
        if (_headers.Count > (2 * files) + Room)
            _headers.Clear();
        if (_names.Count > files + Room)
            _names.Clear();
    }
}
