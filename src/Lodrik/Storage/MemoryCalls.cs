namespace Lodrik.Storage;

/// <summary>
/// A disk of a few files that are nowhere but in memory, for code to run through before it is needed. Nothing fails on it and nothing is
/// checked.
/// </summary>
internal sealed class MemoryCalls : ISystemCalls
{
    private readonly Dictionary<string, byte[]> _files = new(StringComparer.Ordinal);
    private readonly HashSet<string> _folders = ["/"];
    private readonly Dictionary<int, string> _open = [];
    private int _lastOpen;

    public int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode)
    {
        var isThere = purpose == OpenFor.Folder ? _folders.Contains(path) : _files.ContainsKey(path);
        if (!isThere && purpose is OpenFor.Folder or OpenFor.Reading or OpenFor.ReadingItself)
            return -SystemError.NotThere;
        if (!isThere || purpose == OpenFor.Replacing)
            _files[path] = [];
        _open[++_lastOpen] = path;
        return _lastOpen;
    }

    public long Read(int file, Span<byte> bytes, long offset)
    {
        var content = _files[_open[file]].AsSpan((int)offset);
        var count = Math.Min(content.Length, bytes.Length);
        content[..count].CopyTo(bytes);
        return count;
    }

    public long Write(int file, ReadOnlySpan<byte> bytes, long offset)
    {
        var content = _files[_open[file]];
        Array.Resize(ref content, Math.Max(content.Length, (int)offset + bytes.Length));
        bytes.CopyTo(content.AsSpan((int)offset));
        _files[_open[file]] = content;
        return bytes.Length;
    }

    public int Flush(int file) => 0;

    public int Lock(int file) => 0;

    public int Close(int file) => 0;

    public int Rename(string from, string to, bool replace)
    {
        if (!replace && _files.ContainsKey(to))
            return -SystemError.AlreadyThere;
        if (!_files.Remove(from, out var content))
            return -SystemError.NotThere;
        _files[to] = content;
        return 0;
    }

    public int Delete(string file) => _files.Remove(file) ? 0 : -SystemError.NotThere;

    public int MakeFolder(string path) => _folders.Add(path) ? 0 : -SystemError.AlreadyThere;

    public int RemoveFolder(string path) => 0;

    public int Describe(string path, bool followsLast, out FileFacts facts)
    {
        facts = _files.TryGetValue(path, out var content) ? new FileFacts(FileKind.File, content.Length, content.Length)
            : new FileFacts(FileKind.Folder, 0, 0);
        return content is not null || _folders.Contains(path) ? 0 : -SystemError.NotThere;
    }

    public int Describe(int file, out FileFacts facts) => Describe(_open[file], followsLast: true, out facts);

    public int List(string folder, List<FolderEntry> entries)
    {
        if (!_folders.Contains(folder))
            return -SystemError.NotThere;
        entries.AddRange(_files.Keys.Where(IsIn).Select(path => new FolderEntry(Path.GetFileName(path), FileKind.File)));
        entries.AddRange(
            _folders.Where(path => path != "/" && IsIn(path)).Select(path => new FolderEntry(Path.GetFileName(path), FileKind.Folder)));
        return 0;

        bool IsIn(string path) => Path.GetDirectoryName(path) == folder;
    }
}
