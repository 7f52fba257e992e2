namespace Lodrik.Saves;

/// <summary>
/// The one place through which the bytes of a file are read, whoever made them: it ends in a result or in a <see cref="SaveException"/>.
/// What else comes out of a reader is a mistake of this library, and for the caller a damaged file like any other.
/// </summary>
internal static class Untrusted
{
    /// <summary>Told of every such mistake before it becomes a damaged file; the tests let it through, and fail.</summary>
    public static Action<Exception>? Mistake { get; set; }

    /// <summary>Reads something.</summary>
    /// <param name="location">What is read, for the error.</param>
    /// <param name="read">Reads it.</param>
    /// <exception cref="SaveException">It cannot be read.</exception>
    public static T Read<T>(SaveLocation location, Func<T> read)
    {
        try
        {
            return read();
        }
        catch (Exception exception) when (exception is not (SaveException or OutOfMemoryException or OperationCanceledException))
        {
            Mistake?.Invoke(exception);
            throw new DamagedSaveException(
                SaveErrorCode.Damaged, $"The file has content that no save has: {exception.Message}",
                    location, "Load an older generation or a copy.",
                exception);
        }
    }
}
