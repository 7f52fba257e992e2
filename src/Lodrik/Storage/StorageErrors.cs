namespace Lodrik.Storage;

/// <summary>The saves could not be read or written: a file or folder is missing, access was denied, or the disk is full.</summary>
/// <inheritdoc/>
public class StorageException(string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
    : SaveException(SaveErrorCode.Storage, problem, location, remedy, innerException)
{
    /// <summary>
    /// Whether this one file is at fault, and others of the same place may be read: an older generation is then loaded instead. False where
    /// it is the place that does not answer.
    /// </summary>
    public bool IsOneFile { get; init; }

    /// <summary>
    /// Whether a new file was to be written and one with its name already exists, as when another writer was faster. The save then gets the
    /// next number.
    /// </summary>
    public bool AlreadyExists { get; init; }

    /// <summary>Says in words what an error of the runtime's own files means.</summary>
    internal static StorageException From(Exception exception, string path) => exception switch
    {
        SystemCallException call => From(call),
        FileNotFoundException or DirectoryNotFoundException => From(new SystemCallException("open", path, SystemError.NotThere)),
        UnauthorizedAccessException => From(new SystemCallException("open", path, SystemError.NoAccess)),
        _ => new StorageException(exception.Message, new SaveLocation { File = path }, null, exception),
    };

    /// <summary>Says in words what the system's error means.</summary>
    internal static StorageException From(SystemCallException exception, bool isOneFile = false)
    {
        var (problem, remedy) = exception.Number switch
        {
            SystemError.NotThere => ("There is no such file.", "Check the path."),
            SystemError.NoAccess or SystemError.NotPermitted =>
                ("Access is not allowed.", "Check who owns the file and its folder, and what they permit."),
            SystemError.IsAFolder => ("This is a folder, not a file.", "Give the path of a save in it."),
            SystemError.NotAFolder => ("A file is in the place of a folder.", "Choose another folder, or move the file."),
            SystemError.NameTooLong => ("The path is too long.", "Choose a shorter folder."),
            SystemError.NoSpace => ("The disk is full.", "Make room and save again; what was saved before is still there."),
            SystemError.QuotaExceeded =>
                ("The user's disk quota is exceeded.", "Make room and save again; what was saved before is still there."),
            SystemError.ReadOnly => ("The disk is read-only.", "Save to another folder."),
            SystemError.TooLarge => ("The file is too large.", "A save can have up to 2 GB."),
            SystemError.Loop => ("The path leads to a link that is not followed.", "Put the file itself there."),
            SystemError.Invalid => ("This is not a file that can be read.", "Remove it; it may be a pipe or a device."),
            SystemError.TooManyOpen or SystemError.TooManyOpenHere =>
                ("Too many files are open.", "Close some, or raise the limit of open files."),
            SystemError.InputOutput => ("The disk reports an error.", "Save to another disk, and check this one for faults."),
            _ => (exception.Message, (string?)null),
        };
        return new StorageException(problem, new SaveLocation { File = exception.Path }, remedy, exception) { IsOneFile = isOneFile };
    }
}

/// <summary>Another process writes to this store. Nothing was written; saves can still be read.</summary>
public sealed class StoreInUseException : SaveException
{
    internal StoreInUseException(string folder, string holder)
        : base(SaveErrorCode.InUse, $"Another process writes to these saves: {holder}.",
            new SaveLocation { File = folder }, "Close the other one first. Reading still works.") =>
        Holder = holder;

    /// <summary>Who writes, as far as that is known.</summary>
    public string Holder { get; }
}
