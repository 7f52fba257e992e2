using Lodrik.Postgres;
using Lodrik.Storage;
using Npgsql;

namespace Lodrik.Server;

/// <summary>All players in one PostgreSQL database.</summary>
internal sealed class PostgresPlayerStorages : PlayerStorages
{
    private readonly NpgsqlDataSource _source;

    public PostgresPlayerStorages(NpgsqlDataSource source)
    {
        ArgumentNullException.ThrowIfNull(source);
        _source = source;
    }

    public override ValueTask<TResult> Use<TResult>(string player, bool isReading, Func<ISaveStorage, ValueTask<TResult>> act)
    {
        ArgumentNullException.ThrowIfNull(act);
        PlayerIds.Check(player);
        return act(new PostgresStorage(_source, player));
    }

    public override async ValueTask CheckAsync(CancellationToken cancellationToken = default) =>
        await new PostgresStorage(_source, "health", new PostgresStorageOptions { MaxRetries = 0 })
            .ReadRangeAsync("health", 0, 1, cancellationToken).ConfigureAwait(false);

    public override ValueTask DisposeAsync() => default;
}
