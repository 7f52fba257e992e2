using Lodrik.Postgres;
using Lodrik.Server;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using Npgsql;

namespace Lodrik.Load;

/// <summary>Where saves are kept: in a folder, or in a database.</summary>
internal sealed record Place(string? Folder, string? Connection)
{
    public string Name => Connection is null ? "SQLite" : "PostgreSQL";

    public async Task<PlayerStorages> Open()
    {
        if (Connection is null)
            return PlayerStorages.InFolder(Folder ?? throw new ArgumentException("Pass --folder or --postgres."));
        var source = NpgsqlDataSource.Create(Connection);
        await PostgresSchema.CreateAsync(source);
        return PlayerStorages.InPostgres(source);
    }
}

/// <summary>The server, in a process of its own. It believes whoever says that they are a player.</summary>
internal static class LoadServer
{
    private const string Scheme = "Bearer ";

    public static async Task<int> Run(Uri address, Place place, CancellationToken cancellation)
    {
        ThreadPool.SetMinThreads(64, 64);
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls(address.AbsoluteUri);
        await using var storages = await place.Open();
        using var server = new SaveServer(
            new SaveServerOptions
            {
                Game = LoadSave.Game,
                NewestVersion = 1,
                RequestsPerMinute = int.MaxValue,
                Player = context => new(((string?)context.Request.Headers.Authorization)?[Scheme.Length..]),
            },
            storages);
        await using var host = builder.Build();
        host.MapLodrik(server);
        host.MapLodrikHealth(server);
        await host.StartAsync(cancellation);
        await ((IHost)host).WaitForShutdownAsync(cancellation);
        return 0;
    }
}

/// <summary>What is saved: some numbers, and as many bytes as a save is to have.</summary>
[SaveFile(Game)]
public sealed partial class LoadSave
{
    public const string Game = "load";

    public int Day { get; set; }

    public byte[] World { get; set; } = [];
}
