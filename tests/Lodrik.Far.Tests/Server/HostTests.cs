using System.Diagnostics;
using System.Globalization;
using System.Net.Sockets;
using System.Text.Json;
using Lodrik.Http;
using Lodrik.Storage;

namespace Lodrik.Far.Tests.Server;

/// <summary>The program that runs a server, as a process.</summary>
public sealed class HostTests(Postgres postgres) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-host-").FullName;

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    private static string Program => Path.Combine(AppContext.BaseDirectory, "Lodrik.Server.Host.dll");

    private string Tokens => Path.Combine(_folder, "tokens.txt");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task It_keeps_saves_over_a_restart_and_logs_them_as_JSON()
    {
        var token = NewToken("keeper");
        using (var host = Running.Start(Arguments("--folder", Path.Combine(_folder, "saves"))))
        {
            using var storage = host.StorageOf("keeper", token);
            using (var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage }))
            {
                for (var day = 1; day <= 3; day++)
                    await store.SaveAsync("evening", new ContractSave { Day = day }, new SaveLabel { Name = "Mein Abend" }, cancellationToken: Cancellation);
            }
            await Assert.ThrowsAsync<StorageException>(async () => await storage.WriteAsync("slots/evening/00000009.json", new("x"u8.ToArray()), replace: false, Cancellation));
            // A token that is taken back holds no longer, without a restart.
            Assert.Equal(0, Do("token", "remove", "keeper", "--tokens", Tokens).Exit);
            await Assert.ThrowsAsync<StorageException>(async () => await storage.ListAsync("", Cancellation));
            var (exit, lines) = host.Stop();
            Assert.Equal(0, exit);
            var logged = lines.Select(line => JsonDocument.Parse(line).RootElement.GetProperty("State")).ToList();
            Assert.Contains(logged, line => line.TryGetProperty("ByteCount", out var count) && count.GetInt32() > 100 && line.GetProperty("Player").GetString() == "keeper");
            Assert.Contains(logged, line => line.TryGetProperty("Status", out var status) && status.GetInt32() == 422 && line.GetProperty("Code").GetString() == "NotASave");
            Assert.DoesNotContain(lines, line => line.Contains(token, StringComparison.Ordinal));
        }
        token = NewToken("keeper", "--days", "1");
        using var again = Running.Start(Arguments("--folder", Path.Combine(_folder, "saves")));
        using var later = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = again.StorageOf("keeper", token) });
        Assert.Equal(3, (await later.LoadAsync("evening", cancellationToken: Cancellation)).State.Day);
    }

    [Fact]
    public async Task Two_of_them_serve_one_player_from_one_database()
    {
        var token = NewToken("keeper");
        var connection = Path.Combine(_folder, "connection.txt");
        _ = postgres.Source;
        File.WriteAllText(connection, postgres.ConnectionString);
        using var one = Running.Start(Arguments("--postgres", connection));
        using var two = Running.Start(Arguments("--postgres", connection));
        using (var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = one.StorageOf("keeper", token) }))
            await store.SaveAsync("host-evening", new ContractSave { Day = 3 }, cancellationToken: Cancellation);
        using var other = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = two.StorageOf("keeper", token) });
        Assert.Equal(3, (await other.LoadAsync("host-evening", cancellationToken: Cancellation)).State.Day);
        Assert.Equal(0, Do("schema", "--postgres", connection).Exit);
        Assert.Contains("CREATE TABLE", Do("schema").Output, StringComparison.Ordinal);
    }

    [Fact]
    public void What_is_written_until_it_is_killed_is_there()
    {
        var token = NewToken("keeper");
        var saves = Path.Combine(_folder, "saves");
        var confirmed = new List<Guid>();
        for (var round = 0; round < 3; round++)
        {
            using var host = Running.Start(Arguments("--folder", saves));
            using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = host.StorageOf("keeper", token), KeepGenerations = 10_000 });
            var kill = confirmed.Count + 5;
            try
            {
                while (true)
                {
                    confirmed.Add(store.Save("evening", new ContractSave { Day = confirmed.Count }, overwrite: Overwrite.Allowed).SaveId);
                    if (confirmed.Count == kill)
                        _ = Task.Run(host.Kill, Cancellation);
                }
            }
            catch (StorageException)
            {
                // The server is gone in the middle of a save.
            }
        }
        using var last = Running.Start(Arguments("--folder", saves));
        using var slots = SaveSlots.Open(last.StorageOf("keeper", token));
        Assert.Superset(confirmed.ToHashSet(), slots.History("evening").Select(one => one.Header!.SaveId).ToHashSet());
        Assert.True(confirmed.Count >= 15);
    }

    /// <summary>Ten thousand connections with LODRIK_CONNECTIONS=10000, and more open files than usual (<c>ulimit -n 30000</c>).</summary>
    [Fact]
    public async Task Whoever_connects_and_sends_nothing_is_let_go_of()
    {
        var count = int.Parse(Environment.GetEnvironmentVariable("LODRIK_CONNECTIONS") ?? "300", CultureInfo.InvariantCulture);
        var token = NewToken("keeper");
        using var host = Running.Start(Arguments("--folder", Path.Combine(_folder, "saves")));
        var silent = new List<TcpClient>();
        try
        {
            for (var number = 0; number < count; number++)
            {
                var client = new TcpClient();
                silent.Add(client);
                await client.ConnectAsync(host.Address.Host, host.Address.Port, Cancellation);
                await client.GetStream().WriteAsync("GET /"u8.ToArray(), Cancellation);
            }
            using (var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = host.StorageOf("keeper", token, patient: true) }))
                await store.SaveAsync("evening", new ContractSave { Day = 1 }, cancellationToken: Cancellation);
            // The server closes each of them: the stream ends, after an answer that says so.
            using var reader = new StreamReader(silent[0].GetStream());
            Assert.Contains("408", await reader.ReadToEndAsync(Cancellation), StringComparison.Ordinal);
        }
        finally
        {
            silent.ForEach(client => client.Dispose());
        }
    }

    [Fact]
    public void Wrong_use_is_told_and_starts_nothing()
    {
        Assert.Equal(2, Do().Exit);
        Assert.Contains("--game", Do("--newest", "1").Output, StringComparison.Ordinal);
        Assert.Equal(2, Do([.. Arguments("--postgres", "env:LODRIK_THAT_IS_NOT_SET")]).Exit);
        Assert.Equal(1, Do([.. Arguments("--seal", Path.Combine(_folder, "none.jwk"))]).Exit);
        Assert.Equal(2, Do([.. Arguments("--newest", "0")]).Exit);
        Assert.Equal(2, Do("token", "new", "../keeper", "--tokens", Tokens).Exit);
        Assert.Equal(1, Do("token", "remove", "nobody", "--tokens", Tokens).Exit);
        Assert.Contains("until 20", Do("token", "new", "a", "--days", "2", "--tokens", Tokens) is { Exit: 0 } ? Do("token", "list", "--tokens", Tokens).Output : "", StringComparison.Ordinal);
        Assert.Contains("token", Do("--help").Output, StringComparison.Ordinal);
    }

    private static (int Exit, string Output) Do(params string[] arguments) => Repository.Run("dotnet", [], [Program, .. arguments]);

    private string NewToken(string player, params string[] more)
    {
        var (exit, output) = Do(["token", "new", player, "--tokens", Tokens, .. more]);
        Assert.Equal(0, exit);
        return output.Trim();
    }

    private string[] Arguments(params string[] more) => ["--game", "contract", .. more.Contains("--newest") ? [] : (string[])["--newest", "1"], "--tokens", Tokens, .. more];

    /// <summary>A program that runs.</summary>
    private sealed class Running : IDisposable
    {
        private readonly Process _process;
        private readonly List<string> _lines = [];

        private Running(Process process, Uri address)
        {
            (_process, Address) = (process, address);
            process.OutputDataReceived += (_, line) =>
            {
                if (line.Data is { Length: > 0 } text)
                    _lines.Add(text);
            };
            process.BeginOutputReadLine();
        }

        public Uri Address { get; }

        public static Running Start(string[] arguments)
        {
            var address = new Uri(string.Create(CultureInfo.InvariantCulture, $"http://127.0.0.1:{Apache.FreePort()}/"));
            var process = Process.Start(new ProcessStartInfo("dotnet", [Program, .. arguments, "--address", address.AbsoluteUri]) { RedirectStandardOutput = true, RedirectStandardError = true })!;
            // It says so when it is ready.
            var line = process.StandardError.ReadLine();
            Assert.Contains($"{address}players/", line ?? "", StringComparison.Ordinal);
            return new Running(process, address);
        }

        public HttpStorage StorageOf(string player, string token, bool patient = false) =>
            new(new Uri(Address, $"players/{player}/"), new HttpStorageOptions { MaxRetries = patient ? 6 : 0, Token = _ => new(token) });

        public (int Exit, List<string> Lines) Stop()
        {
            Repository.Run("kill", [], "-TERM", _process.Id.ToString(CultureInfo.InvariantCulture));
            _process.WaitForExit();
            return (_process.ExitCode, _lines);
        }

        public void Kill() => _process.Kill();

        public void Dispose()
        {
            if (!_process.HasExited)
                _process.Kill();
            _process.WaitForExit();
            _process.Dispose();
        }
    }
}
