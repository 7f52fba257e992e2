using Lodrik.Storage;

namespace Lodrik.Saves;

/// <summary>A file of the system, read whole.</summary>
internal static class WholeFile
{
    /// <exception cref="StorageException">There is none, or it cannot be read.</exception>
    public static byte[] Read(string path) => Find(path)
        ?? throw StorageException.From(new SystemCallException("open", path, SystemError.NotThere));

    /// <summary>The folder of a file, and its name in that.</summary>
    /// <exception cref="StorageException">The path is a folder.</exception>
    public static (DirectoryStorage Folder, string Name) PlaceOf(string path)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        var file = Path.GetFullPath(path);
        var folder = Path.GetDirectoryName(file)
            ?? throw new StorageException($"\"{path}\" is a folder, not a file.", new SaveLocation { File = path });
        return (new DirectoryStorage(folder), Path.GetFileName(file));
    }

    /// <summary>A file that may be missing; null if it is.</summary>
    /// <exception cref="StorageException">It cannot be read.</exception>
    public static byte[]? Find(string path)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        try
        {
            return SystemFiles.System.Read(path, 0, int.MaxValue);
        }
        catch (SystemCallException exception)
        {
            throw StorageException.From(exception);
        }
    }
}
