using System.Buffers;
using System.Collections.Concurrent;

namespace Lodrik.Storage;

/// <summary>A storage that forgets everything when it is let go of: for tests, and for games that keep nothing.</summary>
public sealed class MemoryStorage : ISaveStorage
{
    private readonly ConcurrentDictionary<string, byte[]> _files = new(StringComparer.Ordinal);
    private int _isHeld;

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

    /// <inheritdoc/>
    public StorageHold TryHold() => Interlocked.CompareExchange(ref _isHeld, 1, 0) == 0
        ? StorageHold.Held(new Release(this))
        : StorageHold.InUse("somebody else in this process");

    private sealed class Release(MemoryStorage storage) : IDisposable
    {
        private MemoryStorage? _storage = storage;

        public void Dispose()
        {
            if (Interlocked.Exchange(ref _storage, null) is { } held)
                Volatile.Write(ref held._isHeld, 0);
        }
    }
}

/// <summary>What a name within a storage may be: for those who write a storage of their own.</summary>
public static class StorageNames
{
    /// <summary>Refuses what is not the name of a file: steps separated by '/', none of them empty, "." or "..".</summary>
    /// <exception cref="ArgumentException">It is not a valid name.</exception>
    public static void Check(string name)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        foreach (var step in name.Split('/'))
        {
            if (step is "" or "." or ".." || step.Contains('\\', StringComparison.Ordinal) || step.Contains('\0', StringComparison.Ordinal))
                throw new ArgumentException($"\"{name}\" is not a valid name in a storage.", nameof(name));
        }
    }

    /// <summary>Refuses what is neither the name of a folder nor the empty text, which means the root.</summary>
    /// <exception cref="ArgumentException">It is not a valid name.</exception>
    public static void CheckFolder(string folder)
    {
        ArgumentNullException.ThrowIfNull(folder);
        if (folder.Length > 0)
            Check(folder);
    }

    /// <summary>The error of a storage that was asked to write a file without replacing one, and there is one.</summary>
    /// <param name="file">The path or address of the file.</param>
    public static StorageException AlreadyThere(string file) =>
        new("A file with this name already exists.", new SaveLocation { File = file }, "Nothing was written; save again.")
        {
            AlreadyExists = true,
        };
}
