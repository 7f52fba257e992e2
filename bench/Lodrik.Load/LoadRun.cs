using System.Collections.Concurrent;
using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Sockets;
using Lodrik.Http;
using Lodrik.Server;
using Lodrik.Storage;

namespace Lodrik.Load;

/// <summary>One measurement.</summary>
internal static class LoadRun
{
    private const int SavesOfASession = 3;
    private const int StoredBytes = 20_000;

    private static readonly TimeSpan WarmUp = TimeSpan.FromSeconds(10);

    /// <summary>A line of the table in docs/scale.md.</summary>
    public static async Task<int> Run(Place place, int stored, int playing, TimeSpan time, CancellationToken cancellation)
    {
        await Fill(place, stored, cancellation);
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        var address = new Uri(string.Create(CultureInfo.InvariantCulture, $"http://127.0.0.1:{((IPEndPoint)listener.LocalEndpoint).Port}/"));
        listener.Stop();
        string[] where = place.Connection is null ? ["--folder", place.Folder!] : ["--postgres", place.Connection];
        using var server = Process.Start(Environment.ProcessPath!, ["serve", address.AbsoluteUri, .. where]);
        try
        {
            using var client = new HttpClient(new Counting());
            while (!server.HasExited && !await IsUp(client, address, cancellation))
                await Task.Delay(100, cancellation);
            await Play(client, address, stored, playing, WarmUp, new Figures(), cancellation);
            Counting.Count = 0;
            var (cpu, database, clock) = (Cpu(server), DatabaseCpu(), Stopwatch.GetTimestamp());
            var figures = new Figures();
            await Play(client, address, stored, playing, time, figures, cancellation);
            var seconds = Stopwatch.GetElapsedTime(clock).TotalSeconds;
            server.Refresh();
            var saves = figures.Of("save").Count;
            Console.WriteLine(string.Create(
                CultureInfo.InvariantCulture,
                $"| {place.Name} | {stored:N0} | {Counting.Count / seconds:F0} | {saves / seconds:F0} | {figures.Percentiles("list")} | {figures.Percentiles("load")} "
                + $"| {figures.Percentiles("save")} | {(Cpu(server) - cpu).TotalMilliseconds / saves:F1} "
                + $"| {(place.Connection is null ? "in it" : (DatabaseCpu() - database).TotalMilliseconds / saves is var each ? each.ToString("F1", CultureInfo.InvariantCulture) : "")} "
                + $"| {server.WorkingSet64 / 1e6:F0} | {figures.Failed} |"));
        }
        finally
        {
            server.Kill();
            await server.WaitForExitAsync(CancellationToken.None);
        }
        return 0;
    }

    /// <summary>Gives each player a save, as if they had played before.</summary>
    private static async Task Fill(Place place, int stored, CancellationToken cancellation)
    {
        var begun = Stopwatch.GetTimestamp();
        await using (var storages = await place.Open())
            await Fill(storages, place.Folder is null ? stored : 1, cancellation);
        // A database for each of a hundred thousand players takes an hour to make, and a minute to copy.
        var model = place.Folder is null ? "" : SqlitePlayerStorages.PathOf(place.Folder, PlayerOf(0));
        for (var number = 1; number < stored && place.Folder is not null; number++)
        {
            var path = SqlitePlayerStorages.PathOf(place.Folder, PlayerOf(number));
            Directory.CreateDirectory(Path.GetDirectoryName(path)!);
            if (!File.Exists(path))
                File.Copy(model, path);
        }
        await Console.Error.WriteLineAsync(string.Create(
            CultureInfo.InvariantCulture, $"{stored} players stored in {Stopwatch.GetElapsedTime(begun).TotalSeconds:F0} s."));
    }

    private static async Task Fill(PlayerStorages storages, int stored, CancellationToken cancellation)
    {
        var bytes = Bytes(StoredBytes);
        await Parallel.ForEachAsync(Enumerable.Range(0, stored), new ParallelOptions { MaxDegreeOfParallelism = 16, CancellationToken = cancellation }, async (number, _) =>
            await storages.Use(PlayerOf(number), isReading: false, async storage =>
            {
                if (await storage.ReadRangeAsync("slots/evening/00000001.lodrik", 0, 1, cancellation) is null)
                    await storage.WriteAsync("slots/evening/00000001.lodrik", new(bytes), replace: false, cancellation);
                return true;
            }));
    }

    private static byte[] Bytes(int count)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<LoadSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary });
        store.Save("evening", new LoadSave { World = World(new Random(1), count) });
        return storage.Read(storage.List("slots")[0].Name)!;
    }

    private static byte[] World(Random random, int count)
    {
        var world = new byte[count];
        random.NextBytes(world);
        return world;
    }

    private static string PlayerOf(int number) => string.Create(CultureInfo.InvariantCulture, $"player-{number}");

    private static async Task Play(HttpClient client, Uri address, int stored, int playing, TimeSpan time, Figures figures, CancellationToken cancellation)
    {
        var end = Stopwatch.GetTimestamp() + (long)(time.TotalSeconds * Stopwatch.Frequency);
        // Each simulated player has a part of the stored ones to itself: nobody plays twice at once.
        await Task.WhenAll(Enumerable.Range(0, playing).Select(part => Task.Run(async () =>
        {
            var random = new Random(part);
            while (Stopwatch.GetTimestamp() < end)
                await Session(client, address, PlayerOf((random.Next(Math.Max(1, stored / playing)) * playing) + part), random, figures, cancellation);
        }, cancellation)));
    }

    /// <summary>A player connects, looks at the list, loads, saves a few times, and quits.</summary>
    private static async Task Session(HttpClient client, Uri address, string player, Random random, Figures figures, CancellationToken cancellation)
    {
        try
        {
            using var storage = new HttpStorage(client, new Uri(address, $"players/{player}/"), new HttpStorageOptions { Token = _ => new(player) });
            using var store = SaveStore<LoadSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary, WarmsUp = false });
            await figures.Take("list", () => store.ListAsync(cancellationToken: cancellation));
            var save = (await figures.Take("load", () => store.LoadAsync("evening", cancellationToken: cancellation))).State;
            for (var count = 0; count < SavesOfASession; count++)
            {
                // 20 to 200 kB; each size as often in proportion.
                save = new LoadSave { Day = save.Day + 1, World = World(random, (int)(20_000 * Math.Pow(10, random.NextDouble()))) };
                await figures.Take("save", () => store.SaveAsync("evening", save, overwrite: Overwrite.Allowed, cancellationToken: cancellation));
            }
        }
        catch (SaveException exception)
        {
            figures.Fail(exception);
        }
    }

    private static async Task<bool> IsUp(HttpClient client, Uri address, CancellationToken cancellation)
    {
        try
        {
            return (await client.GetAsync(new Uri(address, "health"), cancellation)).IsSuccessStatusCode;
        }
        catch (HttpRequestException)
        {
            return false;
        }
    }

    private static TimeSpan Cpu(Process process)
    {
        process.Refresh();
        return process.TotalProcessorTime;
    }

    /// <summary>What all processes of PostgreSQL on this machine have used, also those that have ended.</summary>
    private static TimeSpan DatabaseCpu()
    {
        long ticks = 0;
        foreach (var folder in Directory.GetDirectories("/proc").Where(folder => char.IsAsciiDigit(Path.GetFileName(folder)[0])))
        {
            try
            {
                // The name, utime, stime, and those of children that have ended (proc(5), fields 2 and 14 to 17). PostgreSQL's processes
                // change their titles, so they are found by the name of the program.
                var parts = File.ReadAllText(Path.Combine(folder, "stat")).Split('(', ')');
                if (parts[1] == "postgres")
                    ticks += parts[^1].Split(' ')[12..16].Sum(field => long.Parse(field, CultureInfo.InvariantCulture));
            }
            catch (IOException)
            {
                // It has just ended, and its parent has its time.
            }
        }
        return TimeSpan.FromSeconds(ticks / 100.0);
    }

    private sealed class Counting() : DelegatingHandler(new SocketsHttpHandler { AllowAutoRedirect = false, UseCookies = false })
    {
        public static long Count;

        protected override Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancellationToken)
        {
            Interlocked.Increment(ref Count);
            return base.SendAsync(request, cancellationToken);
        }
    }

    /// <summary>How long each call took.</summary>
    private sealed class Figures
    {
        private readonly ConcurrentDictionary<string, ConcurrentBag<double>> _times = new();
        private int _failed;

        public int Failed => _failed;

        public async Task<T> Take<T>(string what, Func<Task<T>> act)
        {
            var begun = Stopwatch.GetTimestamp();
            var result = await act();
            _times.GetOrAdd(what, _ => []).Add(Stopwatch.GetElapsedTime(begun).TotalMilliseconds);
            return result;
        }

        public void Fail(SaveException exception)
        {
            if (Interlocked.Increment(ref _failed) == 1)
                Console.Error.WriteLine(exception.Message);
        }

        public ConcurrentBag<double> Of(string what) => _times.GetOrAdd(what, _ => []);

        public string Percentiles(string what)
        {
            var times = Of(what).Order().ToList();
            return times.Count == 0 ? "" : string.Create(
                CultureInfo.InvariantCulture, $"{times[times.Count / 2]:F1} / {times[(int)(times.Count * 0.99)]:F0}");
        }
    }
}
