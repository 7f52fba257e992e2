using Lodrik.Storage;

namespace Lodrik.Saves;

/// <summary>A file of the system, read whole.</summary>
internal static class WholeFile
{
    /// <exception cref="StorageException">It cannot be read.</exception>
    public static byte[] Read(string path)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        try
        {
            return File.ReadAllBytes(path);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw StorageException.From(exception, path);
        }
    }
}
