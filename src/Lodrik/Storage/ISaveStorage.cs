using System.Buffers;

namespace Lodrik.Storage;

/// <summary>
/// Where the bytes of saves live: named files below one root, and nothing about what is in them. Names are relative, with '/'
/// between folders. A database or a server can be behind this as well as a directory.
/// </summary>
/// <remarks>
/// Each call has an asynchronous twin, which calls it by default. A storage that waits for a network overrides the twins: the asynchronous
/// calls of <see cref="SaveStore{T}"/> use only these.
/// </remarks>
public interface ISaveStorage
{
    /// <summary>A short name of the place for messages.</summary>
    string Description { get; }

    /// <summary>The names of all files below a folder (the empty string for the root), at any depth, in no order.</summary>
    /// <exception cref="StorageException">The place cannot be read.</exception>
    IReadOnlyList<StoredFile> List(string folder);

    /// <summary>Reads a range of a file; fewer bytes where the file ends before, null if there is no such file.</summary>
    /// <exception cref="StorageException">The file cannot be read.</exception>
    byte[]? ReadRange(string name, long offset, int count);

    /// <summary>Reads a whole file; null if there is none.</summary>
    /// <exception cref="StorageException">The file cannot be read.</exception>
    byte[]? Read(string name);

    /// <summary>
    /// Writes a whole file so that it is either entirely there or not at all, and there for good once the call has returned.
    /// </summary>
    /// <param name="name">The file; its folders are created.</param>
    /// <param name="bytes">Its content. A large save comes in several segments, so that it need not be in memory twice.</param>
    /// <param name="replace">Whether a file of that name may be there already; it is then replaced in one step.</param>
    /// <exception cref="StorageException">The file cannot be written, or is there already; what was there is still there.</exception>
    void Write(string name, ReadOnlySequence<byte> bytes, bool replace);

    /// <summary>
    /// Writes several files that belong together, such as a save and its picture. A storage with transactions writes all of them or none;
    /// by default they are written one after the other, so that the last one is there only if the others are.
    /// </summary>
    /// <param name="files">The files, in the order in which they have to be there.</param>
    /// <exception cref="StorageException">One of them cannot be written, or is there already.</exception>
    void WriteAll(IReadOnlyList<StoredContent> files)
    {
        ArgumentNullException.ThrowIfNull(files);
        foreach (var file in files)
            Write(file.Name, file.Bytes, file.Replace);
    }

    /// <summary>Deletes a file, for good once the call has returned; false if there was none.</summary>
    /// <exception cref="StorageException">The file cannot be deleted.</exception>
    bool Delete(string name);

    /// <summary>The path or address under which a person finds a file.</summary>
    string Locate(string name);

    /// <summary>What tells one place from another: equal for two storages that have their files in the same place.</summary>
    object Place => this;

    /// <summary>Asks for the right to write, until it is let go of or the process ends, however that happens. Reading needs none.</summary>
    /// <returns>The right to write; or who has it; or, as by default, that this storage cannot keep a second writer out.</returns>
    /// <exception cref="StorageException">The place cannot be written to.</exception>
    StorageHold TryHold() => StorageHold.NotSupported;

    /// <summary>As <see cref="List"/>, without blocking the caller's thread where the storage can do so.</summary>
    /// <exception cref="OperationCanceledException">It was given up.</exception>
    /// <inheritdoc cref="List"/>
    ValueTask<IReadOnlyList<StoredFile>> ListAsync(string folder, CancellationToken cancellationToken = default)
    {
        cancellationToken.ThrowIfCancellationRequested();
        return new(List(folder));
    }

    /// <summary>As <see cref="ReadRange(string, long, int)"/>, without blocking the caller's thread where the storage can do so.</summary>
    /// <exception cref="OperationCanceledException">It was given up.</exception>
    /// <inheritdoc cref="ReadRange(string, long, int)"/>
    ValueTask<byte[]?> ReadRangeAsync(string name, long offset, int count, CancellationToken cancellationToken = default)
    {
        cancellationToken.ThrowIfCancellationRequested();
        return new(ReadRange(name, offset, count));
    }

    /// <summary>As <see cref="Read"/>, without blocking the caller's thread where the storage can do so.</summary>
    /// <exception cref="OperationCanceledException">It was given up.</exception>
    /// <inheritdoc cref="Read"/>
    ValueTask<byte[]?> ReadAsync(string name, CancellationToken cancellationToken = default)
    {
        cancellationToken.ThrowIfCancellationRequested();
        return new(Read(name));
    }

    /// <summary>As <see cref="Write"/>, without blocking the caller's thread where the storage can do so.</summary>
    /// <exception cref="OperationCanceledException">It was given up; the file is either entirely there or as it was.</exception>
    /// <inheritdoc cref="Write"/>
    ValueTask WriteAsync(string name, ReadOnlySequence<byte> bytes, bool replace, CancellationToken cancellationToken = default)
    {
        cancellationToken.ThrowIfCancellationRequested();
        Write(name, bytes, replace);
        return default;
    }

    /// <summary>As <see cref="WriteAll"/>, without blocking the caller's thread where the storage can do so.</summary>
    /// <exception cref="OperationCanceledException">It was given up; each file is either entirely there or as it was.</exception>
    /// <inheritdoc cref="WriteAll"/>
    async ValueTask WriteAllAsync(IReadOnlyList<StoredContent> files, CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(files);
        foreach (var file in files)
            await WriteAsync(file.Name, file.Bytes, file.Replace, cancellationToken).ConfigureAwait(false);
    }

    /// <summary>As <see cref="Delete"/>, without blocking the caller's thread where the storage can do so.</summary>
    /// <exception cref="OperationCanceledException">It was given up; the file is either gone or as it was.</exception>
    /// <inheritdoc cref="Delete"/>
    ValueTask<bool> DeleteAsync(string name, CancellationToken cancellationToken = default)
    {
        cancellationToken.ThrowIfCancellationRequested();
        return new(Delete(name));
    }

    /// <summary>As <see cref="TryHold"/>, without blocking the caller's thread where the storage can do so.</summary>
    /// <exception cref="OperationCanceledException">It was given up; nothing is held.</exception>
    /// <inheritdoc cref="TryHold"/>
    ValueTask<StorageHold> TryHoldAsync(CancellationToken cancellationToken = default)
    {
        cancellationToken.ThrowIfCancellationRequested();
        return new(TryHold());
    }
}

/// <summary>Calls of a storage with what is at hand.</summary>
public static class SaveStorageExtensions
{
    /// <summary>Writes a whole file from bytes that are in one piece.</summary>
    /// <param name="storage">The storage.</param>
    /// <param name="name">The file; its folders are created.</param>
    /// <param name="bytes">Its content.</param>
    /// <param name="replace">Whether a file of that name may be there already; it is then replaced in one step.</param>
    /// <inheritdoc cref="ISaveStorage.Write" path="/exception"/>
    public static void Write(this ISaveStorage storage, string name, ReadOnlyMemory<byte> bytes, bool replace)
    {
        ArgumentNullException.ThrowIfNull(storage);
        storage.Write(name, new ReadOnlySequence<byte>(bytes), replace);
    }
}

/// <summary>What came of asking for the right to write to a storage.</summary>
public sealed class StorageHold : IDisposable
{
    private readonly IDisposable? _release;

    private StorageHold(bool isHeld, string? holder, IDisposable? release) => (IsHeld, Holder, _release) = (isHeld, holder, release);

    /// <summary>The answer of a storage that cannot keep a second writer out: whoever uses it has to see to that.</summary>
    public static StorageHold NotSupported { get; } = new(isHeld: false, holder: null, release: null);

    /// <summary>Whether this process has the right to write, and nobody else.</summary>
    public bool IsHeld { get; }

    /// <summary>Who has it instead, in words; null if nobody else has.</summary>
    public string? Holder { get; }

    /// <summary>The right to write.</summary>
    /// <param name="release">Lets go of it.</param>
    public static StorageHold Held(IDisposable release)
    {
        ArgumentNullException.ThrowIfNull(release);
        return new StorageHold(isHeld: true, holder: null, release);
    }

    /// <summary>The answer that somebody else has it.</summary>
    /// <param name="holder">Who, in words.</param>
    public static StorageHold InUse(string holder)
    {
        ArgumentException.ThrowIfNullOrEmpty(holder);
        return new StorageHold(isHeld: false, holder, release: null);
    }

    /// <summary>Lets go of the right to write.</summary>
    public void Dispose() => _release?.Dispose();
}

/// <summary>A file to be written to a storage.</summary>
/// <param name="Name">Its name from the root.</param>
/// <param name="Bytes">Its content.</param>
/// <param name="Replace">Whether a file of that name may be there already; it is then replaced.</param>
public readonly record struct StoredContent(string Name, ReadOnlySequence<byte> Bytes, bool Replace);

/// <summary>A file of a storage.</summary>
/// <param name="Name">Its name from the root.</param>
/// <param name="ByteCount">Its size.</param>
public readonly record struct StoredFile(string Name, long ByteCount)
{
    /// <summary>
    /// A number that is another one as soon as the file was changed or replaced; 0 if the storage knows none. Files whose number is the
    /// same are not read again.
    /// </summary>
    public long Stamp { get; init; }
}
