using Lodrik.Storage;
using Npgsql;

namespace Lodrik.Postgres;

/// <summary>What the errors of the database mean for saves (PostgreSQL, appendix A: error codes).</summary>
internal static class PostgresErrors
{
    /// <summary>Whether the same statement may succeed a little later.</summary>
    public static bool MayPass(Exception exception) => exception is TimeoutException
        || exception is NpgsqlException { IsTransient: true }
        || exception is PostgresException
        {
            SqlState: SerializationFailure or DeadlockDetected or AdminShutdown or CrashShutdown or CannotConnectNow,
        }
        || (exception is NpgsqlException and not PostgresException);

    private const string SerializationFailure = "40001";
    private const string DeadlockDetected = "40P01";
    private const string AdminShutdown = "57P01";
    private const string CrashShutdown = "57P02";
    private const string CannotConnectNow = "57P03";

    public static StorageException From(Exception exception, string file)
    {
        var (problem, remedy) = (exception as PostgresException)?.SqlState switch
        {
            "28P01" or "28000" => ("The database does not accept the account.", "Check the user and the password."),
            "3D000" => ("There is no such database.", "Check its name."),
            "42P01" => ("The tables are missing.", "Call PostgresSchema.CreateAsync once, or run PostgresSchema.Sql()."),
            "42501" => ("The account may not do this.", "Grant it SELECT, INSERT, UPDATE and DELETE on lodrik_file and lodrik_writer."),
            "53100" => ("The database's disk is full.", "Make room and save again; what was saved before is still there."),
            "53300" => ("The database has no connection left.", "Try again, or allow more connections."),
            "54000" => ("The file is too large for the database.", "A save in PostgreSQL can have up to 1 GB."),
            "25006" => ("The database is read-only.", "It may be a copy. Use the address of the one that is written to."),
            null => ("The database cannot be reached.", "Check the network and try again."),
            _ => (((PostgresException)exception).MessageText, (string?)null),
        };
        return new StorageException(problem, new SaveLocation { File = file }, remedy, exception);
    }
}
