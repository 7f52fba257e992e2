namespace Lodrik.Storage;

/// <summary>The saves could not be read or written: a file or folder is missing, access was denied, or the disk is full.</summary>
/// <inheritdoc/>
public class StorageException(string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(SaveErrorCode.Storage, problem, location, remedy, innerException)
{
    /// <summary>Says in words what the system's error means.</summary>
    internal static StorageException From(Exception exception, string path)
    {
        // Linux tells a full disk and a read-only one by their numbers only.
        const int NoSpace = 28;
        const int ReadOnly = 30;
        var number = exception.HResult & 0xFFFF;
        var (problem, remedy) = exception switch
        {
            FileNotFoundException or DirectoryNotFoundException => ("There is no such file.", "Check the path."),
            UnauthorizedAccessException when Directory.Exists(path) => ("This is a folder, not a file.", "Give the path of a save in it."),
            UnauthorizedAccessException =>
                ("Access to the file is not allowed.", "Check who owns the file and its folder, and what they permit."),
            PathTooLongException => ("The path is too long.", "Choose a shorter folder."),
            IOException when number == NoSpace => ("The disk is full.", "Make room and save again; what was saved before is still there."),
            IOException when number == ReadOnly => ("The disk can only be read.", "Save to another folder."),
            _ => (exception.Message, (string?)null),
        };
        return new StorageException(problem, new SaveLocation { File = path }, remedy, exception);
    }
}

/// <summary>Another process writes to this store. Nothing was written; saves can still be read.</summary>
public sealed class StoreInUseException : SaveException
{
    internal StoreInUseException(string folder, string holder)
        : base(SaveErrorCode.InUse, $"Another process writes to these saves: {holder}.",
            new SaveLocation { File = folder }, "Close the other one first; reading works meanwhile.") =>
        Holder = holder;

    /// <summary>Who writes, as far as that is known.</summary>
    public string Holder { get; }
}
