using System.Buffers;
using System.Diagnostics;
using System.Text.Json.Serialization;
using Lodrik.Saves.Writing;
using Lodrik.Scenes;
using Lodrik.Storage;

namespace Lodrik.Bench;

/// <summary>The source-generated reference for JSON.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase)]
[JsonSerializable(typeof(World))]
[JsonSerializable(typeof(List<BudgetLine>))]
internal sealed partial class ReferenceJson : JsonSerializerContext;

/// <summary>The budgets that can be measured so far. Times are medians of interleaved runs in milliseconds.</summary>
internal static class Budgets
{
    /// <summary>The groups of lines, each measured when it is asked for.</summary>
    public static IReadOnlyDictionary<string, Func<IEnumerable<BudgetLine>>> Groups { get; } = new Dictionary<string, Func<IEnumerable<BudgetLine>>>
    {
        ["binary"] = () => FormBudgets.Binary(World.Make(100_000, distinct: false), "entities", distinct: false),
        ["distinct"] = () => FormBudgets.Binary(World.Make(100_000, distinct: true), "all strings different", distinct: true),
        ["json"] = () => FormBudgets.Json(World.Make(100_000, distinct: false)),
        ["xml"] = () => FormBudgets.Xml(World.Make(100_000, distinct: false)),
        ["nested"] = () => FormBudgets.Against("300 x 20 things of three variants", Hoard.Make(), 1.0, 0.8),
        ["lists"] = () => FormBudgets.Against("1,500 lists of 4", Posts.Make(), 1.2, 0.65),
        ["dialogue"] = () => FormBudgets.Against("10,000 lines of dialogue", Dialogue.Make(), 1.2, 0.9),
        ["journeys"] = FormBudgets.Journeys,
        ["tiles"] = FormBudgets.Tiles,
        ["small"] = FormBudgets.Small,
        ["allocation"] = FormBudgets.Allocation,
        ["slots"] = Slots,
        ["store"] = Store,
        ["scenes"] = SceneBudgets.Lines,
        ["migrations"] = MigrationBudgets.Lines,
        ["protection"] = ProtectionBudgets.Lines,
        ["compression"] = CompressionBudgets.Lines,
        ["codes"] = CodeBudgets.Lines,
        ["saves"] = SaveBudgets.Lines,
        ["thread"] = ThreadBudgets.Lines,
        ["frames"] = FrameBudgets.Lines,
        ["first"] = FirstBudgets.Lines,
    };


    /// <summary>What the game's thread pays of a save, and what a slot list reads.</summary>
    private static IEnumerable<BudgetLine> Slots()
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-bench-");
        try
        {
            var save = new BigSave { World = World.Make(50_000, distinct: false) };
            using (var store = SaveStore<BigSave>.Open(new SaveStoreOptions { Folder = folder.FullName, Form = SaveForm.Binary }))
            {
                Task<SaveReceipt> pending = Task.FromResult<SaveReceipt>(null!);
                var (ours, theirs) = Measuring.Race(
                    () => pending = store.SaveAsync(SlotName.Quick, save),
                    () => pending.Wait());
                yield return BudgetLine.Of("snapshot of 50,000 entities on the game's thread / until it is on the disk (ms)", ours, ours + theirs, 1.0);
            }
            foreach (var line in Autosave())
                yield return line;
            var storage = new CountingStorage();
            using (var store = SaveStore<SmallSave>.Open(new SaveStoreOptions { Storage = storage }))
            {
                for (var i = 0; i < 1000; i++)
                    store.Save($"slot-{i}", SmallSave.Make(), new SaveLabel { Title = $"Night {i} at the mill" });
                storage.BytesRead = 0;
                var listing = Measuring.Median(() => store.List());
                storage.BytesRead = 0;
                store.List();
                yield return BudgetLine.Of("listing 1,000 slots: read of each / 8 KiB (KiB)", storage.BytesRead / 1000.0 / 1024, 8, 1.0);
                yield return BudgetLine.Of("listing 1,000 slots in memory / 100 ms (ms)", listing, 100, 1.0);
            }
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    /// <summary>What a store of 10,000 slots costs, what a large save takes of memory, and how long a call waits while another one writes.</summary>
    private static IEnumerable<BudgetLine> Store()
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-bench-");
        try
        {
            var options = new SaveStoreOptions { Folder = folder.FullName };
            using (var store = SaveStore<SmallSave>.Open(options))
            {
                for (var i = 0; i < 10_000; i++)
                    store.Save($"slot-{i}", SmallSave.Make(), new SaveLabel { Title = $"Night {i} at the mill" });
            }
            using (var store = SaveStore<SmallSave>.Open(options))
            {
                yield return BudgetLine.Of("10,000 slots: the first list / 1 s (ms)", Once(() => store.List()), 1000, 1.0);
                yield return BudgetLine.Of("10,000 slots: a list after that / 200 ms (ms)", Measuring.Median(() => store.List()), 200, 1.0);
                yield return BudgetLine.Of("10,000 slots: continue / 200 ms (ms)", Measuring.Median(() => store.Continue()), 200, 1.0);
                yield return BudgetLine.Of("10,000 slots: whether there are saves / 200 ms (ms)", Measuring.Median(() => store.HasSaves()), 200, 1.0);
                var number = 0;
                store.Save("new-first", SmallSave.Make());
                yield return BudgetLine.Of(
                    "10,000 slots: a save to a new slot / to one that is there (ms)", Measuring.Median(() => store.Save($"new-{number++}", SmallSave.Make())),
                    Measuring.Median(() => store.Save("new-first", SmallSave.Make(), overwrite: Overwrite.Allowed)), 3.0);
            }
            foreach (var line in Memory(folder.FullName))
                yield return line;
            foreach (var line in Waits())
                yield return line;
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    /// <summary>What a save of 130 MB allocates to be written and to be loaded, over its own size, and what stays afterwards.</summary>
    private static IEnumerable<BudgetLine> Memory(string folder)
    {
        // Many small values and a large one: the first make a buffer grow, and the last is the easy case.
        var random = new Random(1);
        var save = new LargeSave { Large = { Bytes = new byte[64 << 20] } };
        random.NextBytes(save.Large.Bytes);
        for (var i = 0; i < 2_000_000; i++)
            save.Large.Lines.Add($"{random.NextInt64():x16}{random.NextInt64():x16}");
        var store = SaveStore<LargeSave>.Open(new SaveStoreOptions { Folder = Path.Combine(folder, "large"), Form = SaveForm.Binary });
        var before = GC.GetTotalMemory(forceFullCollection: true);
        long size = 0;
        var first = Peak(() => size = store.Save("evening", save).ByteCount);
        yield return BudgetLine.Of("a save of 130 MB that was neither saved nor loaded before: the peak while it is saved / its size (MB)", first, size / 1e6, 3.0);
        yield return BudgetLine.Of("a save of 130 MB: kept by the store afterwards / its size (MB)", Kept(before), size / 1e6, 0.3);
        before = GC.GetTotalMemory(forceFullCollection: true);
        var peak = Peak(() => store.Save("evening", save));
        yield return BudgetLine.Of("a save of 130 MB: the peak while it is saved / its size (MB)", peak, size / 1e6, 1.3);
        before = GC.GetTotalMemory(forceFullCollection: true);
        LoadResult<LargeSave>? loaded = null;
        peak = Peak(() => loaded = store.Load("evening"));
        var state = Kept(before);
        GC.KeepAlive(loaded);
        yield return BudgetLine.Of(
            "a save of 130 MB: the peak while it is loaded, without what is loaded / its size (MB)", peak - state, size / 1e6, 2.0);
        store.Dispose();

        static double Kept(long before) => Math.Max(GC.GetTotalMemory(forceFullCollection: true) - before, 0) / 1e6;
    }

    /// <summary>How much more than before is in use at most while something runs, in megabytes.</summary>
    private static double Peak(Action act)
    {
        GC.Collect();
        var before = GC.GetTotalMemory(forceFullCollection: true);
        var (peak, isDone) = (before, false);
        var watch = new Thread(() =>
        {
            while (!Volatile.Read(ref isDone))
            {
                peak = Math.Max(peak, GC.GetTotalMemory(forceFullCollection: false));
                Thread.Sleep(1);
            }
        });
        watch.Start();
        act();
        Volatile.Write(ref isDone, true);
        watch.Join();
        return (peak - before) / 1e6;
    }

    /// <summary>How long the calls of a game wait while a write in the background takes half a second: for the figures alone.</summary>
    private static IEnumerable<BudgetLine> Waits()
    {
        var slow = new SlowWrites();
        using var store = SaveStore<SmallSave>.Open(new SaveStoreOptions { Storage = slow });
        store.Save("evening", SmallSave.Make());
        foreach (var (name, call) in ((string, Action)[])[
            ("StartPlaythrough", store.StartPlaythrough), ("Exists", () => store.Exists("evening")), ("HasSaves", () => store.HasSaves()), ("List", () => store.List()),
            ("Load", () => store.Load("evening")), ("SaveAsync", () => store.SaveAsync("other", SmallSave.Make(), overwrite: Overwrite.Allowed))])
        {
            slow.Delay = TimeSpan.FromMilliseconds(500);
            var saving = store.SaveAsync("background", SmallSave.Make(), overwrite: Overwrite.Allowed);
            Thread.Sleep(50);
            yield return BudgetLine.Of($"{name} while a write takes 500 ms / 500 ms (ms)", Once(call), 500, 0.2);
            saving.Wait();
            slow.Delay = TimeSpan.Zero;
            store.WaitForBackground();
        }
    }

    private static double Once(Action act)
    {
        var started = Stopwatch.GetTimestamp();
        act();
        return Stopwatch.GetElapsedTime(started).TotalMilliseconds;
    }

    private sealed class SlowWrites : Lodrik.Storage.ISaveStorage
    {
        private readonly MemoryStorage _inner = new();

        public TimeSpan Delay { get; set; }

        public string Description => _inner.Description;

        public IReadOnlyList<Lodrik.Storage.StoredFile> List(string folder) => _inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => _inner.ReadRange(name, offset, count);

        public byte[]? Read(string name) => _inner.Read(name);

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace)
        {
            Thread.Sleep(Delay);
            _inner.Write(name, bytes, replace);
        }

        public bool Delete(string name) => _inner.Delete(name);

        public string Locate(string name) => _inner.Locate(name);
    }

    /// <summary>Loads one scene of a hundred, for a profiler to watch.</summary>
    public static Action LoadingOneScene()
    {
        var store = SaveStore<ScenesSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = SaveForm.Binary });
        store.Save("evening", HundredScenes());
        return () => store.Load("evening").State.Scenes.Get("scene 7");
    }

    /// <summary>A hundred scenes, of which one was visited since the save before.</summary>
    private static IEnumerable<BudgetLine> Autosave()
    {
        var save = HundredScenes();
        using var writer = new SaveWriter();
        var cache = new SectionCache();
        var (visited, other) = (Scene(), Scene());
        var terms = new SaveTerms(SaveForm.Binary);
        Snapshot.Of(save, cache).Dispose();
        var (ours, theirs) = Measuring.Race(
            () =>
            {
                (visited, other) = (other, visited);
                save.Scenes.Put("scene 7", visited);
                using var snapshot = Snapshot.Of(save, cache);
                writer.Write(snapshot, new SaveHeader { Game = "bench" }, terms, cache);
            },
            () =>
            {
                using var snapshot = Snapshot.Of(save);
                writer.Write(snapshot, new SaveHeader { Game = "bench" }, terms);
            });
        yield return BudgetLine.Of("autosave with 1 of 100 scenes changed / a full save (ms)", ours, theirs, 0.15);

        using var store = SaveStore<ScenesSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = SaveForm.Binary });
        store.Save("evening", save);
        (ours, theirs) = Measuring.Race(
            () => store.Load("evening").State.Scenes.Get("scene 7"),
            () =>
            {
                var scenes = store.Load("evening").State.Scenes;
                for (var i = 0; i < 100; i++)
                    scenes.Get($"scene {i}");
            });
        yield return BudgetLine.Of("loading 1 scene of 100 / all of them (ms)", ours, theirs, 0.025);
    }

    private static ScenesSave HundredScenes()
    {
        var save = new ScenesSave();
        for (var i = 0; i < 100; i++)
            save.Scenes.Put($"scene {i}", Scene());
        return save;
    }

    private static SceneRecord Scene()
    {
        var parts = string.Join(", ", Enumerable.Range(0, 300).Select(i => $"\"thing-{i}\": {{ \"kind\": \"thing\", \"parts\": {{ \"place\": {{ \"x\": {i}.5, \"y\": 2.0 }}, \"note\": {{ \"n\": {i}, \"text\": \"t{i % 30}\" }} }} }}"));
        var text = $"{{ \"scenes/x\": {{ \"nextSpawn\": 1, \"gone\": [], \"entities\": {{ {parts} }} }} }}";
        return StateFile.FromText<ScenesSave>(text).Scenes.Get("x")!;
    }

    /// <summary>Memory that counts what is read of it.</summary>
    private sealed class CountingStorage : ISaveStorage
    {
        private readonly MemoryStorage _inner = new();

        public long BytesRead { get; set; }

        public string Description => _inner.Description;

        public IReadOnlyList<StoredFile> List(string folder) => _inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => Counted(_inner.ReadRange(name, offset, count));

        public byte[]? Read(string name) => Counted(_inner.Read(name));

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => _inner.Write(name, bytes, replace);

        public bool Delete(string name) => _inner.Delete(name);

        public string Locate(string name) => _inner.Locate(name);

        private byte[]? Counted(byte[]? bytes)
        {
            BytesRead += bytes?.Length ?? 0;
            return bytes;
        }
    }
}

/// <summary>A save that is one large thing.</summary>
[SaveFile("large-bench")]
public sealed partial class LargeSave
{
    public Large Large { get; set; } = new();
}

[StateType]
public sealed partial class Large
{
    public byte[] Bytes { get; set; } = [];

    public List<string> Lines { get; set; } = [];
}
