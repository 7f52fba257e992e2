using System.Diagnostics;
using System.Globalization;
using Lodrik.Sqlite;
using Lodrik.Storage;
using Microsoft.Data.Sqlite;

namespace Lodrik.Far.Tests;

/// <summary>Saves in one SQLite file.</summary>
public sealed class SqliteStorageTests : StorageContract, IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-sqlite-").FullName;
    private readonly SqliteStorage _storage;

    public SqliteStorageTests() => _storage = SqliteStorage.Open(Database);

    protected override ISaveStorage Storage => _storage;

    protected override bool IsTransactional => true;

    private string Database => Path.Combine(_folder, "not", "yet", "saves.db");

    /// <summary>The program that saves.</summary>
    private static string[] Saver => Repository.Words("Lodrik.Saver.dll");

    /// <summary>How many processes are killed; more by LODRIK_KILLS.</summary>
    private static int Kills => int.TryParse(Environment.GetEnvironmentVariable("LODRIK_KILLS"), out var kills) ? kills : 15;

    public void Dispose()
    {
        _storage.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void Once_it_is_closed_one_file_has_everything()
    {
        _storage.Write("slots/a/00000001.json", "save"u8.ToArray(), replace: false);
        _storage.Dispose();
        Assert.Equal([Database], Directory.GetFiles(Path.GetDirectoryName(Database)!));
        using var again = SqliteStorage.Open(Database);
        Assert.Equal("save"u8.ToArray(), again.Read("slots/a/00000001.json"));
        Assert.Throws<ObjectDisposedException>(() => _storage.Read("slots/a/00000001.json"));
    }

    [Fact]
    public void Any_tool_for_databases_sees_the_saves()
    {
        _storage.Write("slots/a/00000001.json", "save"u8.ToArray(), replace: false);
        using var connection = new SqliteConnection($"Data Source={Database};Mode=ReadOnly;Pooling=False");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = "SELECT group_concat(name || '=' || CAST(bytes AS TEXT)) FROM saved_file";
        Assert.Equal("slots/a/00000001.json=save", command.ExecuteScalar());
        command.CommandText = "PRAGMA journal_mode";
        Assert.Equal("wal", command.ExecuteScalar());
    }

    [Fact]
    public void A_replaced_file_has_another_stamp()
    {
        _storage.Write("a", "one"u8.ToArray(), replace: false);
        var before = Assert.Single(_storage.List("")).Stamp;
        Assert.Equal(before, Assert.Single(_storage.List("")).Stamp);
        _storage.Write("a", "two"u8.ToArray(), replace: true);
        Assert.NotEqual(before, Assert.Single(_storage.List("")).Stamp);
    }

    [Fact]
    public void One_writer_at_a_time_holds_a_database_whatever_it_is_called_and_others_learn_who()
    {
        var link = Path.Combine(_folder, "link");
        Directory.CreateSymbolicLink(link, Path.GetDirectoryName(Database)!);
        using var other = SqliteStorage.Open(Path.Combine(link, "saves.db"));
        Assert.Equal(_storage.Place, other.Place);
        using (var hold = _storage.TryHold())
        {
            Assert.True(hold.IsHeld);
            using var second = other.TryHold();
            Assert.False(second.IsHeld);
            Assert.Contains($"process {Environment.ProcessId}", second.Holder, StringComparison.Ordinal);
        }
        using var free = other.TryHold();
        Assert.True(free.IsHeld);
    }

    [Fact]
    public async Task Whoever_reads_waits_for_no_writer_and_sees_no_half_of_a_save()
    {
        var done = new CancellationTokenSource();
        var reading = Task.Run(() =>
        {
            var reads = 0;
            while (!done.IsCancellationRequested)
            {
                var names = _storage.List("slots/a").Select(file => file.Name).ToList();
                foreach (var save in names.Where(name => name.EndsWith(".json", StringComparison.Ordinal)))
                    Assert.Contains(Path.ChangeExtension(save, ".png"), names);
                foreach (var name in names)
                    Assert.NotNull(_storage.ReadRange(name, 0, 100));
                reads++;
            }
            return reads;
        }, TestContext.Current.CancellationToken);
        for (var i = 0; i < 100; i++)
            _storage.WriteAll([new($"slots/a/{i:D8}.png", new(new byte[2000]), true), new($"slots/a/{i:D8}.json", new(new byte[5000]), false)]);
        await done.CancelAsync();
        Assert.True(await reading > 0);
    }

    [Fact]
    public void Compacting_gives_the_room_of_deleted_saves_back()
    {
        for (var i = 0; i < 20; i++)
            _storage.Write($"slots/a/{i}", new byte[200_000], replace: false);
        for (var i = 1; i < 20; i++)
            _storage.Delete($"slots/a/{i}");
        _storage.Compact();
        Assert.InRange(new FileInfo(Database).Length, 200_000, 400_000);
        Assert.Equal(200_000, Assert.Single(_storage.List("")).ByteCount);
    }

    [Fact]
    public void What_is_no_database_of_ours_is_refused_and_left_alone()
    {
        var text = Path.Combine(_folder, "text.db");
        File.WriteAllText(text, new string('x', 5000));
        Assert.Contains("not a database", Assert.Throws<StorageException>(() => SqliteStorage.Open(text)).Message, StringComparison.Ordinal);
        Assert.Equal(new string('x', 5000), File.ReadAllText(text));

        var other = Path.Combine(_folder, "other.db");
        Run(other, "CREATE TABLE mine (x)");
        var bytes = File.ReadAllBytes(other);
        Assert.Contains("another program", Assert.Throws<StorageException>(() => SqliteStorage.Open(other)).Message, StringComparison.Ordinal);
        Assert.Equal(bytes, File.ReadAllBytes(other));

        var newer = Path.Combine(_folder, "newer.db");
        SqliteStorage.Open(newer).Dispose();
        Run(newer, "PRAGMA user_version = 2");
        Assert.Contains("layout 2", Assert.Throws<StorageException>(() => SqliteStorage.Open(newer)).Message, StringComparison.Ordinal);

        Directory.CreateDirectory(Path.Combine(_folder, "folder.db"));
        Assert.Throws<StorageException>(() => SqliteStorage.Open(Path.Combine(_folder, "folder.db")));
        Assert.Throws<StorageException>(() => SqliteStorage.Open(Path.Combine(text, "below.db")));
    }

    [Fact]
    public void A_damaged_database_is_a_clear_error_and_no_other_exception()
    {
        for (var i = 0; i < 50; i++)
            _storage.Write($"slots/a/{i}", new byte[10_000], replace: false);
        _storage.Dispose();
        var whole = File.ReadAllBytes(Database);
        var random = new Random(3);
        var told = 0;
        for (var round = 0; round < 60; round++)
        {
            var spoilt = (byte[])whole.Clone();
            for (var i = 0; i < 200; i++)
                spoilt[random.Next(round % 2 == 0 ? 100 : 0, spoilt.Length)] = (byte)random.Next(256);
            File.WriteAllBytes(Database, round % 5 == 0 ? spoilt[..random.Next(spoilt.Length)] : spoilt);
            try
            {
                using var storage = SqliteStorage.Open(Database);
                foreach (var file in storage.List(""))
                    storage.Read(file.Name);
                storage.Write("slots/b/1", new byte[100], replace: true);
            }
            catch (StorageException)
            {
                told++;
            }
        }
        Assert.InRange(told, 10, 60);
    }

    [Fact]
    public async Task Nothing_that_a_killed_process_reported_done_is_lost()
    {
        var random = new Random(4);
        var reported = 0;
        for (var kill = 0; kill < Kills; kill++)
        {
            var database = Path.Combine(_folder, "killed.db");
            using var process = Process.Start(new ProcessStartInfo("dotnet", [.. Saver, database]) { RedirectStandardOutput = true })!;
            var saves = random.Next(1, 60);
            for (var i = 0; i < saves && await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken) is { } line; i++)
                reported = int.Parse(line, CultureInfo.InvariantCulture);
            process.Kill();
            // What it had said before it died still counts.
            while (await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken) is { } line)
                reported = int.TryParse(line, out var number) ? Math.Max(reported, number) : reported;
            await process.WaitForExitAsync(TestContext.Current.CancellationToken);

            using var storage = SqliteStorage.Open(database);
            using var store = SaveStore<Saver.Tally>.Open(new SaveStoreOptions { Storage = storage });
            var loaded = store.Load("kept");
            Assert.Empty(loaded.PassedOver);
            Assert.InRange(loaded.State.Count.Number, reported, reported + 1);
            Assert.Equal(loaded.State.Count.Number % 97 * 100, loaded.State.Count.Ballast.Length);
            // The lock of a dead process does not stick.
            store.Save("kept", loaded.State);
            reported = loaded.State.Count.Number;
        }
        Assert.True(reported > Kills);
    }

    [Fact]
    public void Whichever_of_its_calls_fails_what_was_reported_is_so()
    {
        if (!new[] { "/usr/bin/gcc", "/usr/local/bin/gcc" }.Any(File.Exists))
            Assert.Skip("gcc is not there, which builds the library that makes SQLite's calls fail.");
        var library = Path.Combine(_folder, "libfaults.so");
        var source = Path.Combine(Repository.Root, "tests", "Lodrik.Saver", "sqlite-faults.c");
        Assert.Equal((0, ""), Repository.Run("gcc", [], "-shared", "-fPIC", "-O1", "-Wall", "-Werror", "-o", library, source, "-ldl"));
        var place = Directory.CreateDirectory(Path.Combine(Directory.Exists("/dev/shm") ? "/dev/shm" : _folder, $"lodrik-faults-{Guid.NewGuid():N}")).FullName;
        try
        {
            var (exit, output) = Repository.Run(
                "dotnet", [("LD_PRELOAD", library)], [.. Saver, "faults-of-sqlite", library, place]);
            TestContext.Current.TestOutputHelper?.WriteLine(output);
            Assert.True(exit == 0, output);
            foreach (var call in new[] { "open", "pread", "pwrite", "fsync", "unlink" })
                Assert.DoesNotContain($"{call}=0", output, StringComparison.Ordinal);
        }
        finally
        {
            Directory.Delete(place, recursive: true);
        }
    }

    [Fact]
    public void A_full_disk_is_told_and_costs_nothing()
    {
        var disk = Directory.CreateDirectory(Path.Combine(_folder, "disk")).FullName;
        if (Repository.Run("mount", [], "-t", "tmpfs", "-o", "size=2m", "tmpfs", disk).Exit != 0)
            Assert.Skip("A small disk of memory cannot be mounted here.");
        try
        {
            using var storage = SqliteStorage.Open(Path.Combine(disk, "saves.db"));
            var written = 0;
            var problem = Assert.Throws<StorageException>(() =>
            {
                for (; written < 1000; written++)
                    storage.Write($"slots/a/{written}", Enumerable.Repeat((byte)written, 200_000).ToArray(), replace: false);
            });
            Assert.Contains("disk is full", problem.Message, StringComparison.Ordinal);
            Assert.True(written > 0);
            Assert.Equal(written, storage.List("").Count);
            for (var i = 0; i < written; i++)
                Assert.Equal(Enumerable.Repeat((byte)i, 200_000).ToArray(), storage.Read($"slots/a/{i}"));
        }
        finally
        {
            Repository.Run("umount", [], disk);
        }
    }

    private static void Run(string database, string statement)
    {
        using var connection = new SqliteConnection($"Data Source={database};Pooling=False");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = statement;
        command.ExecuteNonQuery();
    }
}
