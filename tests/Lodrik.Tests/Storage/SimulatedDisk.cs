using Lodrik.Storage;

namespace Lodrik.Tests.Storage;

/// <summary>The power failed. Nothing that a program does after that has any effect.</summary>
public sealed class PowerCutException : Exception;

/// <summary>
/// A disk that keeps what was flushed and is free to forget, to tear and to reorder everything else, as POSIX allows. It can lose its
/// power after any single operation, and any operation can fail.
/// </summary>
internal sealed class SimulatedDisk(Random random) : IFileOperations
{
    private readonly Dictionary<string, Inode> _names = new(StringComparer.Ordinal);
    private readonly HashSet<string> _folders = ["/"];
    private readonly List<Change> _pending = [];
    private Dictionary<string, Inode> _safeNames = new(StringComparer.Ordinal);
    private HashSet<string> _safeFolders = ["/"];
    private bool _isDead;

    /// <summary>How many operations have changed something.</summary>
    public int Operations { get; private set; }

    /// <summary>The operation after which the power fails; in the middle of it, if it is a write.</summary>
    public int? PowerFailsAfter { get; set; }

    /// <summary>The operation that fails, and with which of the system's errors (28 is a full disk).</summary>
    public (int Operation, int Error)? Fails { get; set; }

    /// <summary>The disk as it is found when the power is back.</summary>
    public SimulatedDisk AfterPowerCut()
    {
        var found = new SimulatedDisk(random) { _safeNames = new(_safeNames, StringComparer.Ordinal), _safeFolders = [.. _safeFolders] };
        foreach (var change in _pending)
        {
            // What was not flushed may have reached the disk or not, and one change without the one before it.
            if (random.Next(2) == 0)
                change.Apply(found._safeNames, found._safeFolders);
        }
        foreach (var (path, inode) in found._safeNames.ToList())
        {
            if (!found._safeFolders.Contains(Parent(path)))
                found._safeNames.Remove(path);
            else
                found._safeNames[path] = new Inode { Content = inode.AfterPowerCut(random), IsSafe = true };
        }
        found._safeFolders.RemoveWhere(folder => folder != "/" && !found._safeFolders.Contains(Parent(folder)));
        foreach (var (path, inode) in found._safeNames)
            found._names[path] = inode;
        found._folders.UnionWith(found._safeFolders);
        return found;
    }

    public bool Exists(string path) => _names.ContainsKey(path);

    public bool FolderExists(string path) => _folders.Contains(path);

    public void MakeFolder(string path) => Do(path, () =>
    {
        _folders.Add(path);
        _pending.Add(new Change(Parent(path), (_, folders) => folders.Add(path)));
    });

    public void DropEmptyFolder(string path)
    {
        if (_names.Keys.Any(name => Parent(name) == path) || _folders.Any(folder => folder != path && Parent(folder) == path))
            return;
        Do(path, () =>
        {
            _folders.Remove(path);
            _pending.Add(new Change(Parent(path), (names, folders) =>
            {
                folders.Remove(path);
                foreach (var name in names.Keys.Where(name => Parent(name) == path).ToList())
                    names.Remove(name);
            }));
        });
    }

    public IEnumerable<(string Path, long Bytes)> List(string folder)
    {
        Live();
        return [.. _names.Where(name => name.Key.StartsWith(folder.TrimEnd('/') + "/", StringComparison.Ordinal)).Select(name => (name.Key, (long)name.Value.Content.Length))];
    }

    public byte[]? Read(string path, long offset, int count)
    {
        Live();
        return _names.TryGetValue(path, out var inode) ? [.. inode.Content.Skip((int)offset).Take(count)] : null;
    }

    public void Write(string path, ReadOnlyMemory<byte> bytes)
    {
        var inode = new Inode();
        // The file is there as soon as it is created, with as much in it as was written when the power fails or the disk is full.
        _names[path] = inode;
        _pending.Add(new Change(Parent(path), (names, _) => names[path] = inode));
        inode.Content = bytes.Span[..(bytes.Length / 2)].ToArray();
        Do(path, () => inode.Content = bytes.ToArray());
    }

    public void Flush(string path) => Do(path, () => _names[path].IsSafe = true);

    public void Rename(string from, string to, bool replace) => Do(to, () =>
    {
        if (!replace && _names.ContainsKey(to))
            throw new IOException("It is there already.");
        var inode = _names[from];
        _names.Remove(from);
        _names[to] = inode;
        _pending.Add(new Change(Parent(to), (names, _) =>
        {
            names.Remove(from);
            names[to] = inode;
        }));
    });

    public void Delete(string path) => Do(path, () =>
    {
        _names.Remove(path);
        _pending.Add(new Change(Parent(path), (names, _) => names.Remove(path)));
    });

    public void FlushFolder(string path) => Do(path, () =>
    {
        foreach (var change in _pending.Where(change => change.Folder == path).ToList())
        {
            change.Apply(_safeNames, _safeFolders);
            _pending.Remove(change);
        }
    });

    public IDisposable? TryHold(string path) => new MemoryStream();

    public void Note(string path, string text)
    {
    }

    private void Do(string path, Action act)
    {
        Live();
        Operations++;
        if (Fails is { } failure && failure.Operation == Operations)
            throw new IOException($"The disk refuses {path}.", failure.Error);
        if (PowerFailsAfter == Operations && random.Next(2) == 0)
            Die();
        act();
        if (PowerFailsAfter == Operations)
            Die();
    }

    private void Die()
    {
        _isDead = true;
        throw new PowerCutException();
    }

    private void Live()
    {
        if (_isDead)
            throw new PowerCutException();
    }

    private static string Parent(string path) => path.LastIndexOf('/') is > 0 and var slash ? path[..slash] : "/";

    /// <summary>A file's content, whatever its names.</summary>
    private sealed class Inode
    {
        public byte[] Content { get; set; } = [];

        /// <summary>Whether the content was flushed.</summary>
        public bool IsSafe { get; set; }

        public byte[] AfterPowerCut(Random random) => IsSafe ? Content : random.Next(4) switch
        {
            0 => [],
            1 => Content[..random.Next(Content.Length + 1)],
            2 => [.. Content[..(Content.Length / 2)], .. new byte[Content.Length - (Content.Length / 2)]],
            _ => Content,
        };
    }

    /// <summary>A change of a folder that is not flushed yet.</summary>
    private sealed record Change(string Folder, Action<Dictionary<string, Inode>, HashSet<string>> Apply);
}
