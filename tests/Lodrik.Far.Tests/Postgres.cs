using System.Globalization;
using Lodrik.Postgres;
using Npgsql;

[assembly: AssemblyFixture(typeof(Lodrik.Far.Tests.Postgres))]

namespace Lodrik.Far.Tests;

/// <summary>A real PostgreSQL server, on a free port of this machine, with its data in a temporary folder.</summary>
public sealed class Postgres : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-postgres-").FullName;
    private readonly string? _programs = Directory.Exists("/usr/lib/postgresql")
        ? Directory.GetDirectories("/usr/lib/postgresql").Order(StringComparer.Ordinal).Select(version => Path.Combine(version, "bin")).LastOrDefault(bin => File.Exists(Path.Combine(bin, "pg_ctl")))
        : null;

    private readonly int _port = Apache.FreePort();
    private readonly NpgsqlDataSource? _source;

    public Postgres()
    {
        if (_programs is null)
            return;
        // The server refuses to run as root.
        if (Environment.UserName == "root")
            Repository.Run("chown", [], "postgres", _folder);
        Do("initdb", "-D", Data, "-A", "trust", "-U", "keeper", "-E", "UTF8", "--no-sync");
        File.AppendAllText(Path.Combine(Data, "postgresql.conf"), string.Create(CultureInfo.InvariantCulture, $"""

            listen_addresses = '127.0.0.1'
            port = {_port}
            unix_socket_directories = '{_folder}'
            max_connections = 60
            """));
        Start();
        _source = NpgsqlDataSource.Create(ConnectionString);
        PostgresSchema.CreateAsync(_source).GetAwaiter().GetResult();
    }

    /// <summary>The database; the test is skipped where PostgreSQL is not installed.</summary>
    public NpgsqlDataSource Source
    {
        get
        {
            if (_source is null)
                Assert.Skip("PostgreSQL is not there (Debian: postgresql).");
            return _source;
        }
    }

    /// <summary>Where its programs are.</summary>
    public string Programs => _programs ?? "";

    public string ConnectionString => string.Create(
        CultureInfo.InvariantCulture, $"Host=127.0.0.1;Port={_port};Username=keeper;Database=postgres;Maximum Pool Size=20;Timeout=5;Command Timeout=20");

    private string Data => Path.Combine(_folder, "data");

    public void Start() => Do("pg_ctl", "-D", Data, "-w", "-l", Path.Combine(_folder, "log"), "start");

    /// <summary>Stops the server as a power failure would, in the middle of whatever it does.</summary>
    public void Crash() => Do("pg_ctl", "-D", Data, "-w", "-m", "immediate", "stop");

    public void Dispose()
    {
        if (_source is not null)
        {
            _source.Dispose();
            Crash();
        }
        Directory.Delete(_folder, recursive: true);
    }

    private void Do(string program, params string[] arguments)
    {
        var path = Path.Combine(_programs!, program);
        // Nothing may inherit the pipes of this process, or reading them would wait for the server.
        var words = string.Join(' ', arguments.Prepend(path).Select(word => $"'{word}'"));
        var script = $"cd / && {words} >'{Path.Combine(_folder, "out")}' 2>&1";
        var (exit, output) = Environment.UserName == "root"
            ? Repository.Run("runuser", [], "-u", "postgres", "--", "sh", "-c", script)
            : Repository.Run("sh", [], "-c", script);
        if (exit != 0)
            throw new InvalidOperationException($"{program} ended with {exit}: {output}{File.ReadAllText(Path.Combine(_folder, "out"))}");
    }
}
