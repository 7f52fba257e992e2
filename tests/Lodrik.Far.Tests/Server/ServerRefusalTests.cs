using System.Globalization;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.Json;
using Lodrik.Protection;
using Lodrik.Server;
using Lodrik.Storage;
using Microsoft.Extensions.Logging;

namespace Lodrik.Far.Tests.Server;

/// <summary>A server looks at what comes in, says what is wrong with it, and keeps nothing of it.</summary>
public sealed class ServerRefusalTests : ServerTest
{
    private const string Save = "slots/evening/00000001.json";

    [Fact]
    public async Task What_is_not_a_save_of_this_game_is_refused_in_the_librarys_words()
    {
        var (sealing, other) = (SaveProtection.With(Saves.GameKey), SaveProtection.With(Saves.KeyOf("game", 9)));
        await using var server = await TestServer.Start(Storages, TestServer.Usual with { SealOf = _ => sealing, OldestVersion = 2, NewestVersion = 3 });
        var good = Saves.Of(new SecondSave(), sealing);
        var edited = Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(good).Replace("\"day\": 5", "\"day\": 9", StringComparison.Ordinal));
        Assert.NotEqual(good, edited);
        var cases = new (string What, byte[] Bytes, SaveErrorCode Code)[]
        {
            ("nothing", [], SaveErrorCode.NotASave),
            ("a picture", [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3], SaveErrorCode.NotASave),
            ("a page", "<html><body>Sign in</body></html>"u8.ToArray(), SaveErrorCode.WrongContent),
            ("half a save", good[..(good.Length / 2)], SaveErrorCode.Damaged),
            ("an edited save", edited, SaveErrorCode.EditedByHand),
            ("one whose seal was taken off", Saves.Unsealed(good, sealing), SaveErrorCode.Unprotected),
            ("one that was never sealed", Saves.Of(new SecondSave()), SaveErrorCode.Unprotected),
            ("one sealed by somebody else", Saves.Of(new SecondSave(), other), SaveErrorCode.Tampered),
            ("another game's", Saves.Of(new HeronSave(), sealing), SaveErrorCode.WrongGame),
            ("an older version", Saves.Of(5, sealing), SaveErrorCode.MissingMigration),
            ("a newer version", Saves.Of(new FourthSave(), sealing), SaveErrorCode.NewerVersion),
        };
        using var storage = server.StorageOf("keeper");
        foreach (var (what, bytes, code) in cases)
        {
            var (status, problem) = await Put(server, Save, bytes);
            Assert.True(status == HttpStatusCode.UnprocessableEntity && problem.GetProperty("code").GetString() == code.ToString(), $"{what}: {(int)status} {problem}");
            var told = await Assert.ThrowsAsync<StorageException>(async () => await storage.WriteAsync(Save, new(bytes), replace: false, Cancellation));
            Assert.StartsWith(problem.GetProperty("title").GetString()!, told.Message, StringComparison.Ordinal);
            Assert.False(told.AlreadyExists);
            // The server's own places are nobody's business.
            Assert.DoesNotContain(SaveFolder, problem.ToString(), StringComparison.Ordinal);
        }
        Assert.Empty(await storage.ListAsync("", Cancellation));
        await storage.WriteAsync(Save, new(good), replace: false, Cancellation);
        Assert.Equal(good, await storage.ReadAsync(Save, Cancellation));
    }

    [Fact]
    public async Task Names_that_the_library_does_not_write_are_refused_and_those_that_it_does_are_kept()
    {
        await using var server = await TestServer.Start(Storages);
        using var storage = server.StorageOf("keeper");
        foreach (var name in new[] { "index.html", "slots/evening", "slots/evening/x.exe", "slots/a b/00000001.json", "slots/evening/00000001.json/x", "slots/evening/00000000.json", "slots/evening/1.json", "slots/evening/00000001", "profiles/keeper", "profiles/x/profiles/y/slots/a/00000001.json", "a/settings.json", "slots/evening/note.txt", "counter.json", "settings" })
            Assert.True((await Put(server, name, Saves.Of(1))).Status == HttpStatusCode.UnprocessableEntity, name);
        Assert.Empty(await storage.ListAsync("", Cancellation));
        // A store with all that it can have.
        using (var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage, Profile = "isolde", Protection = SaveProtection.With(Saves.GameKey) with { HasCounter = true } }))
        {
            store.Save("evening", new ContractSave { Day = 1 }, new SaveLabel { Name = "Mein Abend", Thumbnail = Picture, Attachments = new Dictionary<string, ReadOnlyMemory<byte>> { ["map.txt"] = "x"u8.ToArray() } });
            store.Save("evening", new ContractSave { Day = 2 });
            store.Save("other", new ContractSave { Day = 2 });
            store.Settings<SoundSettings>().Save(new SoundSettings { Volume = 7 });
            Assert.True(store.Delete("other"));
        }
        var names = (await storage.ListAsync("", Cancellation)).Select(file => file.Name).ToList();
        foreach (var end in new[] { "00000001.json", "00000001.png", "00000001.map.txt", "name.txt", "settings.json", "counter.jws" })
            Assert.Contains(names, name => name.EndsWith("/" + end, StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_file_that_is_too_long_is_refused_whether_it_says_so_or_not()
    {
        await using var server = await TestServer.Start(Storages, TestServer.Usual with { MaxFileBytes = 100_000 });
        using var client = new HttpClient();
        var picture = new Uri(server.Of("keeper"), "slots/evening/00000001.png");
        foreach (var content in new HttpContent[] { new ByteArrayContent(new byte[100_001]), new StreamContent(new Endless()) })
        {
            using var request = new HttpRequestMessage(HttpMethod.Put, picture) { Content = content };
            request.Headers.Authorization = new("Bearer", "of-keeper");
            try
            {
                using var answer = await client.SendAsync(request, Cancellation);
                Assert.Equal(HttpStatusCode.RequestEntityTooLarge, answer.StatusCode);
            }
            catch (HttpRequestException exception) when (exception.InnerException is IOException)
            {
                // The server closed the connection while a body without end was still being sent.
            }
        }
        using var storage = server.StorageOf("keeper");
        Assert.Empty(await storage.ListAsync("", Cancellation));
        Assert.Contains("larger than 100000 bytes", (await Assert.ThrowsAsync<StorageException>(async () => await storage.WriteAsync("slots/evening/00000001.png", new(new byte[100_001]), replace: true, Cancellation))).Message, StringComparison.Ordinal);
        await storage.WriteAsync("slots/evening/00000001.png", new(new byte[100_000]), replace: true, Cancellation);
        Assert.Equal(413, (int)(await Put(server, "slots/evening/name.txt", new byte[70_000])).Status);
    }

    [Fact]
    public async Task A_body_that_stops_in_the_middle_is_given_up()
    {
        await using var server = await TestServer.Start(Storages, TestServer.Usual with { UploadTimeout = TimeSpan.FromMilliseconds(300) });
        using var socket = new TcpClient();
        await socket.ConnectAsync(server.Address.Host, server.Address.Port, Cancellation);
        var stream = socket.GetStream();
        await stream.WriteAsync(Encoding.ASCII.GetBytes($"PUT /players/keeper/{Save} HTTP/1.1\r\nHost: a\r\nAuthorization: Bearer of-keeper\r\nContent-Length: 5000\r\n\r\n{{"), Cancellation);
        using var reader = new StreamReader(stream);
        Assert.StartsWith("HTTP/1.1 408", await reader.ReadLineAsync(Cancellation), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_quota_that_is_full_in_the_middle_loses_nothing_and_is_free_again_after_deleting()
    {
        var size = Saves.Of(1).Length;
        await using var server = await TestServer.Start(Storages, TestServer.Usual with { MaxPlayerBytes = (5 * size) + 100, MaxPlayerFiles = 8 });
        using var storage = server.StorageOf("keeper");
        using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage, KeepGenerations = 100 });
        var saved = new List<Guid>();
        var problem = await Assert.ThrowsAsync<StorageException>(async () =>
        {
            for (var day = 1; ; day++)
                saved.Add((await store.SaveAsync("evening", new ContractSave { Day = day }, cancellationToken: Cancellation)).SaveId);
        });
        Assert.Contains("keeps no more than", problem.Message, StringComparison.Ordinal);
        Assert.InRange(saved.Count, 3, 5);
        Assert.Equal(saved, store.History("evening").Select(one => one.Header!.SaveId).Reverse());
        Assert.Equal(saved.Count, (await store.LoadAsync("evening", cancellationToken: Cancellation)).State.Day);
        Assert.Equal(409, (int)(await Put(server, "slots/other/00000001.json", Saves.Of(1))).Status);
        await storage.DeleteAsync("slots/evening/00000001.json", Cancellation);
        await store.SaveAsync("evening", new ContractSave { Day = 99 }, cancellationToken: Cancellation);
        // Writing a file again needs no room for a second one.
        for (var again = 0; again < 20; again++)
            await storage.WriteAsync("slots/evening/name.txt", new(new byte[30]), replace: true, Cancellation);
        // Another player has room.
        using var other = server.StorageOf("other");
        for (var number = 1; number <= 8; number++)
            await other.WriteAsync($"slots/evening/0000000{number}.png", new(new byte[1]), replace: false, Cancellation);
        Assert.Contains("8 files", (await Assert.ThrowsAsync<StorageException>(async () => await other.WriteAsync("slots/evening/00000009.png", new(new byte[1]), replace: false, Cancellation))).Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Too_many_requests_are_told_when_to_come_back_and_others_are_not_kept_waiting()
    {
        await using var server = await TestServer.Start(Storages, TestServer.Usual with { RequestsPerMinute = 10 });
        using var storage = server.StorageOf("keeper");
        for (var request = 0; request < 10; request++)
            await storage.ListAsync("", Cancellation);
        var problem = await Assert.ThrowsAsync<StorageException>(async () => await storage.ListAsync("", Cancellation));
        Assert.Contains("Too many requests", problem.Message, StringComparison.Ordinal);
        using var other = server.StorageOf("other");
        await other.ListAsync("", Cancellation);
        using var client = new HttpClient();
        client.DefaultRequestHeaders.Authorization = new("Bearer", "of-keeper");
        using var answer = await client.GetAsync(new Uri(server.Of("keeper"), Save), Cancellation);
        Assert.Equal(HttpStatusCode.TooManyRequests, answer.StatusCode);
        Assert.InRange(answer.Headers.RetryAfter!.Delta!.Value.TotalSeconds, 1, 60);
    }

    [Fact]
    public async Task Conditions_and_ranges_that_the_server_does_not_know_are_not_ignored_in_silence()
    {
        await using var server = await TestServer.Start(Storages);
        using var client = new HttpClient();
        var address = new Uri(server.Of("keeper"), Save);
        async Task<HttpResponseMessage> Send(HttpMethod method, string name, string value, byte[]? body = null)
        {
            using var request = new HttpRequestMessage(method, address);
            request.Headers.TryAddWithoutValidation("Authorization", "Bearer of-keeper");
            request.Headers.TryAddWithoutValidation(name, value);
            request.Content = body is null ? null : new ByteArrayContent(body);
            return await client.SendAsync(request, Cancellation);
        }

        var save = Saves.Of(1);
        Assert.Equal(400, (int)(await Send(HttpMethod.Put, "If-Match", "\"x\"", save)).StatusCode);
        Assert.Equal(400, (int)(await Send(HttpMethod.Put, "If-None-Match", "\"x\"", save)).StatusCode);
        Assert.Equal(201, (int)(await Send(HttpMethod.Put, "If-None-Match", "*", save)).StatusCode);
        Assert.Equal(412, (int)(await Send(HttpMethod.Put, "If-None-Match", "*", save)).StatusCode);
        Assert.Equal(204, (int)(await Send(HttpMethod.Put, "X", "y", save)).StatusCode);
        foreach (var (range, status, from, count) in new[] { ("bytes=5-9", 206, 5, 5), ("bytes=5-999999", 206, 5, save.Length - 5), ("bytes=0-0", 206, 0, 1), ("bytes=999999-9999999", 416, 0, 0), ("bytes=-5", 200, 0, save.Length), ("bytes=5-", 200, 0, save.Length), ("bytes=0-1,4-5", 200, 0, save.Length), ("lines=1-2", 200, 0, save.Length), ("bytes=9-5", 200, 0, save.Length), ("bytes=0-99999999999", 200, 0, save.Length) })
        {
            using var answer = await Send(HttpMethod.Get, "Range", range);
            Assert.True((int)answer.StatusCode == status, $"{range}: {answer.StatusCode}");
            Assert.Equal(save[from..(from + count)], await answer.Content.ReadAsByteArrayAsync(Cancellation));
        }
        using var unknown = await Send(HttpMethod.Patch, "X", "y", save);
        Assert.Equal(HttpStatusCode.MethodNotAllowed, unknown.StatusCode);
        Assert.Contains("PROPFIND", unknown.Content.Headers.Allow);
    }

    [Fact]
    public async Task Connections_that_send_nothing_keep_nobody_out()
    {
        await using var server = await TestServer.Start(Storages);
        var silent = new List<TcpClient>();
        try
        {
            for (var number = 0; number < 500; number++)
            {
                var client = new TcpClient();
                silent.Add(client);
                await client.ConnectAsync(server.Address.Host, server.Address.Port, Cancellation);
                // Half of them have begun a request.
                if (number % 2 == 0)
                    await client.GetStream().WriteAsync("PUT /players/keeper/"u8.ToArray(), Cancellation);
            }
            using var storage = server.StorageOf("keeper");
            using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage });
            await store.SaveAsync("evening", new ContractSave { Day = 5 }, cancellationToken: Cancellation);
            Assert.Equal(5, (await store.LoadAsync("evening", cancellationToken: Cancellation)).State.Day);
        }
        finally
        {
            silent.ForEach(client => client.Dispose());
        }
    }

    [Fact]
    public async Task What_was_received_is_finished_when_the_server_shuts_down()
    {
        var slow = new SlowStorages(Storages);
        await using var server = await TestServer.Start(slow);
        using var storage = server.StorageOf("keeper");
        var writing = storage.WriteAsync(Save, new(Saves.Of(3)), replace: false, Cancellation).AsTask();
        await slow.Began.WaitAsync(Cancellation);
        var stopping = server.Host.StopAsync(Cancellation);
        Assert.False(stopping.IsCompleted);
        slow.GoOn.Release();
        await writing;
        await stopping;
        Assert.Equal(Saves.Of(3).Length, await Storages.Use("keeper", isReading: true, files => new ValueTask<int>(files.Read(Save)!.Length)));
    }

    [Fact]
    public async Task What_was_received_is_finished_although_nobody_waits_for_the_answer()
    {
        var slow = new SlowStorages(Storages);
        await using var server = await TestServer.Start(slow);
        using var storage = server.StorageOf("keeper");
        using var giveUp = CancellationTokenSource.CreateLinkedTokenSource(Cancellation);
        var writing = storage.WriteAsync(Save, new(Saves.Of(3)), replace: false, giveUp.Token).AsTask();
        await slow.Began.WaitAsync(Cancellation);
        await giveUp.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => writing);
        slow.GoOn.Release();
        await slow.Ended.WaitAsync(Cancellation);
        Assert.NotNull(await Storages.Use("keeper", isReading: true, files => new ValueTask<byte[]?>(files.Read(Save))));
    }

    [Fact]
    public async Task A_storage_that_is_away_is_told_as_that_and_logged_with_its_reason()
    {
        var lines = new List<string>();
        using var logs = new Lines(lines);
        await using var server = await TestServer.Start(new LostStorages(), log: log => log.AddProvider(logs));
        using var storage = server.StorageOf("keeper");
        var problem = await Assert.ThrowsAsync<StorageException>(async () => await storage.WriteAsync(Save, new(Saves.Of(1)), replace: false, Cancellation));
        Assert.Contains("cannot be reached at the moment", problem.Message, StringComparison.Ordinal);
        Assert.DoesNotContain("secret place", problem.ToString(), StringComparison.Ordinal);
        Assert.Contains(lines, line => line.Contains("secret place", StringComparison.Ordinal) && line.Contains("keeper", StringComparison.Ordinal));
        using var client = new HttpClient();
        Assert.Equal(HttpStatusCode.ServiceUnavailable, (await client.GetAsync(new Uri(server.Address, "health"), Cancellation)).StatusCode);
        await using var sound = await TestServer.Start(Storages);
        Assert.Equal("""{"status":"ok"}""", await client.GetStringAsync(new Uri(sound.Address, "health"), Cancellation));
        // A folder that is gone is not sound.
        Directory.Delete(SaveFolder, recursive: true);
        Assert.Equal(HttpStatusCode.ServiceUnavailable, (await client.GetAsync(new Uri(sound.Address, "health"), Cancellation)).StatusCode);
        Directory.CreateDirectory(SaveFolder);
    }

    private static readonly byte[] Picture = [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3];

    private static async Task<(HttpStatusCode Status, JsonElement Problem)> Put(TestServer server, string name, byte[] bytes)
    {
        using var client = new HttpClient();
        using var request = new HttpRequestMessage(HttpMethod.Put, new Uri(server.Of("keeper"), name)) { Content = new ByteArrayContent(bytes) };
        request.Headers.Authorization = new("Bearer", "of-keeper");
        using var answer = await client.SendAsync(request, Cancellation);
        var text = await answer.Content.ReadAsStringAsync(Cancellation);
        return (answer.StatusCode, text.Length == 0 ? default : JsonDocument.Parse(text).RootElement);
    }

    private sealed class Endless : Stream
    {
        public override bool CanRead => true;

        public override bool CanSeek => false;

        public override bool CanWrite => false;

        public override long Length => throw new NotSupportedException();

        public override long Position { get => throw new NotSupportedException(); set => throw new NotSupportedException(); }

        public override void Flush()
        {
        }

        public override int Read(byte[] buffer, int offset, int count) => count;

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }

    /// <summary>Storages whose first write waits.</summary>
    private sealed class SlowStorages(PlayerStorages inner) : PlayerStorages
    {
        public SemaphoreSlim Began { get; } = new(0);

        public SemaphoreSlim GoOn { get; } = new(0);

        public SemaphoreSlim Ended { get; } = new(0);

        public override async ValueTask<TResult> Use<TResult>(string player, bool isReading, Func<ISaveStorage, ValueTask<TResult>> act)
        {
            if (isReading)
                return await inner.Use(player, isReading, act);
            Began.Release();
            await GoOn.WaitAsync(Cancellation);
            var result = await inner.Use(player, isReading, act);
            Ended.Release();
            return result;
        }

        public override ValueTask CheckAsync(CancellationToken cancellationToken = default) => inner.CheckAsync(cancellationToken);

        public override ValueTask DisposeAsync() => default;
    }

    private sealed class LostStorages : PlayerStorages
    {
        public override ValueTask<TResult> Use<TResult>(string player, bool isReading, Func<ISaveStorage, ValueTask<TResult>> act) => throw new StorageException("The disk at a secret place is gone.");

        public override ValueTask CheckAsync(CancellationToken cancellationToken = default) => throw new StorageException("The disk at a secret place is gone.");

        public override ValueTask DisposeAsync() => default;
    }

    private sealed class Lines(List<string> lines) : ILoggerProvider, ILogger
    {
        public ILogger CreateLogger(string categoryName) => this;

        public IDisposable? BeginScope<TState>(TState state) where TState : notnull => null;

        public bool IsEnabled(LogLevel logLevel) => true;

        public void Log<TState>(LogLevel logLevel, EventId eventId, TState state, Exception? exception, Func<TState, Exception?, string> formatter)
        {
            lock (lines)
                lines.Add(string.Create(CultureInfo.InvariantCulture, $"{formatter(state, exception)} {exception?.Message}"));
        }

        public void Dispose()
        {
        }
    }
}
