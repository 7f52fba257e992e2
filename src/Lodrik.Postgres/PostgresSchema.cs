using System.Globalization;
using Lodrik.Storage;
using Npgsql;

namespace Lodrik.Postgres;

/// <summary>
/// The tables that the saves of all players are in. They are made by <see cref="CreateAsync"/>, or by hand from <see cref="Sql"/> where
/// a game's own account may not make tables. Plain SQL, as the engines understand that speak PostgreSQL's protocol.
/// </summary>
public static class PostgresSchema
{
    private const int MostPartitions = 1024;

    /// <summary>The statements that make the tables; making them again changes nothing.</summary>
    /// <param name="partitions">
    /// Into how many parts the table of saves is divided, by a hash of the owner: 16 for a start, more for a cluster. 0 for none, on an
    /// engine that divides tables by itself. It cannot be changed later without moving the saves.
    /// </param>
    public static string Sql(int partitions = 16)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(partitions);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(partitions, MostPartitions);
        var divided = partitions > 0;
        return string.Create(CultureInfo.InvariantCulture, $"""
            CREATE TABLE IF NOT EXISTS lodrik_file (
                owner text NOT NULL,
                name  text COLLATE "C" NOT NULL,
                stamp bigint NOT NULL,
                bytes bytea NOT NULL,
                PRIMARY KEY (owner, name)
            ){(divided ? " PARTITION BY HASH (owner)" : "")};
            {string.Join('\n', Enumerable.Range(0, partitions).Select(part => Partition(part, partitions)))}
            CREATE TABLE IF NOT EXISTS lodrik_writer (
                owner  text PRIMARY KEY,
                id     uuid NOT NULL,
                holder text NOT NULL,
                until  timestamptz NOT NULL
            );

            """);
    }

    /// <summary>
    /// The statements that let a part of a large save be read without the rest, and that keep saves, which are compressed already, from
    /// being compressed again. PostgreSQL only; other engines do without.
    /// </summary>
    /// <inheritdoc cref="Sql" path="/param"/>
    public static string StorageSql(int partitions = 16)
    {
        var tables = partitions == 0 ? ["lodrik_file"] : Enumerable.Range(0, partitions).Select(NameOf);
        return string.Join('\n', tables.Select(table => $"ALTER TABLE {table} ALTER COLUMN bytes SET STORAGE EXTERNAL;"));
    }

    private static string NameOf(int part) => string.Create(CultureInfo.InvariantCulture, $"lodrik_file_{part}");

    private static string Partition(int part, int partitions) => string.Create(
        CultureInfo.InvariantCulture,
        $"""
        CREATE TABLE IF NOT EXISTS {NameOf(part)} PARTITION OF lodrik_file
            FOR VALUES WITH (MODULUS {partitions}, REMAINDER {part});
        """);

    /// <summary>Makes the tables, if they are not there yet.</summary>
    /// <param name="source">The database.</param>
    /// <param name="partitions">As for <see cref="Sql"/>.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <exception cref="StorageException">The database cannot be reached, or the account may not make tables.</exception>
    public static async Task CreateAsync(NpgsqlDataSource source, int partitions = 16, CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(source);
        try
        {
            await using var command = source.CreateCommand(Sql(partitions) + StorageSql(partitions));
            await command.ExecuteNonQueryAsync(cancellationToken).ConfigureAwait(false);
        }
        catch (NpgsqlException exception)
        {
            throw PostgresErrors.From(exception, "lodrik_file");
        }
    }
}
