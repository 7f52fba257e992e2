using Lodrik.Storage;

namespace Lodrik.Tests.Storage;

/// <summary>The calls of another system, for tests that change some of them.</summary>
internal abstract class OtherCalls(ISystemCalls calls) : ISystemCalls
{
    public virtual int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode) => calls.Open(path, purpose, mode);

    public virtual long Read(int file, Span<byte> bytes, long offset) => calls.Read(file, bytes, offset);

    public virtual long Write(int file, ReadOnlySpan<byte> bytes, long offset) => calls.Write(file, bytes, offset);

    public virtual int Flush(int file) => calls.Flush(file);

    public virtual int Lock(int file) => calls.Lock(file);

    public virtual int Close(int file) => calls.Close(file);

    public virtual int Rename(string from, string to, bool replace) => calls.Rename(from, to, replace);

    public virtual int Delete(string file) => calls.Delete(file);

    public virtual int MakeFolder(string path) => calls.MakeFolder(path);

    public virtual int RemoveFolder(string path) => calls.RemoveFolder(path);

    public virtual int Describe(string path, bool followsLast, out FileFacts facts) => calls.Describe(path, followsLast, out facts);

    public virtual int Describe(int file, out FileFacts facts) => calls.Describe(file, out facts);

    public virtual int List(string folder, List<FolderEntry> entries) => calls.List(folder, entries);
}
