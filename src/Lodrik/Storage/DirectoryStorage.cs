using System.Collections.Concurrent;
using System.Runtime.InteropServices;

namespace Lodrik.Storage;

/// <summary>
/// A storage in a directory. A file is written under a temporary name, flushed to the disk and renamed, and the directory is
/// flushed after that: whatever dies in between, the file is wholly there or not at all.
/// </summary>
public sealed class DirectoryStorage : ISaveStorage
{
    /// <summary>What a file is called while it is being written; such a file is never taken for a save.</summary>
    internal const string TemporaryExtension = ".tmp";

    /// <summary>An empty file that the writing process holds open, and beside it who that is.</summary>
    internal const string LockFile = "lock";
    internal const string HolderFile = "lock.holder";

    private readonly string _root;
    private readonly IFileOperations _files;

    /// <summary>The folders that are known to survive a power failure.</summary>
    private readonly ConcurrentDictionary<string, bool> _safeFolders = new(StringComparer.Ordinal);

    /// <summary>The folders whose last change was not flushed, because that failed.</summary>
    private readonly ConcurrentDictionary<string, bool> _unsettled = new(StringComparer.Ordinal);

    /// <summary>A storage in that directory, which is created with the first file.</summary>
    public DirectoryStorage(string root)
        : this(root, FileOperations.System)
    {
    }

    internal DirectoryStorage(string root, IFileOperations files)
    {
        ArgumentException.ThrowIfNullOrEmpty(root);
        _root = Path.GetFullPath(root);
        _files = files;
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
            return _files.List(path)
                .Where(file => !file.Path.EndsWith(TemporaryExtension, StringComparison.Ordinal))
                .Select(file =>
                    new StoredFile(Path.GetRelativePath(_root, file.Path).Replace(Path.DirectorySeparatorChar, '/'), file.Bytes))
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
        return Carefully(name, path => _files.Read(path, offset, count));
    }

    /// <inheritdoc/>
    public byte[]? Read(string name)
    {
        StorageNames.Check(name);
        return Carefully(name, path => _files.Read(path, 0, int.MaxValue));
    }

    /// <inheritdoc/>
    public void Write(string name, ReadOnlyMemory<byte> bytes, bool replace)
    {
        StorageNames.Check(name);
        Carefully(name, path =>
        {
            SettleAll();
            // Each step relies on the one before: content before name, name before the promise.
            var folder = Path.GetDirectoryName(path)!;
            MakeFolder(folder);
            if (!replace && _files.Exists(path))
                throw StorageNames.AlreadyThere(path);
            var temporary = path + TemporaryExtension;
            try
            {
                _files.Write(temporary, bytes);
                _files.Flush(temporary);
                _files.Rename(temporary, path, replace);
            }
            catch
            {
                DropQuietly(temporary);
                throw;
            }
            Settle(folder);
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
            if (!_files.Exists(path))
                return false;
            _files.Delete(path);
            var folder = Path.GetDirectoryName(path)!;
            Settle(folder);
            _safeFolders.TryRemove(folder, out _);
            _files.DropEmptyFolder(folder);
            return true;
        });
    }

    /// <inheritdoc/>
    public object Place => _root;

    /// <inheritdoc/>
    public StorageHold TryHold() => Carefully(LockFile, path =>
    {
        MakeFolder(_root);
        var holderFile = Locate(HolderFile);
        if (_files.TryHold(path) is not { } held)
            return StorageHold.InUse(ReadHolder(holderFile));
        try
        {
            // For people and for the answer above; the lock itself is the open file.
            _files.Note(
                holderFile, $"{Environment.ProcessPath ?? "a program"}, process {Environment.ProcessId} on {Environment.MachineName}");
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            // Who holds the lock is then not known; that it is held is.
        }
        return StorageHold.Held(held);
    });

    private string ReadHolder(string file)
    {
        try
        {
            return _files.Read(file, 0, 1000) is { Length: > 0 } text ? System.Text.Encoding.UTF8.GetString(text) : "another process";
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            return "another process";
        }
    }

    /// <inheritdoc/>
    public string Locate(string name) => Path.Combine(_root, name.Replace('/', Path.DirectorySeparatorChar));

    /// <summary>Makes a folder and those above it, each entered for good into the one that holds it.</summary>
    private void MakeFolder(string folder)
    {
        var above = new Stack<string>();
        for (var at = folder; at is not null && !(_safeFolders.ContainsKey(at) && _files.FolderExists(at))
            && (at.StartsWith(_root, StringComparison.Ordinal) || !_files.FolderExists(at)); at = Path.GetDirectoryName(at))
            above.Push(at);
        foreach (var at in above)
        {
            var isNew = !_files.FolderExists(at);
            try
            {
                if (isNew)
                    _files.MakeFolder(at);
            }
            catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
            {
                throw new StorageException(
                    "The folder cannot be created.", new SaveLocation { File = at }, "Check the path, and who may write there.", exception);
            }
            EnterForGood(at, isNew);
        }
    }

    /// <summary>
    /// Flushes the folder that holds this one. A folder that is there already may have been made a moment ago, by a call that failed
    /// before it came to this; only the one that holds the root is nobody's business if it was there before.
    /// </summary>
    private void EnterForGood(string folder, bool isNew)
    {
        try
        {
            if (Path.GetDirectoryName(folder) is { } holder)
                _files.FlushFolder(holder);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException && folder == _root && !isNew)
        {
            // Not every folder above may be opened.
        }
        _safeFolders[folder] = true;
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
            if (_files.FolderExists(folder))
                Settle(folder);
            else
                _unsettled.TryRemove(folder, out _);
        }
    }

    /// <summary>What is listed should be what a power failure leaves; where that cannot be had, it is listed all the same.</summary>
    private void SettleQuietly()
    {
        try
        {
            SettleAll();
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
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
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            // A temporary file that stays is never taken for a save; the error that led here says more.
        }
    }

    private T Carefully<T>(string name, Func<string, T> act)
    {
        var path = Locate(name);
        try
        {
            return act(path);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw StorageException.From(exception, path);
        }
    }
}

/// <summary>The single operations that a directory storage is made of, each as the system has it.</summary>
internal interface IFileOperations
{
    bool Exists(string path);

    bool FolderExists(string path);

    void MakeFolder(string path);

    void DropEmptyFolder(string path);

    IEnumerable<(string Path, long Bytes)> List(string folder);

    byte[]? Read(string path, long offset, int count);

    void Write(string path, ReadOnlyMemory<byte> bytes);

    void Flush(string path);

    void Rename(string from, string to, bool replace);

    void Delete(string path);

    void FlushFolder(string path);

    /// <summary>Opens a file so that no other process can, until it is let go of; null where another has it.</summary>
    IDisposable? TryHold(string path);

    /// <summary>Writes a small text that nothing depends on.</summary>
    void Note(string path, string text);
}

/// <summary>The operations of the system's own files.</summary>
internal sealed partial class FileOperations : IFileOperations
{
    private const int ListAttempts = 100;

    public static FileOperations System { get; } = new();

    public bool Exists(string path) => File.Exists(path);

    public bool FolderExists(string path) => Directory.Exists(path);

    public void MakeFolder(string path) => Directory.CreateDirectory(path);

    public void DropEmptyFolder(string path)
    {
        try
        {
            Directory.Delete(path);
        }
        catch (IOException)
        {
            // It is not empty.
        }
    }

    public IEnumerable<(string Path, long Bytes)> List(string folder)
    {
        if (!Directory.Exists(folder))
            return File.Exists(folder) ? throw new IOException("A file stands where the folder of the saves should be.") : [];
        for (var attempt = 1; ; attempt++)
        {
            try
            {
                return [.. Directory.EnumerateDirectories(folder, "*", SearchOption.AllDirectories).Prepend(folder).SelectMany(FilesOf)];
            }
            catch (DirectoryNotFoundException) when (attempt < ListAttempts && Directory.Exists(folder))
            {
                // Another process deleted a slot while its folder was being listed.
            }
        }
    }

    /// <summary>
    /// The files that stand in one folder. Where another process renamed or deleted one since it was listed, the list is an old one, on
    /// which a slot that is saved to all the time may seem to have no generation at all: the folder is listed anew.
    /// </summary>
    private static List<(string Path, long Bytes)> FilesOf(string folder)
    {
        for (var attempt = 1; ; attempt++)
        {
            var files = new List<(string, long)>();
            var isOld = false;
            foreach (var file in new DirectoryInfo(folder).EnumerateFiles())
            {
                try
                {
                    files.Add((file.FullName, file.Length));
                }
                catch (FileNotFoundException)
                {
                    isOld = true;
                }
            }
            if (!isOld || attempt == ListAttempts)
                return files;
        }
    }

    public byte[]? Read(string path, long offset, int count)
    {
        try
        {
            using var file = File.OpenHandle(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
            var length = RandomAccess.GetLength(file);
            var bytes = new byte[(int)Math.Clamp(length - offset, 0, Math.Min(count, Array.MaxLength))];
            var read = 0;
            while (read < bytes.Length)
            {
                var more = RandomAccess.Read(file, bytes.AsSpan(read), offset + read);
                if (more == 0)
                    return bytes[..read];
                read += more;
            }
            return bytes;
        }
        catch (Exception exception) when (exception is FileNotFoundException or DirectoryNotFoundException)
        {
            return null;
        }
    }

    public void Write(string path, ReadOnlyMemory<byte> bytes)
    {
        using var file = File.OpenHandle(path, FileMode.Create, FileAccess.Write, FileShare.None, preallocationSize: bytes.Length);
        RandomAccess.Write(file, bytes.Span, 0);
    }

    /// <summary>Makes a file's content survive a power failure, whichever handle it was written through.</summary>
    public void Flush(string path)
    {
        using var file = File.OpenHandle(path, FileMode.Open, FileAccess.ReadWrite, FileShare.None);
        RandomAccess.FlushToDisk(file);
    }

    public void Rename(string from, string to, bool replace) => File.Move(from, to, overwrite: replace);

    public void Delete(string path) => File.Delete(path);

    public IDisposable? TryHold(string path)
    {
        try
        {
            return new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        }
        catch (IOException) when (File.Exists(path))
        {
            return null;
        }
    }

    public void Note(string path, string text) => File.WriteAllText(path, text);

    /// <summary>
    /// Makes the names in a folder survive a power failure. File handles refuse folders, so this asks the system itself;
    /// elsewhere than on Unix the system does it with the rename.
    /// </summary>
    public void FlushFolder(string path)
    {
        if (OperatingSystem.IsWindows())
            return;
        const int CloseOnExec = 0x80000;
        var handle = Open(path, OperatingSystem.IsLinux() ? CloseOnExec : 0);
        if (handle < 0)
            throw new IOException($"The folder {path} cannot be opened to flush it (error {Marshal.GetLastPInvokeError()}).");
        try
        {
            if (Flush(handle) != 0)
                throw new IOException($"The folder {path} cannot be flushed (error {Marshal.GetLastPInvokeError()}).");
        }
        finally
        {
            Close(handle);
        }
    }

    [LibraryImport("libc", EntryPoint = "open", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Open(string path, int flags);

    [LibraryImport("libc", EntryPoint = "fsync", SetLastError = true)]
    private static partial int Flush(int handle);

    [LibraryImport("libc", EntryPoint = "close", SetLastError = true)]
    private static partial int Close(int handle);
}
