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
    private readonly Lock _gate = new();
    private readonly Queue<WriterTurn> _line = [];
    private long _changes;
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

    /// <summary>How many changes other than saves have been asked for.</summary>
    public long Changes
    {
        get
        {
            lock (_gate)
                return _changes;
        }
    }

    /// <summary>
    /// The names of the slots of each profile, without regard to case, once somebody had to know them all; who adds a slot adds its name.
    /// A name may stay that no longer exists. Looked at and changed in a turn only.
    /// </summary>
    public Dictionary<string, HashSet<string>> SlotNames { get; } = new(StringComparer.Ordinal);

    /// <summary>What is deleted and can still be brought back, by slot. Looked at and changed in a turn only.</summary>
    private readonly Dictionary<string, HashSet<int>> _kept = new(StringComparer.Ordinal);

    /// <summary>Generations of a slot are hidden, and must not be deleted for good.</summary>
    public void Keep(string slot, IEnumerable<int> numbers)
    {
        if (!_kept.TryGetValue(slot, out var kept))
            _kept.Add(slot, kept = []);
        kept.UnionWith(numbers);
    }

    /// <summary>Nobody brings these generations back any more, or somebody did.</summary>
    public void Forget(string slot, IEnumerable<int> numbers)
    {
        if (_kept.TryGetValue(slot, out var kept))
            kept.ExceptWith(numbers);
    }

    /// <summary>Whether a hidden generation can still be brought back.</summary>
    public bool IsKept(string slot, int number) => _kept.TryGetValue(slot, out var kept) && kept.Contains(number);

    /// <summary>
    /// Asks for a turn. Turns come in the order in which they were asked for, and one has to be ended before the next comes.
    /// </summary>
    /// <param name="isSave">Whether a save is to be written; everything else separates the saves before it from those after it.</param>
    public WriterTurn Ask(bool isSave = false)
    {
        lock (_gate)
        {
            var turn = new WriterTurn(End, isSave ? _changes : ++_changes);
            _line.Enqueue(turn);
            if (_line.Count == 1)
                turn.Begin();
            return turn;
        }
    }

    /// <summary>A turn is over, or nobody wants it any more.</summary>
    private void End(WriterTurn turn)
    {
        lock (_gate)
        {
            turn.IsOver = true;
            while (_line.TryPeek(out var next) && next.IsOver)
                _line.Dequeue();
            _line.TryPeek(out var first);
            first?.Begin();
        }
    }

    /// <summary>Does something that changes saves, alone: it waits for its turn. What it does must not ask for a turn again.</summary>
    public ValueTask<TResult> Alone<TResult>(StorageCalls calls, Func<ValueTask<TResult>> act)
    {
        RefuseCallback();
        return Alone(Ask(), calls, act);
    }

    /// <summary>Does something alone, in a turn that was asked for.</summary>
    public static async ValueTask<TResult> Alone<TResult>(WriterTurn turn, StorageCalls calls, Func<ValueTask<TResult>> act)
    {
        try
        {
            await calls.Wait(turn.Begun).ConfigureAwait(false);
            return await act().ConfigureAwait(false);
        }
        finally
        {
            turn.End();
        }
    }

    /// <summary>Whoever is called back in the middle of a turn cannot wait for another one.</summary>
    /// <exception cref="InvalidOperationException">This is such a callback.</exception>
    public void RefuseCallback()
    {
        if (_calledBackBy == this)
            throw new InvalidOperationException("A callback cannot change the saves while the save that called it is being written. Begin "
                + "it asynchronously, or wait for the Saved event.");
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

    /// <summary>Whether nobody else can be writing. Asked in a turn, after <see cref="Hold"/>.</summary>
    public bool IsAlone => _hold is { IsHeld: true };

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
        var turn = Ask();
        turn.Begun.Wait();
        try
        {
            _hold?.Dispose();
            _hold = null;
        }
        finally
        {
            turn.End();
        }
    }
}
