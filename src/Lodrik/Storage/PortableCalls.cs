using Microsoft.Win32.SafeHandles;

namespace Lodrik.Storage;

/// <summary>
/// The same calls by the runtime's own classes, for systems that Lodrik is not made for. What the runtime does not tell cannot be
/// told here: a file's other kinds, errors when flushing, and the names in a folder are not flushed.
/// </summary>
internal sealed class PortableCalls : ISystemCalls
{
    private readonly Dictionary<int, FileStream> _files = [];
    private int _last;

    public int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode) => Try(() =>
    {
        if (purpose == OpenFor.Folder)
            return Directory.Exists(path) ? 0 : -SystemError.NotThere;
        if (purpose == OpenFor.ReadingItself && new FileInfo(path).LinkTarget is not null)
            return -SystemError.Loop;
        var (opening, access, share) = purpose switch
        {
            OpenFor.Reading or OpenFor.ReadingItself => (FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete),
            OpenFor.Creating => (FileMode.CreateNew, FileAccess.Write, FileShare.Read),
            OpenFor.Replacing => (FileMode.Create, FileAccess.Write, FileShare.Read),
            _ => (FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None),
        };
        var file = new FileStream(path, opening, access, share, bufferSize: 0);
        lock (_files)
        {
            _files.Add(++_last, file);
            return _last;
        }
    }, purpose == OpenFor.Locking);

    public long Read(int file, Span<byte> bytes, long offset) => RandomAccess.Read(Handle(file), bytes, offset);

    public long Write(int file, ReadOnlySpan<byte> bytes, long offset)
    {
        RandomAccess.Write(Handle(file), bytes, offset);
        return bytes.Length;
    }

    public int Flush(int file)
    {
        if (file > 0)
            RandomAccess.FlushToDisk(Handle(file));
        return 0;
    }

    // Opening a file for locking shares it with nobody.
    public int Lock(int file) => 0;

    public int Close(int file)
    {
        lock (_files)
        {
            if (_files.Remove(file, out var open))
                open.Dispose();
        }
        return 0;
    }

    public int Rename(string from, string to, bool replace) => Try(() =>
    {
        if (!replace && File.Exists(to))
            return -SystemError.AlreadyThere;
        File.Move(from, to, replace);
        return 0;
    });

    public int Delete(string file) => Try(() =>
    {
        if (!File.Exists(file))
            return Directory.Exists(file) ? -SystemError.IsAFolder : -SystemError.NotThere;
        File.Delete(file);
        return 0;
    });

    public int MakeFolder(string path) => Try(() =>
    {
        if (Path.Exists(path))
            return -SystemError.AlreadyThere;
        Directory.CreateDirectory(path);
        return 0;
    });

    public int RemoveFolder(string path) => Try(() =>
    {
        Directory.Delete(path);
        return 0;
    });

    public int Describe(string path, bool followsLast, out FileFacts facts)
    {
        var found = default(FileFacts);
        var result = Try(() =>
        {
            FileSystemInfo info = File.GetAttributes(path).HasFlag(FileAttributes.Directory) ? new DirectoryInfo(path) : new FileInfo(path);
            var stamp = info.LastWriteTimeUtc.Ticks;
            if (!followsLast && info.LinkTarget is not null)
                found = new FileFacts(FileKind.Link, 0, stamp);
            else
                found = info is FileInfo file ? new FileFacts(FileKind.File, file.Length, stamp) : new FileFacts(FileKind.Folder, 0, stamp);
            return 0;
        });
        facts = found;
        return result;
    }

    public int Describe(int file, out FileFacts facts)
    {
        facts = new FileFacts(FileKind.File, RandomAccess.GetLength(Handle(file)), 0);
        return 0;
    }

    public int List(string folder, List<FolderEntry> entries) => Try(() =>
    {
        foreach (var entry in new DirectoryInfo(folder).EnumerateFileSystemInfos())
        {
            entries.Add(new FolderEntry(
                entry.Name, entry.LinkTarget is not null ? FileKind.Link : entry is DirectoryInfo ? FileKind.Folder : FileKind.File));
        }
        return 0;
    });

    private SafeFileHandle Handle(int file)
    {
        lock (_files)
            return _files[file].SafeFileHandle;
    }

    private static int Try(Func<int> act, bool isLocking = false)
    {
        try
        {
            return act();
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            return exception switch
            {
                FileNotFoundException or DirectoryNotFoundException => -SystemError.NotThere,
                UnauthorizedAccessException => -SystemError.NoAccess,
                PathTooLongException => -SystemError.NameTooLong,
                _ => isLocking ? -SystemError.WouldBlock : -SystemError.InputOutput,
            };
        }
    }
}
