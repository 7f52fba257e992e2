using Lodrik.Postgres;
using Lodrik.Storage;
using Npgsql;

namespace Lodrik.Far.Tests;

/// <summary>The saves of many players in a real PostgreSQL.</summary>
public sealed class PostgresStorageTests(Postgres postgres) : StorageContract
{
    private readonly string _owner = $"keeper-{Guid.NewGuid():N}";

    private PostgresStorage? _storage;

    protected override ISaveStorage Storage => Opened;

    protected override bool IsTransactional => true;

    private PostgresStorage Opened => _storage ??= new PostgresStorage(postgres.Source, _owner);

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    [Fact]
    public async Task An_owner_has_its_own_saves_and_nobody_elses()
    {
        var mine = Opened;
        var theirs = new PostgresStorage(postgres.Source, _owner + "'; DROP TABLE lodrik_file; --");
        await mine.WriteAsync("slots/a/00000001.json", new("mine"u8.ToArray()), replace: false, Cancellation);
        Assert.Empty(await theirs.ListAsync("", Cancellation));
        await theirs.WriteAsync("slots/a/00000001.json", new("theirs"u8.ToArray()), replace: false, Cancellation);
        Assert.Equal("mine"u8.ToArray(), await mine.ReadAsync("slots/a/00000001.json", Cancellation));
        Assert.True(await theirs.DeleteAsync("slots/a/00000001.json", Cancellation));
        Assert.Equal("mine"u8.ToArray(), await mine.ReadAsync("slots/a/00000001.json", Cancellation));
        Assert.Throws<ArgumentException>(() => new PostgresStorage(postgres.Source, ""));
        Assert.Throws<ArgumentException>(() => new PostgresStorage(postgres.Source, new string('x', 201)));
    }

    [Fact]
    public async Task One_process_at_a_time_writes_for_an_owner_and_a_lease_that_runs_out_is_taken_over()
    {
        var first = new PostgresStorage(postgres.Source, _owner, new PostgresStorageOptions { Lease = TimeSpan.FromHours(1) });
        var second = new PostgresStorage(postgres.Source, _owner);
        var held = await first.TryHoldAsync(Cancellation);
        Assert.True(held.IsHeld);
        Assert.Contains($"process {Environment.ProcessId}", (await second.TryHoldAsync(Cancellation)).Holder, StringComparison.Ordinal);
        await first.WriteAsync("a", new("first"u8.ToArray()), replace: true, Cancellation);

        // The first one is suspended for so long that its lease runs out.
        await Sql($"UPDATE lodrik_writer SET until = now() - interval '1 second' WHERE owner = '{_owner}'");
        using var taken = await second.TryHoldAsync(Cancellation);
        Assert.True(taken.IsHeld);
        await second.WriteAsync("a", new("second"u8.ToArray()), replace: true, Cancellation);
        foreach (var act in new Func<Task>[]
        {
            async () => await first.WriteAsync("a", new("first again"u8.ToArray()), replace: true, Cancellation),
            async () => await first.WriteAsync("b", new("first again"u8.ToArray()), replace: false, Cancellation),
            async () => await first.DeleteAsync("a", Cancellation),
        })
            Assert.Contains("taken over", (await Assert.ThrowsAsync<StorageException>(act)).Message, StringComparison.Ordinal);
        Assert.Equal("second"u8.ToArray(), await second.ReadAsync("a", Cancellation));
        Assert.Null(await second.ReadAsync("b", Cancellation));

        // Letting go of what is lost takes nothing from the one who has it now.
        held.Dispose();
        Assert.NotNull((await first.TryHoldAsync(Cancellation)).Holder);
        taken.Dispose();
        using var again = await first.TryHoldAsync(Cancellation);
        Assert.True(again.IsHeld);
    }

    [Fact]
    public async Task A_lease_is_renewed_for_as_long_as_it_is_held()
    {
        var first = new PostgresStorage(postgres.Source, _owner, new PostgresStorageOptions { Lease = TimeSpan.FromSeconds(1.5) });
        using var held = await first.TryHoldAsync(Cancellation);
        var begun = (DateTime)(await Ask($"SELECT until FROM lodrik_writer WHERE owner = '{_owner}'"))!;
        // Until it was renewed twice, however long that takes on a busy machine.
        var renewed = begun;
        for (var seen = 0; seen < 2;)
        {
            var now = (DateTime)(await Ask($"SELECT until FROM lodrik_writer WHERE owner = '{_owner}'"))!;
            Cancellation.ThrowIfCancellationRequested();
            if (now != renewed)
                (renewed, seen) = (now, seen + 1);
        }
        Assert.True(renewed > begun);
    }

    [Fact]
    public async Task A_server_that_crashes_in_the_middle_of_commits_loses_nothing_that_was_reported()
    {
        // A server of its own: the others' tests go on with theirs.
        Assert.NotNull(postgres.Source);
        using var server = new Postgres();
        var storage = new PostgresStorage(server.Source, _owner, new PostgresStorageOptions { MaxRetries = 60, RetryDelay = TimeSpan.FromMilliseconds(50), MaxRetryDelay = TimeSpan.FromMilliseconds(300) });
        var reported = new List<int>();
        using var progress = new SemaphoreSlim(0);
        var stop = false;
        var saving = Task.Run(async () =>
        {
            using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage, KeepGenerations = 10_000 });
            for (var day = 1; !Volatile.Read(ref stop); day++)
            {
                await store.SaveAsync("evening", new ContractSave { Day = day }, new SaveLabel { Thumbnail = Picture }, cancellationToken: Cancellation);
                reported.Add(day);
                progress.Release();
            }
        }, Cancellation);
        for (var crash = 0; crash < 4; crash++)
        {
            await More(10 + (7 * crash));
            server.Crash();
            server.Start();
        }
        await More(10);
        Volatile.Write(ref stop, true);
        await saving;

        using var look = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = new PostgresStorage(server.Source, _owner) });
        var history = look.History("evening");
        Assert.Equal(reported.AsEnumerable().Reverse(), history.Select(one => look.LoadGeneration("evening", one.Number).State.Day));
        Assert.All(history, one => Assert.Equal(Picture, look.ReadThumbnail("evening", one.Number)));

        async Task More(int count)
        {
            for (var i = 0; i < count; i++)
            {
                var next = progress.WaitAsync(Cancellation);
                if (await Task.WhenAny(saving, next) == saving)
                    await saving;
                await next;
            }
        }
    }

    [Fact]
    public async Task Connections_that_are_cut_at_any_moment_lose_and_double_nothing()
    {
        var storage = new PostgresStorage(postgres.Source, _owner, new PostgresStorageOptions { MaxRetries = 50, RetryDelay = TimeSpan.FromMilliseconds(1), MaxRetryDelay = TimeSpan.FromMilliseconds(20) });
        await using var own = NpgsqlDataSource.Create(postgres.ConnectionString + $";Application Name={_owner}");
        var cut = new PostgresStorage(own, _owner, new PostgresStorageOptions { MaxRetries = 50, RetryDelay = TimeSpan.FromMilliseconds(1), MaxRetryDelay = TimeSpan.FromMilliseconds(20) });
        var cuts = 0L;
        for (var i = 0; i < 150; i++)
        {
            // While every other save is under way, all its connections are cut.
            var cutting = i % 2 == 0 ? Ask($"SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity WHERE application_name = '{_owner}'") : null;
            await cut.WriteAllAsync([new($"slots/a/{i:D8}.png", new(Picture), true), new($"slots/a/{i:D8}.json", new(BitConverter.GetBytes(i)), false)], Cancellation);
            cuts += cutting is null ? 0 : (long)(await cutting)!;
        }
        Assert.True(cuts > 20);
        Assert.Equal(300, (await storage.ListAsync("slots/a", Cancellation)).Count);
        for (var i = 0; i < 150; i++)
            Assert.Equal(BitConverter.GetBytes(i), await storage.ReadAsync($"slots/a/{i:D8}.json", Cancellation));
    }

    [Fact]
    public async Task Making_the_tables_again_changes_nothing_and_missing_ones_are_told()
    {
        await Opened.WriteAsync("a", new("one"u8.ToArray()), replace: true, Cancellation);
        await PostgresSchema.CreateAsync(postgres.Source, cancellationToken: Cancellation);
        Assert.Equal("one"u8.ToArray(), await Opened.ReadAsync("a", Cancellation));

        await Sql("CREATE DATABASE empty");
        await using var empty = NpgsqlDataSource.Create(postgres.ConnectionString.Replace("Database=postgres", "Database=empty", StringComparison.Ordinal));
        var problem = await Assert.ThrowsAsync<StorageException>(async () => await new PostgresStorage(empty, _owner).ListAsync("", Cancellation));
        Assert.Contains("PostgresSchema.CreateAsync", problem.Message, StringComparison.Ordinal);
        // Without partitions, as for engines that divide tables by themselves.
        await PostgresSchema.CreateAsync(empty, partitions: 0, Cancellation);
        await new PostgresStorage(empty, _owner).WriteAsync("a", new("one"u8.ToArray()), replace: false, Cancellation);
    }

    [Fact]
    public async Task What_the_database_refuses_is_said_in_words()
    {
        var quick = new PostgresStorageOptions { MaxRetries = 1, RetryDelay = TimeSpan.FromMilliseconds(1) };
        await using var nowhere = NpgsqlDataSource.Create($"Host=127.0.0.1;Port={Apache.FreePort()};Username=keeper;Timeout=3");
        Assert.Contains("cannot be reached", (await Assert.ThrowsAsync<StorageException>(async () => await new PostgresStorage(nowhere, _owner, quick).ListAsync("", Cancellation))).Message, StringComparison.Ordinal);
        await using var wrong = NpgsqlDataSource.Create(postgres.ConnectionString.Replace("Database=postgres", "Database=nowhere", StringComparison.Ordinal));
        Assert.Contains("no such database", (await Assert.ThrowsAsync<StorageException>(async () => await new PostgresStorage(wrong, _owner, quick).ListAsync("", Cancellation))).Message, StringComparison.Ordinal);
        await using var reader = NpgsqlDataSource.Create(postgres.ConnectionString + ";Options=-c default_transaction_read_only=on");
        Assert.Contains("read-only", (await Assert.ThrowsAsync<StorageException>(async () => await new PostgresStorage(reader, _owner, quick).WriteAsync("a", default, replace: true, Cancellation))).Message, StringComparison.Ordinal);
        await Sql("CREATE ROLE guest LOGIN");
        await using var guest = NpgsqlDataSource.Create(postgres.ConnectionString.Replace("Username=keeper", "Username=guest", StringComparison.Ordinal));
        Assert.Contains("may not do this", (await Assert.ThrowsAsync<StorageException>(async () => await new PostgresStorage(guest, _owner, quick).ListAsync("", Cancellation))).Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_part_of_a_large_save_is_read_without_the_rest()
    {
        await Opened.WriteAsync("a", new(new byte[2_000_000]), replace: false, Cancellation);
        Assert.Equal("e", (await Ask("SELECT attstorage::text FROM pg_attribute WHERE attrelid = 'lodrik_file_0'::regclass AND attname = 'bytes'"))!.ToString());
        Assert.Equal(4096, (await Opened.ReadRangeAsync("a", 1_000_000, 4096, Cancellation))!.Length);
        Assert.Empty((await Opened.ReadRangeAsync("a", long.MaxValue, int.MaxValue, Cancellation))!);
        Assert.Equal(16L, await Ask("SELECT count(*) FROM pg_inherits WHERE inhparent = 'lodrik_file'::regclass"));
    }

    private static readonly byte[] Picture = [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3];

    private async Task Sql(string statement)
    {
        await using var command = postgres.Source.CreateCommand(statement);
        await command.ExecuteNonQueryAsync(Cancellation);
    }

    private async Task<object?> Ask(string statement)
    {
        await using var command = postgres.Source.CreateCommand(statement);
        return await command.ExecuteScalarAsync(Cancellation);
    }
}
