using System.Buffers;
using System.Reflection;
using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Scenes;
using Lodrik.Tests.Sessions;

namespace Lodrik.Tests.Slots;

/// <summary>Asynchronous calls are so down to the storage, and whoever only looks waits for nobody.</summary>
public sealed class AsyncStoreTests
{
    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    [Fact]
    public async Task A_store_works_asynchronously_on_a_storage_that_can_nothing_else()
    {
        var storage = new AsyncOnlyStorage();
        await using (var store = Open(storage))
        {
            Assert.False(await store.HasSavesAsync(Cancellation));
            Assert.Null(await store.WouldOverwriteAsync("evening", Cancellation));
            Assert.False((await store.LoadAsync("evening", cancellationToken: Cancellation)).Found);
            Assert.Equal(1, (await store.LoadOrNewAsync("evening", Cancellation)).Log.Day);
            await store.SaveAsync("evening", At(1), new SaveLabel { Title = "one", Thumbnail = Png }, cancellationToken: Cancellation);
            await store.SaveToCurrentAsync(At(2), cancellationToken: Cancellation);
            await store.QuickSaveAsync(At(3), cancellationToken: Cancellation);
            await store.AutoSaveAsync(At(4), cancellationToken: Cancellation);
            await store.WaitForBackgroundAsync(Cancellation);
            Assert.Equal(["auto", "evening", "quick"], (await store.ListAsync(cancellationToken: Cancellation)).Select(slot => slot.Slot.ToString()).Order());
            Assert.Single(await store.ListAsync([SaveKind.Quick], Cancellation));
            Assert.Equal([2, 1], (await store.HistoryAsync("evening", Cancellation)).Select(one => one.Number));
            Assert.True(await store.ExistsAsync("evening", Cancellation));
            Assert.Equal(2, (await store.LoadAsync("evening", ["log"], cancellationToken: Cancellation)).State.Log.Day);
            var live = At(9);
            Assert.Same(live, (await store.LoadIntoAsync("evening", live, cancellationToken: Cancellation)).State);
            Assert.Equal(2, live.Log.Day);
            Assert.Equal(1, (await store.LoadGenerationAsync("evening", 1, cancellationToken: Cancellation)).State.Log.Day);
            Assert.Equal(3, (await store.QuickLoadAsync(cancellationToken: Cancellation)).State.Log.Day);
            Assert.Equal(4, (await store.ContinueAsync(["auto"], cancellationToken: Cancellation)).State.Log.Day);
            Assert.Equal(4, (await store.ContinueOrNewAsync(Cancellation)).Log.Day);
            Assert.Equal(3, (await store.NewestAsync(["quick"], Cancellation))!.Header!.Kind == SaveKind.Quick ? 3 : 0);
            Assert.Equal(Png, (await store.ReadThumbnailAsync("evening", 1, Cancellation))!);
            Assert.Equal("evening-2", (await store.FreeNameAsync("Evening", Cancellation)).ToString());
            Assert.Equal("evening", (await store.NameForAsync("Evening", Cancellation)).ToString());
            Assert.Equal(3, await store.ReinstateAsync("evening", 1, Cancellation));
            await store.CopyAsync("evening", "copy", cancellationToken: Cancellation);
            await store.RenameAsync("copy", "renamed", cancellationToken: Cancellation);
            Assert.True(await store.DeleteGenerationAsync("renamed", 1, Cancellation));
            Assert.True(await store.DeleteAsync("renamed", Cancellation));
            Assert.Equal("/log/day", Assert.Single(await store.UnsavedChangesAsync(At(7), cancellationToken: Cancellation)).Path);
            Assert.True(await store.WouldLoseProgressAsync(At(7), cancellationToken: Cancellation));
            Assert.All(await store.ProtectAllAsync(null, Cancellation), one => Assert.Null(one.Problem));
            Assert.Equal(0, await store.LastWriteNumberAsync(Cancellation));

            var settings = store.Settings<Log>();
            Assert.Equal(1, (await settings.LoadOrNewAsync(Cancellation)).Value.Day);
            await settings.SaveAsync(new Log { Day = 12 }, Cancellation);
            Assert.Equal(12, (await settings.LoadAsync(Cancellation)).Day);
            Assert.EndsWith("settings.json", await settings.LocateAsync(Cancellation), StringComparison.Ordinal);
            await settings.ResetAsync(Cancellation);
            Assert.Equal(3, await store.DeleteAllAsync(Cancellation));
        }
        Assert.Empty(storage.Files);
        Assert.False(storage.IsHeld);
    }

    [Fact]
    public async Task Slots_profiles_and_counters_work_asynchronously_as_well()
    {
        var storage = new AsyncOnlyStorage();
        var counting = SaveProtection.With(SaveKey.FromPassphrase("k1", "a tide table")) with { HasCounter = true };
        await using (var store = Open(storage, new SaveStoreOptions { Protection = counting, Profile = "ann" }))
        {
            await store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
            await store.SaveAsync("evening", At(2), cancellationToken: Cancellation);
            Assert.Equal(2, await store.LastWriteNumberAsync(Cancellation));
            Assert.Null((await store.LoadAsync("evening", cancellationToken: Cancellation)).Replay);
            Assert.Equal(["ann"], (await store.ProfilesAsync(Cancellation)).Select(one => one.ToString()));
            await store.DeleteGenerationAsync("evening", 2, Cancellation);
        }
        var plain = new AsyncOnlyStorage();
        using var slots = SaveSlots.Open(plain);
        var bytes = await SaveBytes(plain);
        Assert.Equal(2, await slots.AppendAsync("evening", bytes, Cancellation));
        await slots.AddAsync("night", bytes, Cancellation);
        Assert.Equal(2, (await slots.ListAsync(Cancellation)).Count);
        Assert.Equal(2, (await slots.HistoryAsync("evening", Cancellation)).Count);
        Assert.True(await slots.ExistsAsync("night", Cancellation));
        Assert.Equal("slots-tests", (await slots.OpenSaveAsync("night", cancellationToken: Cancellation)).Header!.Game);
        Assert.Null(await slots.ReadThumbnailAsync("night", cancellationToken: Cancellation));
        Assert.Equal(3, await slots.ReinstateAsync("evening", 1, Cancellation));
        await slots.CopyAsync("night", "dawn", cancellationToken: Cancellation);
        await slots.RenameAsync("dawn", "noon", cancellationToken: Cancellation);
        var newest = new List<string>();
        await foreach (var one in slots.NewestAsync(Cancellation))
            newest.Add($"{one.Slot} {one.Generation} of version {one.File.Header!.Version}");
        Assert.Equal(["evening 3 of version 1", "night 1 of version 1", "noon 1 of version 1"], newest);
        var key = SaveProtection.With(SaveKey.FromPassphrase("k2", "another tide table"));
        Assert.All(await slots.ProtectAsync(null, key, Cancellation), one => Assert.True(one.Changed));
        Assert.True(await slots.DeleteGenerationAsync("evening", 2, Cancellation));
        Assert.Equal(2, await slots.DeleteAsync("evening", Cancellation));
    }

    [Fact]
    public async Task Places_imports_migrations_and_closing_are_asynchronous_too()
    {
        var storage = new AsyncOnlyStorage();
        var old = new AsyncOnlyStorage();
        var file = Path.GetTempFileName();
        try
        {
            await File.WriteAllTextAsync(file, """{"log":{"day":"7"}}""", Cancellation);
            var chain = new MigrationChain().ImportJson().From(0, step => step.Convert("/log/day", "becomes a number", day => day.ConvertTo(SaveValueKind.Integer)));
            var store = Open(storage, new SaveStoreOptions { Migrations = chain, Places = ["one", "two"] });
            await store.WarmUpAsync();
            var imported = await store.ImportAsync(file, Cancellation);
            Assert.Equal(7, imported.Log.Day);
            await store.SaveAsync("two", imported, cancellationToken: Cancellation);
            Assert.Equal([("one", null), ("two", 1)], (await store.PlacesAsync(Cancellation)).Select(place => (place.Slot.ToString(), place.Occupant?.Generation)));
            await store.CloseAsync(PendingSaves.Finish);
            await store.CloseAsync(PendingSaves.Finish);
            await Assert.ThrowsAsync<ObjectDisposedException>(() => store.SaveAsync("one", At(1), cancellationToken: Cancellation));
        }
        finally
        {
            File.Delete(file);
        }
        using var slots = SaveSlots.Open(old);
        await slots.AddAsync("night", await SaveBytes(new AsyncOnlyStorage()), Cancellation);
        var migrated = await slots.MigrateAsync(new MigrationChain().From(1, step => step.Rename("/log/day", "night")), 2, cancellationToken: Cancellation);
        Assert.Equal((1, 2, 2), (migrated[0].From, migrated[0].To, migrated[0].Written));
    }

    [Fact]
    public void A_header_says_all_that_a_save_screen_shows()
    {
        var storage = new MemoryStorage();
        using var store = Open(storage);
        store.Save("evening", At(1));
        var receipt = store.Save("evening", At(2), new SaveLabel { Title = "Dusk", Played = TimeSpan.FromHours(1), Kind = SaveKind.Quick });
        var header = store.List()[0].Header!;
        Assert.Equal((1, 2), (header.Format, header.SectionCount));
        Assert.Equal(("Dusk", TimeSpan.FromHours(1), SaveKind.Quick, store.Playthrough), (header.Slot!.Title, header.Slot.Played, header.Slot.Kind, header.Slot.Playthrough));
        Assert.Equal(store.History("evening")[1].Header!.SaveId, header.Slot.ParentId);
        Assert.Equal(receipt.ByteCount, storage.List("").Single(file => file.Name.EndsWith("2.json", StringComparison.Ordinal)).ByteCount);
        var settings = store.Settings<Log>();
        Assert.EndsWith("settings.json", settings.Locate(), StringComparison.Ordinal);
        storage.Write("settings.json", "{"u8.ToArray(), replace: true);
        Assert.IsType<DamagedSaveException>(settings.LoadOrNew().Problem);
        Assert.NotNull(((ISaveStorage)storage).TryHold().Holder);
        Assert.Contains("half of a character pair", Assert.Single(store.Save("evening", new LogSave { Log = new Log { Lines = ["\uD83D"] } }).Warnings).Message, StringComparison.Ordinal);
        using var platform = SaveStore<LogSave>.Open(new SaveStoreOptions { Publisher = "the-lodrik-tests" });
        Assert.EndsWith(Path.Combine("the-lodrik-tests", "slots-tests"), platform.Location, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_session_saves_and_loads_asynchronously()
    {
        var storage = new AsyncOnlyStorage();
        await using var store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = storage });
        GameSession<RunSave, Yard>? session = null;
        session = new GameSession<RunSave, Yard>(store, Yard.Bindings(), new SessionOptions<RunSave>
        {
            Start = new ScenePlace("yard"),
            ChangeScene = change => session!.Arrive(change, Yard.Author()),
        });
        await session.StartNewAsync();
        session.State.Runner.Name = "Wren";
        await session.SaveAsync("evening", cancellationToken: Cancellation);
        await session.SaveToCurrentAsync(cancellationToken: Cancellation);
        await session.QuickSaveAsync(cancellationToken: Cancellation);
        session.State.Runner.Name = "Robin";
        Assert.Equal("/runner/name", Assert.Single(await session.UnsavedChangesAsync(Cancellation)).Path);
        foreach (var load in new Func<Task<SessionArrival>>[] { () => session.LoadAsync("evening", cancellationToken: Cancellation),
            () => session.QuickLoadAsync(cancellationToken: Cancellation), () => session.ContinueAsync(cancellationToken: Cancellation) })
        {
            session.State.Runner.Name = "Robin";
            var loading = load();
            while (!loading.IsCompleted)
            {
                await Task.Yield();
                session.Tick();
            }
            await loading;
            Assert.Equal("Wren", session.State.Runner.Name);
        }
        session.Mark("bridge");
        await session.TravelAsync(new ScenePlace("mill"));
        Assert.Equal("yard", (await session.ReturnAsync()).Change.Scene);
        await Assert.ThrowsAsync<SessionException>(() => session.ReturnAsync("nowhere"));
        Assert.NotNull((await session.QuitAsync(Cancellation)).Receipt);
        await Assert.ThrowsAsync<SessionException>(() => session.SaveAsync("evening", cancellationToken: Cancellation));
    }

    /// <summary>What has no twin: it goes to no storage, is one of the ways in which a task ends, or goes to a far storage as well.</summary>
    private static readonly string[] WithoutTwin =
    [
        "Open", "OpenFolder", "StartPlaythrough", "Settings", "Dispose", "DisposeAsync", "WarmUpAsync", "SendAsync", "FetchAsync",
        "IsStore", "IsGeneration", "IsInSlot", "TryFind", "ReadThumbnailBeside",
        "Arrive", "Stay", "Fail", "Follow", "Tick", "Mark", "DeleteCheckpoint", "HoldAutosaves", "Print", "Register",
    ];

    [Theory]
    [InlineData(typeof(SaveStore<LogSave>)), InlineData(typeof(SaveSlots)), InlineData(typeof(SettingsFile<Log>)), InlineData(typeof(GameSession<RunSave, Yard>)), InlineData(typeof(ISaveStorage))]
    public void Every_call_that_goes_to_the_storage_has_a_twin_with_the_same_parameters(Type type)
    {
        var calls = type.GetMethods(BindingFlags.Public | BindingFlags.Instance | BindingFlags.Static | BindingFlags.DeclaredOnly)
            .Where(method => !method.IsSpecialName && !WithoutTwin.Contains(method.Name) && method.Name != nameof(ISaveStorage.Locate) | type == typeof(SettingsFile<Log>)).ToList();
        var blocking = calls.Where(method => !method.Name.EndsWith("Async", StringComparison.Ordinal)).Select(method => Shape(method, method.Name)).Order().ToList();
        var twins = calls.Where(method => method.Name.EndsWith("Async", StringComparison.Ordinal)).Select(method => Shape(method, method.Name[..^5])).Order().ToList();
        Assert.NotEmpty(blocking);
        Assert.Equal(blocking, twins);

        static string Shape(MethodInfo method, string name) =>
            $"{name}({string.Join(", ", method.GetParameters().Where(one => one.ParameterType != typeof(CancellationToken)).Select(one => $"{one.ParameterType} {one.Name}"))})";
    }

    [Fact]
    public async Task Whoever_only_looks_does_not_wait_for_what_is_being_written()
    {
        var storage = new AsyncOnlyStorage { CanBlock = true };
        await using var store = Open(storage);
        await store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        storage.Shut();
        var saving = store.SaveAsync("evening", At(2), cancellationToken: Cancellation);
        await storage.Writing;
        Assert.True(store.HasSaves());
        Assert.True(store.Exists("evening"));
        Assert.Single(store.List());
        Assert.Single(store.History("evening"));
        Assert.Equal(1, store.Load("evening").State.Log.Day);
        Assert.Equal(1, store.Continue().State.Log.Day);
        Assert.Null(store.WouldOverwrite("evening"));
        Assert.Null(store.ReadThumbnail("evening"));
        Assert.NotEmpty(store.UnsavedChanges(At(5)));
        store.StartPlaythrough();
        Assert.False(saving.IsCompleted);
        storage.LetGo();
        Assert.Equal(2, (await saving).Generation);
    }

    [Fact]
    public async Task A_handler_may_save_while_the_background_saves()
    {
        await using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), EventContext = null });
        store.Save("morning", At(1));
        store.Loaded += (_, _) => store.Save("noon", At(2));
        var told = 0;
        store.Saved += (_, receipt) =>
        {
            if (receipt.Slot.ToString() == "evening" && Interlocked.Increment(ref told) == 1)
                store.Save("night", At(3));
        };
        var saving = store.SaveAsync("evening", At(4), cancellationToken: Cancellation);
        store.Load("morning");
        await saving;
        Assert.Equal(["evening", "morning", "night", "noon"], store.List().Select(slot => slot.Slot.ToString()).Order());
    }

    [Fact]
    public async Task What_a_handler_sets_going_waits_for_the_background_as_anybody_does()
    {
        var storage = new AsyncOnlyStorage { CanBlock = true };
        var store = Open(storage);
        Task? closing = null;
        store.Saved += (_, _) => closing ??= Task.Run(store.Dispose, Cancellation);
        storage.Shut();
        var saves = Enumerable.Range(1, 50).Select(day => store.SaveAsync($"day-{day}", At(day), cancellationToken: Cancellation)).ToList();
        await storage.Writing;
        storage.LetGo();
        await saves[0];
        await closing!;
        Assert.Equal(50, storage.Files.Count);
        Assert.All(await Task.WhenAll(saves), receipt => Assert.Equal(1, receipt.Generation));
    }

    [Fact]
    public async Task A_callback_that_is_told_of_the_end_may_save_too()
    {
        await using var store = Open(new MemoryStorage());
        var progress = new AtEnd(() => store.Save("second", At(2)));
        await store.SaveAsync("first", At(1), progress: progress, cancellationToken: Cancellation).WaitAsync(TimeSpan.FromSeconds(30), Cancellation);
        Assert.Equal(2, store.List().Count);
    }

    private sealed class AtEnd(Action call) : IProgress<SaveProgress>
    {
        public void Report(SaveProgress value)
        {
            if (value.Stage == SaveStage.Done)
                call();
        }
    }

    [Fact]
    public async Task Calls_of_both_kinds_from_many_threads_all_end_and_leave_whole_slots()
    {
        var counting = SaveProtection.With(SaveKey.FromPassphrase("k1", "a tide table")) with { HasCounter = true };
        await using var store = Open(new AsyncOnlyStorage { CanBlock = true, CanWrite = true }, new SaveStoreOptions { Protection = counting, KeepGenerations = 2 });
        string[] slots = ["a", "b", "c", "auto"];
        await Task.WhenAll(Enumerable.Range(0, 8).Select(thread => Task.Run(async () =>
        {
            var random = new Random(thread);
            for (var i = 0; i < 40; i++)
            {
                var (one, other) = ((SlotName)slots[random.Next(4)], (SlotName)slots[random.Next(3)]);
                try
                {
                    await (random.Next(11) switch
                    {
                        0 or 1 or 2 => store.SaveAsync(one, At(i), overwrite: Overwrite.Allowed, cancellationToken: Cancellation),
                        3 => Task.Run(() => store.Save(one, At(i), overwrite: Overwrite.Allowed), Cancellation),
                        4 => store.LoadAsync(one, cancellationToken: Cancellation),
                        5 => store.RenameAsync(one, other, Overwrite.Allowed, Cancellation),
                        6 => store.CopyAsync(one, other, Overwrite.Allowed, Cancellation),
                        7 => store.DeleteAsync(one, Cancellation),
                        8 => store.ListAsync(cancellationToken: Cancellation),
                        9 => Task.Run(() => store.Load(one), Cancellation),
                        _ => store.ReinstateAsync(one, random.Next(1, 9), Cancellation),
                    });
                }
                catch (SaveException problem) when (problem is SlotException or SlotTakenException or StorageException)
                {
                    // A slot that another thread has taken away or named anew.
                }
            }
        }, Cancellation))).WaitAsync(TimeSpan.FromMinutes(2), Cancellation);
        Assert.All(store.List(), slot => Assert.Equal(SlotHealth.Readable, slot.Health));
        Assert.All(store.List(), slot => Assert.True(store.Load(slot.Slot).Found));
    }

    [Fact]
    public async Task A_callback_that_changes_saves_in_the_middle_of_a_save_gets_an_error_and_no_deadlock()
    {
        await using var store = Open(new MemoryStorage());
        var problems = new List<Exception>();
        foreach (var change in (Action[])[() => store.Delete("evening"), () => store.Save("other", At(2)), () => store.Rename("evening", "other")])
        {
            var progress = new Calling(() => problems.Add(Record.Exception(change)!));
            store.Save("evening", At(1), progress: progress);
            await store.SaveAsync("evening", At(1), progress: progress, cancellationToken: Cancellation);
        }
        Assert.All(problems, problem => Assert.Contains("callback", Assert.IsType<InvalidOperationException>(problem).Message, StringComparison.Ordinal));
        Assert.Equal((true, 6), (problems.Count >= 6, store.Load("evening").Generation));
        Assert.Equal(7, store.Save("evening", At(1), progress: new Calling(() => store.List())).Generation);
    }

    [Fact]
    public async Task A_load_beside_saves_raises_no_false_alarm()
    {
        var counting = SaveProtection.With(SaveKey.FromPassphrase("k1", "a tide table")) with { HasCounter = true };
        await using var store = Open(new MemoryStorage(), new SaveStoreOptions { Protection = counting, ReplayedSaves = SaveTreatment.Refuse, KeepGenerations = 2 });
        await store.SaveAsync("evening", At(0), cancellationToken: Cancellation);
        var saving = Task.Run(() =>
        {
            for (var day = 1; day <= 200; day++)
            {
                store.Save("evening", At(day));
                if (day % 10 == 0)
                    store.Reinstate("evening", store.History("evening")[^1].Number);
            }
        }, Cancellation);
        var last = 0;
        while (!saving.IsCompleted)
            last = Math.Max(last, (await store.LoadAsync("evening", cancellationToken: Cancellation)).State.Log.Day);
        await saving;
        Assert.True(last > 0);
    }

    [Fact]
    public async Task What_is_given_up_leaves_the_slots_as_they_are()
    {
        var storage = new AsyncOnlyStorage();
        await using var store = Open(storage);
        await store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        var before = storage.Files;
        var gone = new CancellationToken(canceled: true);
        foreach (var call in new Func<Task>[] { () => store.DeleteAsync("evening", gone), () => store.RenameAsync("evening", "night", cancellationToken: gone),
            () => store.LoadAsync("evening", cancellationToken: gone), () => store.ListAsync(cancellationToken: gone), () => store.SaveAsync("night", At(2), cancellationToken: gone) })
            await Assert.ThrowsAnyAsync<OperationCanceledException>(call);
        Assert.Equal(before, storage.Files);
    }

    private static ReadOnlyMemory<byte> Png => new byte[] { 0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3 };

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    private static SaveStore<LogSave> Open(ISaveStorage storage, SaveStoreOptions? options = null) =>
        SaveStore<LogSave>.Open((options ?? new SaveStoreOptions()) with { Storage = storage });

    private static async Task<byte[]> SaveBytes(AsyncOnlyStorage storage)
    {
        await using var store = Open(storage);
        await store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        return (await ((ISaveStorage)storage).ReadAsync("slots/evening/00000001.json", Cancellation))!;
    }

    private sealed class Calling(Action call) : IProgress<SaveProgress>
    {
        public void Report(SaveProgress value)
        {
            if (value.Stage == SaveStage.Writing)
                call();
        }
    }

    /// <summary>A storage behind a network: its synchronous members are a mistake, and its others are never done at once.</summary>
    private sealed class AsyncOnlyStorage : ISaveStorage
    {
        private readonly MemoryStorage _inner = new();
        private readonly TaskCompletionSource _writing = new(TaskCreationOptions.RunContinuationsAsynchronously);
        private TaskCompletionSource? _shut;

        public bool CanBlock { get; init; }

        public string Description => "a far place";

        public List<string> Files => [.. _inner.List("").Select(file => file.Name).Order()];

        public bool IsHeld { get; private set; }

        public Task Writing => _writing.Task;

        public void Shut() => _shut = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);

        public void LetGo() => _shut!.SetResult();

        public IReadOnlyList<StoredFile> List(string folder) => Blocking(() => _inner.List(folder));

        public byte[]? ReadRange(string name, long offset, int count) => Blocking(() => _inner.ReadRange(name, offset, count));

        public byte[]? Read(string name) => Blocking(() => _inner.Read(name));

        public bool CanWrite { get; init; }

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => Blocking(() => { _inner.Write(name, bytes, replace); return true; }, CanWrite);

        public bool Delete(string name) => Blocking(() => _inner.Delete(name), CanWrite);

        public StorageHold TryHold() => Blocking(() => StorageHold.NotSupported, CanWrite);

        public string Locate(string name) => $"far:{name}";

        public ValueTask<IReadOnlyList<StoredFile>> ListAsync(string folder, CancellationToken cancellationToken = default) => Far(() => _inner.List(folder), cancellationToken);

        public ValueTask<byte[]?> ReadRangeAsync(string name, long offset, int count, CancellationToken cancellationToken = default) => Far(() => _inner.ReadRange(name, offset, count), cancellationToken);

        public ValueTask<byte[]?> ReadAsync(string name, CancellationToken cancellationToken = default) => Far(() => _inner.Read(name), cancellationToken);

        public async ValueTask WriteAsync(string name, ReadOnlySequence<byte> bytes, bool replace, CancellationToken cancellationToken = default)
        {
            if (_shut is not null)
            {
                _writing.TrySetResult();
                await _shut.Task;
            }
            await Far(() => { _inner.Write(name, bytes, replace); return true; }, cancellationToken);
        }

        public ValueTask<bool> DeleteAsync(string name, CancellationToken cancellationToken = default) => Far(() => _inner.Delete(name), cancellationToken);

        public ValueTask<StorageHold> TryHoldAsync(CancellationToken cancellationToken = default) => Far(() =>
        {
            IsHeld = true;
            return StorageHold.Held(new Released(this));
        }, cancellationToken);

        private TResult Blocking<TResult>(Func<TResult> call, bool? can = null) => can ?? CanBlock ? call() : throw new InvalidOperationException("This blocks.");

        private static async ValueTask<TResult> Far<TResult>(Func<TResult> call, CancellationToken cancellation)
        {
            await Task.Yield();
            cancellation.ThrowIfCancellationRequested();
            return call();
        }

        private sealed class Released(AsyncOnlyStorage storage) : IDisposable
        {
            public void Dispose() => storage.IsHeld = false;
        }
    }
}
