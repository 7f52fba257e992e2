using System.Buffers;
using Lodrik.Saves.Writing;
using Lodrik.Scenes;
using Lodrik.State;
using Lodrik.Storage;
using MemoryPack;

namespace Lodrik.Bench;

/// <summary>What the game's thread pays for saves, checkpoints and the question what is unsaved, whatever the form.</summary>
internal static class ThreadBudgets
{
    public static IEnumerable<BudgetLine> Lines()
    {
        using var binary = new Played(SaveForm.Binary);
        using var json = new Played(SaveForm.Json);
        using var xml = new Played(SaveForm.Xml);
        foreach (var (name, text) in ((string, Played)[])[("JSON", json), ("XML", xml)])
        {
            var (ours, theirs) = Measuring.Race(text.SaveStore, binary.SaveStore, Wait);
            yield return BudgetLine.Of($"SaveAsync until it returns, a log of 100,000 lines, {name} / binary (ms)", ours, theirs, 1.1);
            (ours, theirs) = Measuring.Race(text.SaveSession, binary.SaveSession, Wait);
            yield return BudgetLine.Of($"the same of a session, {name} / binary (ms)", ours, theirs, 1.1);
        }
        foreach (var (name, game) in ((string, Played)[])[("binary", binary), ("JSON", json)])
        {
            var (ours, theirs) = Measuring.Race(() => game.Session.Mark(inSave: false), game.SaveSession, Wait);
            yield return BudgetLine.Of($"marking a checkpoint, {name} / a save's snapshot (ms)", ours, theirs, 1.1);
            game.Session.Mark(inSave: false);
            (ours, theirs) = Measuring.Race(() => game.Session.Return(), () => game.Session.Load("evening"), () =>
            {
                Wait();
                game.Session.Mark(inSave: false);
            });
            yield return BudgetLine.Of($"returning to a checkpoint, {name} / loading from memory (ms)", ours, theirs, 2.0);
            game.Session.Load("evening");
            game.Session.State.Log.Lines[^1] = "A heron stood on the last beacon.";
            (ours, theirs) = Measuring.Race(() => game.Session.UnsavedChanges(), game.SaveSession, Wait);
            yield return BudgetLine.Of($"unsaved changes of one line, {name} / a save's snapshot (ms)", ours, theirs, 2.0);
        }

        foreach (var line in Entities())
            yield return line;
        foreach (var line in Logs())
            yield return line;

        void Wait()
        {
            binary.Wait();
            json.Wait();
            xml.Wait();
        }
    }

    /// <summary>What the game's thread pays of 100,000 entities, beside a general-purpose serializer that writes all of them.</summary>
    private static IEnumerable<BudgetLine> Entities()
    {
        var save = new BigSave { World = World.Make(100_000, distinct: false) };
        var cache = new SectionCache();
        var reference = new ArrayBufferWriter<byte>(64 << 20);
        var (ours, theirs) = Measuring.Race(
            () => Snapshot.Of(save, cache).Dispose(),
            () =>
            {
                reference.ResetWrittenCount();
                MemoryPackSerializer.Serialize(reference, save.World);
            });
        yield return BudgetLine.Of("snapshot of 100,000 entities on the game's thread / MemoryPack's encoding (ms)", ours, theirs, 1.0);
        var before = GC.GetAllocatedBytesForCurrentThread();
        Snapshot.Of(save, cache).Dispose();
        yield return BudgetLine.Of("garbage of it / 1 KB (KB)", (GC.GetAllocatedBytesForCurrentThread() - before) / 1e3, 1, 1);
    }

    /// <summary>What a save costs the game's thread whose log grew by a few lines, beside one that has them in a list.</summary>
    private static IEnumerable<BudgetLine> Logs()
    {
        using var lists = SaveStore<ListSave>.Open(Options());
        using var logs = SaveStore<LogSave>.Open(Options());
        var (list, log) = (new ListSave(), new LogSave());
        var night = 0;
        AddLines(100_000);
        var (kept, whole) = Measuring.Race(
            () =>
            {
                AddLines(10);
                _ = logs.SaveAsync("evening", log, overwrite: Overwrite.Allowed);
            },
            () => _ = lists.SaveAsync("evening", list, overwrite: Overwrite.Allowed),
            () =>
            {
                lists.WaitForBackground();
                logs.WaitForBackground();
            });
        yield return BudgetLine.Of("SaveAsync until it returns, 10 lines more in a log of 100,000 / in a list (ms)", kept, whole, 0.25);

        void AddLines(int count)
        {
            for (; count > 0; count--, night++)
            {
                list.Lines.Add($"Night {night / 50}: beacon {night % 50} was lit, and {night % 7} herons flew up.");
                log.Lines.Add(list.Lines[^1]);
            }
        }

        static SaveStoreOptions Options() => new() { Storage = new MemoryStorage(), Form = SaveForm.Binary, KeepGenerations = 1 };
    }

    private sealed class Empty;

    private sealed class Played : IDisposable
    {
        private readonly SaveStore<Voyage> _store;
        private Task _saving = Task.CompletedTask;

        public Played(SaveForm form)
        {
            _store = SaveStore<Voyage>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form, KeepGenerations = 1 });
            Session = new GameSession<Voyage, Empty>(_store, new SceneBindings<Empty>(), new SessionOptions<Voyage>
            {
                Start = new ScenePlace("marsh"),
                Scenes = ["marsh"],
                ChangeScene = change => Session!.Arrive(change, new Empty()),
                Autosave = AutosavePolicy.Never,
            });
            Session.StartNew();
            for (var i = 0; i < 100_000; i++)
                Session.State.Log.Lines.Add($"Night {i / 50}: beacon {i % 50} was lit, and {i % 7} herons flew up.");
            Session.Save("evening");
        }

        public GameSession<Voyage, Empty> Session { get; }

        public void SaveStore() => _saving = _store.SaveAsync("evening", Session.State, overwrite: Overwrite.Allowed);

        public void SaveSession() => _saving = Session.SaveAsync("evening", overwrite: Overwrite.Allowed);

        public void Wait()
        {
            _saving.Wait();
            _store.WaitForBackground();
        }

        public void Dispose()
        {
            Wait();
            Session.Dispose();
            _store.Dispose();
        }
    }
}

/// <summary>A save with a long log.</summary>
[SaveFile("bench-voyage")]
public sealed partial class Voyage : ISessionSave
{
    public SessionArchive Session { get; set; } = new();

    public SceneArchive Scenes { get; set; } = new();

    public Log Log { get; set; } = new();
}

/// <summary>A save with a log.</summary>
[SaveFile("bench-log")]
public sealed partial class LogSave
{
    public SaveLog<string> Lines { get; set; } = [];
}

/// <summary>A save with a list in place of the log.</summary>
[SaveFile("bench-list")]
public sealed partial class ListSave
{
    public List<string> Lines { get; set; } = [];
}

/// <summary>What happened, a line for each.</summary>
[StateType]
public sealed partial class Log
{
    public List<string> Lines { get; set; } = [];
}
