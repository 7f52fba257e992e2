using System.Runtime.CompilerServices;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// The one writer of a place where saves are. All stores of this process that are open on the same place share it, so that they never
/// work on it at once; against other processes it holds a lock from the first write until the last of these stores is closed.
/// </summary>
internal sealed class StoreWriter : IDisposable
{
    private static readonly Dictionary<string, StoreWriter> ByFolder = new(StringComparer.Ordinal);
    private static readonly ConditionalWeakTable<ISaveStorage, StoreWriter> ByStorage = [];

    private readonly DirectoryStorage? _directory;
    private IDisposable? _held;
    private int _stores;

    private StoreWriter(DirectoryStorage? directory) => _directory = directory;

    /// <summary>What is done under this is done alone.</summary>
    public Lock Gate { get; } = new();

    public static StoreWriter Of(ISaveStorage storage)
    {
        var whole = storage is ProfileStorage profile ? profile.Whole : storage;
        if (whole is not DirectoryStorage directory)
            return ByStorage.GetValue(whole, _ => new StoreWriter(null));
        lock (ByFolder)
        {
            if (!ByFolder.TryGetValue(directory.Description, out var writer))
                ByFolder.Add(directory.Description, writer = new StoreWriter(directory));
            writer._stores++;
            return writer;
        }
    }

    /// <summary>Makes sure that no other process writes. Called under the gate before anything is changed.</summary>
    /// <exception cref="StoreInUseException">Another process does.</exception>
    public void Hold() => _held ??= _directory?.Hold();

    /// <summary>A store is closed; with the last one the lock goes.</summary>
    public void Dispose()
    {
        if (_directory is null)
            return;
        lock (ByFolder)
        {
            if (--_stores > 0)
                return;
            ByFolder.Remove(_directory.Description);
        }
        lock (Gate)
        {
            _held?.Dispose();
            _held = null;
        }
    }
}
