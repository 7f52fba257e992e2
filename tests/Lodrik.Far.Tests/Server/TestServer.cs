using System.Globalization;
using Lodrik.Http;
using Lodrik.Protection;
using Lodrik.Server;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Extensions.Logging;

namespace Lodrik.Far.Tests.Server;

/// <summary>A server for saves on a free port of this machine. Whoever sends the token "of-keeper" is the player keeper.</summary>
public sealed class TestServer : IAsyncDisposable
{
    private readonly SaveServer _server;

    private TestServer(WebApplication host, SaveServer server, Uri address) => (Host, _server, Address) = (host, server, address);

    public static SaveServerOptions Usual { get; } = new()
    {
        Game = "contract",
        NewestVersion = 1,
        RequestsPerMinute = 100_000,
        Player = context => new(context.Request.Headers.Authorization.ToString() is var sent && sent.StartsWith("Bearer of-", StringComparison.Ordinal) ? sent["Bearer of-".Length..] : null),
    };

    public WebApplication Host { get; }

    public Uri Address { get; }

    public static async Task<TestServer> Start(PlayerStorages storages, SaveServerOptions? options = null, Action<ILoggingBuilder>? log = null, string prefix = "/players")
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        log?.Invoke(builder.Logging);
        var address = new Uri(string.Create(CultureInfo.InvariantCulture, $"http://127.0.0.1:{Apache.FreePort()}/"));
        builder.WebHost.UseUrls(address.AbsoluteUri);
        var host = builder.Build();
        var server = new SaveServer(options ?? Usual, storages, (ILogger<SaveServer>?)host.Services.GetService(typeof(ILogger<SaveServer>)));
        host.MapLodrik(server, prefix);
        host.MapLodrikHealth(server);
        await host.StartAsync();
        return new TestServer(host, server, address);
    }

    /// <summary>The folder of a player.</summary>
    public Uri Of(string player) => new(Address, $"players/{player}/");

    /// <summary>The saves of a player, as the player's own game reaches them.</summary>
    public HttpStorage StorageOf(string player, HttpStorageOptions? options = null) =>
        new(Of(player), (options ?? new HttpStorageOptions { MaxRetries = 0 }) with { Token = _ => new($"of-{player}") });

    public async ValueTask DisposeAsync()
    {
        await Host.DisposeAsync();
        _server.Dispose();
    }
}

/// <summary>A test with a folder in which servers keep saves.</summary>
public abstract class ServerTest : IAsyncLifetime
{
    protected static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    protected string SaveFolder { get; } = Directory.CreateTempSubdirectory("lodrik-server-").FullName;

    protected PlayerStorages Storages { get; private set; } = null!;

    public virtual ValueTask InitializeAsync()
    {
        Storages = PlayerStorages.InFolder(SaveFolder);
        return default;
    }

    public virtual async ValueTask DisposeAsync()
    {
        await Storages.DisposeAsync();
        Directory.Delete(SaveFolder, recursive: true);
        GC.SuppressFinalize(this);
    }
}

/// <summary>Saves of the game "contract", and what somebody makes of them.</summary>
internal static class Saves
{
    public static SaveKey GameKey { get; } = KeyOf("game", 1);

    /// <summary>A key that is the same in every run.</summary>
    public static SaveKey KeyOf(string id, byte first) => SaveKey.FromBytes(id, [.. Enumerable.Range(first, 32).Select(number => (byte)number)]);

    public static byte[] Of(int day, SaveProtection? protection = null, SaveForm form = SaveForm.Json) => Of(new ContractSave { Day = day }, protection, form);

    public static byte[] Of<T>(T state, SaveProtection? protection = null, SaveForm form = SaveForm.Json)
        where T : class, State.IStateRoot<T>
    {
        var storage = new Storage.MemoryStorage();
        using var store = SaveStore<T>.Open(new SaveStoreOptions { Storage = storage, Form = form, Protection = protection });
        store.Save("evening", state);
        return storage.Read(storage.List("slots")[0].Name)!;
    }

    /// <summary>The same save without its seal.</summary>
    public static byte[] Unsealed(byte[] bytes, SaveProtection protection)
    {
        var file = Inspection.SavedFile.FromBytes(bytes);
        file.CheckSeal(protection);
        return file.Protect(null);
    }
}

/// <summary>The game's second version.</summary>
[SaveFile("contract", Version = 2)]
internal sealed partial class SecondSave
{
    public int Day { get; set; } = 5;
}

/// <summary>The game's fourth version.</summary>
[SaveFile("contract", Version = 4)]
internal sealed partial class FourthSave
{
    public int Day { get; set; } = 5;
}

/// <summary>Another game.</summary>
[SaveFile("heron-count")]
internal sealed partial class HeronSave
{
    public int Day { get; set; } = 5;
}

/// <summary>Settings, which belong to no slot.</summary>
[StateType]
internal sealed partial class SoundSettings
{
    public int Volume { get; set; } = 5;
}
