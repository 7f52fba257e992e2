using System.Buffers;

namespace Lodrik.Storage;

/// <summary>
/// The calls of a storage in the way in which somebody waits for them: on their own thread, or asynchronously. Whatever is made of these
/// calls is written once and serves both; where they are synchronous, it is done as soon as it returns.
/// </summary>
internal sealed class StorageCalls
{
    private readonly bool _isAsync;

    private StorageCalls(ISaveStorage storage, bool isAsync, CancellationToken cancellation) =>
        (Storage, _isAsync, Cancellation) = (storage, isAsync, cancellation);

    public ISaveStorage Storage { get; }

    public CancellationToken Cancellation { get; }

    /// <summary>Calls that block the caller's thread. What awaits only these is done when it returns.</summary>
    public static StorageCalls Blocking(ISaveStorage storage) => new(storage, isAsync: false, CancellationToken.None);

    /// <summary>Calls that use the storage's asynchronous members only.</summary>
    public static StorageCalls Async(ISaveStorage storage, CancellationToken cancellation) => new(storage, isAsync: true, cancellation);

    /// <summary>The same calls, for what has to be done though the caller gave up.</summary>
    public StorageCalls Uncancelled => _isAsync ? Async(Storage, CancellationToken.None) : this;

    public string Locate(string name) => Storage.Locate(name);

    public ValueTask<IReadOnlyList<StoredFile>> List(string folder) =>
        _isAsync ? Storage.ListAsync(folder, Cancellation) : new(Storage.List(folder));

    public ValueTask<byte[]?> ReadRange(string name, long offset, int count) =>
        _isAsync ? Storage.ReadRangeAsync(name, offset, count, Cancellation) : new(Storage.ReadRange(name, offset, count));

    public ValueTask<byte[]?> Read(string name) => _isAsync ? Storage.ReadAsync(name, Cancellation) : new(Storage.Read(name));

    public ValueTask Write(string name, ReadOnlyMemory<byte> bytes, bool replace) =>
        Write(name, new ReadOnlySequence<byte>(bytes), replace);

    public ValueTask Write(string name, ReadOnlySequence<byte> bytes, bool replace)
    {
        if (_isAsync)
            return Storage.WriteAsync(name, bytes, replace, Cancellation);
        Storage.Write(name, bytes, replace);
        return default;
    }

    public ValueTask WriteAll(IReadOnlyList<StoredContent> files)
    {
        if (_isAsync)
            return Storage.WriteAllAsync(files, Cancellation);
        Storage.WriteAll(files);
        return default;
    }

    public ValueTask<bool> Delete(string name) => _isAsync ? Storage.DeleteAsync(name, Cancellation) : new(Storage.Delete(name));

    public ValueTask<StorageHold> TryHold() => _isAsync ? Storage.TryHoldAsync(Cancellation) : new(Storage.TryHold());

    /// <summary>Waits for something that others do.</summary>
    public ValueTask Wait(Task other)
    {
        if (_isAsync)
            return new(other.WaitAsync(Cancellation));
        other.GetAwaiter().GetResult();
        return default;
    }
}

/// <summary>Results of what was made of blocking calls.</summary>
internal static class BlockingCalls
{
    /// <summary>The result of what is done already, since all that it waited for blocked.</summary>
    public static TResult Result<TResult>(this ValueTask<TResult> done) => done.IsCompleted
        ? done.GetAwaiter().GetResult()
        : throw new InvalidOperationException("A blocking call ran asynchronously.");
}
