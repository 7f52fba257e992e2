using Lodrik.Storage;

namespace Lodrik.Tests.Storage;

/// <summary>The power failed. Nothing that a program does after that has any effect.</summary>
public sealed class PowerCutException : Exception;

/// <summary>
/// A disk that keeps what was flushed and is free to forget, to tear and to reorder everything else, as POSIX allows. It can lose its
/// power after any single call of the system, and any call can fail. It forgets what a failed flush was to write, and says nothing of that
/// when it is asked to flush again, as Linux does; it writes as little at once as it likes, and signals interrupt it.
/// </summary>
internal sealed class SimulatedDisk(Random random) : ISystemCalls
{
    private readonly Dictionary<string, Inode> _names = new(StringComparer.Ordinal);
    private readonly HashSet<string> _folders = ["/"];
    private readonly List<Pending> _pending = [];
    private readonly List<Pending> _dropped = [];
    private readonly Dictionary<int, (string Path, Inode? File)> _open = [];
    private int _lastOpen;
    private Dictionary<string, Inode> _safeNames = new(StringComparer.Ordinal);
    private HashSet<string> _safeFolders = ["/"];
    private bool _isDead;

    /// <summary>How many operations have changed something.</summary>
    public int Operations { get; private set; }

    /// <summary>The operation after which the power fails; in the middle of it, if it is a write.</summary>
    public int? PowerFailsAfter { get; set; }

    /// <summary>The operation that fails, and with which of the system's errors (28 is a full disk).</summary>
    public (int Operation, int Error)? Fails { get; set; }

    /// <summary>The flushes that fail, counted among flushes only; what they were to write is forgotten.</summary>
    public (int First, int Count)? FlushesFail { get; set; }

    /// <summary>How often something was flushed.</summary>
    public int Flushes { get; private set; }

    /// <summary>The disk as it is found when the power is back.</summary>
    public SimulatedDisk AfterPowerCut()
    {
        var found = new SimulatedDisk(random) { _safeNames = new(_safeNames, StringComparer.Ordinal), _safeFolders = [.. _safeFolders] };
        foreach (var change in _pending.Concat(_dropped))
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
                found._safeNames[path] = new Inode { Content = inode.AfterPowerCut(random), State = Safety.Safe };
        }
        found._safeFolders.RemoveWhere(folder => folder != "/" && !found._safeFolders.Contains(Parent(folder)));
        foreach (var (path, inode) in found._safeNames)
            found._names[path] = inode;
        found._folders.UnionWith(found._safeFolders);
        return found;
    }

    public int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode) => Do(purpose == OpenFor.Creating, () =>
    {
        if (purpose == OpenFor.Folder)
            return _folders.Contains(path) ? Opened(path, null) : -SystemError.NotThere;
        var file = _names.GetValueOrDefault(path);
        if (purpose is OpenFor.Reading or OpenFor.ReadingItself)
            return file is null ? -SystemError.NotThere : Opened(path, file);
        if (!_folders.Contains(Parent(path)))
            return -SystemError.NotThere;
        if (file is not null && purpose == OpenFor.Creating)
            return -SystemError.AlreadyThere;
        if (file is null)
        {
            // The file is there as soon as it is created, with as much in it as was written when the power fails or the disk is full.
            file = _names[path] = new Inode();
            Change(Parent(path), (names, _) => names[path] = file);
        }
        return Opened(path, file);
    });

    public long Read(int file, Span<byte> bytes, long offset)
    {
        Live();
        var content = _open[file].File!.Content.AsSpan((int)Math.Min(offset, _open[file].File!.Content.Length));
        // No more than asked for, and often less.
        var count = Math.Min(bytes.Length, content.Length);
        count = count > 1 && random.Next(4) == 0 ? count / 2 : count;
        content[..count].CopyTo(bytes);
        return count;
    }

    public long Write(int file, ReadOnlySpan<byte> bytes, long offset)
    {
        Live();
        if (random.Next(8) == 0)
            return -SystemError.Interrupted;
        var part = bytes[..(bytes.Length > 1 && random.Next(2) == 0 ? (bytes.Length / 2) : bytes.Length)].ToArray();
        return Do(true, () =>
        {
            var inode = _open[file].File!;
            inode.Content = [.. inode.Content.AsSpan(0, (int)offset), .. part];
            inode.State = Safety.Unsafe;
            return part.Length;
        });
    }

    public int Flush(int file) => Do(true, () =>
    {
        var (path, inode) = _open[file];
        Flushes++;
        if (FlushesFail is { } failing && Flushes >= failing.First && Flushes < failing.First + failing.Count)
        {
            Forget(path, inode);
            return -SystemError.InputOutput;
        }
        if (inode is not null)
        {
            if (inode.State == Safety.Unsafe)
                inode.State = Safety.Safe;
            return 0;
        }
        foreach (var change in _pending.Where(change => change.Folder == path).ToList())
        {
            change.Apply(_safeNames, _safeFolders);
            _pending.Remove(change);
        }
        return 0;
    });

    public int Lock(int file) => 0;

    public int Close(int file)
    {
        _open.Remove(file);
        return 0;
    }

    public int Rename(string from, string to, bool replace) => Do(true, () =>
    {
        if (!replace && _names.ContainsKey(to))
            return -SystemError.AlreadyThere;
        if (!_names.Remove(from, out var inode))
            return -SystemError.NotThere;
        _names[to] = inode;
        Change(Parent(to), (names, _) =>
        {
            names.Remove(from);
            names[to] = inode;
        });
        return 0;
    });

    public int Delete(string file) => Do(true, () =>
    {
        if (!_names.Remove(file))
            return -SystemError.NotThere;
        Change(Parent(file), (names, _) => names.Remove(file));
        return 0;
    });

    public int MakeFolder(string path) => Do(true, () =>
    {
        if (!_folders.Add(path))
            return -SystemError.AlreadyThere;
        Change(Parent(path), (_, folders) => folders.Add(path));
        return 0;
    });

    public int RemoveFolder(string path)
    {
        if (_names.Keys.Any(name => Parent(name) == path) || _folders.Any(folder => folder != path && Parent(folder) == path))
            return -39;
        return Do(true, () =>
        {
            _folders.Remove(path);
            Change(Parent(path), (names, folders) =>
            {
                folders.Remove(path);
                foreach (var name in names.Keys.Where(name => Parent(name) == path).ToList())
                    names.Remove(name);
            });
            return 0;
        });
    }

    public int Describe(string path, bool followsLast, out FileFacts facts)
    {
        Live();
        facts = _folders.Contains(path) ? new FileFacts(FileKind.Folder, 0, 0)
            : _names.TryGetValue(path, out var inode) ? new FileFacts(FileKind.File, inode.Content.Length, inode.GetHashCode()) : default;
        return _folders.Contains(path) || _names.ContainsKey(path) ? 0 : -SystemError.NotThere;
    }

    public int Describe(int file, out FileFacts facts)
    {
        Live();
        facts = new FileFacts(FileKind.File, _open[file].File!.Content.Length, 0);
        return 0;
    }

    public int List(string folder, List<FolderEntry> entries)
    {
        Live();
        if (!_folders.Contains(folder))
            return -SystemError.NotThere;
        entries.AddRange(_names.Keys.Where(name => Parent(name) == folder).Select(name => new FolderEntry(name[(folder.TrimEnd('/').Length + 1)..], FileKind.File)));
        entries.AddRange(_folders.Where(name => name != "/" && Parent(name) == folder).Select(name => new FolderEntry(name[(folder.TrimEnd('/').Length + 1)..], FileKind.Folder)));
        return 0;
    }

    private int Opened(string path, Inode? file)
    {
        _open.Add(++_lastOpen, (path, file));
        return _lastOpen;
    }

    /// <summary>A flush failed: a file's pages count as clean and are not written any more, a folder's changes neither until it changes again.</summary>
    private void Forget(string path, Inode? inode)
    {
        if (inode is not null)
        {
            inode.State = Safety.Forgotten;
            return;
        }
        _dropped.AddRange(_pending.Where(change => change.Folder == path));
        _pending.RemoveAll(change => change.Folder == path);
    }

    private void Change(string folder, Action<Dictionary<string, Inode>, HashSet<string>> apply)
    {
        _pending.AddRange(_dropped.Where(change => change.Folder == folder));
        _dropped.RemoveAll(change => change.Folder == folder);
        _pending.Add(new Pending(folder, apply));
    }

    private int Do(bool changes, Func<int> act)
    {
        Live();
        if (!changes)
            return act();
        Operations++;
        if (Fails is { } failure && failure.Operation == Operations)
            return -failure.Error;
        if (PowerFailsAfter == Operations && random.Next(2) == 0)
            Die();
        var result = act();
        if (PowerFailsAfter == Operations)
            Die();
        return result;
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

    /// <summary>What became of a file's content.</summary>
    private enum Safety
    {
        Unsafe,
        Safe,

        /// <summary>A flush failed: it is as good as unsafe, and flushing again does nothing.</summary>
        Forgotten,
    }

    /// <summary>A file's content, whatever its names.</summary>
    private sealed class Inode
    {
        public byte[] Content { get; set; } = [];

        public Safety State { get; set; }

        public byte[] AfterPowerCut(Random random) => State == Safety.Safe ? Content : random.Next(4) switch
        {
            0 => [],
            1 => Content[..random.Next(Content.Length + 1)],
            2 => [.. Content[..(Content.Length / 2)], .. new byte[Content.Length - (Content.Length / 2)]],
            _ => Content,
        };
    }

    /// <summary>A change of a folder that is not flushed yet.</summary>
    private sealed record Pending(string Folder, Action<Dictionary<string, Inode>, HashSet<string>> Apply);
}
