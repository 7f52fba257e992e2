using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Scenes;
using Microsoft.Extensions.Time.Testing;

namespace Lodrik.Tests.Sessions;

/// <summary>Policies, fallbacks, checkpoints and archives of a session.</summary>
public sealed class SessionMemberTests : IDisposable
{
    private readonly SaveStore<RunSave> _store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });

    public void Dispose() => _store.Dispose();

    private GameSession<RunSave, Yard> Session(AutosavePolicy? policy = null, string[]? scenes = null, ScenePlace? fallback = null, TimeProvider? clock = null)
    {
        GameSession<RunSave, Yard>? session = null;
        return session = new GameSession<RunSave, Yard>(_store, Yard.Bindings(), new SessionOptions<RunSave>
        {
            Start = new ScenePlace("yard", "gate"),
            Fallback = fallback,
            Scenes = scenes ?? [],
            Autosave = policy ?? AutosavePolicy.Never,
            Clock = clock,
            ChangeScene = change => session!.Arrive(change, Yard.Author()),
        });
    }

    [Fact]
    public async Task A_change_of_scenes_saves_by_itself_and_leaving_the_game_does_if_the_policy_says_so()
    {
        var clock = new FakeTimeProvider();
        using var session = Session(new AutosavePolicy { Interval = null, OnSceneChange = true, OnQuit = false, MinimumSpacing = TimeSpan.Zero }, clock: clock);
        session.StartNew();
        session.Tick();
        Assert.Null(session.LastAutosave);
        clock.Advance(TimeSpan.FromSeconds(1));
        session.Travel(new ScenePlace("mill", "door"));
        session.Tick();
        Assert.Equal(SlotName.Auto, (await session.LastAutosave!).Slot);
        Assert.Null(session.Quit().Receipt);
    }

    [Fact]
    public void A_save_of_a_scene_that_is_no_more_leads_to_the_fallback()
    {
        using (var session = Session())
        {
            session.StartNew();
            session.Travel(new ScenePlace("mill", "loft"));
            session.Save("evening");
            Assert.Equal(new ScenePlace("mill", "loft").Entrance, session.Place.Entrance);
            Assert.Equal(2, session.SaveToCurrent().Generation);
        }
        using var later = Session(scenes: ["yard", "shed"], fallback: new ScenePlace("shed", "back door"));
        later.Load("evening");
        Assert.Equal(("shed", "back door"), (later.Place.Scene, later.Place.Entrance));
    }

    [Fact]
    public void A_checkpoint_says_where_and_when_it_was_marked()
    {
        var clock = new FakeTimeProvider();
        using var session = Session(clock: clock);
        session.StartNew();
        clock.Advance(TimeSpan.FromMinutes(4));
        var marked = session.Mark("dry ground", inSave: true);
        Assert.Equal((new ScenePlace("yard", "gate"), TimeSpan.FromMinutes(4), true), (marked.Place, marked.Played, marked.IsInSave));
    }

    [Theory, MemberData(nameof(Forms))]
    public void The_deepest_state_that_can_be_saved_fits_into_a_checkpoint(SaveForm form)
    {
        using var store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form });
        GameSession<RunSave, Yard>? session = null;
        using var _ = session = new GameSession<RunSave, Yard>(store, Yard.Bindings(), new SessionOptions<RunSave>
        {
            Start = new ScenePlace("yard"),
            ChangeScene = change => session!.Arrive(change, Yard.Author()),
        });
        session.StartNew();
        var deepest = 0;
        for (var depth = 100; depth < 200; depth++)
        {
            session.State.Runner.Notes = Nested(depth);
            try
            {
                session.Save("evening", overwrite: Overwrite.Allowed);
                deepest = depth;
            }
            catch (UnsavableStateException)
            {
                break;
            }
        }
        Assert.InRange(deepest, 110, 130);
        session.State.Runner.Notes = Nested(deepest);
        session.Mark("bottom", inSave: true);
        session.Save("night");
        session.State.Runner.Notes = SaveValue.Null;
        session.Load("night");
        session.State.Runner.Notes = SaveValue.Null;
        session.Return("bottom");
        Assert.Equal(Nested(deepest), session.State.Runner.Notes);

        static SaveValue Nested(int depth) => depth == 0 ? 1 : new SaveList { Nested(depth - 1) };
    }

    public static TheoryData<SaveForm> Forms => [.. Enum.GetValues<SaveForm>()];

    [Fact]
    public void An_archive_tells_what_it_has_and_forgets_it()
    {
        var archive = new SessionArchive();
        Assert.False(archive.Contains("weather"));
        archive.Put("weather", new Weather { Wind = 3 });
        Assert.True(archive.Contains("weather"));
        Assert.True(archive.Delete("weather"));
        Assert.False(archive.Delete("weather"));
        Assert.Null(archive.Get<Weather>("weather"));
    }
}
