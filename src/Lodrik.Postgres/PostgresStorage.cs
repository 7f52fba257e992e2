using System.Buffers;
using System.Diagnostics;
using System.Globalization;
using Lodrik.Storage;
using Npgsql;
using NpgsqlTypes;
using Polly;
using Polly.Retry;

namespace Lodrik.Postgres;

/// <summary>
/// The saves of one owner (a player, an account) in PostgreSQL, in tables that all owners share (<see cref="PostgresSchema"/>). What
/// belongs to one save is written in one round trip and one commit.
/// </summary>
/// <remarks>
/// <para>
/// One process at a time writes for an owner: it has a row in <c>lodrik_writer</c> with a lease, which it renews; each write checks it. A
/// process that was suspended until somebody else took over changes nothing any more.
/// </para>
/// <para>
/// Statements are repeated after errors that may pass (serialization failures, deadlocks, a server that restarts, broken connections). If
/// the answer to a commit was lost, the storage looks whether what it wrote is there: each write has a random number of its own.
/// </para>
/// <para>Use the asynchronous calls of a store. The others block their thread for as long as the database takes.</para>
/// </remarks>
public sealed class PostgresStorage : ISaveStorage
{
    private const string UniqueViolation = "23505";
    private const int LongestOwner = 200;

    /// <summary>Holds for whoever has the lease; without one, for everybody.</summary>
    private const string MayWrite = "(@writer IS NULL OR EXISTS (SELECT 1 FROM lodrik_writer WHERE owner = @owner AND id = @writer))";

    private readonly NpgsqlDataSource _source;
    private readonly string _owner;
    private readonly PostgresStorageOptions _options;
    private readonly ResiliencePipeline _pipeline;
    private readonly string _place;
    private Lease? _lease;

    /// <summary>The saves of one owner.</summary>
    /// <param name="source">The database, which stays the caller's to dispose of.</param>
    /// <param name="owner">Whose saves: whatever names a player in the game, with 200 characters at most.</param>
    /// <param name="options">How to use it; null for the usual.</param>
    /// <exception cref="ArgumentException">The owner is empty or too long.</exception>
    public PostgresStorage(NpgsqlDataSource source, string owner, PostgresStorageOptions? options = null)
    {
        ArgumentNullException.ThrowIfNull(source);
        ArgumentException.ThrowIfNullOrEmpty(owner);
        if (owner.Length > LongestOwner || owner.Contains('\0', StringComparison.Ordinal))
            throw new ArgumentException($"An owner has up to {LongestOwner} characters, and none of them is U+0000.", nameof(owner));
        (_source, _owner, _options) = (source, owner, options ?? new PostgresStorageOptions());
        var known = new NpgsqlConnectionStringBuilder(source.ConnectionString);
        _place = string.Create(
            CultureInfo.InvariantCulture, $"postgresql://{known.Host}:{known.Port}/{known.Database}/{Uri.EscapeDataString(owner)}");
        _pipeline = _options.MaxRetries == 0 ? ResiliencePipeline.Empty : new ResiliencePipelineBuilder().AddRetry(new RetryStrategyOptions
        {
            MaxRetryAttempts = _options.MaxRetries,
            BackoffType = DelayBackoffType.Exponential,
            UseJitter = true,
            Delay = _options.RetryDelay,
            MaxDelay = _options.MaxRetryDelay,
            ShouldHandle = new PredicateBuilder().Handle<Exception>(PostgresErrors.MayPass),
        }).Build();
    }

    /// <inheritdoc/>
    public string Description => _place;

    /// <inheritdoc/>
    public object Place => _place;

    /// <inheritdoc/>
    public IReadOnlyList<StoredFile> List(string folder) => Wait(() => ListAsync(folder));

    /// <inheritdoc/>
    public byte[]? ReadRange(string name, long offset, int count) => Wait(() => ReadRangeAsync(name, offset, count));

    /// <inheritdoc/>
    public byte[]? Read(string name) => Wait(() => ReadAsync(name));

    /// <inheritdoc/>
    public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => WriteAll([new StoredContent(name, bytes, replace)]);

    /// <inheritdoc/>
    public void WriteAll(IReadOnlyList<StoredContent> files) => Wait(async () =>
    {
        await WriteAllAsync(files).ConfigureAwait(false);
        return true;
    });

    /// <inheritdoc/>
    public bool Delete(string name) => Wait(() => DeleteAsync(name));

    /// <inheritdoc/>
    public StorageHold TryHold() => Wait(() => TryHoldAsync());

    /// <inheritdoc/>
    public string Locate(string name) => $"{_place}/{name}";

    /// <inheritdoc/>
    public async ValueTask<IReadOnlyList<StoredFile>> ListAsync(string folder, CancellationToken cancellationToken = default)
    {
        StorageNames.CheckFolder(folder);
        return await Repeatedly(folder, async (_, cancellation) =>
        {
            // All names between "folder/" and "folder0", the character after '/': a range of the primary key.
            await using var command = _source.CreateCommand(folder.Length == 0
                ? "SELECT name, length(bytes), stamp FROM lodrik_file WHERE owner = @owner"
                : "SELECT name, length(bytes), stamp FROM lodrik_file WHERE owner = @owner AND name >= @from AND name < @to");
            command.Parameters.AddWithValue("owner", _owner);
            if (folder.Length > 0)
            {
                command.Parameters.AddWithValue("from", folder + "/");
                command.Parameters.AddWithValue("to", folder + "0");
            }
            await using var reader = await command.ExecuteReaderAsync(cancellation).ConfigureAwait(false);
            var files = new List<StoredFile>();
            while (await reader.ReadAsync(cancellation).ConfigureAwait(false))
                files.Add(new StoredFile(reader.GetString(0), reader.GetInt32(1)) { Stamp = reader.GetInt64(2) });
            return files;
        }, cancellationToken).ConfigureAwait(false);
    }

    /// <inheritdoc/>
    public ValueTask<byte[]?> ReadRangeAsync(string name, long offset, int count, CancellationToken cancellationToken = default)
    {
        StorageNames.Check(name);
        ArgumentOutOfRangeException.ThrowIfNegative(offset);
        ArgumentOutOfRangeException.ThrowIfNegative(count);
        // The first byte is number 1, and the end of the range has to be a number too.
        var from = (int)Math.Min(offset, int.MaxValue / 2);
        return ReadOne(
            "SELECT substring(bytes FROM @from FOR @count) FROM lodrik_file WHERE owner = @owner AND name = @name", name,
            [new("from", from + 1), new("count", Math.Min(count, int.MaxValue / 2))], cancellationToken);
    }

    /// <inheritdoc/>
    public ValueTask<byte[]?> ReadAsync(string name, CancellationToken cancellationToken = default)
    {
        StorageNames.Check(name);
        return ReadOne("SELECT bytes FROM lodrik_file WHERE owner = @owner AND name = @name", name, [], cancellationToken);
    }

    /// <inheritdoc/>
    public ValueTask WriteAsync(string name, ReadOnlySequence<byte> bytes, bool replace, CancellationToken cancellationToken = default) =>
        WriteAllAsync([new StoredContent(name, bytes, replace)], cancellationToken);

    /// <inheritdoc/>
    public async ValueTask WriteAllAsync(IReadOnlyList<StoredContent> files, CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(files);
        foreach (var file in files)
            StorageNames.Check(file.Name);
        if (files.Count == 0)
            return;
        // By this number an earlier attempt of ours is known from what somebody else wrote.
        var stamp = Random.Shared.NextInt64(1, long.MaxValue);
        var contents = files.Select(file => file.Bytes.IsSingleSegment ? file.Bytes.First : file.Bytes.ToArray()).ToList();
        var writer = _lease?.Id;
        var last = files[^1].Name;
        var written = await Repeatedly(last, async (attempt, cancellation) =>
        {
            try
            {
                await using var batch = _source.CreateBatch();
                if (writer is not null)
                    batch.BatchCommands.Add(Renewal(writer.Value));
                for (var i = 0; i < files.Count; i++)
                    batch.BatchCommands.Add(Insertion(files[i], contents[i], stamp, writer));
                // The statements of a batch are one transaction.
                await batch.ExecuteNonQueryAsync(cancellation).ConfigureAwait(false);
                return batch.BatchCommands[^1].RecordsAffected > 0;
            }
            catch (PostgresException exception) when (exception.SqlState == UniqueViolation)
            {
                if (attempt > 1 && await StampOf(last, cancellation).ConfigureAwait(false) == stamp)
                    return true;
                throw StorageNames.AlreadyThere(Locate(last));
            }
        }, cancellationToken).ConfigureAwait(false);
        if (!written)
            throw LostLease();
    }

    /// <inheritdoc/>
    public async ValueTask<bool> DeleteAsync(string name, CancellationToken cancellationToken = default)
    {
        StorageNames.Check(name);
        var writer = _lease?.Id;
        return await Repeatedly(name, async (attempt, cancellation) =>
        {
            await using var batch = _source.CreateBatch();
            if (writer is not null)
                batch.BatchCommands.Add(Renewal(writer.Value));
            var deletion = new NpgsqlBatchCommand($"DELETE FROM lodrik_file WHERE owner = @owner AND name = @name AND {MayWrite}");
            deletion.Parameters.AddWithValue("owner", _owner);
            deletion.Parameters.AddWithValue("name", name);
            deletion.Parameters.Add(WriterParameter(writer));
            batch.BatchCommands.Add(deletion);
            await batch.ExecuteNonQueryAsync(cancellation).ConfigureAwait(false);
            if (writer is not null && batch.BatchCommands[0].RecordsAffected == 0)
                throw LostLease();
            // An earlier attempt may have deleted it before its answer was lost.
            return deletion.RecordsAffected > 0 || attempt > 1;
        }, cancellationToken).ConfigureAwait(false);
    }

    /// <inheritdoc/>
    public async ValueTask<StorageHold> TryHoldAsync(CancellationToken cancellationToken = default)
    {
        var id = Guid.NewGuid();
        var holder = string.Create(
            CultureInfo.InvariantCulture,
            $"process {Environment.ProcessId} ({Process.GetCurrentProcess().ProcessName}) on {Environment.MachineName} since "
            + $"{DateTimeOffset.UtcNow:u}");
        var other = await Repeatedly("lodrik_writer", async (_, cancellation) =>
        {
            await using var command = _source.CreateCommand("""
                INSERT INTO lodrik_writer (owner, id, holder, until) VALUES (@owner, @id, @holder, now() + @lease)
                ON CONFLICT (owner) DO UPDATE SET id = excluded.id, holder = excluded.holder, until = excluded.until
                WHERE lodrik_writer.until < now() OR lodrik_writer.id = excluded.id
                """);
            command.Parameters.AddWithValue("owner", _owner);
            command.Parameters.AddWithValue("id", id);
            command.Parameters.AddWithValue("holder", holder);
            command.Parameters.AddWithValue("lease", _options.Lease);
            if (await command.ExecuteNonQueryAsync(cancellation).ConfigureAwait(false) > 0)
                return null;
            await using var asking = _source.CreateCommand("SELECT holder FROM lodrik_writer WHERE owner = @owner");
            asking.Parameters.AddWithValue("owner", _owner);
            return await asking.ExecuteScalarAsync(cancellation).ConfigureAwait(false) as string ?? "somebody who has just stopped";
        }, cancellationToken).ConfigureAwait(false);
        if (other is not null)
            return StorageHold.InUse(other);
        return StorageHold.Held(_lease = new Lease(this, id));
    }

    private static NpgsqlParameter WriterParameter(Guid? writer) =>
        new("writer", NpgsqlDbType.Uuid) { Value = writer is { } id ? id : DBNull.Value };

    /// <summary>Waits without the caller's context, which could be a game's thread that everything else waits for.</summary>
    private static TResult Wait<TResult>(Func<ValueTask<TResult>> call) =>
        Task.Run(async () => await call().ConfigureAwait(false)).GetAwaiter().GetResult();

    private NpgsqlBatchCommand Insertion(StoredContent file, ReadOnlyMemory<byte> bytes, long stamp, Guid? writer)
    {
        var insertion = new NpgsqlBatchCommand(
            $"INSERT INTO lodrik_file (owner, name, stamp, bytes) SELECT @owner, @name, @stamp, @bytes WHERE {MayWrite}"
            + (file.Replace ? " ON CONFLICT (owner, name) DO UPDATE SET stamp = excluded.stamp, bytes = excluded.bytes" : ""));
        insertion.Parameters.AddWithValue("owner", _owner);
        insertion.Parameters.AddWithValue("name", file.Name);
        insertion.Parameters.AddWithValue("stamp", stamp);
        insertion.Parameters.Add(new NpgsqlParameter<ReadOnlyMemory<byte>>("bytes", NpgsqlDbType.Bytea) { TypedValue = bytes });
        insertion.Parameters.Add(WriterParameter(writer));
        return insertion;
    }

    /// <summary>Renews the lease, which also keeps everybody else from taking it before the transaction ends.</summary>
    private NpgsqlBatchCommand Renewal(Guid writer)
    {
        var renewal = new NpgsqlBatchCommand("UPDATE lodrik_writer SET until = now() + @lease WHERE owner = @owner AND id = @id");
        renewal.Parameters.AddWithValue("owner", _owner);
        renewal.Parameters.AddWithValue("id", writer);
        renewal.Parameters.AddWithValue("lease", _options.Lease);
        return renewal;
    }

    private ValueTask<byte[]?> ReadOne(string statement, string name, NpgsqlParameter[] more, CancellationToken cancellationToken) =>
        Repeatedly(name, async (_, cancellation) =>
        {
            await using var command = _source.CreateCommand(statement);
            command.Parameters.AddWithValue("owner", _owner);
            command.Parameters.AddWithValue("name", name);
            foreach (var parameter in more)
                command.Parameters.Add(parameter.Clone());
            return (byte[]?)await command.ExecuteScalarAsync(cancellation).ConfigureAwait(false);
        }, cancellationToken);

    private async ValueTask<long?> StampOf(string name, CancellationToken cancellationToken)
    {
        await using var command = _source.CreateCommand("SELECT stamp FROM lodrik_file WHERE owner = @owner AND name = @name");
        command.Parameters.AddWithValue("owner", _owner);
        command.Parameters.AddWithValue("name", name);
        return (long?)await command.ExecuteScalarAsync(cancellationToken).ConfigureAwait(false);
    }

    private async ValueTask<TResult> Repeatedly<TResult>(
        string name, Func<int, CancellationToken, ValueTask<TResult>> act, CancellationToken cancellationToken)
    {
        var attempt = 0;
        try
        {
            return await _pipeline.ExecuteAsync(cancellation => act(++attempt, cancellation), cancellationToken).ConfigureAwait(false);
        }
        catch (Exception exception) when (exception is NpgsqlException or TimeoutException)
        {
            throw PostgresErrors.From(exception, Locate(name));
        }
    }

    private StorageException LostLease() => new(
        "Another process has taken over writing for this owner.", new SaveLocation { File = _place },
        "Nothing was written. Open the store again to go on.");

    /// <summary>The right to write, which is renewed until it is let go of.</summary>
    private sealed class Lease : IDisposable
    {
        private readonly PostgresStorage _storage;
        private readonly CancellationTokenSource _end = new();
        private readonly Task _renewing;

        public Lease(PostgresStorage storage, Guid id)
        {
            (_storage, Id) = (storage, id);
            _renewing = Task.Run(Renew);
        }

        public Guid Id { get; }

        public void Dispose()
        {
            if (Interlocked.CompareExchange(ref _storage._lease, null, this) != this)
                return;
            _end.Cancel();
            Wait(async () =>
            {
                await _renewing.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
                try
                {
                    await using var command = _storage._source.CreateCommand("DELETE FROM lodrik_writer WHERE owner = @owner AND id = @id");
                    command.Parameters.AddWithValue("owner", _storage._owner);
                    command.Parameters.AddWithValue("id", Id);
                    await command.ExecuteNonQueryAsync().ConfigureAwait(false);
                }
                catch (Exception exception) when (exception is NpgsqlException or TimeoutException or ObjectDisposedException)
                {
                    // It runs out by itself.
                }
                return true;
            });
            _end.Dispose();
        }

        private async Task Renew()
        {
            using var timer = new PeriodicTimer(_storage._options.Lease / 3);
            while (await timer.WaitForNextTickAsync(_end.Token).ConfigureAwait(false))
            {
                try
                {
                    await using var batch = _storage._source.CreateBatch();
                    batch.BatchCommands.Add(_storage.Renewal(Id));
                    await batch.ExecuteNonQueryAsync(_end.Token).ConfigureAwait(false);
                }
                catch (Exception exception) when (exception is NpgsqlException or TimeoutException or ObjectDisposedException)
                {
                    // Tried again at the next tick; each write renews it as well, and checks that it still holds.
                }
            }
        }
    }
}
