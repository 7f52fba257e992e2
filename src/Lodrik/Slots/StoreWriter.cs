using System.Runtime.CompilerServices;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// The one writer of a place where saves are. All stores of this process that are open on the same place share it, so that they never
/// work on it at once; against other processes it holds the storage from the first write until the last of these stores is closed.
/// </summary>
internal sealed class StoreWriter : IDisposable
{
    private static readonly Dictionary<object, StoreWriter> ByPlace = [];
    private static readonly ConditionalWeakTable<object, StoreWriter> ByStorage = [];

    /// <summary>The writer that calls the game back on this thread, in the middle of a turn.</summary>
    [ThreadStatic]
    private static StoreWriter? _calledBackBy;

    private readonly ISaveStorage _storage;
    private readonly SemaphoreSlim _turn = new(1, 1);
    private StorageHold? _hold;
    private int _stores;

    private StoreWriter(ISaveStorage storage) => _storage = storage;

    public static StoreWriter Of(ISaveStorage storage)
    {
        lock (ByPlace)
        {
            var writer = Find(storage);
            writer._stores++;
            return writer;
        }
    }

    /// <summary>A place that is the storage itself is known for as long as the storage is.</summary>
    private static StoreWriter Find(ISaveStorage storage)
    {
        if (storage.Place is not string place)
            return ByStorage.GetValue(storage.Place, _ => new StoreWriter(storage));
        if (!ByPlace.TryGetValue(place, out var writer))
            ByPlace.Add(place, writer = new StoreWriter(storage));
        return writer;
    }

    /// <summary>Does something that changes saves, alone: it waits for its turn. What it does must not ask for a turn again.</summary>
    public async ValueTask<TResult> Alone<TResult>(StorageCalls calls, Func<ValueTask<TResult>> act)
    {
        if (_calledBackBy == this)
            throw new InvalidOperationException("A callback cannot change the saves while the save that called it is being written. Begin "
                + "it asynchronously, or wait for the Saved event.");
        await calls.Wait(_turn).ConfigureAwait(false);
        try
        {
            return await act().ConfigureAwait(false);
        }
        finally
        {
            _turn.Release();
        }
    }

    /// <summary>Calls the game back in the middle of a turn. One that asks for a turn itself gets an error and no deadlock.</summary>
    public void CallBack(Action callback)
    {
        var before = _calledBackBy;
        _calledBackBy = this;
        try
        {
            callback();
        }
        finally
        {
            _calledBackBy = before;
        }
    }

    /// <summary>Makes sure that no other process writes, where the storage can. Called in a turn before anything is changed.</summary>
    /// <exception cref="StoreInUseException">Another process does.</exception>
    public async ValueTask Hold(StorageCalls calls)
    {
        if (_hold is not null)
            return;
        var hold = await calls.TryHold().ConfigureAwait(false);
        _hold = hold.Holder is null ? hold : throw new StoreInUseException(_storage.Description, hold.Holder);
    }

    /// <summary>A store is closed; with the last one the storage is let go of.</summary>
    public void Dispose()
    {
        lock (ByPlace)
        {
            if (--_stores > 0)
                return;
            if (_storage.Place is string place)
                ByPlace.Remove(place);
        }
        _turn.Wait();
        try
        {
            _hold?.Dispose();
            _hold = null;
        }
        finally
        {
            _turn.Release();
        }
    }
}
