using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>Whatever is asked for together comes in the order of asking, and nothing swallows anything else.</summary>
public sealed class OrderTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
    private readonly GatedStorage _gated = new();

    /// <summary>How many random plays are held against the model; more by LODRIK_ORDERS.</summary>
    private static int Plays => int.TryParse(Environment.GetEnvironmentVariable("LODRIK_ORDERS"), out var plays) ? plays : 300;

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task Saves_of_two_playthroughs_are_both_written()
    {
        await using var store = Open();
        _gated.Shut();
        var other = store.SaveAsync("evening", At(1), cancellationToken: Cancellation);
        var last = store.SaveAsync(SlotName.Auto, At(2), cancellationToken: Cancellation);
        store.StartPlaythrough();
        var first = store.SaveAsync(SlotName.Auto, At(3), cancellationToken: Cancellation);
        _gated.Open();
        Assert.NotEqual((await last).SaveId, (await first).SaveId);
        await other;
        Assert.Equal([3, 2], store.History(SlotName.Auto).Select(one => store.LoadGeneration(SlotName.Auto, one.Number).State.Log.Day));
    }

    [Fact]
    public async Task A_save_that_may_write_over_another_playthrough_is_not_held_back_by_one_that_may_not()
    {
        using (var before = Open())
            before.Save("evening", At(0));
        await using var store = Open();
        _gated.Shut();
        var busy = store.SaveAsync("other", At(1), cancellationToken: Cancellation);
        var allowed = store.SaveAsync("evening", At(2), overwrite: Overwrite.Allowed, cancellationToken: Cancellation);
        var next = store.SaveAsync("evening", At(3), cancellationToken: Cancellation);
        _gated.Open();
        Assert.Equal((2, 3), ((await allowed).Generation, (await next).Generation));
        await busy;
    }

    [Fact]
    public async Task What_is_asked_for_between_two_saves_happens_between_them()
    {
        await using var store = Open();
        store.Save("evening", At(1));
        _gated.Shut();
        var busy = store.SaveAsync("other", At(1), cancellationToken: Cancellation);
        var first = store.SaveAsync("evening", At(2), cancellationToken: Cancellation);
        var renamed = store.RenameAsync("evening", "morning", cancellationToken: Cancellation);
        var second = store.SaveAsync("evening", At(3), cancellationToken: Cancellation);
        var deleted = store.DeleteAsync("other", Cancellation);
        _gated.Open();
        await Task.WhenAll(busy, first, renamed, second, deleted);
        Assert.Equal((2, 3, false), (store.Load("morning").State.Log.Day, store.Load("evening").State.Log.Day, store.Exists("other")));
    }

    [Fact]
    public void The_order_of_the_snapshots_is_that_of_the_generations()
    {
        using var store = SaveStore<CountedSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), KeepGenerations = 1000 });
        store.Saved += (_, receipt) =>
        {
            if (receipt.Generation % 5 == 0)
                store.Save("evening", new CountedSave());
        };
        Parallel.For(0, 60, i =>
        {
            if (i % 2 == 0)
                store.Save("evening", new CountedSave());
            else
                _ = store.SaveAsync("evening", new CountedSave(), cancellationToken: Cancellation);
        });
        store.WaitForBackground();
        var taken = store.History("evening").Select(one => store.LoadGeneration("evening", one.Number).State.Counted.Number).ToList();
        Assert.Equal(taken.OrderDescending(), taken);
        Assert.True(taken.Count > 30);
    }

    [Fact]
    public async Task A_handler_that_saves_comes_after_what_was_asked_for_before_it()
    {
        await using var store = Open();
        store.Saved += (_, receipt) =>
        {
            if (receipt.Slot == "a")
                store.Save("evening", At(3));
        };
        _gated.Shut();
        var first = store.SaveAsync("a", At(1), cancellationToken: Cancellation);
        var second = store.SaveAsync("evening", At(2), cancellationToken: Cancellation);
        _gated.Open();
        await Task.WhenAll(first, second);
        store.WaitForBackground();
        Assert.Equal(3, store.Load("evening").State.Log.Day);
        Assert.Equal(2, store.LoadGeneration("evening", 1).State.Log.Day);
    }

    [Fact]
    public async Task A_handler_may_wait_for_a_save_that_it_began_elsewhere()
    {
        await using var store = Open();
        var handled = new TaskCompletionSource();
        store.Saved += (_, receipt) =>
        {
            if (receipt.Slot != "a")
                return;
            Task.Run(() => store.Save("b", At(2))).Wait();
            store.SaveAsync("c", At(3)).Wait();
            store.WaitForBackground();
            handled.SetResult();
        };
        _ = store.SaveAsync("a", At(1), cancellationToken: Cancellation);
        await handled.Task.WaitAsync(TimeSpan.FromSeconds(30), Cancellation);
        Assert.Equal(3, store.List().Count);
    }

    [Fact]
    public async Task A_handler_may_close_the_store_while_other_saves_wait()
    {
        var store = Open();
        var closed = new TaskCompletionSource();
        store.Saved += (_, receipt) =>
        {
            if (receipt.Slot != "a")
                return;
            store.Close(PendingSaves.Finish);
            closed.SetResult();
        };
        _gated.Shut();
        var first = store.SaveAsync("a", At(1), cancellationToken: Cancellation);
        var second = store.SaveAsync("b", At(2), cancellationToken: Cancellation);
        _gated.Open();
        await closed.Task.WaitAsync(TimeSpan.FromSeconds(30), Cancellation);
        await Task.WhenAll(first, second).WaitAsync(TimeSpan.FromSeconds(30), Cancellation);
        using var again = Open();
        Assert.Equal(2, again.List().Count);
    }

    [Fact]
    public async Task The_current_slot_is_that_of_what_was_asked_for_last()
    {
        await using var store = Open();
        store.Save("morning", At(1));
        _gated.Shut();
        var saving = store.SaveAsync("evening", At(2), cancellationToken: Cancellation);
        store.Load("morning");
        _gated.Open();
        await saving;
        store.WaitForBackground();
        Assert.Equal("morning", store.CurrentSlot?.ToString());
        store.SaveToCurrent(At(3));
        Assert.Equal((3, 2), (store.Load("morning").State.Log.Day, store.Load("evening").State.Log.Day));
    }

    [Fact]
    public async Task A_load_that_fails_in_the_end_leaves_slot_and_playthrough_as_they_were()
    {
        await using var store = Open();
        store.Save("morning", At(1));
        store.StartPlaythrough();
        store.Save("evening", At(2));
        var (playthrough, current) = (store.Playthrough, store.CurrentSlot);
        await Assert.ThrowsAsync<SaveContentException>(() => store.LoadIntoAsync("morning", new LogSave { Log = null! }, ["nowhere"], cancellationToken: Cancellation));
        Assert.Equal((playthrough, current), (store.Playthrough, store.CurrentSlot));
    }

    [Fact]
    public void A_closed_store_changes_nothing_and_keeps_nobody_from_writing()
    {
        var folder = Path.Combine(_folder, "saves");
        var store = SaveStore<LogSave>.Open(folder);
        store.Save("x", At(1));
        store.Save("x", At(2));
        var settings = store.Settings<Log>();
        var slots = SaveSlots.OpenFolder(folder);
        store.Dispose();
        slots.Dispose();
        slots.Dispose();
        foreach (var act in (Action[])[() => store.Save("x", At(3)), () => store.SaveAsync("x", At(3)), () => store.Delete("x"), () => store.Rename("x", "y"), () => store.Reinstate("x", 1),
            () => store.ProtectAll(null), () => store.DeleteAll(), () => settings.Save(new Log()), () => slots.Delete("x"), () => slots.Copy("x", "y"), () => store.List(), () => store.Load("x")])
            Assert.Throws<ObjectDisposedException>(act);
        using var again = SaveStore<LogSave>.Open(folder);
        Assert.Equal(3, again.Save("x", At(4), overwrite: Overwrite.Allowed).Generation);
    }

    [Fact]
    public void A_folder_has_one_writer_whatever_it_is_called()
    {
        var (folder, link) = (Path.Combine(_folder, "saves"), Path.Combine(_folder, "link"));
        using var one = SaveStore<LogSave>.Open(folder);
        one.Save("a", At(1));
        Directory.CreateSymbolicLink(link, folder);
        foreach (var name in new[] { folder + "/", Path.Combine(_folder, ".", "saves", "..", "saves"), link, link + "/" })
        {
            using var other = SaveStore<LogSave>.Open(name);
            other.Save("b", At(2), overwrite: Overwrite.Allowed);
            one.Save("a", At(3));
        }
        Assert.Equal(4, one.History("b").Count);
    }

    [Fact]
    public async Task Whatever_fails_is_told_and_closing_says_what_was_not_saved()
    {
        var store = Open();
        var failed = new List<SaveFailure>();
        store.SaveFailed += (_, failure) => failed.Add(failure);
        _gated.Failure = change => change == 1 ? new InvalidOperationException("the server is not itself") : change == 2 ? new StorageException("The disk is full.") : null;
        _ = store.SaveAsync("a", At(1), cancellationToken: Cancellation);
        store.WaitForBackground();
        _ = store.SaveAsync("b", At(2), cancellationToken: Cancellation);
        store.WaitForBackground();
        Assert.Equal([SaveErrorCode.ForeignFailure, SaveErrorCode.Storage], failed.Select(one => one.Problem.Code));
        Assert.Contains("the server is not itself", failed[0].Problem.Message, StringComparison.Ordinal);
        store.Save("b", At(3));
        Assert.Equal("a", Assert.Single(store.FailedSaves).Slot.ToString());
        Assert.Equal("a", Assert.Single(await store.CloseAsync(PendingSaves.Finish)).Slot.ToString());
    }

    [Fact]
    public void What_the_game_throws_back_harms_nothing_but_its_own_hook_stops_the_save()
    {
        using var store = SaveStore<ThrowingSave>.Open(new SaveStoreOptions { Storage = _gated });
        var failed = new List<SaveFailure>();
        store.SaveFailed += (_, failure) => failed.Add(failure);
        var progress = new Throwing();
        Assert.Equal(1, store.Save("a", new ThrowingSave(), progress: progress).Generation);
        Assert.True(store.Load("a", progress: progress).Found);
        Assert.Throws<InvalidOperationException>(() => store.Save("a", new ThrowingSave { Part = { Throws = true } }));
        Assert.Equal(SaveErrorCode.ForeignFailure, Assert.Single(failed).Problem.Code);
        Assert.Equal(2, store.Save("a", new ThrowingSave()).Generation);
    }

    [Fact]
    public void A_text_that_no_form_can_take_is_the_librarys_own_error()
    {
        // It takes a gigabyte: by hand.
        if (Environment.GetEnvironmentVariable("LODRIK_LARGE") != "1")
            Assert.Skip("Set LODRIK_LARGE=1 to save a text of 160 million characters.");
        var state = new LogSave { Log = new Log { Lines = [new string('x', 160_000_001)] } };
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form });
            var problem = Assert.Throws<UnsavableStateException>(() => store.Save("evening", state));
            Assert.Equal((SaveErrorCode.LimitExceeded, "/lines/0"), (problem.Code, problem.Location.Path));
        }
        state.Log.Lines[0] = new string('x', 160_000_000);
        using var fits = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        fits.Save("evening", state);
    }

    [Fact]
    public async Task A_slot_that_is_renamed_is_the_current_one_under_one_name_or_the_other_all_the_time()
    {
        // With a counter there is something to write after the old slot is gone.
        var key = SaveKey.FromBytes("secret", System.Security.Cryptography.RandomNumberGenerator.GetBytes(32));
        var protection = SaveProtection.With(key) with { HasCounter = true };
        await using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _gated, Protection = protection });
        for (var day = 1; day <= 3; day++)
            store.Save("evening", At(day));
        _gated.Shut();
        var renamed = store.RenameAsync("evening", "morning", cancellationToken: Cancellation);
        try
        {
            while (!renamed.IsCompleted)
            {
                Assert.Contains(store.CurrentSlot?.ToString(), new[] { "evening", "morning" });
                // What is still there can be loaded, and is the current slot only until it is gone.
                if (store.CurrentSlot == "morning" && store.Load("evening").Found)
                    Assert.Contains(store.CurrentSlot?.ToString(), new[] { "evening", "morning" });
                _gated.LetOneGo();
                await Task.Yield();
            }
        }
        finally
        {
            _gated.Open();
        }
        Assert.Equal("morning", store.CurrentSlot?.ToString());
    }

    /// <summary>What is asked for, at random, against a model that does one thing after the other.</summary>
    [Fact]
    public async Task Any_play_ends_as_if_one_thing_had_been_done_after_the_other()
    {
        for (var seed = 0; seed < Plays; seed++)
            await Play(new Random(seed), seed);
    }

    private static async Task Play(Random random, int seed)
    {
        var gated = new GatedStorage();
        if (random.Next(2) == 0)
            gated.Failure = change => (change + seed) % 9 == 0 ? new StorageException("The disk is full.") : null;
        var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = gated, KeepGenerations = 1000, KeepAuto = 1000 });
        // What handlers save on their own. Those of one event are told one after the other, and ask one after the other.
        var handled = new List<Asked>();
        var lastOfHandlers = 1000;
        store.Saved += (_, receipt) =>
        {
            if (receipt.Generation % 4 == 0)
                store.List();
            if (receipt.Generation % 3 == 0 && receipt.Slot != "d" && receipt.Slot != "e")
                Handle(() => SaveAtOnce(store, "d", Interlocked.Increment(ref lastOfHandlers)));
        };
        store.Loaded += (_, _) => Handle(() => Save(store, "e", Interlocked.Increment(ref lastOfHandlers), true, Cancellation));
        string[] slots = ["a", "b", "c"];
        var asked = new List<Asked>();
        var loads = new List<(int Asked, int Done, string Slot, int Day)>();
        (string Slot, int Asked)? current = null;
        for (var step = 0; step < 40; step++)
        {
            var (slot, other) = (slots[random.Next(3)], slots[random.Next(3)]);
            switch (random.Next(14))
            {
                case 0:
                    gated.Shut();
                    break;
                case 1:
                    gated.Open();
                    break;
                case 2 or 3:
                    gated.LetOneGo();
                    break;
                case 4:
                    store.StartPlaythrough();
                    current = null;
                    break;
                case 5:
                    asked.Add(new Asked('d', slot, "", 0, store.Playthrough, null, false, store.DeleteAsync(slot, Cancellation)));
                    break;
                case 6 when slot != other:
                    asked.Add(new Asked('r', slot, other, 0, store.Playthrough, null, true, store.RenameAsync(slot, other, Overwrite.Allowed, Cancellation)));
                    break;
                case 7:
                    using (var source = new CancellationTokenSource())
                    {
                        asked.Add(Save(store, slot, step, true, source.Token));
                        await source.CancelAsync();
                    }
                    break;
                case 8 or 9:
                    // Nobody waits for the disk to look at what is there; it is at least what was reported done.
                    var done = asked.FindLastIndex(one => one.Task.IsCompletedSuccessfully) + 1;
                    var loaded = store.Load(slot);
                    loads.Add((asked.Count, done, slot, loaded.Found ? loaded.State.Log.Day : -1));
                    if (loaded.Found)
                        current = (slot, asked.Count);
                    break;
                default:
                    asked.Add(Save(store, slot, step, random.Next(2) == 0, Cancellation));
                    break;
            }
            if (current is { } now)
            {
                // Only what was asked for after the load moves the current slot, and what takes that slot itself away.
                var later = asked.Where((one, i) => i >= now.Asked || one.Kind != 's').Select(one => one.Kind switch { 's' => one.Slot, 'r' => one.Other, _ => null });
                var shown = store.CurrentSlot?.ToString();
                Assert.True(later.Append(now.Slot).Append("d").Append("e").Contains(shown), $"{seed}: the current slot is {shown ?? "none"} in step {step} after loading {now.Slot} after {now.Asked}\n{string.Join('\n', asked)}");
            }
        }
        gated.Open();
        var closing = random.Next(2) == 0 ? PendingSaves.Finish : PendingSaves.Cancel;
        await store.CloseAsync(closing);
        await Task.WhenAll(asked.Select(one => one.Task.ContinueWith(_ => { }, TaskScheduler.Default))).WaitAsync(TimeSpan.FromSeconds(30), Cancellation);
        await Task.WhenAll(handled.Select(one => one.Task.ContinueWith(_ => { }, TaskScheduler.Default))).WaitAsync(TimeSpan.FromSeconds(30), Cancellation);
        // A save whose place a newer one took was written as that one.
        var written = asked.Select((one, i) => one.SaveId is { } id && asked.FindLastIndex(other => other.SaveId == id) > i ? one with { Kind = 'n' } : one).ToList();
        foreach (var (before, done, slot, day) in loads)
            CheckLoad(written, before, done, slot, day, seed);
        Check([.. asked, .. handled], gated, seed);

        void Handle(Func<Asked> save)
        {
            try
            {
                var asked = save();
                lock (handled)
                    handled.Add(asked);
            }
            catch (ObjectDisposedException)
            {
                // The store was closed meanwhile.
            }
        }
    }

    private static Asked SaveAtOnce(SaveStore<LogSave> store, string slot, int day)
    {
        var task = new TaskCompletionSource();
        var (playthrough, current) = (store.Playthrough, store.CurrentSlot?.ToString());
        try
        {
            store.Save(slot, At(day), overwrite: Overwrite.Allowed);
            task.SetResult();
        }
        catch (StorageException exception)
        {
            task.SetException(exception);
        }
        return new Asked('s', slot, "", day, playthrough, current, true, task.Task);
    }

    /// <summary>A load that was made among changes saw the slot as it was after one of them, and after all that were reported done.</summary>
    private static void CheckLoad(List<Asked> asked, int before, int done, string slot, int day, int seed)
    {
        var possible = new HashSet<int>();
        for (var prefix = done; prefix <= before; prefix++)
        {
            foreach (var held in Model(asked.Take(prefix)).GetValueOrDefault(slot) ?? [(-1, default)])
                possible.Add(held.Day);
        }
        Assert.True(possible.Contains(day), $"{seed}: {slot} was loaded as {day}, and held {string.Join(" or ", possible)}\n{string.Join('\n', asked.Take(before))}");
    }

    private static Asked Save(SaveStore<LogSave> store, string slot, int day, bool mayOverwrite, CancellationToken cancellation) => new(
        's', slot, "", day, store.Playthrough, store.CurrentSlot?.ToString(), mayOverwrite,
        store.SaveAsync(slot, At(day), overwrite: mayOverwrite ? Overwrite.Allowed : Overwrite.Refused, cancellationToken: cancellation));

    private static void Check(List<Asked> asked, GatedStorage gated, int seed)
    {
        var model = Model(asked, seed);
        gated.Failure = _ => null;
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = gated });
        foreach (var slot in new[] { "a", "b", "c", "d", "e" })
        {
            var loaded = store.Load(slot);
            var day = loaded.Found ? loaded.State.Log.Day : -1;
            var holds = model.GetValueOrDefault(slot) ?? [(-1, default)];
            Assert.True(holds.Any(held => held.Day == day), $"{seed}: {slot} holds {day}, and should hold {string.Join(" or ", holds)}\n{string.Join('\n', asked)}");
        }
    }

    private static Dictionary<string, List<(int Day, Guid Playthrough)>> Model(IEnumerable<Asked> changes, int seed = 0)
    {
        var asked = changes.ToList();
        // By slot: the day that it holds, and whose it is; several where a change that failed may have gone half way.
        var model = new Dictionary<string, List<(int Day, Guid Playthrough)>>();
        foreach (var one in asked)
        {
            var holds = model.GetValueOrDefault(one.Slot) ?? [(-1, default)];
            var isDone = one.Task.IsCompletedSuccessfully;
            switch (one.Kind)
            {
                case 's' when isDone:
                    model[one.Slot] = [(one.Day, one.Playthrough)];
                    break;
                case 's' when one.Task.Exception?.InnerException is SlotTakenException:
                    Assert.True(!one.MayOverwrite && holds.Any(held => held.Day >= 0 && held.Playthrough != one.Playthrough), $"{seed}: {one} was refused, and the slot holds {string.Join(" or ", holds)}");
                    break;
                case 'd':
                    model[one.Slot] = isDone ? [(-1, default)] : [.. holds, (-1, default)];
                    break;
                case 'r' when isDone:
                    model[one.Other] = holds;
                    model[one.Slot] = [(-1, default)];
                    break;
                case 'r' when one.Task.Exception?.InnerException is SlotException:
                    Assert.Contains(holds, held => held.Day < 0);
                    break;
                case 'r':
                    // What was copied by then is older history of the other slot.
                    model[one.Other] = [.. model.GetValueOrDefault(one.Other) ?? [(-1, default)], .. holds, .. asked.Where(save => save.Kind == 's').Select(save => (save.Day, save.Playthrough))];
                    model[one.Slot] = [.. holds, (-1, default)];
                    break;
            }
        }
        return model;
    }

    private SaveStore<LogSave> Open() => SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _gated });

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    private sealed record Asked(char Kind, string Slot, string Other, int Day, Guid Playthrough, string? Current, bool MayOverwrite, Task Task)
    {
        public Guid? SaveId => Task is Task<SaveReceipt> { IsCompletedSuccessfully: true } saved ? saved.Result.SaveId : null;

        public override string ToString() => $"{Kind} {Slot} {Other} {Day} {MayOverwrite} {Task.Status} {Task.Exception?.InnerException?.Message}";
    }

    private sealed class Throwing : IProgress<SaveProgress>
    {
        public void Report(SaveProgress value) => throw new InvalidOperationException("the game's own mistake");
    }
}

[SaveFile("order-tests")]
public sealed partial class CountedSave
{
    public Counted Counted { get; set; } = new();
}

/// <summary>Takes a number when the snapshot is taken.</summary>
[StateType]
public sealed partial class Counted : IBeforeSaving
{
    private static int _last;

    public int Number { get; set; }

    public void BeforeSaving() => Number = Interlocked.Increment(ref _last);
}

[SaveFile("throw-tests")]
public sealed partial class ThrowingSave
{
    public ThrowingPart Part { get; set; } = new();
}

[StateType]
public sealed partial class ThrowingPart : IBeforeSaving
{
    [NotSaved] public bool Throws { get; set; }

    public void BeforeSaving()
    {
        if (Throws)
            throw new InvalidOperationException("the game's own hook");
    }
}
