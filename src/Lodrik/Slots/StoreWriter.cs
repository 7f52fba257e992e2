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

    private readonly ISaveStorage _storage;
    private StorageHold? _hold;
    private int _stores;

    private StoreWriter(ISaveStorage storage) => _storage = storage;

    /// <summary>What is done under this is done alone.</summary>
    public Lock Gate { get; } = new();

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

    /// <summary>Makes sure that no other process writes, where the storage can. Called under the gate before anything is changed.</summary>
    /// <exception cref="StoreInUseException">Another process does.</exception>
    public void Hold()
    {
        if (_hold is not null)
            return;
        var hold = _storage.TryHold();
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
        lock (Gate)
        {
            _hold?.Dispose();
            _hold = null;
        }
    }
}
