using System.Buffers;
using System.Collections.Concurrent;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>Saving behind the game's back, and one writer at a time.</summary>
public sealed class BackgroundSaveTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
    private readonly SlowStorage _slow = new();

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task The_state_may_change_as_soon_as_the_snapshot_is_taken()
    {
        await using var store = Open(_slow);
        var state = new LogSave { Log = new Log { Day = 3 } };
        _slow.Stop();
        var saving = store.SaveAsync("evening", state, cancellationToken: Cancellation);
        state.Log.Day = 99;
        Assert.False(saving.IsCompleted);
        _slow.GoOn();
        var receipt = await saving;
        Assert.Equal((1, "evening"), (receipt.Generation, receipt.Slot.ToString()));
        Assert.Equal(3, (await store.LoadAsync("evening", cancellationToken: Cancellation)).State.Log.Day);
    }

    [Fact]
    public async Task Requests_that_arrive_meanwhile_become_one_and_all_get_its_receipt()
    {
        await using var store = Open(_slow);
        _slow.Stop();
        var first = store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        _slow.WaitUntilWriting();
        var later = Enumerable.Range(2, 5).Select(day => store.SaveAsync("evening", At(day), cancellationToken: Cancellation)).ToList();
        var other = store.SaveAsync("night", At(50), cancellationToken: Cancellation);
        _slow.GoOn();
        Assert.Equal(1, (await first).Generation);
        var receipts = await Task.WhenAll(later);
        Assert.All(receipts, receipt => Assert.Same(receipts[0], receipt));
        Assert.Equal(2, receipts[0].Generation);
        Assert.Equal(6, store.Load("evening").State.Log.Day);
        Assert.Equal(1, (await other).Generation);
        Assert.Equal([2, 1], store.History("evening").Select(one => one.Number));
    }

    [Fact]
    public async Task Saving_at_once_waits_for_what_is_under_way()
    {
        await using var store = Open(_slow);
        _slow.Stop();
        var background = store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        _slow.WaitUntilWriting();
        var atOnce = Task.Run(() => store.Save("evening", At(2)), Cancellation);
        _slow.GoOn();
        Assert.Equal(2, (await atOnce).Generation);
        Assert.Equal(1, (await background).Generation);
        Assert.Equal(2, store.Load("evening").State.Log.Day);
    }

    [Fact]
    public async Task Closing_finishes_or_gives_up_what_is_waiting()
    {
        var store = Open(_slow);
        _slow.Stop();
        var first = store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        _slow.WaitUntilWriting();
        var second = store.SaveAsync("evening", At(2), cancellationToken: Cancellation);
        var closing = Task.Run(() => store.Close(PendingSaves.Cancel), Cancellation);
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => second);
        _slow.GoOn();
        await closing;
        Assert.Equal(1, (await first).Generation);
        Assert.Throws<ObjectDisposedException>(() => store.Save("evening", At(3)));

        using var again = Open(_slow);
        Assert.Equal(1, again.Load("evening").State.Log.Day);
        var finished = again.SaveAsync("night", At(7), cancellationToken: Cancellation);
        again.Dispose();
        Assert.True(finished.IsCompletedSuccessfully);
    }

    [Fact]
    public async Task A_save_that_was_given_up_leaves_nothing_behind()
    {
        await using var store = Open(_slow);
        Assert.True(store.SaveAsync("evening", At(1), cancellationToken: new CancellationToken(canceled: true)).IsCanceled);
        _slow.Stop();
        var first = store.SaveAsync("night", At(1), cancellationToken: Cancellation);
        _slow.WaitUntilWriting();
        using var source = new CancellationTokenSource();
        var second = store.SaveAsync("evening", At(2), cancellationToken: source.Token);
        await source.CancelAsync();
        _slow.GoOn();
        await first;
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => second);
        Assert.False(store.Exists("evening"));
    }

    [Fact]
    public async Task What_goes_wrong_in_the_background_comes_out_of_the_task()
    {
        await using var store = Open(_slow);
        await store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        store.StartPlaythrough();
        Assert.Equal("evening", (await Assert.ThrowsAsync<SlotTakenException>(() => store.SaveAsync("evening", At(2), cancellationToken: Cancellation))).Location.Slot);
        _slow.Fails = true;
        await Assert.ThrowsAsync<StorageException>(() => store.SaveAsync("night", At(2), cancellationToken: Cancellation));
        _slow.Fails = false;
        await store.SaveAsync("night", At(2), cancellationToken: Cancellation);
    }

    [Fact]
    public async Task A_playthrough_begun_meanwhile_is_not_ended_by_a_save_of_the_one_before()
    {
        await using var store = Open(_slow);
        _slow.Stop();
        var before = store.Playthrough;
        var saving = store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        store.StartPlaythrough();
        var begun = store.Playthrough;
        _slow.GoOn();
        await saving;
        Assert.Equal((begun, null), (store.Playthrough, store.CurrentSlot));
        Assert.Equal(before, store.History("evening")[0].Header!.Playthrough);
    }

    [Fact]
    public async Task Events_and_progress_tell_what_happens_where_the_game_wants_it()
    {
        var context = new Collected();
        await using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _slow, EventContext = context });
        var told = new List<string>();
        store.SaveStarted += (_, slot) => told.Add($"saving {slot}");
        store.Saved += (_, receipt) => told.Add($"saved {receipt.Slot} {receipt.Generation}");
        store.Loaded += (_, result) => told.Add($"loaded {result.Slot}");
        store.SaveFailed += (_, failure) => told.Add($"failed {failure.Slot} {failure.Problem.Code}");
        store.Saved += (_, _) => throw new InvalidOperationException("A handler of the game's own.");
        var progress = new Steps();
        await store.SaveAsync("evening", At(1), progress: progress, cancellationToken: Cancellation);
        Assert.Empty(told);
        context.Run();
        _slow.Fails = true;
        await Assert.ThrowsAsync<StorageException>(() => store.SaveAsync("evening", At(2), cancellationToken: Cancellation));
        _slow.Fails = false;
        store.Load("evening");
        context.Run();
        Assert.Equal(["saving evening", "saved evening 1", "saving evening", "failed evening Storage", "loaded evening"], told);
        Assert.Equal([SaveStage.Encoding, SaveStage.Writing, SaveStage.Done], progress.Seen.Select(one => one.Stage));
        Assert.Equal(progress.Seen[^1].TotalByteCount, progress.Seen[^1].DoneByteCount);
    }

    [Fact]
    public async Task A_handler_may_save_in_its_turn()
    {
        await using var store = Open(_slow);
        store.Saved += (_, receipt) =>
        {
            if (receipt.Slot == "evening")
                store.Save("after", At(2));
        };
        await store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        store.WaitForBackground();
        Assert.Equal(2, store.Load("after").State.Log.Day);
    }

    [Fact]
    public void Two_stores_of_one_process_share_one_writer()
    {
        using var one = SaveStore<LogSave>.Open(_folder);
        using var two = SaveStore<LogSave>.Open(Path.Combine(_folder, "."));
        Parallel.For(0, 40, i => (i % 2 == 0 ? one : two).Save(SlotName.Auto, At(i)));
        one.Save("evening", At(1));
        Assert.Equal(1, two.Load("evening").State.Log.Day);
        one.Dispose();
        two.Save("evening", At(2));
    }

    [Fact]
    public void Another_process_that_writes_is_named_and_keeps_nobody_from_reading()
    {
        using (var store = SaveStore<LogSave>.Open(_folder))
            store.Save("evening", At(1));
        var holder = Path.Combine(_folder, "lock.holder");
        Assert.Contains($"process {Environment.ProcessId}", File.ReadAllText(holder), StringComparison.Ordinal);
        File.WriteAllText(holder, "tidewarden, process 7 on mill");

        // What another process does is hold the file open.
        using (new FileStream(Path.Combine(_folder, "lock"), FileMode.Open, FileAccess.ReadWrite, FileShare.None))
        {
            using var store = SaveStore<LogSave>.Open(_folder);
            Assert.Equal(1, store.Load("evening").State.Log.Day);
            Assert.Single(store.List());
            var refused = Assert.Throws<StoreInUseException>(() => store.Save("evening", At(2), overwrite: Overwrite.Allowed));
            Assert.Equal("tidewarden, process 7 on mill", refused.Holder);
            Assert.Throws<StoreInUseException>(() => store.Delete("evening"));
            Assert.Throws<StoreInUseException>(() => store.Settings<Log>().Save(new Log()));
            Assert.Single(store.History("evening"));
        }
        // A lock that nobody holds any more does not stick.
        using var next = SaveStore<LogSave>.Open(_folder);
        next.Save("evening", At(3), overwrite: Overwrite.Allowed);
        Assert.Equal(3, next.Load("evening").State.Log.Day);
    }

    private static SaveStore<LogSave> Open(ISaveStorage storage) => SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage });

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    /// <summary>A storage whose writes can be held up.</summary>
    private sealed class SlowStorage : ISaveStorage
    {
        private readonly MemoryStorage _inner = new();
        private readonly ManualResetEventSlim _open = new(initialState: true);
        private readonly ManualResetEventSlim _writing = new();

        public bool Fails { get; set; }

        public string Description => _inner.Description;

        public void Stop() => _open.Reset();

        public void GoOn() => _open.Set();

        public void WaitUntilWriting() => _writing.Wait(Cancellation);

        public IReadOnlyList<StoredFile> List(string folder) => _inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => _inner.ReadRange(name, offset, count);

        public byte[]? Read(string name) => _inner.Read(name);

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace)
        {
            _writing.Set();
            _open.Wait();
            if (Fails)
                throw new StorageException("The disk is full.");
            _inner.Write(name, bytes, replace);
        }

        public bool Delete(string name) => _inner.Delete(name);

        public string Locate(string name) => _inner.Locate(name);
    }

    /// <summary>The thread of a game: what is posted runs when the game says so.</summary>
    private sealed class Collected : SynchronizationContext
    {
        private readonly ConcurrentQueue<(SendOrPostCallback, object?)> _posted = [];

        public override void Post(SendOrPostCallback d, object? state) => _posted.Enqueue((d, state));

        public void Run()
        {
            while (_posted.TryDequeue(out var one))
                one.Item1(one.Item2);
        }
    }

    [Fact]
    public async Task A_large_save_and_load_tell_how_many_bytes_are_done()
    {
        await using var store = SaveStore<VersionedSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = SaveForm.Binary, Compression = SaveCompression.Fast });
        var random = new Random(5);
        var save = new VersionedSave();
        for (var i = 0; i < 40_000; i++)
            save.Notes.Add($"note {i}", $"{random.NextInt64():x}{random.NextInt64():x}{random.NextInt64():x}{random.NextInt64():x}");
        var progress = new Steps();
        await store.SaveAsync("evening", save, progress: progress, cancellationToken: Cancellation);
        AssertGrows(progress, SaveStage.Compressing);

        progress = new Steps();
        await store.LoadAsync("evening", progress: progress, cancellationToken: Cancellation);
        Assert.True(progress.Seen.Count(one => one.Stage == SaveStage.Reading) > 2);
        AssertGrows(progress, SaveStage.Reading);
        AssertGrows(progress, SaveStage.Decoding);

        // Given up in the middle of reading: nothing is loaded, and the store goes on.
        using var giveUp = new CancellationTokenSource();
        progress = new Steps { OnReport = one => Stop(one, giveUp) };
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => store.LoadAsync("evening", progress: progress, cancellationToken: giveUp.Token));
        Assert.DoesNotContain(progress.Seen, one => one.Stage is SaveStage.Decoding or SaveStage.Done);
        Assert.Equal(40_000, (await store.LoadAsync("evening", cancellationToken: Cancellation)).State.Notes.Count);

        static void Stop(SaveProgress progress, CancellationTokenSource giveUp)
        {
            if (progress is { Stage: SaveStage.Reading, DoneByteCount: > 0 })
                giveUp.Cancel();
        }
    }

    private static void AssertGrows(Steps steps, SaveStage stage)
    {
        var seen = steps.Seen.Where(one => one.Stage == stage && one.TotalByteCount > 0).ToList();
        Assert.NotEmpty(seen);
        Assert.All(seen.Zip(seen.Skip(1)), pair => Assert.True(pair.First.DoneByteCount < pair.Second.DoneByteCount));
        Assert.Equal(seen[^1].TotalByteCount, seen[^1].DoneByteCount);
    }

    private sealed class Steps : IProgress<SaveProgress>
    {
        public List<SaveProgress> Seen { get; } = [];

        public Action<SaveProgress>? OnReport { get; init; }

        public void Report(SaveProgress value)
        {
            Seen.Add(value);
            OnReport?.Invoke(value);
        }
    }
}
