using Lodrik.Http;
using Lodrik.Server;
using Lodrik.Storage;

namespace Lodrik.Far.Tests.Server;

/// <summary>Saves on our own server, which keeps them in SQLite.</summary>
public class ServerStorageTests : StorageContract, IAsyncLifetime
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-server-").FullName;
    private PlayerStorages _storages = null!;
    private TestServer _server = null!;
    private HttpStorage _storage = null!;

    protected override ISaveStorage Storage => _storage;

    protected static SaveServerOptions Any { get; } = TestServer.Usual with { ChecksFiles = false, MaxFileBytes = 64 << 20, MaxPlayerBytes = 1L << 30 };

    protected virtual PlayerStorages OpenStorages() => PlayerStorages.InFolder(_folder);

    public async ValueTask InitializeAsync()
    {
        _storages = OpenStorages();
        _server = await TestServer.Start(_storages, Any);
        _storage = _server.StorageOf($"keeper-{Guid.NewGuid():N}");
    }

    public async ValueTask DisposeAsync()
    {
        _storage.Dispose();
        await _server.DisposeAsync();
        await _storages.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
        GC.SuppressFinalize(this);
    }

    [Fact]
    public async Task Two_machines_that_save_to_one_slot_through_two_servers_at_once_lose_nothing()
    {
        var cancellation = TestContext.Current.CancellationToken;
        await using var twin = await TestServer.Start(_storages, Any);
        async Task<List<Guid>> Play(int machine, TestServer server)
        {
            using var storage = server.StorageOf("pair");
            using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage, KeepGenerations = 100 });
            var saved = new List<Guid>();
            for (var day = 1; day <= 8; day++)
                saved.Add((await store.SaveAsync("evening", new ContractSave { Day = (100 * machine) + day }, overwrite: Overwrite.Allowed, cancellationToken: cancellation)).SaveId);
            return saved;
        }

        var both = await Task.WhenAll(Play(1, _server), Play(2, twin));
        using var look = _server.StorageOf("pair");
        using var slots = SaveSlots.Open(look);
        Assert.Equal(both.SelectMany(saved => saved).ToHashSet(), slots.History("evening").Select(one => one.Header!.SaveId).ToHashSet());
        Assert.Equal(16, slots.History("evening").Count);
    }

    [Fact]
    public async Task A_name_is_written_once_however_many_try()
    {
        var wins = 0;
        await Parallel.ForEachAsync(Enumerable.Range(0, 40), new ParallelOptions { MaxDegreeOfParallelism = 16 }, async (number, cancellation) =>
        {
            using var storage = _server.StorageOf("many");
            try
            {
                await storage.WriteAsync($"slots/a/{number / 10}", new(new byte[] { (byte)number }), replace: false, cancellation);
                Interlocked.Increment(ref wins);
            }
            catch (StorageException exception) when (exception.AlreadyExists)
            {
            }
        });
        Assert.Equal(4, wins);
    }
}

/// <summary>The same, with the saves in PostgreSQL.</summary>
public sealed class PostgresServerStorageTests(Postgres postgres) : ServerStorageTests
{
    protected override PlayerStorages OpenStorages() => PlayerStorages.InPostgres(postgres.Source);
}

/// <summary>The same through a proxy that spoils every third request.</summary>
public sealed class BadProxyServerStorageTests : StorageContract, IAsyncLifetime
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-server-").FullName;
    private PlayerStorages _storages = null!;
    private TestServer _server = null!;
    private BadProxy _proxy = null!;
    private HttpStorage _storage = null!;

    protected override ISaveStorage Storage => _storage;

    public async ValueTask InitializeAsync()
    {
        _storages = PlayerStorages.InFolder(_folder);
        _server = await TestServer.Start(_storages, TestServer.Usual with { ChecksFiles = false, MaxFileBytes = 64 << 20, MaxPlayerBytes = 1L << 30 });
        _proxy = await BadProxy.Start(_server.Address);
        var random = new Random(17);
        _proxy.Choose = _ => random.Next(3) == 0 ? (Trouble)random.Next(1, 7) : Trouble.None;
        _storage = new HttpStorage(
            new Uri(_proxy.Address, "players/keeper/"),
            new HttpStorageOptions { MaxRetries = 12, RetryDelay = TimeSpan.FromMilliseconds(1), Token = _ => new("of-keeper") });
    }

    public async ValueTask DisposeAsync()
    {
        _storage.Dispose();
        await _proxy.DisposeAsync();
        await _server.DisposeAsync();
        await _storages.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
    }
}
