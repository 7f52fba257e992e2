using Lodrik.Protection;
using Lodrik.Storage;
using Microsoft.Extensions.Time.Testing;

namespace Lodrik.Tests.Slots;

/// <summary>Clocks that are wrong, rings that grow, and counters that are cut short.</summary>
public sealed class ClockTests
{
    private static readonly DateTimeOffset Now = new(2026, 5, 6, 20, 0, 0, TimeSpan.Zero);

    private readonly MemoryStorage _memory = new();
    private readonly FakeTimeProvider _clock = new(Now);

    [Fact]
    public void A_clock_from_before_1970_saves_and_loads()
    {
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _memory, Clock = new Clocks { Time = new DateTimeOffset(1961, 4, 12, 0, 0, 0, TimeSpan.Zero) } });
        store.StartPlaythrough();
        store.Save("evening", At(1));
        Assert.Equal(1961, store.List()[0].Saved.Year);
        Assert.Equal(1, store.Continue().State.Log.Day);
    }

    [Fact]
    public void A_clock_that_is_set_back_takes_no_time_played_away()
    {
        var clocks = new Clocks { Time = Now };
        var played = new PlayClock(clocks);
        played.StartFrom(TimeSpan.FromMinutes(10));
        clocks.Time -= TimeSpan.FromHours(3);
        Assert.Equal(TimeSpan.FromMinutes(10), played.Played);
        using var store = Open();
        store.Save("evening", At(1), new SaveLabel { Played = TimeSpan.FromMinutes(-4) });
        Assert.Equal(TimeSpan.Zero, store.List()[0].Played);
    }

    [Fact]
    public void One_save_from_years_ahead_does_not_win_over_those_that_continue_it()
    {
        using (var store = Open())
        {
            store.Save("first", At(1));
            _clock.SetUtcNow(Now.AddYears(9));
            store.Save(SlotName.Auto, At(2));
        }
        var back = new FakeTimeProvider(Now.AddHours(1));
        using (var store = Open(back))
        {
            // It continues the first one, and so comes after that.
            Assert.Equal(2, store.Continue().State.Log.Day);
            Assert.True(store.List().Single(one => one.Slot == SlotName.Auto).IsAhead);
            for (var day = 3; day <= 11; day++)
            {
                back.Advance(TimeSpan.FromMinutes(5));
                store.Save("evening", At(day), overwrite: Overwrite.Allowed);
            }
        }
        using var next = Open(back);
        Assert.Equal(11, next.Continue().State.Log.Day);
        Assert.Equal(["evening", "auto", "first"], next.List().Select(one => one.Slot.ToString()));
        // Nor over the saves of somebody who knows nothing of it.
        next.StartPlaythrough();
        back.Advance(TimeSpan.FromMinutes(5));
        next.Save("other", At(40));
        Assert.Equal("other", next.List()[0].Slot.ToString());
    }

    [Fact]
    public void A_save_by_a_clock_that_was_set_back_comes_after_the_one_it_continues()
    {
        using var store = Open();
        store.Save("evening", At(1));
        store.Save("old", At(0));
        store.Load("evening");
        var back = new FakeTimeProvider(Now.AddYears(-6));
        using var later = Open(back);
        later.Load("evening");
        later.Save("night", At(2));
        using var next = Open(new FakeTimeProvider(Now.AddDays(2)));
        Assert.Equal(2, next.Continue().State.Log.Day);
    }

    [Fact]
    public void Of_other_playthroughs_the_newest_automatic_save_stays_and_a_bound_is_the_games_own_choice()
    {
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _memory, KeepAuto = 3, KeepPlaythroughs = 4 });
        var dropped = new List<Guid>();
        var played = new List<Guid>();
        for (var playthrough = 0; playthrough < 7; playthrough++)
        {
            store.StartPlaythrough();
            played.Add(store.Playthrough);
            for (var day = 0; day < 5; day++)
                dropped.AddRange(store.Save(SlotName.Auto, At((10 * playthrough) + day)).DroppedPlaythroughs);
        }
        Assert.Equal(played[..3], dropped);
        Assert.Equal([64, 63, 62, 54, 44, 34], store.History(SlotName.Auto).Select(one => store.LoadGeneration(SlotName.Auto, one.Number).State.Log.Day));
    }

    [Fact]
    public void A_process_that_dies_between_save_and_counter_raises_no_alarm_and_a_real_replay_does()
    {
        var protection = SaveProtection.With(SaveKey.FromPassphrase("k1", "a tide table")) with { HasCounter = true };
        var deaths = 0;
        for (var change = 1; ; change++)
        {
            var storage = new GatedStorage { Failure = number => number >= change ? new InvalidOperationException("dead") : null };
            try
            {
                using var store = Counting(storage);
                store.Save("first", At(1));
                store.Save("first", At(2));
                store.Save(SlotName.Auto, At(3));
                store.StartPlaythrough();
                store.Save(SlotName.Auto, At(4));
                store.Save("second", At(5));
                store.Reinstate("first", 1);
                store.Copy("first", "third");
                store.Rename("third", "fourth");
                store.DeleteGeneration("first", store.History("first")[0].Number);
                store.Delete("fourth");
                break;
            }
            catch (InvalidOperationException)
            {
                deaths++;
            }
            storage.Failure = _ => null;
            using var next = Counting(storage);
            foreach (var slot in next.List().Select(one => one.Slot).Distinct())
                Assert.Null(next.Load(slot).Replay);
        }
        Assert.True(deaths > 20, $"only {deaths} deaths were tried");

        // And the real thing: an old save under a new number, and in a slot of its own.
        var real = new GatedStorage();
        using (var store = Counting(real))
        {
            store.Save("first", At(1));
            store.Save("first", At(2));
        }
        real.Write("slots/first/00000003.json", real.Read("slots/first/00000001.json")!, replace: false);
        real.Write("slots/other/00000001.json", real.Read("slots/first/00000001.json")!, replace: false);
        using var again = Counting(real);
        Assert.NotNull(again.Load("first").Replay);
        Assert.NotNull(again.Load("other").Replay);

        SaveStore<LogSave> Counting(ISaveStorage storage) => SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Protection = protection, ReplayedSaves = SaveTreatment.Mark });
    }

    private SaveStore<LogSave> Open(TimeProvider? clock = null) => SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _memory, Clock = clock ?? _clock });

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    /// <summary>A clock that anybody may set, its ticks included.</summary>
    private sealed class Clocks : TimeProvider
    {
        public DateTimeOffset Time { get; set; }

        public override DateTimeOffset GetUtcNow() => Time;

        public override long TimestampFrequency => TimeSpan.TicksPerSecond;

        public override long GetTimestamp() => Time.UtcTicks;
    }
}
