using System.Buffers;
using Lodrik.Saves.Writing;
using Lodrik.Scenes;
using Lodrik.Storage;

namespace Lodrik.Bench;

/// <summary>Whole saves: many sections, and checkpoints that are kept in the save.</summary>
internal static class SaveBudgets
{
    public static IEnumerable<BudgetLine> Lines() => [.. Sections(), .. Checkpoints()];

    /// <summary>Four times as many sections may take four times as long, and no more.</summary>
    private static IEnumerable<BudgetLine> Sections()
    {
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            var (few, many) = (Save(4_000, form), Save(16_000, form));
            var (ours, theirs) = Measuring.Race(() => Load(many), () =>
            {
                for (var i = 0; i < 4; i++)
                    Load(few);
            });
            yield return BudgetLine.Of($"loading 16,000 sections, {form.DisplayName()} / four times 4,000 (ms)", ours, theirs, 1.3);
        }

        static byte[] Save(int count, SaveForm form)
        {
            var save = new ManySections();
            for (var i = 0; i < count; i++)
                save.Session.Put($"part-{i:D6}", new Part { Number = i, Name = $"the part of number {i}" });
            using var writer = new SaveWriter();
            return writer.Write(save, new SaveHeader { Game = "bench-sections", Version = 1 }, new SaveTerms(form)).ToArray();
        }

        static void Load(byte[] save)
        {
            var session = StateFile.FromBytes<ManySections>(save).Session;
            foreach (var name in session.Names)
                session.Get<Part>(name);
        }
    }

    /// <summary>What the game's thread pays of a save with four unchanged checkpoints of 50,000 things in it, against one without.</summary>
    private static IEnumerable<BudgetLine> Checkpoints()
    {
        foreach (var form in new[] { SaveForm.Binary, SaveForm.Json })
        {
            using var without = new Game(form, checkpoints: 0);
            using var with = new Game(form, checkpoints: 4);
            var (ours, theirs) = Measuring.Race(with.Save, without.Save, between: () =>
            {
                with.Wait();
                without.Wait();
            });
            yield return BudgetLine.Of($"game's thread, {form.DisplayName()}: a save with four unchanged checkpoints / one without (ms)", ours, theirs, 1.1);
        }
    }

    private sealed class Game : IDisposable
    {
        private readonly SaveStore<ManySections> _store;
        private readonly GameSession<ManySections, Empty> _session;
        private Task<SaveReceipt> _saving = Task.FromResult<SaveReceipt>(null!);

        public Game(SaveForm form, int checkpoints)
        {
            _store = SaveStore<ManySections>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form, KeepGenerations = 1 });
            var bindings = new SceneBindings<Empty>();
            _session = new GameSession<ManySections, Empty>(_store, bindings, new SessionOptions<ManySections>
            {
                Start = new ScenePlace("marsh"),
                Scenes = ["marsh"],
                ChangeScene = change => _session!.Arrive(change, new Empty()),
                Autosave = AutosavePolicy.Never,
            });
            _session.StartNew();
            for (var i = 0; i < 50_000; i++)
                _session.State.Things.Add(new Part { Number = i, Name = $"thing {i % 100}" });
            for (var i = 0; i < checkpoints; i++)
                _session.Mark($"checkpoint {i}", inSave: true);
        }

        public void Save() => _saving = _session.SaveAsync("evening");

        public void Wait() => _saving.Wait();

        public void Dispose()
        {
            Wait();
            _session.Dispose();
            _store.Dispose();
        }
    }

    private sealed class Empty;
}

[SaveFile("bench-sections", Version = 1)]
public sealed partial class ManySections : ISessionSave
{
    public List<Part> Things { get; set; } = [];

    public SceneArchive Scenes { get; set; } = new();

    public SessionArchive Session { get; set; } = new();
}

[StateType]
public sealed partial class Part
{
    public int Number { get; set; }

    public string Name { get; set; } = "";
}
