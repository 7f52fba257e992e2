using System.Numerics;
using Lodrik.Scenes;
using Lodrik.Storage;

namespace Lodrik.Bench;

/// <summary>Whether saving lengthens the frames of a game with 20,000 reeds, one thread, and a fixed step.</summary>
internal static class FrameBudgets
{
    private const int Frames = 6000;

    /// <summary>A save every five seconds at thirty frames a second: twelve times as often as a game saves by itself.</summary>
    private const int FramesBetweenSaves = 150;

    public static IEnumerable<BudgetLine> Lines()
    {
        using var game = new Reeds();
        game.Play(Frames, isSaving: true);
        var without = game.Play(Frames, isSaving: false);
        var with = game.Play(Frames, isSaving: true);
        var saving = with.Where((_, number) => number % FramesBetweenSaves == 0).ToList();
        yield return BudgetLine.Of(
            "frames with 20,000 reeds, saving every 5 s / not saving, 99th percentile (ms)", Percentile(with, 0.99), Percentile(without, 0.99), 1.5);
        yield return BudgetLine.Of("the frame that saves / a frame at 30 a second (ms)", Measuring.Middle(saving), new Took(1000 / 30.0, 1000 / 30.0), 0.5);
        // Longest frames are other programs' as well as ours, and are not judged.
        yield return BudgetLine.Of("longest frame, saving / not saving (ms of the wall)", with.Max(one => one.Wall), without.Max(one => one.Wall), 1000);
    }

    private static Took Percentile(List<Took> frames, double share)
    {
        var at = (int)(frames.Count * share);
        return new Took(frames.Select(one => one.Wall).Order().ElementAt(at), frames.Select(one => one.Cpu).Order().ElementAt(at));
    }

    private sealed class Reeds : IDisposable
    {
        private readonly SaveStore<ReedSave> _store = SaveStore<ReedSave>.Open(new SaveStoreOptions
        {
            Storage = new MemoryStorage(),
            Form = SaveForm.Binary,
            KeepGenerations = 2,
        });

        private readonly GameSession<ReedSave, ReedScene> _session;
        private readonly float[] _picture = new float[80 * 24];
        private int _number;

        public Reeds()
        {
            _session = GameSession.Begin(_store, _ => ReedScene.Of(20_000), new SessionOptions<ReedSave>
            {
                Start = new ScenePlace("marsh"),
                Scenes = ["marsh"],
                Autosave = AutosavePolicy.Never,
            });
            _session.StartNew();
        }

        /// <summary>Plays so many frames.</summary>
        /// <returns>What each took on the game's thread.</returns>
        public List<Took> Play(int frames, bool isSaving)
        {
            var took = new List<Took>(frames);
            for (var i = 0; i < frames; i++)
            {
                var saves = isSaving && i % FramesBetweenSaves == 0;
                took.Add(Measuring.Time(() => Frame(saves)));
            }
            _store.WaitForBackground();
            return took;
        }

        public void Dispose()
        {
            _session.Dispose();
            _store.Dispose();
        }

        private void Frame(bool saves)
        {
            _number++;
            Array.Clear(_picture);
            var scene = _session.Scene.Scene;
            foreach (var reed in scene.Reeds)
            {
                reed.Bent = MathF.Sin((_number * 0.05f) + reed.At.X);
                _picture[(int)reed.At.X + ((int)reed.At.Y * 80)] += reed.Bent;
            }
            for (var i = 0; i < 5; i++)
                scene.Reeds[((_number * 5) + i) * 7919 % scene.Reeds.Count].Height += 0.1f;
            if (saves)
                _ = _session.QuickSaveAsync();
            _session.Tick();
        }
    }
}

/// <summary>The save of the game with the reeds.</summary>
[SaveFile("bench-reeds")]
public sealed partial class ReedSave : ISessionSave
{
    public SessionArchive Session { get; set; } = new();

    public SceneArchive Scenes { get; set; } = new();
}

/// <summary>A marsh full of reeds.</summary>
[SceneType]
public sealed partial class ReedScene
{
    public List<Reed> Reeds { get; } = [];

    public SpawnNumbers Numbers { get; } = new();

    public static ReedScene Of(int count)
    {
        var scene = new ReedScene();
        for (var i = 1; i <= count; i++)
            scene.Reeds.Add(new Reed(ThingIds.Of(i)) { At = new Vector2(i % 80, i / 80 % 24) });
        return scene;
    }
}

/// <summary>A reed, which sways and grows.</summary>
[EntityType("reed")]
public sealed partial class Reed(EntityId id)
{
    public EntityId Id { get; } = id;

    public Vector2 At { get; set; }

    public float Height { get; set; } = 1;

    public float Bent { get; set; }
}
