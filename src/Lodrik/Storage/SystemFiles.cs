using System.Buffers;

namespace Lodrik.Storage;

/// <summary>
/// Files by the system's calls: the one place that says what each answer means. Only "there is no such entry" means that something is
/// not there; a call that was interrupted is made again; whatever else is an error is thrown as one.
/// </summary>
internal sealed class SystemFiles(ISystemCalls calls)
{
    /// <summary>How often a folder is listed again while somebody changes it.</summary>
    private const int ListAttempts = 100;

    public static SystemFiles System { get; } =
        new(OperatingSystem.IsLinux() && Environment.Is64BitProcess ? new LinuxCalls() : new PortableCalls());

    /// <summary>What a path leads to; null if there is nothing.</summary>
    /// <param name="path">The path.</param>
    /// <param name="followsLast">Whether a link at its end is followed; otherwise the link itself is described.</param>
    /// <exception cref="SystemCallException">It cannot be told.</exception>
    public FileFacts? Describe(string path, bool followsLast = true)
    {
        FileFacts facts = default;
        var result = Again(() => calls.Describe(path, followsLast, out facts));
        return result >= 0 ? facts : result == -SystemError.NotThere ? null : throw Failed("look at", path, result);
    }

    /// <summary>Makes a folder that may be there.</summary>
    /// <exception cref="SystemCallException">It cannot be made, or is a file.</exception>
    public void MakeFolder(string path)
    {
        var result = Again(() => calls.MakeFolder(path));
        if (result >= 0 || (result == -SystemError.AlreadyThere && Describe(path) is { Kind: FileKind.Folder }))
            return;
        throw Failed("create the folder", path, result == -SystemError.AlreadyThere ? -SystemError.NotAFolder : result);
    }

    /// <summary>Removes a folder if it is empty.</summary>
    public void RemoveEmptyFolder(string path) => _ = Again(() => calls.RemoveFolder(path));

    /// <summary>
    /// All files below a folder. Links are none of them: what they lead to is elsewhere, or leads back. A folder that is not there has no
    /// files.
    /// </summary>
    /// <exception cref="SystemCallException">It cannot be listed.</exception>
    public List<(string Path, FileFacts Facts)> List(string folder)
    {
        var files = new List<(string, FileFacts)>();
        var folders = new Stack<string>([folder]);
        while (folders.TryPop(out var next))
            ListOne(next, files, folders);
        return files;
    }

    /// <summary>
    /// The files that are in one folder. If another process renamed or deleted one since it was listed, the list is an old one, on which
    /// a slot that is saved to all the time may seem to have no generation at all: the folder is listed again.
    /// </summary>
    private void ListOne(string folder, List<(string Path, FileFacts Facts)> files, Stack<string> folders)
    {
        for (var attempt = 1; ; attempt++)
        {
            var entries = new List<FolderEntry>();
            var result = Again(() => calls.List(folder, entries));
            if (result == -SystemError.NotThere)
                return;
            if (result < 0)
                throw Failed("list", folder, result);
            var (filesBefore, foldersBefore, isOld) = (files.Count, folders.Count, false);
            foreach (var (name, kind) in entries)
            {
                var path = Path.Combine(folder, name);
                var facts = kind is FileKind.File or FileKind.Unknown ? Describe(path, followsLast: false) : new FileFacts(kind, 0, 0);
                if (facts is { Kind: FileKind.File } file)
                    files.Add((path, file));
                else if (facts is { Kind: FileKind.Folder })
                    folders.Push(path);
                isOld |= facts is null;
            }
            if (!isOld || attempt == ListAttempts)
                return;
            files.RemoveRange(filesBefore, files.Count - filesBefore);
            while (folders.Count > foldersBefore)
                folders.Pop();
        }
    }

    /// <summary>A part of a file, less where it ends before; null if there is no such file.</summary>
    /// <param name="path">The file.</param>
    /// <param name="offset">Where the part begins.</param>
    /// <param name="count">How long it is.</param>
    /// <param name="followsLast">Whether the file may be a link.</param>
    /// <exception cref="SystemCallException">It cannot be read.</exception>
    public byte[]? Read(string path, long offset, int count, bool followsLast = true)
    {
        var file = Again(() => calls.Open(path, followsLast ? OpenFor.Reading : OpenFor.ReadingItself));
        if (file == -SystemError.NotThere)
            return null;
        if (file < 0)
            throw Failed("open", path, file);
        try
        {
            FileFacts facts = default;
            var result = Again(() => calls.Describe(file, out facts));
            if (result < 0 || facts.Kind != FileKind.File)
            {
                var error = facts.Kind == FileKind.Folder ? -SystemError.IsAFolder : -SystemError.Invalid;
                throw Failed("read", path, result < 0 ? result : error);
            }
            var length = Math.Min(Math.Max(facts.ByteCount - offset, 0), count);
            if (length > Array.MaxLength)
                throw Failed("read", path, -SystemError.TooLarge);
            var bytes = new byte[length];
            for (var read = 0; read < bytes.Length;)
            {
                var start = read;
                var more = Again(() => calls.Read(file, bytes.AsSpan(start), offset + start));
                if (more < 0)
                    throw Failed("read", path, more);
                if (more == 0)
                    return bytes[..read];
                read += (int)more;
            }
            return bytes;
        }
        finally
        {
            calls.Close(file);
        }
    }

    /// <summary>Writes a file that is not there yet, so that its content survives a power failure.</summary>
    /// <exception cref="SystemCallException">It is there, or cannot be written. What is there of it cannot be relied on.</exception>
    public void WriteNew(string path, ReadOnlySequence<byte> bytes, int mode = FileFacts.UsualMode)
    {
        var file = Again(() => calls.Open(path, OpenFor.Creating, mode));
        if (file < 0)
            throw Failed("create", path, file);
        try
        {
            WriteAll(file, path, bytes);
            // A flush that failed may have dropped what was written: it must not be tried again on this file.
            var result = Again(() => calls.Flush(file));
            if (result < 0)
                throw Failed("flush", path, result);
        }
        finally
        {
            calls.Close(file);
        }
    }

    /// <summary>Writes a small text that nothing depends on; whatever goes wrong is no matter.</summary>
    public void Note(string path, string text)
    {
        var file = calls.Open(path, OpenFor.Replacing);
        if (file < 0)
            return;
        try
        {
            WriteAll(file, path, new ReadOnlySequence<byte>(global::System.Text.Encoding.UTF8.GetBytes(text)));
        }
        catch (SystemCallException)
        {
            // Nothing depends on it.
        }
        finally
        {
            calls.Close(file);
        }
    }

    /// <summary>Renames a file; false if one of that name is there already and is not to be replaced.</summary>
    /// <exception cref="SystemCallException">It cannot be renamed.</exception>
    public bool Rename(string from, string to, bool replace)
    {
        var result = Again(() => calls.Rename(from, to, replace));
        if (!replace && result is -SystemError.Invalid or -SystemError.NotSupported)
        {
            // Not every file system can refuse to replace.
            if (Describe(to) is not null)
                return false;
            result = Again(() => calls.Rename(from, to, replace: true));
        }
        if (result >= 0)
            return true;
        return result == -SystemError.AlreadyThere && !replace ? false : throw Failed("rename", to, result);
    }

    /// <summary>Deletes a file; false if there was none.</summary>
    /// <exception cref="SystemCallException">It cannot be deleted.</exception>
    public bool Delete(string path)
    {
        var result = Again(() => calls.Delete(path));
        return result >= 0 || (result == -SystemError.NotThere ? false : throw Failed("delete", path, result));
    }

    /// <summary>Makes the names in a folder survive a power failure.</summary>
    /// <exception cref="SystemCallException">They may not.</exception>
    public void FlushFolder(string path)
    {
        var folder = Again(() => calls.Open(path, OpenFor.Folder));
        if (folder < 0)
            throw Failed("open the folder", path, folder);
        try
        {
            var result = Again(() => calls.Flush(folder));
            // Some file systems have no such thing for folders.
            if (result < 0 && result != -SystemError.Invalid)
                throw Failed("flush the folder", path, result);
        }
        finally
        {
            calls.Close(folder);
        }
    }

    /// <summary>Locks a file, which is created, until it is let go of or the process ends; null if another has it.</summary>
    /// <exception cref="SystemCallException">It cannot be created, or this file system knows no locks.</exception>
    public IDisposable? TryLock(string path)
    {
        var file = Again(() => calls.Open(path, OpenFor.Locking));
        if (file == -SystemError.WouldBlock)
            return null;
        if (file < 0)
            throw Failed("create", path, file);
        var result = Again(() => calls.Lock(file));
        if (result >= 0)
            return new Held(calls, file);
        calls.Close(file);
        return result == -SystemError.WouldBlock ? null : throw Failed("lock", path, result);
    }

    private void WriteAll(int file, string path, ReadOnlySequence<byte> bytes)
    {
        long at = 0;
        foreach (var segment in bytes)
        {
            for (var written = 0; written < segment.Length;)
            {
                var more = calls.Write(file, segment.Span[written..], at);
                if (more == 0 || (more < 0 && more != -SystemError.Interrupted))
                    throw Failed("write", path, more == 0 ? -SystemError.InputOutput : more);
                written += (int)Math.Max(more, 0);
                at += Math.Max(more, 0);
            }
        }
    }

    /// <summary>Makes a call until no signal interrupts it.</summary>
    private static int Again(Func<int> call)
    {
        int result;
        do
        {
            result = call();
        }
        while (result == -SystemError.Interrupted);
        return result;
    }

    private static long Again(Func<long> call)
    {
        long result;
        do
        {
            result = call();
        }
        while (result == -SystemError.Interrupted);
        return result;
    }

    private static SystemCallException Failed(string call, string path, long result) => new(call, path, (int)-result);

    private sealed class Held(ISystemCalls calls, int file) : IDisposable
    {
        private int _file = file;

        public void Dispose()
        {
            var open = Interlocked.Exchange(ref _file, -1);
            if (open >= 0)
                calls.Close(open);
        }
    }
}
