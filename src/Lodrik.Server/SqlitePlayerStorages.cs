using System.IO.Hashing;
using Lodrik.Sqlite;
using Lodrik.Storage;

namespace Lodrik.Server;

/// <summary>
/// A folder with a database for each player: <c>3f/keeper.db</c>. The names of the folders come from a hash, so that none of them has
/// millions of files. Those that were used last stay open.
/// </summary>
internal sealed class SqlitePlayerStorages : PlayerStorages
{
    /// <summary>How many databases stay open when nobody uses them; each has a few files and a small cache.</summary>
    private const int MaxIdle = 256;

    private readonly string _folder;
    private readonly Lock _gate = new();
    private readonly OrderedDictionary<string, Opened> _open = new(StringComparer.Ordinal);

    /// <summary>SQLite's calls hold their thread until the disk has answered: not all of the pool's.</summary>
    private readonly SemaphoreSlim _threads = new(2 * Math.Max(4, Environment.ProcessorCount));

    private bool _isDisposed;

    public SqlitePlayerStorages(string folder)
    {
        ArgumentException.ThrowIfNullOrEmpty(folder);
        _folder = Path.GetFullPath(folder);
        Guarded(() => Directory.CreateDirectory(_folder));
    }

    /// <summary>The database of a player.</summary>
    public static string PathOf(string folder, string player) =>
        Path.Combine(folder, $"{(byte)XxHash3.HashToUInt64(System.Text.Encoding.ASCII.GetBytes(player)):x2}", $"{player}.db");

    public override async ValueTask<TResult> Use<TResult>(string player, bool isReading, Func<ISaveStorage, ValueTask<TResult>> act)
    {
        ArgumentNullException.ThrowIfNull(act);
        PlayerIds.Check(player);
        var path = PathOf(_folder, player);
        if (isReading && !File.Exists(path))
            return await act(new MemoryStorage()).ConfigureAwait(false);
        await _threads.WaitAsync().ConfigureAwait(false);
        try
        {
            var opened = Rent(path);
            try
            {
                return await act(opened.Storage.Value).ConfigureAwait(false);
            }
            finally
            {
                Return(path, opened);
            }
        }
        finally
        {
            _threads.Release();
        }
    }

    public override ValueTask CheckAsync(CancellationToken cancellationToken = default)
    {
        var file = Path.Combine(_folder, $".check-{Guid.NewGuid():N}");
        Guarded(() =>
        {
            File.WriteAllBytes(file, [1]);
            File.Delete(file);
        });
        return default;
    }

    public override ValueTask DisposeAsync()
    {
        List<Opened> rest;
        lock (_gate)
        {
            _isDisposed = true;
            rest = [.. _open.Values.Where(one => one.Users == 0)];
            _open.Clear();
        }
        foreach (var one in rest)
            one.Close();
        return default;
    }

    private void Guarded(Action act)
    {
        try
        {
            act();
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StorageException(
                "The folder of the saves cannot be written.", new SaveLocation { File = _folder },
                "Check that it exists, what it permits, and whether the disk is full.", exception);
        }
    }

    private Opened Rent(string path)
    {
        lock (_gate)
        {
            ObjectDisposedException.ThrowIf(_isDisposed, this);
            // The one that was used last comes last.
            if (!_open.Remove(path, out var opened))
                opened = new Opened(path);
            _open.Add(path, opened);
            opened.Users++;
            return opened;
        }
    }

    private void Return(string path, Opened opened)
    {
        Opened? surplus = null;
        lock (_gate)
        {
            opened.Users--;
            // One that could not be opened is tried again next time.
            var isKept = !_isDisposed && opened.Storage.IsValueCreated;
            if (!isKept && opened.Users == 0)
            {
                if (_open.TryGetValue(path, out var now) && now == opened)
                    _open.Remove(path);
                surplus = opened;
            }
            else if (isKept && _open.Count > MaxIdle && _open.FirstOrDefault(one => one.Value.Users == 0) is { Value: { } oldest } first)
            {
                _open.Remove(first.Key);
                surplus = oldest;
            }
        }
        surplus?.Close();
    }

    private sealed class Opened(string path)
    {
        public Lazy<SqliteStorage> Storage { get; } = new(() => SqliteStorage.Open(path));

        /// <summary>How many requests use it at the moment.</summary>
        public int Users { get; set; }

        public void Close()
        {
            if (Storage.IsValueCreated)
                Storage.Value.Dispose();
        }
    }
}
