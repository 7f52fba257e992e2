using Lodrik.Storage;
using Lodrik.Testing;

namespace Lodrik.Tests.Declared;

/// <summary>Sessions of games whose scenes are declared.</summary>
public sealed class DeclaredSessionTests : IDisposable
{
    private readonly SaveStore<WalkSave> _store = SaveStore<WalkSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
    private readonly List<string> _built = [];

    private GameSession<WalkSave, Shore> Session(params string[] scenes) => GameSession.Begin(_store, Build, new SessionOptions<WalkSave>
    {
        Start = new ScenePlace(Shore.Scenes.Jetty),
        Autosave = AutosavePolicy.Never,
        Scenes = scenes,
    });

    private Shore Build(SceneChange change)
    {
        _built.Add(change.Scene);
        return new Shore { Stones = { new Stone("flat") { Weight = change.Scene.Length } } };
    }

    public void Dispose() => _store.Dispose();

    [Fact]
    public void Scenes_are_built_when_they_are_entered_and_put_back_as_they_were_left()
    {
        using var session = Session();
        session.StartNew();
        session.Scene.Scene.Stones[0].Weight = 40;
        session.Scene.Scene.Stones.Add(new Stone(session.Scene.Scene.Numbers.Next()) { Under = session.Scene.Scene.Stones[0] });
        session.Travel(new ScenePlace(Shore.Scenes.MudFlat));
        Assert.Equal(8, session.Scene.Scene.Stones.Single().Weight);
        session.Save("evening");
        session.Travel(new ScenePlace(Shore.Scenes.Jetty));
        Assert.Equal(["jetty", "mud flat", "jetty"], _built);
        Assert.Equal((40, 2), (session.Scene.Scene.Stones[0].Weight, session.Scene.Scene.Stones.Count));
        Assert.Same(session.Scene.Scene.Stones[0], session.Scene.Scene.Stones[1].Under);
        session.Load("evening");
        Assert.Equal("mud flat", session.Place.Scene);
    }

    [Fact]
    public void The_scene_that_stands_is_kept_and_put_back_in_place()
    {
        using var session = Session();
        session.StartNew();
        var shore = session.Scene.Scene;
        session.Mark();
        shore.Stones.Clear();
        session.Return();
        Assert.Same(shore, session.Scene.Scene);
        Assert.Equal(5, shore.Stones.Single().Weight);
        Assert.Equal(["jetty"], _built);
    }

    [Fact]
    public void The_names_of_the_scenes_are_those_that_the_class_says()
    {
        Assert.Equal(["jetty", "mud flat"], Shore.Scenes.All);
        using var session = Session();
        session.StartNew();
        var problem = Assert.Throws<SessionException>(() => session.Travel(new ScenePlace("mud flats")));
        Assert.Contains("Did you mean \"mud flat\"?", problem.Message, StringComparison.Ordinal);
        // Options that name scenes go before.
        using var other = Session("jetty", "mud flats");
        other.StartNew();
        other.Travel(new ScenePlace("mud flats"));
    }

    [Fact]
    public void A_scene_that_cannot_be_built_leaves_the_one_before()
    {
        using var session = GameSession.Begin(
            _store, change => change.Scene == "jetty" ? new Shore() : throw new InvalidOperationException("The map is missing."),
            new SessionOptions<WalkSave> { Start = new ScenePlace("jetty"), Autosave = AutosavePolicy.Never });
        session.StartNew();
        var shore = session.Scene.Scene;
        var problem = Assert.ThrowsAny<SaveException>(() => session.Travel(new ScenePlace("mud flat")));
        Assert.Contains("asked for the scene \"mud flat\"", problem.Message, StringComparison.Ordinal);
        Assert.Equal("The map is missing.", problem.GetBaseException().Message);
        Assert.Same(shore, session.Scene.Scene);
    }

    [Fact]
    public void A_scene_that_takes_a_while_arrives_later()
    {
        SceneChange? asked = null;
        using var session = GameSession.Begin<WalkSave, Shore>(_store, new SessionOptions<WalkSave>
        {
            Start = new ScenePlace(Shore.Scenes.Jetty),
            ChangeScene = change => asked = change,
        });
        session.StartNew();
        Assert.False(session.IsReady);
        session.Arrive(asked!, new Shore());
        Assert.True(session.IsReady);
    }

    [Fact]
    public void One_way_of_building_scenes_is_said_and_not_two()
    {
        var none = Assert.Throws<ArgumentException>(() => GameSession.Begin<WalkSave, Shore>(
            _store, new SessionOptions<WalkSave> { Start = new ScenePlace("jetty") }));
        Assert.Contains("The session does not know how to build scenes", none.Message, StringComparison.Ordinal);
        var two = Assert.Throws<ArgumentException>(() => GameSession.Begin(
            _store, Build, new SessionOptions<WalkSave> { Start = new ScenePlace("jetty"), ChangeScene = _ => { } }));
        Assert.Contains("Leave one out", two.Message, StringComparison.Ordinal);
        Assert.Throws<ArgumentNullException>(() => GameSession.Begin(
            _store, (Func<SceneChange, Shore>)null!, new SessionOptions<WalkSave> { Start = new ScenePlace("jetty") }));
    }

    [Fact]
    public void A_declared_scene_is_checked_by_one_line()
    {
        SceneCheck.Check(() => new Shore { Stones = { new Stone("flat") } }, shore => shore.Stones[0].Weight = 3);
        var problem = Assert.Throws<SceneCheckException>(() => SceneCheck.Check(
            () => new Shore { Leaks = { new Leak("crack") } }, shore => shore.Leaks[0].Drops = 3));
        Assert.Contains("crack", problem.Message, StringComparison.Ordinal);
    }
}

[SaveFile("walk")]
public sealed partial class WalkSave : ISessionSave
{
    public SceneArchive Scenes { get; set; } = new();

    public SessionArchive Session { get; set; } = new();
}

[Lodrik.Scenes.SceneType("jetty", "mud flat")]
public sealed partial class Shore
{
    public SpawnNumbers Numbers { get; } = new();

    public List<Stone> Stones { get; } = [];

    public List<Leak> Leaks { get; } = [];
}

[Lodrik.Scenes.EntityType("stone")]
public sealed partial class Stone(Lodrik.Scenes.EntityId id)
{
    public Lodrik.Scenes.EntityId Id { get; } = id;

    public int Weight { get; set; }

    public Stone? Under { get; set; }
}

/// <summary>Its setter loses what it is given.</summary>
[Lodrik.Scenes.EntityType("leak")]
public sealed partial class Leak(string id)
{
    private int _drops;

    public string Id { get; } = id;

    public int Drops
    {
        get => _drops;
        set => _drops = Math.Max(_drops, value) == 3 && _drops == 0 ? 3 : 0;
    }
}
