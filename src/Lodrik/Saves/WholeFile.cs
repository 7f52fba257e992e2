using Lodrik.Storage;

namespace Lodrik.Saves;

/// <summary>A file of the system, read whole.</summary>
internal static class WholeFile
{
    /// <exception cref="StorageException">There is none, or it cannot be read.</exception>
    public static byte[] Read(string path) => Find(path)
        ?? throw StorageException.From(new SystemCallException("open", path, SystemError.NotThere));

    /// <summary>A file that may be missing; null where it is.</summary>
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
