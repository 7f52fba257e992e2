using System.Buffers;
using System.Collections.Concurrent;

namespace Lodrik.Storage;

/// <summary>A storage that forgets everything when it is let go of: for tests, and for games that keep nothing.</summary>
public sealed class MemoryStorage : ISaveStorage
{
    private readonly ConcurrentDictionary<string, byte[]> _files = new(StringComparer.Ordinal);

    /// <inheritdoc/>
    public string Description => "memory";

    /// <inheritdoc/>
    public IReadOnlyList<StoredFile> List(string folder)
    {
        StorageNames.CheckFolder(folder);
        return
        [
            .. _files.Where(file => folder.Length == 0 || file.Key.StartsWith(folder + "/", StringComparison.Ordinal))
                .Select(file => new StoredFile(file.Key, file.Value.Length)),
        ];
    }

    /// <inheritdoc/>
    public byte[]? ReadRange(string name, long offset, int count)
    {
        StorageNames.Check(name);
        ArgumentOutOfRangeException.ThrowIfNegative(offset);
        ArgumentOutOfRangeException.ThrowIfNegative(count);
        if (!_files.TryGetValue(name, out var bytes))
            return null;
        var start = (int)Math.Min(offset, bytes.Length);
        return bytes.AsSpan(start, Math.Min(count, bytes.Length - start)).ToArray();
    }

    /// <inheritdoc/>
    public byte[]? Read(string name)
    {
        StorageNames.Check(name);
        return _files.TryGetValue(name, out var bytes) ? [.. bytes] : null;
    }

    /// <inheritdoc/>
    public void Write(string name, ReadOnlySequence<byte> bytes, bool replace)
    {
        StorageNames.Check(name);
        if (replace)
            _files[name] = bytes.ToArray();
        else if (!_files.TryAdd(name, bytes.ToArray()))
            throw StorageNames.AlreadyThere(Locate(name));
    }

    /// <inheritdoc/>
    public bool Delete(string name)
    {
        StorageNames.Check(name);
        return _files.TryRemove(name, out _);
    }

    /// <inheritdoc/>
    public string Locate(string name) => $"memory:{name}";
}

/// <summary>What a name within a storage may be.</summary>
internal static class StorageNames
{
    public static void Check(string name)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        foreach (var step in name.Split('/'))
        {
            if (step is "" or "." or ".." || step.Contains('\\', StringComparison.Ordinal) || step.Contains('\0', StringComparison.Ordinal))
                throw new ArgumentException($"\"{name}\" is not a valid name in a storage.", nameof(name));
        }
    }

    public static void CheckFolder(string folder)
    {
        ArgumentNullException.ThrowIfNull(folder);
        if (folder.Length > 0)
            Check(folder);
    }

    public static StorageException AlreadyThere(string file) =>
        new("A file with this name already exists.", new SaveLocation { File = file }, "Nothing was written; save again.");
}
