using Lodrik.Storage;
using Npgsql;

namespace Lodrik.Server;

/// <summary>Where a server keeps the saves of its players.</summary>
public abstract class PlayerStorages : IAsyncDisposable
{
    /// <summary>A folder with an SQLite database for each player.</summary>
    /// <param name="folder">The folder, which is made if there is none.</param>
    /// <exception cref="StorageException">It cannot be made.</exception>
    public static PlayerStorages InFolder(string folder) => new SqlitePlayerStorages(folder);

    /// <summary>
    /// A PostgreSQL database for all players. Any number of servers can run on one. Its tables are made by
    /// <see cref="Postgres.PostgresSchema"/>.
    /// </summary>
    /// <param name="source">The database, which stays the caller's to dispose of.</param>
    public static PlayerStorages InPostgres(NpgsqlDataSource source) => new PostgresPlayerStorages(source);

    /// <summary>Does something with the storage of one player.</summary>
    /// <typeparam name="TResult">What comes of it.</typeparam>
    /// <param name="player">The player's id.</param>
    /// <param name="isReading">Whether nothing will be written: then nothing is made for a player who has no saves.</param>
    /// <param name="act">What to do. The storage may not be used afterwards.</param>
    public abstract ValueTask<TResult> Use<TResult>(string player, bool isReading, Func<ISaveStorage, ValueTask<TResult>> act);

    /// <summary>Makes sure that saves can be read and written at the moment.</summary>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <exception cref="StorageException">They cannot.</exception>
    public abstract ValueTask CheckAsync(CancellationToken cancellationToken = default);

    /// <summary>Closes what is open. A database that was handed over stays open.</summary>
    public abstract ValueTask DisposeAsync();
}
