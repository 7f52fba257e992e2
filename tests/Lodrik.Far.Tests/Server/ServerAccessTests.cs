using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.Json;
using Lodrik.Server;
using Microsoft.Extensions.Time.Testing;

namespace Lodrik.Far.Tests.Server;

/// <summary>A player reaches and changes nothing of another one's.</summary>
public sealed class ServerAccessTests : IAsyncLifetime
{
    private static readonly string[] Methods = ["GET", "HEAD", "PUT", "DELETE", "PROPFIND", "MKCOL"];

    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-server-").FullName;
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2031, 4, 1, 20, 0, 0, TimeSpan.Zero));
    private readonly HttpClient _client = new();
    private PlayerStorages _storages = null!;
    private TestServer _server = null!;
    private BearerTokens _tokens = null!;

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    public async ValueTask InitializeAsync()
    {
        _storages = PlayerStorages.InFolder(Path.Combine(_folder, "saves"));
        _tokens = BearerTokens.InFile(Path.Combine(_folder, "tokens.txt"), _clock);
        _server = await TestServer.Start(_storages, TestServer.Usual with { Player = _tokens.Player });
    }

    public async ValueTask DisposeAsync()
    {
        _client.Dispose();
        await _server.DisposeAsync();
        await _storages.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task Every_route_is_the_players_own_and_nobody_elses()
    {
        var (keeper, other) = (_tokens.Add("keeper"), _tokens.Add("other"));
        var (expired, removed) = (_tokens.Add("keeper", TimeSpan.FromHours(1)), _tokens.Add("gone"));
        _clock.Advance(TimeSpan.FromHours(1));
        Assert.Equal(1, _tokens.Remove("gone"));
        const string File = "slots/evening/00000001.json";
        Assert.Equal(HttpStatusCode.Created, (await Ask("PUT", $"keeper/{File}", keeper, Saves.Of(7))).Status);
        var identities = new (string Name, string? Token, HttpStatusCode Status)[]
        {
            ("nobody", null, HttpStatusCode.Unauthorized),
            ("a stranger", "x", HttpStatusCode.Unauthorized),
            ("an expired token", expired, HttpStatusCode.Unauthorized),
            ("a token taken back", removed, HttpStatusCode.Unauthorized),
            ("the digest instead of the token", System.IO.File.ReadAllText(Path.Combine(_folder, "tokens.txt")).Split(' ')[0], HttpStatusCode.Unauthorized),
            ("another player", other, HttpStatusCode.Forbidden),
        };
        foreach (var (name, token, status) in identities)
        {
            foreach (var method in Methods)
            {
                foreach (var path in new[] { "", File, "slots", "slots/evening/00000002.json", "settings.json", "../other/../keeper/" + File })
                {
                    var answer = await Ask(method, $"keeper/{path}", token, method == "PUT" ? Saves.Of(8) : null);
                    Assert.True(answer.Status == status, $"{name}: {method} {path} was answered with {answer.Status}.");
                    Assert.Equal(0, answer.Bytes.AsSpan().IndexOf("multistatus"u8) + 1);
                }
            }
        }
        // All of that changed nothing, and made nothing for anybody.
        using var storage = new Http.HttpStorage(_server.Of("keeper"), new() { Token = _ => new(keeper) });
        Assert.Equal(File, Assert.Single(await storage.ListAsync("", Cancellation)).Name);
        Assert.Equal(Saves.Of(7).Length, (await storage.ReadAsync(File, Cancellation))!.Length);
        Assert.Single(Directory.GetFiles(Path.Combine(_folder, "saves"), "*.db", SearchOption.AllDirectories));
        // What the player may do is done.
        foreach (var (method, status) in new[] { ("PROPFIND", 207), ("HEAD", 200), ("GET", 200), ("MKCOL", 201), ("DELETE", 204), ("GET", 404), ("DELETE", 404) })
            Assert.Equal(status, (int)(await Ask(method, $"keeper/{File}", keeper)).Status is var got && method == "PROPFIND" ? (int)(await Ask(method, "keeper/slots", keeper)).Status : got);
    }

    [Theory]
    [InlineData("/players/keeper/../other/slots/evening/00000001.json")]
    [InlineData("/players/keeper/%2e%2e/other/slots/evening/00000001.json")]
    [InlineData("/players/keeper/..%2fother%2fslots/evening/00000001.json")]
    [InlineData("/players/keeper/slots/..%2f..%2f..%2fother/slots/evening/00000001.json")]
    [InlineData("/players/keeper/slots/%2e%2e%2f%2e%2e/evening/00000001.json")]
    [InlineData("/players/keeper//other/slots/evening/00000001.json")]
    [InlineData("/players//other/slots/evening/00000001.json")]
    [InlineData("/players/keeper%2f..%2fother/slots/evening/00000001.json")]
    [InlineData("/players/keeper/..\\other\\slots\\evening\\00000001.json")]
    [InlineData("/players/keeper/slots/evening/%00/00000001.json")]
    [InlineData("/players/../../../etc/passwd")]
    [InlineData("/players/KEEPER/slots/evening/00000001.json")]
    public async Task No_path_leads_out_of_a_players_folder(string target)
    {
        var (keeper, other) = (_tokens.Add("keeper"), _tokens.Add("other"));
        await Ask("PUT", "other/slots/evening/00000001.json", other, Saves.Of(41));
        foreach (var method in Methods)
        {
            // Clients tidy paths up; this one sends them as they are.
            var body = method == "PUT" ? Saves.Of(42) : [];
            var answer = await Raw($"{method} {target} HTTP/1.1\r\nHost: a\r\nAuthorization: Bearer {keeper}\r\nConnection: close\r\nContent-Length: {body.Length}\r\n\r\n", body);
            // Making a folder that is there with its first file changes nothing.
            Assert.StartsWith(method == "MKCOL" && answer.StartsWith("HTTP/1.1 201", StringComparison.Ordinal) ? "HTTP/1.1 2" : "HTTP/1.1 4", answer, StringComparison.Ordinal);
            Assert.DoesNotContain("contract", answer, StringComparison.Ordinal);
        }
        var there = await Ask("GET", "other/slots/evening/00000001.json", other);
        Assert.Contains("\"Day\": 41", Encoding.UTF8.GetString(there.Bytes), StringComparison.OrdinalIgnoreCase);
        Assert.Equal(HttpStatusCode.NotFound, (await Ask("PROPFIND", "keeper/slots", keeper)).Status);
    }

    [Fact]
    public async Task A_token_that_expires_in_the_middle_is_an_error_and_the_next_one_goes_on()
    {
        var token = _tokens.Add("keeper", TimeSpan.FromHours(1));
        using var storage = new Http.HttpStorage(_server.Of("keeper"), new() { MaxRetries = 0, Token = _ => new(token) });
        using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage });
        await store.SaveAsync("evening", new ContractSave { Day = 1 }, cancellationToken: Cancellation);
        _clock.Advance(TimeSpan.FromHours(1));
        var problem = await Assert.ThrowsAsync<Storage.StorageException>(() => store.SaveAsync("evening", new ContractSave { Day = 2 }, cancellationToken: Cancellation));
        Assert.Contains("expired", problem.Message, StringComparison.Ordinal);
        token = _tokens.Add("keeper");
        await store.SaveAsync("evening", new ContractSave { Day = 3 }, cancellationToken: Cancellation);
        Assert.Equal(3, (await store.LoadAsync("evening", cancellationToken: Cancellation)).State.Day);
        Assert.Equal(2, store.History("evening").Count);
    }

    [Fact]
    public void The_file_of_tokens_is_its_owners_and_has_none_in_it()
    {
        var token = _tokens.Add("keeper", TimeSpan.FromDays(1));
        var file = Path.Combine(_folder, "tokens.txt");
        Assert.True(OperatingSystem.IsWindows() || System.IO.File.GetUnixFileMode(file) == (UnixFileMode.UserRead | UnixFileMode.UserWrite));
        Assert.DoesNotContain(token, System.IO.File.ReadAllText(file), StringComparison.Ordinal);
        Assert.Equal(("keeper", _clock.GetUtcNow().AddDays(1)), Assert.Single(_tokens.List()));
        Assert.Throws<ArgumentException>(() => _tokens.Add("../keeper"));
        Assert.Throws<ArgumentException>(() => _tokens.Add(""));
        // What somebody has written into it by hand gives nobody access that it does not name.
        System.IO.File.AppendAllText(file, "# a note\n\nx\nabc keeper tomorrow\n");
        Assert.Single(_tokens.List());
    }

    [Fact]
    public async Task An_id_that_is_not_one_is_nobody()
    {
        await using var server = await TestServer.Start(_storages);
        foreach (var id in new[] { "..", ".hidden", "a b", new string('a', 101), "-a" })
        {
            using var request = new HttpRequestMessage(new HttpMethod("PROPFIND"), new Uri(server.Address, $"players/{Uri.EscapeDataString(id)}/"));
            request.Headers.TryAddWithoutValidation("Authorization", $"Bearer of-{id}");
            using var answer = await _client.SendAsync(request, Cancellation);
            Assert.True((int)answer.StatusCode is >= 400 and < 500, $"{id}: {answer.StatusCode}");
        }
        foreach (var id in new[] { "a", "steam:76561198000000000", "keeper@marsh.example", "A-_.9" })
        {
            using var storage = server.StorageOf(id);
            await storage.WriteAsync("slots/evening/00000001.json", new(Saves.Of(1)), replace: false, Cancellation);
            Assert.Single(await storage.ListAsync("", Cancellation));
        }
    }

    private async Task<(HttpStatusCode Status, byte[] Bytes)> Ask(string method, string path, string? token, byte[]? body = null)
    {
        using var request = new HttpRequestMessage(new HttpMethod(method), new Uri(_server.Address, $"players/{path}"));
        if (token is not null)
            request.Headers.Authorization = new("Bearer", token);
        if (body is not null)
            request.Content = new ByteArrayContent(body);
        using var answer = await _client.SendAsync(request, Cancellation);
        var bytes = await answer.Content.ReadAsByteArrayAsync(Cancellation);
        if ((int)answer.StatusCode >= 400 && method != "HEAD")
        {
            Assert.Equal("application/problem+json", answer.Content.Headers.ContentType?.MediaType);
            using var problem = JsonDocument.Parse(bytes);
            Assert.Equal((int)answer.StatusCode, problem.RootElement.GetProperty("status").GetInt32());
            Assert.NotEmpty(problem.RootElement.GetProperty("detail").GetString()!);
        }
        return (answer.StatusCode, bytes);
    }

    private async Task<string> Raw(string head, byte[] body)
    {
        using var client = new TcpClient();
        await client.ConnectAsync(_server.Address.Host, _server.Address.Port, Cancellation);
        var stream = client.GetStream();
        await stream.WriteAsync(Encoding.Latin1.GetBytes(head), Cancellation);
        try
        {
            await stream.WriteAsync(body, Cancellation);
        }
        catch (IOException)
        {
            // The server may have answered and closed already.
        }
        using var reader = new StreamReader(stream, Encoding.Latin1);
        return await reader.ReadToEndAsync(Cancellation);
    }
}
