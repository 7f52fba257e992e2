using Lodrik.Storage;
using Microsoft.Data.Sqlite;

namespace Lodrik.Sqlite;

/// <summary>What SQLite's result codes mean for saves (https://sqlite.org/rescode.html).</summary>
internal static class SqliteErrors
{
    private const string DamagedProblem = "The database is damaged.";
    private const string DamagedRemedy = "Restore a copy of it. \"sqlite3 <file> .recover\" may get more out of it.";

    public static StorageException Damaged(Exception exception, string path) =>
        new(DamagedProblem, new SaveLocation { File = path }, DamagedRemedy, exception);

    public static StorageException From(SqliteException exception, string path)
    {
        var (problem, remedy) = exception.SqliteErrorCode switch
        {
            3 or 23 => ("Access to the database is not allowed.", "Check who owns the file and its folder, and what they permit."),
            5 or 6 => ("Another program is changing the database.", "Close it, or try again."),
            8 => ("The database is read-only.", "Check what the file, its folder and the disk permit."),
            10 => ("The disk reports an error.", "Save to another disk, and check this one for faults."),
            11 => (DamagedProblem, DamagedRemedy),
            13 => ("The disk is full.", "Make room and save again; what was saved before is still there."),
            14 => ("The database cannot be opened.", "Check that the folder exists, and what it permits."),
            18 => ("The file is too large for the database.", "A save in SQLite can have up to 1 GB."),
            26 => ("The file is not a database.", "Choose another file; nothing was changed."),
            _ => (exception.Message, (string?)null),
        };
        return new StorageException(problem, new SaveLocation { File = path }, remedy, exception);
    }
}
