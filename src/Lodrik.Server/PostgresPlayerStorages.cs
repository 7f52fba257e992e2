using System.Collections.Concurrent;
using Lodrik.Postgres;
using Lodrik.Storage;
using Npgsql;

namespace Lodrik.Server;

/// <summary>All players in one PostgreSQL database.</summary>
internal sealed class PostgresPlayerStorages : PlayerStorages
{
    /// <summary>How many players' storages are remembered. They hold nothing open.</summary>
    private const int MaxKnown = 10_000;

    private readonly NpgsqlDataSource _source;
    private readonly ConcurrentDictionary<string, PostgresStorage> _known = new(StringComparer.Ordinal);

    public PostgresPlayerStorages(NpgsqlDataSource source)
    {
        ArgumentNullException.ThrowIfNull(source);
        _source = source;
    }

    public override ValueTask<TResult> Use<TResult>(string player, bool isReading, Func<ISaveStorage, ValueTask<TResult>> act)
    {
        ArgumentNullException.ThrowIfNull(act);
        PlayerIds.Check(player);
        if (_known.Count > MaxKnown)
            _known.Clear();
        return act(_known.GetOrAdd(player, static (player, source) => new PostgresStorage(source, player), _source));
    }

    public override async ValueTask CheckAsync(CancellationToken cancellationToken = default) =>
        await new PostgresStorage(_source, "health", new PostgresStorageOptions { MaxRetries = 0 })
            .ReadRangeAsync("health", 0, 1, cancellationToken).ConfigureAwait(false);

    public override ValueTask DisposeAsync() => default;
}
