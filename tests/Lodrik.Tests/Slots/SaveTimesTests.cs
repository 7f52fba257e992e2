using Lodrik.Scenes;
using Lodrik.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>A receipt says what the game's thread paid, and what each stage took.</summary>
public sealed class SaveTimesTests
{
    [Fact]
    public async Task A_save_in_the_background_costs_the_caller_its_snapshot()
    {
        using var store = SaveStore<SlotSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var times = (await store.SaveAsync("evening", new SlotSave { Chest = { Bytes = new byte[2 << 20] } }, cancellationToken: TestContext.Current.CancellationToken)).Times;
        Assert.True(times.Snapshot > TimeSpan.Zero && times.Snapshot <= times.OnThread, $"{times}");
        Assert.True(times.Encoding > TimeSpan.Zero && times.Writing > TimeSpan.Zero && times.Waiting >= TimeSpan.Zero, $"{times}");
        Assert.Contains("ms of the calling thread", times.ToString(), StringComparison.Ordinal);
    }

    [Fact]
    public void A_save_that_is_waited_for_costs_the_caller_all_of_it()
    {
        using var store = SaveStore<SlotSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var times = store.Save("evening", new SlotSave { Chest = { Bytes = new byte[2 << 20] } }).Times;
        Assert.True(times.OnThread >= times.Snapshot + times.Encoding + times.Writing, $"{times}");
    }

    [Fact]
    public async Task A_save_over_the_budget_is_warned_of_and_one_below_is_not()
    {
        var log = new LinesLogger();
        using var strict = SaveStore<SlotSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Logger = log, ThreadBudget = TimeSpan.FromTicks(1) });
        await strict.SaveAsync("evening", new SlotSave(), cancellationToken: TestContext.Current.CancellationToken);
        Assert.Contains(log.Lines, line => line.Contains("Saving to slot evening took ", StringComparison.Ordinal)
            && line.Contains("and 0.0 ms are allowed (ThreadBudget): ", StringComparison.Ordinal));
        var silent = new LinesLogger();
        using var lenient = SaveStore<SlotSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Logger = silent, ThreadBudget = TimeSpan.FromHours(1) });
        await lenient.SaveAsync("evening", new SlotSave(), cancellationToken: TestContext.Current.CancellationToken);
        Assert.DoesNotContain(silent.Lines, line => line.Contains("ThreadBudget", StringComparison.Ordinal));
    }

    [Fact]
    public async Task What_a_session_captures_counts_as_well()
    {
        using var store = SaveStore<SessionTimesSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var captured = false;
        GameSession<SessionTimesSave, object> session = null!;
        session = new GameSession<SessionTimesSave, object>(store, new SceneBindings<object>(), new SessionOptions<SessionTimesSave>
        {
            Start = new ScenePlace("marsh"),
            Scenes = ["marsh"],
            ChangeScene = change => session.Arrive(change, new object()),
        });
        session.Register("tide", () => { captured = true; Spend(TimeSpan.FromMilliseconds(30)); return new SlotChest(); }, _ => { });
        session.StartNew();
        var times = (await session.SaveAsync("evening", cancellationToken: TestContext.Current.CancellationToken)).Times;
        Assert.True(captured);
        Assert.True(times.Capture >= TimeSpan.FromMilliseconds(25) && times.OnThread >= times.Capture + times.Snapshot, $"{times}");
        session.Dispose();

        static void Spend(TimeSpan time)
        {
            for (var clock = System.Diagnostics.Stopwatch.StartNew(); clock.Elapsed < time;)
                Thread.SpinWait(100);
        }
    }
}

[SaveFile("session-times")]
public sealed partial class SessionTimesSave : ISessionSave
{
    public SceneArchive Scenes { get; set; } = new();

    public SessionArchive Session { get; set; } = new();
}
