using Lodrik.Scenes;
using Lodrik.Tests.Scenes;
using MarshEngine;

namespace Lodrik.Tests.Declared;

public sealed class EngineGameTests
{
    private readonly Level _level = new();
    private readonly Tree _tree;
    private readonly LiveScene<Level> _live;
    private readonly Thing _crate;
    private readonly Door _door;
    private readonly Node _group = new();

    static EngineGameTests()
    {
        Assets.Register("crate", () => new Thing());
        Assets.Register("door", () => new Door());
    }

    public EngineGameTests()
    {
        _tree = new Tree(_level);
        _level.AddChild(_group);
        _crate = Placed("crate", "crate-1");
        _door = (Door)Placed("door", "gate");
        _group.AddChild(_crate);
        _level.AddChild(_door);
        _live = LiveScene.Begin(_level);
    }

    private static Thing Placed(string asset, string name)
    {
        var made = (Thing)Assets.Instantiate(asset);
        (made.SaveId, made.Asset) = (EntityId.Placed(name), asset);
        return made;
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void Nodes_of_an_engine_come_back(SaveForm form)
    {
        var float1 = _level.Make("crate", EntityId.Spawned(_level.Numbers.Next()));
        float1.Pose = new Pose { Origin = new Vec3(1, 2, 3) };
        float1.Glow = new Tint { G = 0.5f };
        float1.Target = _door;
        float1.Reparent(_door);
        (_door.IsOpen, _door.Visible) = (true, false);
        var record = Shoal.Through(_live.Capture(), form);

        _door.QueueFree();
        _tree.EndOfFrame();
        _live.Restore(record);
        _tree.EndOfFrame();

        var door = Assert.IsType<Door>(_level.Things().Single(one => one.SaveId == EntityId.Placed("gate")));
        Assert.Equal((true, false, 1), (door.IsOpen, door.Visible, door.Swung));
        var back = _level.Things().Single(one => one.SaveId.IsSpawned);
        Assert.Equal((2f, 0.5f), (back.Pose.Origin.Y, back.Glow.G));
        Assert.Same(door, back.Target);
        Assert.Same(door, back.Parent);
    }

    [Fact]
    public void What_is_about_to_be_destroyed_is_no_entity()
    {
        _crate.QueueFree();
        Assert.Equal(["crate-1"], _live.Capture().Gone.Select(id => id.Name));
        _live.Restore(_live.Capture());
        _tree.EndOfFrame();
        Assert.DoesNotContain(_level.Things(), one => one.SaveId.Name == "crate-1");
    }

    [Fact]
    public void What_belongs_to_no_entity_stays_in_the_group_that_it_is_in()
    {
        var record = _live.Capture();
        _crate.Reparent(_door);
        _live.Restore(record);
        Assert.Same(_level, _crate.Parent);
        _crate.Reparent(_group);
        _live.Restore(record);
        Assert.Same(_group, _crate.Parent);
    }

    [Fact]
    public void A_kind_that_the_catalogue_does_not_have_is_an_error()
    {
        _crate.Asset = "wreck";
        Assert.Contains("of the kind \"wreck\", which is not declared", Assert.Throws<SceneException>(_live.Capture).Message);
    }
}
