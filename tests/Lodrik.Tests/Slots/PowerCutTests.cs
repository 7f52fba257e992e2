using Lodrik.Storage;
using Lodrik.Tests.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>Whatever dies in the middle: what loads afterwards is the last save that was reported done, or a later one, and it is whole.</summary>
public sealed class PowerCutTests
{
    private const string Root = "/saves";

    /// <summary>How many random stories are played; more by LODRIK_POWER_CUTS.</summary>
    private static int Stories => int.TryParse(Environment.GetEnvironmentVariable("LODRIK_POWER_CUTS"), out var stories) ? stories : 600;

    [Fact]
    public void Nothing_that_was_reported_done_is_lost_whenever_the_power_fails()
    {
        var states = 0;
        // Every operation of a short story, many times over, for what is unflushed may turn out one way or another.
        for (var after = 1; ; after++)
        {
            var reached = false;
            for (var again = 0; again < 12; again++)
            {
                var random = new Random((after * 100) + again);
                var disk = new SimulatedDisk(random) { PowerFailsAfter = after };
                var memory = new Memory();
                reached |= Play(disk, memory, new Random(1), acts: 22);
                Check(disk.AfterPowerCut(), memory);
                states++;
            }
            if (!reached)
                break;
        }
        TestContext.Current.TestOutputHelper?.WriteLine($"{states} states of one story after a power cut");
        Assert.True(states > 1000, $"only {states} states were explored");
    }

    [Fact]
    public void Nothing_is_lost_over_many_power_cuts_and_failing_operations_in_a_row()
    {
        var states = 0;
        for (var story = 0; story < Stories; story++)
        {
            var random = new Random(story);
            var disk = new SimulatedDisk(random);
            var memory = new Memory();
            for (var life = 0; life < 4; life++)
            {
                disk.PowerFailsAfter = disk.Operations + random.Next(1, 80);
                if (random.Next(3) == 0)
                    disk.FlushesFail = (disk.Flushes + random.Next(1, 12), random.Next(1, 4));
                if (random.Next(2) == 0)
                    disk.Fails = (disk.Operations + random.Next(1, 40), random.Next(3) switch { 0 => 28, 1 => 5, _ => 30 });
                Play(disk, memory, random, acts: random.Next(1, 12));
                disk = disk.AfterPowerCut();
                Check(disk, memory);
                states++;
            }
        }
        TestContext.Current.TestOutputHelper?.WriteLine($"{states} states of {Stories} stories after power cuts");
    }

    [Theory]
    [InlineData(1), InlineData(2), InlineData(3), InlineData(1000)]
    public void Flushes_that_fail_lose_nothing_that_was_reported_done_whichever_they_are(int count)
    {
        var first = 0;
        SimulatedDisk disk;
        do
        {
            disk = new SimulatedDisk(new Random(++first)) { FlushesFail = (first, count) };
            var memory = new Memory();
            Play(disk, memory, new Random(2), acts: 14, keep: 1);
            disk.FlushesFail = null;
            Check(disk.AfterPowerCut(), memory);
        }
        while (disk.Flushes >= first);
        Assert.True(first > 30, $"only {first} flushes were tried");
    }

    [Fact]
    public void A_disk_that_forgets_what_is_not_flushed_would_be_noticed()
    {
        // The simulation itself: without its flushes the same protocol loses saves.
        var lost = 0;
        for (var seed = 0; seed < 200; seed++)
        {
            var disk = new SimulatedDisk(new Random(seed));
            var storage = new DirectoryStorage(Root, new WithoutFlushes(disk));
            storage.Write("slots/a/00000001.json", new byte[] { 1, 2, 3, 4 }, replace: false);
            var found = new DirectoryStorage(Root, disk.AfterPowerCut()).Read("slots/a/00000001.json");
            lost += found is not { Length: 4 } ? 1 : 0;
        }
        Assert.InRange(lost, 50, 200);
    }

    /// <summary>Plays until the power fails; true if it did.</summary>
    private static bool Play(SimulatedDisk disk, Memory memory, Random random, int acts, int keep = 2)
    {
        try
        {
            using var store = Open(disk, keep);
            for (var act = 0; act < acts; act++)
                Act(store, memory, random);
            return false;
        }
        catch (PowerCutException)
        {
            return true;
        }
    }

    private static void Act(SaveStore<LogSave> store, Memory memory, Random random)
    {
        SlotName slot = random.Next(3) switch { 0 => "a", 1 => "b", _ => SlotName.Auto };
        try
        {
            switch (random.Next(10))
            {
                case 0:
                    memory.Try(slot, Memory.Nothing);
                    // What a save that was refused left may come back, and nobody sees it yet.
                    if (store.Delete(slot))
                        memory.Done(slot, Memory.Nothing);
                    break;
                case 1 when store.Exists(slot) && !slot.Equals(SlotName.Auto):
                    var oldest = store.History(slot)[^1].Number;
                    var day = store.LoadGeneration(slot, oldest).State.Log.Day;
                    memory.Try(slot, day);
                    store.Reinstate(slot, oldest);
                    memory.Done(slot, day);
                    break;
                case 2:
                    memory.Try("settings", memory.NextDay());
                    store.Settings<Log>().Save(new Log { Day = memory.LastDay });
                    memory.Done("settings", memory.LastDay);
                    break;
                default:
                    memory.Try(slot, memory.NextDay());
                    store.Save(slot, new LogSave { Log = new Log { Day = memory.LastDay, Lines = [.. Enumerable.Repeat("line", memory.LastDay % 7)] } }, overwrite: Overwrite.Allowed);
                    memory.Done(slot, memory.LastDay);
                    break;
            }
        }
        catch (StorageException)
        {
            // The disk refused: what was there before is still there, or what was tried is.
        }
    }

    private static void Check(SimulatedDisk disk, Memory memory)
    {
        using var store = Open(disk);
        foreach (var slot in new SlotName[] { "a", "b", SlotName.Auto })
        {
            var loaded = store.Load(slot);
            Assert.Empty(loaded.PassedOver);
            var day = loaded.Found ? loaded.State.Log.Day : Memory.Nothing;
            Assert.True(memory.Allows(slot, day), $"{slot}: {day} was loaded, and expected was {memory.Expected(slot)}");
            if (loaded.Found)
                Assert.Equal(loaded.State.Log.Lines.Count, day % 7);
            memory.Is(slot, day);
        }
        var settings = store.Settings<Log>().Load().Day;
        Assert.True(memory.Allows("settings", settings == 1 ? Memory.Nothing : settings), $"settings: {settings}, and expected was {memory.Expected("settings")}");
        memory.Is("settings", settings == 1 ? Memory.Nothing : settings);
        Assert.All(store.List(), summary => Assert.Equal(SlotHealth.Readable, summary.Health));
    }

    private static SaveStore<LogSave> Open(SimulatedDisk disk, int keep = 2) => SaveStore<LogSave>.Open(new SaveStoreOptions
    {
        Storage = new DirectoryStorage(Root, disk),
        KeepGenerations = keep,
        KeepAuto = 100,
        Indented = false,
    });

    /// <summary>What was reported done, and what was tried since.</summary>
    private sealed class Memory
    {
        public const int Nothing = -1;

        private readonly Dictionary<SlotName, int> _done = [];
        private readonly Dictionary<SlotName, HashSet<int>> _tried = [];

        public int LastDay { get; private set; } = 100;

        public int NextDay() => ++LastDay;

        public void Try(SlotName slot, int day)
        {
            if (!_tried.TryGetValue(slot, out var tried))
                _tried.Add(slot, tried = []);
            tried.Add(day);
        }

        public void Done(SlotName slot, int day) => Is(slot, day);

        /// <summary>From here on nothing else may load.</summary>
        public void Is(SlotName slot, int day)
        {
            _done[slot] = day;
            _tried.Remove(slot);
        }

        public bool Allows(SlotName slot, int day) => day == _done.GetValueOrDefault(slot, Nothing) || (_tried.TryGetValue(slot, out var tried) && tried.Contains(day));

        public string Expected(SlotName slot) => $"{_done.GetValueOrDefault(slot, Nothing)}{(_tried.TryGetValue(slot, out var tried) ? $" or one of {string.Join(", ", tried)}" : "")}";
    }

    /// <summary>A disk that says it has flushed, and has not.</summary>
    private sealed class WithoutFlushes(ISystemCalls disk) : OtherCalls(disk)
    {
        public override int Flush(int file) => 0;
    }
}
