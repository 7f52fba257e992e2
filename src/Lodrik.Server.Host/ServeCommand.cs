using System.CommandLine;
using System.Net;
using Lodrik.Protection;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using Npgsql;

namespace Lodrik.Server.Host;

/// <summary>Runs the server.</summary>
internal static class ServeCommand
{
    /// <summary>What is refused beyond: each connection has a little memory and a file descriptor.</summary>
    private const int MaxConnections = 5000;

    /// <summary>SQLite's calls hold a thread each; the pool adds more only slowly.</summary>
    private const int MinThreads = 64;

    public static void AddTo(RootCommand root)
    {
        var game = new Option<string>("--game")
        {
            Description = "The game whose saves are accepted, as its saves name it.",
            Required = true,
        };
        var newest = new Option<int>("--newest")
        {
            Description = "The newest version of its state that the server knows.",
            Required = true,
        };
        var oldest = new Option<int>("--oldest")
        {
            Description = "The oldest version that is still accepted.",
            DefaultValueFactory = _ => 1,
        };
        var tokens = TokenCommand.FileOption();
        var folder = new Option<string>("--folder")
        {
            Description = "Where saves are kept, an SQLite database for each player.",
            DefaultValueFactory = _ => "saves",
        };
        var postgres = new Option<string?>("--postgres")
        {
            Description = "Keeps saves in PostgreSQL instead: a file with the connection string, or env:NAME for an environment variable.",
        };
        var seal = new Option<string?>("--seal") { Description = "The key that saves have to be sealed with: a JSON Web Key in a file." };
        var sign = new Option<string?>("--sign")
        {
            Description = "The private key that the server signs saves with, each bound to its player: a JSON Web Key in a file.",
        };
        var address = new Option<string>("--address")
        {
            Description = "Where it listens.",
            DefaultValueFactory = _ => "http://127.0.0.1:5210",
        };
        foreach (var option in new Option[] { game, newest, oldest, tokens, folder, postgres, seal, sign, address })
            root.Options.Add(option);
        root.SetAction((parsed, cancellation) => Run(
            new Uri(parsed.GetRequiredValue(address)), parsed.GetRequiredValue(folder), Secrets.Find(parsed.GetValue(postgres)),
            BearerTokens.InFile(parsed.GetRequiredValue(tokens)),
            tokens => new SaveServerOptions
            {
                Game = parsed.GetRequiredValue(game),
                NewestVersion = parsed.GetRequiredValue(newest),
                OldestVersion = parsed.GetRequiredValue(oldest),
                Player = tokens.Player,
                SealOf = Secrets.FindKey(parsed.GetValue(seal)) is { } key ? _ => SaveProtection.With(key) : null,
                SignatureOf = Secrets.FindKey(parsed.GetValue(sign)) is { } own
                    ? player => SaveProtection.With(own) with { Context = player }
                    : null,
            },
            cancellation));
    }

    private static async Task<int> Run(
        Uri address, string folder, string? postgres, BearerTokens tokens, Func<BearerTokens, SaveServerOptions> options,
        CancellationToken cancellation)
    {
        ThreadPool.GetMinThreads(out var workers, out var completions);
        ThreadPool.SetMinThreads(Math.Max(workers, MinThreads), completions);
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls(address.AbsoluteUri).UseKestrel(kestrel =>
        {
            // Whoever connects and sends nothing is let go of, and does not keep others out for long.
            kestrel.Limits.MaxConcurrentConnections = MaxConnections;
            kestrel.Limits.KeepAliveTimeout = TimeSpan.FromSeconds(30);
            kestrel.Limits.RequestHeadersTimeout = TimeSpan.FromSeconds(10);
            kestrel.AddServerHeader = false;
        });
        builder.Services.Configure<HostOptions>(host => host.ShutdownTimeout = TimeSpan.FromSeconds(30));
        builder.Logging.ClearProviders();
        builder.Logging.AddJsonConsole(json => json.UseUtcTimestamp = true);
        builder.Logging.AddFilter("Microsoft", LogLevel.Warning);
        var source = postgres is null ? null : NpgsqlDataSource.Create(postgres);
        await using var disposal = source;
        var storages = source is null ? PlayerStorages.InFolder(folder) : PlayerStorages.InPostgres(source);
        await using var closing = storages;
        var app = builder.Build();
        await using var stopping = app;
        using var server = new SaveServer(
            options(tokens), storages, app.Services.GetRequiredService<ILogger<SaveServer>>());
        await storages.CheckAsync(cancellation).ConfigureAwait(false);
        app.MapLodrik(server);
        app.MapLodrikHealth(server);
        await app.StartAsync(cancellation).ConfigureAwait(false);
        var place = source is null ? Path.GetFullPath(folder) : "PostgreSQL";
        await Console.Error.WriteLineAsync(
            $"Saves of players are at {app.Urls.First().TrimEnd('/')}/players/<id>, kept in {place}.").ConfigureAwait(false);
        if (!IPAddress.IsLoopback(AddressOf(address)) && address.Scheme == Uri.UriSchemeHttp)
            await Console.Error.WriteLineAsync(
                "This is HTTP without encryption: put a proxy with TLS before it, or tokens can be read on the way.").ConfigureAwait(false);
        await app.WaitForShutdownAsync(cancellation).ConfigureAwait(false);
        return 0;
    }

    private static IPAddress AddressOf(Uri address) =>
        IPAddress.TryParse(address.Host, out var ip) ? ip : address.Host == "localhost" ? IPAddress.Loopback : IPAddress.Any;
}
