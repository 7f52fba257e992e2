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

    private readonly string _root;
    private readonly IFileOperations _files;

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
            _files.List(path)
                .Where(file => !file.Path.EndsWith(TemporaryExtension, StringComparison.Ordinal))
                .Select(file => new StoredFile(Path.GetRelativePath(_root, file.Path).Replace(Path.DirectorySeparatorChar, '/'), file.Bytes))
                .ToList());
    }

    /// <inheritdoc/>
    public byte[]? Read(string name, long offset, int count)
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
            // Each step relies on the one before: content before name, name before the promise.
            var folder = Path.GetDirectoryName(path)!;
            MakeFolder(folder);
            if (!replace && _files.Exists(path))
                throw StorageNames.AlreadyThere(path);
            var temporary = path + TemporaryExtension;
            try
            {
                _files.WriteAndFlush(temporary, bytes);
                _files.Rename(temporary, path, replace);
            }
            catch
            {
                DropQuietly(temporary);
                throw;
            }
            _files.FlushFolder(folder);
            return true;
        });
    }

    /// <inheritdoc/>
    public bool Delete(string name)
    {
        StorageNames.Check(name);
        return Carefully(name, path =>
        {
            if (!_files.Exists(path))
                return false;
            _files.Delete(path);
            var folder = Path.GetDirectoryName(path)!;
            _files.FlushFolder(folder);
            _files.DropEmptyFolder(folder);
            return true;
        });
    }

    /// <inheritdoc/>
    public string Locate(string name) => Path.Combine(_root, name.Replace('/', Path.DirectorySeparatorChar));

    /// <summary>Makes a folder and those above it, each entered for good into the one that holds it.</summary>
    private void MakeFolder(string folder)
    {
        var missing = new Stack<string>();
        for (var at = folder; at is not null && !_files.FolderExists(at); at = Path.GetDirectoryName(at))
            missing.Push(at);
        foreach (var at in missing)
        {
            try
            {
                _files.MakeFolder(at);
            }
            catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
            {
                throw new StorageException(
                    "The folder cannot be created.", new SaveLocation { File = at }, "Check the path, and who may write there.", exception);
            }
            if (Path.GetDirectoryName(at) is { } above)
                _files.FlushFolder(above);
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

    void WriteAndFlush(string path, ReadOnlyMemory<byte> bytes);

    void Rename(string from, string to, bool replace);

    void Delete(string path);

    void FlushFolder(string path);
}

/// <summary>The operations of the system's own files.</summary>
internal sealed partial class FileOperations : IFileOperations
{
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
        return new DirectoryInfo(folder).EnumerateFiles("*", SearchOption.AllDirectories).Select(file => (file.FullName, file.Length));
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

    public void WriteAndFlush(string path, ReadOnlyMemory<byte> bytes)
    {
        using var file = File.OpenHandle(path, FileMode.Create, FileAccess.Write, FileShare.None, preallocationSize: bytes.Length);
        RandomAccess.Write(file, bytes.Span, 0);
        RandomAccess.FlushToDisk(file);
    }

    public void Rename(string from, string to, bool replace) => File.Move(from, to, overwrite: replace);

    public void Delete(string path) => File.Delete(path);

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
