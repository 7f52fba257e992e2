using System.Buffers;
using System.Collections.Concurrent;

namespace Lodrik.Storage;

/// <summary>
/// A storage in a directory. A file is written under a temporary name, flushed to the disk and renamed, and the directory is
/// flushed after that: whatever dies in between, the file is entirely there or not at all.
/// </summary>
public sealed class DirectoryStorage : ISaveStorage
{
    /// <summary>What a file is called while it is being written; such a file is never taken for a save.</summary>
    internal const string TemporaryExtension = ".tmp";

    /// <summary>An empty file that the writing process holds open, and beside it who that is.</summary>
    internal const string LockFile = "lock";
    internal const string HolderFile = "lock.holder";

    private const int WriteAttempts = 2;

    private readonly string _root;
    private readonly SystemFiles _files;

    /// <summary>The folders that are known to survive a power failure.</summary>
    private readonly ConcurrentDictionary<string, bool> _safeFolders = new(StringComparer.Ordinal);

    /// <summary>The folders whose last change was not flushed, because that failed.</summary>
    private readonly ConcurrentDictionary<string, bool> _unsettled = new(StringComparer.Ordinal);

    /// <summary>A storage in that directory, which is created with the first file.</summary>
    public DirectoryStorage(string root)
        : this(root, SystemFiles.System)
    {
    }

    internal DirectoryStorage(string root, ISystemCalls calls)
        : this(root, new SystemFiles(calls))
    {
    }

    private DirectoryStorage(string root, SystemFiles files)
    {
        ArgumentException.ThrowIfNullOrEmpty(root);
        _root = Path.TrimEndingDirectorySeparator(Path.GetFullPath(root));
        _files = files;
        Place = RealPath.Of(_root);
    }

    /// <inheritdoc/>
    public string Description => _root;

    /// <inheritdoc/>
    public IReadOnlyList<StoredFile> List(string folder)
    {
        StorageNames.CheckFolder(folder);
        return Carefully(folder, path =>
        {
            SettleQuietly();
            return LeadsAway(path) ? [] : _files.List(path)
                .Where(file => !file.Path.EndsWith(TemporaryExtension, StringComparison.Ordinal))
                .Select(ToStored)
                .Where(file => file.Name is not (LockFile or HolderFile))
                .ToList();
        });
    }

    /// <inheritdoc/>
    public byte[]? ReadRange(string name, long offset, int count)
    {
        StorageNames.Check(name);
        ArgumentOutOfRangeException.ThrowIfNegative(offset);
        ArgumentOutOfRangeException.ThrowIfNegative(count);
        return ReadCarefully(name, path => ReadItself(path, offset, count));
    }

    /// <inheritdoc/>
    public byte[]? Read(string name)
    {
        StorageNames.Check(name);
        return ReadCarefully(name, path => ReadItself(path, 0, int.MaxValue));
    }

    /// <inheritdoc/>
    public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => Write(name, bytes, replace, like: null);

    /// <summary>Writes a file that may be read by whoever may read another.</summary>
    /// <param name="name">The file.</param>
    /// <param name="bytes">Its content.</param>
    /// <param name="replace">Whether a file of that name is replaced.</param>
    /// <param name="like">The other file; null for the one that is replaced.</param>
    internal void Write(string name, ReadOnlySequence<byte> bytes, bool replace, string? like)
    {
        StorageNames.Check(name);
        Carefully(name, path =>
        {
            SettleAll();
            var folder = Path.GetDirectoryName(path)!;
            MakeFolder(folder);
            var before = _files.Describe(path, followsLast: false);
            if (!replace && before is not null)
                throw StorageNames.AlreadyThere(path);
            // Who may read what is replaced may read what replaces it, and nobody else.
            var model = like is null ? before : _files.Describe(Locate(like), followsLast: true);
            var mode = model is { Kind: FileKind.File } known ? known.Mode : FileFacts.UsualMode;
            var temporary = WriteTemporary(path, bytes, mode);
            Put(temporary, path, replace);
            try
            {
                Settle(folder);
            }
            catch (SystemCallException)
            {
                PutAgain(path, folder, bytes, mode, replace);
            }
            return true;
        });
    }

    /// <inheritdoc/>
    public bool Delete(string name)
    {
        StorageNames.Check(name);
        return Carefully(name, path =>
        {
            SettleAll();
            if (LeadsAway(Path.GetDirectoryName(path)!) || !_files.Delete(path))
                return false;
            var folder = Path.GetDirectoryName(path)!;
            Settle(folder);
            _safeFolders.TryRemove(folder, out _);
            if (folder != _root)
                _files.RemoveEmptyFolder(folder);
            return true;
        });
    }

    /// <inheritdoc/>
    public object Place { get; }

    /// <inheritdoc/>
    public StorageHold TryHold() => Carefully(LockFile, path =>
    {
        MakeFolder(_root);
        var holderFile = Locate(HolderFile);
        IDisposable? held;
        try
        {
            held = _files.TryLock(path);
        }
        catch (SystemCallException exception) when (exception.Number is SystemError.NoLocks or SystemError.NotSupported
            or SystemError.OperationNotSupported)
        {
            return StorageHold.NotSupported;
        }
        if (held is null)
            return StorageHold.InUse(ReadHolder(holderFile));
        // For people and for the answer above; the lock itself is the open file.
        _files.Note(holderFile, $"{Environment.ProcessPath ?? "a program"}, process {Environment.ProcessId} on {Environment.MachineName}");
        DropLeftovers();
        return StorageHold.Held(held);
    });

    /// <summary>
    /// Writes bytes under a name that nothing else has, for good. A flush that fails may have dropped what was written and be silent the
    /// next time: the file is then written again, and never flushed again.
    /// </summary>
    private string WriteTemporary(string path, ReadOnlySequence<byte> bytes, int mode)
    {
        for (var attempt = 1; ; attempt++)
        {
            var temporary = $"{path}.{Guid.NewGuid():N}{TemporaryExtension}";
            try
            {
                _files.WriteNew(temporary, bytes, mode);
                return temporary;
            }
            catch (SystemCallException exception)
            {
                DropQuietly(temporary);
                if (attempt == WriteAttempts || exception.Number != SystemError.InputOutput)
                    throw;
            }
        }
    }

    /// <summary>Gives a file that was written for good its name.</summary>
    private void Put(string temporary, string path, bool replace)
    {
        var isPut = false;
        try
        {
            isPut = _files.Rename(temporary, path, replace);
        }
        finally
        {
            if (!isPut)
                DropQuietly(temporary);
        }
        if (!isPut)
            throw StorageNames.AlreadyThere(path);
    }

    /// <summary>
    /// The name that was put may not survive a power failure. It is put once more, as the change itself may be what was dropped; if that
    /// does not help either, a new file is taken back, so that what is reported failed is not there.
    /// </summary>
    private void PutAgain(string path, string folder, ReadOnlySequence<byte> bytes, int mode, bool replace)
    {
        try
        {
            Put(WriteTemporary(path, bytes, mode), path, replace: true);
            Settle(folder);
        }
        catch (SystemCallException)
        {
            if (!replace)
                DropQuietly(path);
            throw;
        }
    }

    /// <summary>Drops what writers left that died: whoever may write knows that nobody else is writing.</summary>
    private void DropLeftovers()
    {
        try
        {
            foreach (var (path, _) in _files.List(_root))
            {
                if (path.EndsWith(TemporaryExtension, StringComparison.Ordinal))
                    DropQuietly(path);
            }
        }
        catch (SystemCallException)
        {
            // They cost nothing but room.
        }
    }

    private string ReadHolder(string file)
    {
        try
        {
            return _files.Read(file, 0, 1000) is { Length: > 0 } text ? System.Text.Encoding.UTF8.GetString(text) : "another process";
        }
        catch (SystemCallException)
        {
            return "another process";
        }
    }

    /// <inheritdoc/>
    public string Locate(string name) => Path.Combine(_root, name.Replace('/', Path.DirectorySeparatorChar));

    /// <summary>Makes a folder and those above it, each entered for good into the one that holds it.</summary>
    private void MakeFolder(string folder)
    {
        var above = new Stack<(string Path, bool IsNew)>();
        for (var at = folder; at is not null; at = Path.GetDirectoryName(at))
        {
            // The root and what is above it may be links; what is below is ours, and a link there is a stranger's.
            var isThere = _files.Describe(at, followsLast: at == _root || !IsWithinRoot(at)) is { } facts
                && (facts.Kind == FileKind.Folder ? true : throw new StorageException(
                    $"A {(facts.Kind == FileKind.Link ? "link" : "file")} has the name of the folder.", new SaveLocation { File = at },
                    "Choose another folder, or move it away."));
            if (isThere && (_safeFolders.ContainsKey(at) || !IsWithinRoot(at)))
                break;
            above.Push((at, !isThere));
        }
        foreach (var (at, isNew) in above)
        {
            if (isNew)
                _files.MakeFolder(at);
            EnterForGood(at, isNew);
        }
    }

    /// <summary>
    /// Whether one of the folders on the way from the root is a link: a stranger's, since Lodrik makes none. What it leads to belongs to no
    /// storage here, whoever may want us to read or delete it.
    /// </summary>
    private bool LeadsAway(string folder)
    {
        for (var at = folder; at is not null && at != _root && IsWithinRoot(at); at = Path.GetDirectoryName(at))
        {
            if (_files.Describe(at, followsLast: false) is { Kind: FileKind.Link })
                return true;
        }
        return false;
    }

    /// <summary>Reads a file that is not a link, and is in no folder that is one.</summary>
    private byte[]? ReadItself(string path, long offset, int count)
    {
        try
        {
            return LeadsAway(Path.GetDirectoryName(path)!) ? null : _files.Read(path, offset, count, followsLast: false);
        }
        catch (SystemCallException exception) when (exception.Number == SystemError.Loop)
        {
            return null;
        }
    }

    private bool IsWithinRoot(string path) => path == _root || path.StartsWith(
        Path.EndsInDirectorySeparator(_root) ? _root : _root + Path.DirectorySeparatorChar, StringComparison.Ordinal);

    /// <summary>
    /// Flushes the folder that holds this one. A folder that is there already may have been made a moment ago, by a call that failed
    /// before it came to this; only the one that holds the root is nobody's business if it was there before.
    /// </summary>
    private void EnterForGood(string folder, bool isNew)
    {
        if (Path.GetDirectoryName(folder) is { } holder && (isNew || folder != _root))
            Settle(holder);
        else if (Path.GetDirectoryName(folder) is { } above)
            FlushQuietly(above);
        _safeFolders[folder] = true;
    }

    private void FlushQuietly(string folder)
    {
        try
        {
            _files.FlushFolder(folder);
        }
        catch (SystemCallException)
        {
            // Not every folder above may be opened.
        }
    }

    /// <summary>
    /// Makes the names in a folder survive a power failure; a folder where that failed is tried again before anything relies on it.
    /// </summary>
    private void Settle(string folder)
    {
        _unsettled[folder] = true;
        _files.FlushFolder(folder);
        _unsettled.TryRemove(folder, out _);
    }

    private void SettleAll()
    {
        foreach (var folder in _unsettled.Keys)
        {
            if (_files.Describe(folder) is null)
            {
                _unsettled.TryRemove(folder, out _);
                continue;
            }
            // A flush that failed may have forgotten what it was to write. A change of the folder makes it write all of it.
            var mark = Path.Combine(folder, $"{Guid.NewGuid():N}{TemporaryExtension}");
            _files.WriteNew(mark, default);
            DropQuietly(mark);
            Settle(folder);
        }
    }

    /// <summary>What is listed should be what a power failure leaves; where that cannot be had, it is listed all the same.</summary>
    private void SettleQuietly()
    {
        try
        {
            SettleAll();
        }
        catch (SystemCallException)
        {
            // The next change says so.
        }
    }

    private void DropQuietly(string path)
    {
        try
        {
            _files.Delete(path);
        }
        catch (SystemCallException)
        {
            // The error that led here says more. A temporary file that stays is never taken for a save.
        }
    }

    private StoredFile ToStored((string Path, FileFacts Facts) file)
    {
        var name = Path.GetRelativePath(_root, file.Path).Replace(Path.DirectorySeparatorChar, '/');
        return new StoredFile(name, file.Facts.ByteCount) { Stamp = file.Facts.Stamp };
    }

    private byte[]? ReadCarefully(string name, Func<string, byte[]?> read)
    {
        var path = Locate(name);
        try
        {
            return read(path);
        }
        catch (SystemCallException exception)
        {
            throw StorageException.From(
                exception, isOneFile: exception.Number is not (SystemError.TooManyOpen or SystemError.TooManyOpenHere));
        }
    }

    private T Carefully<T>(string name, Func<string, T> act)
    {
        var path = Locate(name);
        try
        {
            return act(path);
        }
        catch (SystemCallException exception)
        {
            throw StorageException.From(exception);
        }
    }
}
