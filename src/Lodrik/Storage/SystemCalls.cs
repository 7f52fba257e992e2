using System.Runtime.InteropServices;

namespace Lodrik.Storage;

/// <summary>
/// The calls of the system that a directory storage is made of. Each gives what the system gives: its result, or the number of the error
/// as a negative one (POSIX errno). What an answer means is for <see cref="SystemFiles"/> alone to say.
/// </summary>
internal interface ISystemCalls
{
    /// <summary>Opens a file or a folder, and gives its number.</summary>
    /// <param name="path">The file or folder.</param>
    /// <param name="purpose">What for.</param>
    /// <param name="mode">Who may do what with a file that is created; the system takes away what the umask says.</param>
    int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode);

    long Read(int file, Span<byte> bytes, long offset);

    /// <summary>Writes some of the bytes, and says how many.</summary>
    long Write(int file, ReadOnlySpan<byte> bytes, long offset);

    /// <summary>Makes what was written to a file, or the names in a folder, survive a power failure.</summary>
    int Flush(int file);

    /// <summary>Locks a file for this opening of it, without waiting.</summary>
    int Lock(int file);

    int Close(int file);

    int Rename(string from, string to, bool replace);

    int Delete(string file);

    int MakeFolder(string path);

    int RemoveFolder(string path);

    /// <summary>What a path leads to.</summary>
    /// <param name="path">The path; links on the way are followed.</param>
    /// <param name="followsLast">Whether one at its end is followed as well; otherwise it is what is described.</param>
    /// <param name="facts">What is known of it.</param>
    int Describe(string path, bool followsLast, out FileFacts facts);

    /// <summary>What an open file is.</summary>
    int Describe(int file, out FileFacts facts);

    /// <summary>The entries of one folder. A name that is not a valid text stands for nothing that Lodrik wrote, and is left out.</summary>
    int List(string folder, List<FolderEntry> entries);
}

/// <summary>What a file is opened for.</summary>
internal enum OpenFor
{
    /// <summary>Reading; what would make the caller wait, such as a pipe, does not.</summary>
    Reading,

    /// <summary>Reading what is not a link.</summary>
    ReadingItself,

    /// <summary>Writing a file that is not there yet.</summary>
    Creating,

    /// <summary>Writing a file again, whether or not it is there; it must not be a link.</summary>
    Replacing,

    /// <summary>Locking a file, which is created; it must not be a link.</summary>
    Locking,

    /// <summary>Flushing a folder.</summary>
    Folder,
}

/// <summary>What something in a folder is.</summary>
internal enum FileKind
{
    File,
    Folder,
    Link,

    /// <summary>A pipe, a device, a socket.</summary>
    Other,

    /// <summary>A folder's entry does not say.</summary>
    Unknown,
}

/// <summary>What is known of a file.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="ByteCount">Its size.</param>
/// <param name="Stamp">A number that is another one once the file was changed or replaced.</param>
/// <param name="Mode">Who may do what with it.</param>
internal readonly record struct FileFacts(FileKind Kind, long ByteCount, long Stamp, int Mode = FileFacts.UsualMode)
{
    /// <summary>Read and write for whoever the umask leaves it to (0666).</summary>
    public const int UsualMode = 0x1B6;
}

/// <summary>An entry of a folder.</summary>
internal readonly record struct FolderEntry(string Name, FileKind Kind);

/// <summary>The error numbers of Linux that mean something of their own here (errno(3)).</summary>
internal static class SystemError
{
    public const int NotPermitted = 1;
    public const int NotThere = 2;
    public const int Interrupted = 4;
    public const int InputOutput = 5;
    public const int WouldBlock = 11;
    public const int NoAccess = 13;
    public const int AlreadyThere = 17;
    public const int NotAFolder = 20;
    public const int IsAFolder = 21;
    public const int Invalid = 22;
    public const int TooManyOpen = 23;
    public const int TooManyOpenHere = 24;
    public const int TooLarge = 27;
    public const int NoSpace = 28;
    public const int ReadOnly = 30;
    public const int NameTooLong = 36;
    public const int NotSupported = 38;
    public const int Loop = 40;
    public const int OperationNotSupported = 95;
    public const int NoLocks = 37;
    public const int QuotaExceeded = 122;
}

/// <summary>A call of the system failed.</summary>
/// <param name="call">What was tried, in words.</param>
/// <param name="path">The file or folder.</param>
/// <param name="number">The number of the error.</param>
internal sealed class SystemCallException(string call, string path, int number)
    : IOException($"The system refuses to {call} {path} (error {number}: {Marshal.GetPInvokeErrorMessage(number)}).")
{
    public int Number => number;

    public string Path => path;
}
