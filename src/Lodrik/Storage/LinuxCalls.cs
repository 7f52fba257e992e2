using System.Runtime.InteropServices;
using System.Text;

namespace Lodrik.Storage;

/// <summary>The system's own calls, on 64-bit Linux. The runtime's classes hide errors of some of them, and the kind of a file.</summary>
internal sealed unsafe partial class LinuxCalls : ISystemCalls
{
    private const int ReadWrite = 2;
    private const int WriteOnly = 1;
    private const int Create = 0x40;
    private const int Exclusive = 0x80;
    private const int Truncate = 0x200;
    private const int NonBlocking = 0x800;
    private const int CloseOnExec = 0x80000;

    private const uint FolderMode = 0x1FF;

    private const int CurrentFolder = -100;
    private const int EmptyPath = 0x1000;
    private const int LinkItself = 0x100;
    private const uint BasicFacts = 0x7FF;
    private const uint NoReplace = 1;
    private const int ExclusiveLock = 2;
    private const int WithoutWaiting = 4;

    // Two of the flags differ between the architectures.
    private static readonly bool IsArm = RuntimeInformation.ProcessArchitecture is Architecture.Arm64 or Architecture.Arm;
    private static readonly int FolderOnly = IsArm ? 0x4000 : 0x10000;
    private static readonly int NoFollow = IsArm ? 0x8000 : 0x20000;

    /// <summary>
    /// Makes each call once, with what it must refuse: no file has that number or that name. Then the way to the system is compiled.
    /// </summary>
    public static void TryAll()
    {
        var (calls, none) = (new LinuxCalls(), -1);
        foreach (var purpose in Enum.GetValues<OpenFor>())
            calls.Open("", purpose);
        calls.Read(none, [], 0);
        calls.Write(none, [], 0);
        calls.Flush(none);
        calls.Lock(none);
        calls.Close(none);
        calls.Rename("", "", replace: false);
        calls.Delete("");
        calls.MakeFolder("");
        calls.RemoveFolder("");
        calls.Describe("", followsLast: false, out _);
        calls.Describe(none, out _);
        calls.List("/", []);
    }

    public int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode) => Result(OpenFile(path, CloseOnExec | (purpose switch
    {
        OpenFor.Reading => NonBlocking,
        OpenFor.ReadingItself => NonBlocking | NoFollow,
        OpenFor.Creating => WriteOnly | Create | Exclusive | NoFollow,
        OpenFor.Replacing => WriteOnly | Create | Truncate | NoFollow | NonBlocking,
        OpenFor.Locking => ReadWrite | Create | NoFollow | NonBlocking,
        _ => FolderOnly,
    }), (uint)mode));

    public long Read(int file, Span<byte> bytes, long offset)
    {
        fixed (byte* start = bytes)
            return Result(PositionedRead(file, start, (nuint)bytes.Length, offset));
    }

    public long Write(int file, ReadOnlySpan<byte> bytes, long offset)
    {
        fixed (byte* start = bytes)
            return Result(PositionedWrite(file, start, (nuint)bytes.Length, offset));
    }

    public int Flush(int file) => Result(Synchronize(file));

    public int Lock(int file) => Result(LockFile(file, ExclusiveLock | WithoutWaiting));

    public int Close(int file) => Result(CloseFile(file));

    public int Rename(string from, string to, bool replace) =>
        Result(RenameAt(CurrentFolder, from, CurrentFolder, to, replace ? 0 : NoReplace));

    public int Delete(string file) => Result(Unlink(file));

    public int MakeFolder(string path) => Result(MakeDirectory(path, FolderMode));

    public int RemoveFolder(string path) => Result(RemoveDirectory(path));

    public int Describe(string path, bool followsLast, out FileFacts facts) =>
        Describe(CurrentFolder, path, followsLast ? 0 : LinkItself, out facts);

    public int Describe(int file, out FileFacts facts) => Describe(file, "", EmptyPath, out facts);

    public int List(string folder, List<FolderEntry> entries)
    {
        var stream = OpenDirectory(folder);
        if (stream == 0)
            return -Marshal.GetLastPInvokeError();
        try
        {
            while (true)
            {
                // At the end of the folder the number stays as it was.
                Marshal.SetLastSystemError(0);
                var entry = (byte*)ReadDirectory(stream);
                if (entry is null)
                    return -Marshal.GetLastPInvokeError();
                // struct dirent: two numbers of 64 bits, the record's length, the kind, the name.
                var name = MemoryMarshal.CreateReadOnlySpanFromNullTerminated(entry + 19);
                if (!name.SequenceEqual("."u8) && !name.SequenceEqual(".."u8) && System.Text.Unicode.Utf8.IsValid(name))
                    entries.Add(new FolderEntry(Encoding.UTF8.GetString(name), entry[18] switch
                    {
                        8 => FileKind.File,
                        4 => FileKind.Folder,
                        10 => FileKind.Link,
                        0 => FileKind.Unknown,
                        _ => FileKind.Other,
                    }));
            }
        }
        finally
        {
            _ = CloseDirectory(stream);
        }
    }

    private static int Describe(int file, string path, int flags, out FileFacts facts)
    {
        // struct statx is the same on all architectures.
        var about = stackalloc byte[256];
        var result = Result(Status(file, path, flags, BasicFacts, about));
        var kind = (*(ushort*)(about + 28) >> 12) switch
        {
            8 => FileKind.File,
            4 => FileKind.Folder,
            10 => FileKind.Link,
            _ => FileKind.Other,
        };
        // The number of the file, and when it was changed in any way: renamed, linked, written.
        var stamp = unchecked((*(long*)(about + 32) * 1_000_003) + (*(long*)(about + 96) * 1_000_000_000) + *(uint*)(about + 104));
        facts = result < 0 ? default : new FileFacts(kind, *(long*)(about + 40), stamp, *(ushort*)(about + 28) & 0x1FF);
        return result;
    }

    private static int Result(int result) => result >= 0 ? result : -Marshal.GetLastPInvokeError();

    private static long Result(nint result) => result >= 0 ? result : -Marshal.GetLastPInvokeError();

    [LibraryImport("libc", EntryPoint = "open", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int OpenFile(string path, int flags, uint mode);

    [LibraryImport("libc", EntryPoint = "pread", SetLastError = true)]
    private static partial nint PositionedRead(int file, byte* bytes, nuint count, long offset);

    [LibraryImport("libc", EntryPoint = "pwrite", SetLastError = true)]
    private static partial nint PositionedWrite(int file, byte* bytes, nuint count, long offset);

    [LibraryImport("libc", EntryPoint = "fsync", SetLastError = true)]
    private static partial int Synchronize(int file);

    [LibraryImport("libc", EntryPoint = "flock", SetLastError = true)]
    private static partial int LockFile(int file, int operation);

    [LibraryImport("libc", EntryPoint = "close", SetLastError = true)]
    private static partial int CloseFile(int file);

    [LibraryImport("libc", EntryPoint = "renameat2", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int RenameAt(int fromFolder, string from, int toFolder, string to, uint flags);

    [LibraryImport("libc", EntryPoint = "unlink", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Unlink(string path);

    [LibraryImport("libc", EntryPoint = "mkdir", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int MakeDirectory(string path, uint mode);

    [LibraryImport("libc", EntryPoint = "rmdir", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int RemoveDirectory(string path);

    [LibraryImport("libc", EntryPoint = "statx", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Status(int folder, string path, int flags, uint mask, byte* about);

    [LibraryImport("libc", EntryPoint = "opendir", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial nint OpenDirectory(string path);

    [LibraryImport("libc", EntryPoint = "readdir", SetLastError = true)]
    private static partial nint ReadDirectory(nint stream);

    [LibraryImport("libc", EntryPoint = "closedir", SetLastError = true)]
    private static partial int CloseDirectory(nint stream);
}
