using System.Buffers;
using System.Diagnostics;
using System.Globalization;
using Lodrik.Storage;
using Microsoft.Data.Sqlite;

namespace Lodrik.Sqlite;

/// <summary>
/// All saves of a game in one SQLite database. What belongs to one save is written in one transaction, which is on the disk when the call
/// returns (write-ahead log, <c>synchronous=FULL</c>); readers never wait for a writer.
/// </summary>
/// <remarks>
/// The database has one table, <c>saved_file(id, name, bytes)</c>, and can be looked into with any tool for SQLite. One process at a time
/// writes: it holds <c>&lt;path&gt;.lock</c> open. Dispose of the storage once all stores on it are closed. All calls are synchronous,
/// as SQLite is; saving in the background keeps them off the game's thread.
/// </remarks>
public sealed class SqliteStorage : ISaveStorage, IDisposable
{
    /// <summary>"Lodr" in ASCII: says in the file's header whose database it is (<c>PRAGMA application_id</c>).</summary>
    private const int ApplicationId = 0x4C6F6472;

    /// <summary>The version of the tables (<c>PRAGMA user_version</c>).</summary>
    private const int Layout = 1;

    /// <summary>How long a call waits for another connection's transaction, in seconds.</summary>
    private const int BusySeconds = 10;

    private readonly Lock _gate = new();
    private readonly string _path;
    private readonly string _reading;
    private readonly SqliteConnection _writing;
    private volatile bool _isDisposed;

    private SqliteStorage(string path, SqliteConnection writing, string reading) =>
        (_path, _writing, _reading, Place) = (path, writing, reading, $"sqlite:{path}");

    /// <summary>Opens a database, or creates it with its folder.</summary>
    /// <param name="path">The file. SQLite keeps <c>-wal</c> and <c>-shm</c> files beside it while it is open.</param>
    /// <exception cref="StorageException">
    /// It cannot be opened or created, or is not a database, or another program's, or made by a newer version of Lodrik.
    /// </exception>
    public static SqliteStorage Open(string path)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        path = Path.GetFullPath(path);
        return Carefully(path, () =>
        {
            Directory.CreateDirectory(Path.GetDirectoryName(path)!);
            var text = new SqliteConnectionStringBuilder { DataSource = path, Pooling = false, DefaultTimeout = BusySeconds };
            var writing = new SqliteConnection(text.ToString());
            try
            {
                writing.Open();
                // Two names of one file are one place: the system's own name of it decides.
                var known = (string)Ask(writing, "SELECT file FROM pragma_database_list WHERE name = 'main'")!;
                Prepare(writing, path);
                text.Pooling = true;
                text.DataSource = known;
                text.Mode = SqliteOpenMode.ReadOnly;
                return new SqliteStorage(known, writing, text.ToString());
            }
            catch
            {
                writing.Dispose();
                throw;
            }
        });
    }

    /// <inheritdoc/>
    public string Description => _path;

    /// <inheritdoc/>
    public object Place { get; }

    /// <inheritdoc/>
    public IReadOnlyList<StoredFile> List(string folder)
    {
        StorageNames.CheckFolder(folder);
        return Read(connection =>
        {
            using var command = connection.CreateCommand();
            // All names between "folder/" and "folder0", the character after '/': an index range, whatever else there is.
            command.CommandText = folder.Length == 0
                ? "SELECT name, length(bytes), id FROM saved_file"
                : "SELECT name, length(bytes), id FROM saved_file WHERE name >= $from AND name < $to";
            if (folder.Length > 0)
            {
                command.Parameters.AddWithValue("$from", folder + "/");
                command.Parameters.AddWithValue("$to", folder + "0");
            }
            using var reader = command.ExecuteReader();
            var files = new List<StoredFile>();
            while (reader.Read())
                files.Add(new StoredFile(reader.GetString(0), reader.GetInt64(1)) { Stamp = reader.GetInt64(2) });
            return files;
        });
    }

    /// <inheritdoc/>
    public byte[]? ReadRange(string name, long offset, int count)
    {
        StorageNames.Check(name);
        ArgumentOutOfRangeException.ThrowIfNegative(offset);
        ArgumentOutOfRangeException.ThrowIfNegative(count);
        return Read(connection =>
        {
            // In one transaction the number still means the same content when that is opened.
            using var transaction = connection.BeginTransaction(deferred: true);
            if (Find(connection, name) is not { } id)
                return null;
            using var content = new SqliteBlob(connection, "saved_file", "bytes", id, readOnly: true);
            var start = Math.Min(offset, content.Length);
            var bytes = new byte[Math.Min(count, content.Length - start)];
            content.Seek(start, SeekOrigin.Begin);
            content.ReadExactly(bytes);
            return bytes;
        });
    }

    /// <inheritdoc/>
    public byte[]? Read(string name) => ReadRange(name, 0, int.MaxValue);

    /// <inheritdoc/>
    public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => WriteAll([new StoredContent(name, bytes, replace)]);

    /// <inheritdoc/>
    public void WriteAll(IReadOnlyList<StoredContent> files)
    {
        ArgumentNullException.ThrowIfNull(files);
        foreach (var file in files)
            StorageNames.Check(file.Name);
        Change(() =>
        {
            foreach (var (name, bytes, replace) in files)
            {
                if (replace)
                    Run("DELETE FROM saved_file WHERE name = $name", ("$name", name));
                else if (Find(_writing, name) is not null)
                    throw StorageNames.AlreadyThere(Locate(name));
                var id = (long)Ask(
                    _writing, "INSERT INTO saved_file (name, bytes) VALUES ($name, zeroblob($size)) RETURNING id",
                    ("$name", name), ("$size", bytes.Length))!;
                using var content = new SqliteBlob(_writing, "saved_file", "bytes", id);
                foreach (var segment in bytes)
                    content.Write(segment.Span);
            }
            return true;
        });
    }

    /// <inheritdoc/>
    public bool Delete(string name)
    {
        StorageNames.Check(name);
        return Change(() => Run("DELETE FROM saved_file WHERE name = $name", ("$name", name)) > 0);
    }

    /// <inheritdoc/>
    public string Locate(string name) => $"{_path}#{name}";

    /// <inheritdoc/>
    public StorageHold TryHold() => Carefully(_path, () =>
    {
        CheckNotDisposed();
        FileStream held;
        try
        {
            // An advisory lock of the system (flock), which ends with the process however that ends.
            held = new FileStream(_path + ".lock", FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        }
        catch (IOException exception) when (exception is not (DirectoryNotFoundException or FileNotFoundException))
        {
            var holder = Read(connection => Ask(connection, "SELECT value FROM about WHERE name = 'writer'")) as string;
            return StorageHold.InUse(holder ?? "unknown");
        }
        try
        {
            var holder = string.Create(
                CultureInfo.InvariantCulture,
                $"process {Environment.ProcessId} ({Process.GetCurrentProcess().ProcessName}) on {Environment.MachineName} since "
                + $"{DateTimeOffset.UtcNow:u}");
            Change(() => Run("INSERT OR REPLACE INTO about (name, value) VALUES ('writer', $holder)", ("$holder", holder)));
            return StorageHold.Held(held);
        }
        catch
        {
            held.Dispose();
            throw;
        }
    });

    /// <summary>
    /// Gives the room of deleted saves back to the disk. That rewrites the whole database, so do it at a quiet moment; it needs as much
    /// free room as the saves take.
    /// </summary>
    /// <exception cref="StorageException">It failed; the saves are as they were.</exception>
    public void Compact() => Carefully(_path, () =>
    {
        lock (_gate)
        {
            CheckNotDisposed();
            Run("VACUUM");
            Run("PRAGMA wal_checkpoint(TRUNCATE)");
        }
        return true;
    });

    /// <summary>Closes the database. Its <c>-wal</c> file is written into it and removed.</summary>
    public void Dispose()
    {
        lock (_gate)
        {
            if (_isDisposed)
                return;
            _isDisposed = true;
            using (var reading = new SqliteConnection(_reading))
                SqliteConnection.ClearPool(reading);
            _writing.Dispose();
        }
    }

    /// <summary>Makes the tables of a new database, and refuses one that is not of this kind.</summary>
    private static void Prepare(SqliteConnection connection, string path)
    {
        var application = (long)Ask(connection, "PRAGMA application_id")!;
        var layout = (long)Ask(connection, "PRAGMA user_version")!;
        var tables = (long)Ask(connection, "SELECT count(*) FROM sqlite_schema")!;
        if (application != ApplicationId && (application != 0 || layout != 0 || tables > 0))
            throw new StorageException(
                "The database belongs to another program.", new SaveLocation { File = path }, "Choose another file; nothing was changed.");
        if (layout > Layout)
            throw new StorageException(
                $"The database has layout {layout}, and this version of Lodrik.Sqlite knows layouts up to {Layout}.",
                new SaveLocation { File = path }, "Update Lodrik.Sqlite.");
        Ask(connection, "PRAGMA journal_mode = WAL");
        // In a write-ahead log, FULL flushes it at each commit; NORMAL could lose the last ones in a power failure.
        Ask(connection, "PRAGMA synchronous = FULL");
        if (application == ApplicationId && layout == Layout)
            return;
        using var transaction = connection.BeginTransaction();
        using var command = connection.CreateCommand();
        command.CommandText = string.Create(
            CultureInfo.InvariantCulture,
            $"""
            CREATE TABLE IF NOT EXISTS saved_file (id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL UNIQUE, bytes BLOB NOT NULL);
            CREATE TABLE IF NOT EXISTS about (name TEXT PRIMARY KEY, value TEXT NOT NULL);
            PRAGMA application_id = {ApplicationId};
            PRAGMA user_version = {Layout};
            """);
        command.ExecuteNonQuery();
        transaction.Commit();
    }

    private static long? Find(SqliteConnection connection, string name) =>
        (long?)Ask(connection, "SELECT id FROM saved_file WHERE name = $name", ("$name", name));

    private static object? Ask(SqliteConnection connection, string statement, params ReadOnlySpan<(string Name, object Value)> values)
    {
        using var command = connection.CreateCommand();
        command.CommandText = statement;
        foreach (var (name, value) in values)
            command.Parameters.AddWithValue(name, value);
        return command.ExecuteScalar();
    }

    private int Run(string statement, params ReadOnlySpan<(string Name, object Value)> values)
    {
        using var command = _writing.CreateCommand();
        command.CommandText = statement;
        foreach (var (name, value) in values)
            command.Parameters.AddWithValue(name, value);
        return command.ExecuteNonQuery();
    }

    /// <summary>Reads on a connection of the pool: many at once, each seeing what was committed when it began.</summary>
    private TResult Read<TResult>(Func<SqliteConnection, TResult> read) => Carefully(_path, () =>
    {
        CheckNotDisposed();
        using var connection = new SqliteConnection(_reading);
        connection.Open();
        return read(connection);
    });

    /// <summary>Changes something in one transaction: all of it, or nothing.</summary>
    private TResult Change<TResult>(Func<TResult> change) => Carefully(_path, () =>
    {
        lock (_gate)
        {
            CheckNotDisposed();
            using var transaction = _writing.BeginTransaction(deferred: false);
            var result = change();
            transaction.Commit();
            return result;
        }
    });

    private void CheckNotDisposed() => ObjectDisposedException.ThrowIf(_isDisposed, this);

    private static TResult Carefully<TResult>(string path, Func<TResult> act)
    {
        try
        {
            return act();
        }
        catch (SqliteException exception)
        {
            throw SqliteErrors.From(exception, path);
        }
        catch (Exception exception) when (exception is InvalidCastException or OverflowException
            || (exception is InvalidOperationException and not ObjectDisposedException))
        {
            // A column has what no writer of ours puts there.
            throw SqliteErrors.Damaged(exception, path);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StorageException(exception.Message, new SaveLocation { File = path }, null, exception);
        }
    }
}
