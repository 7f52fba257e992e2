using Lodrik.Scenes;
using Lodrik.Tests.Scenes;

namespace Lodrik.Tests.Declared;

public sealed class TileGameTests
{
    private readonly Delve _delve = new();
    private readonly LiveScene<Delve> _live;

    public TileGameTests()
    {
        _delve.Rock[1, 1] = 7;
        _delve.Water.Add("pool", 0.5f);
        _live = LiveScene.Begin(_delve);
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void The_scenes_own_state_and_what_comes_from_a_pool_come_back(SaveForm form)
    {
        var first = _delve.Rent(_delve.Numbers.Next());
        var second = _delve.Rent(_delve.Numbers.Next());
        (first.Hunger, first.Chases, second.At) = (9, second, new(5, 6));
        _delve.Rock[2, 3] = 1;
        _delve.Water["pool"] = 0.25f;
        var record = Shoal.Through(_live.Capture(), form);

        _delve.Return(first);
        _delve.Rock[2, 3] = 0;
        var (rock, water) = (_delve.Rock, _delve.Water);
        water.Clear();
        _live.Restore(record);

        Assert.Equal(2, _delve.Pool.Made);
        var back = _delve.Mites.Single(mite => mite.Number == 1);
        Assert.Equal(9, back.Hunger);
        Assert.Same(second, back.Chases);
        Assert.Equal((7, 1), (_delve.Rock[1, 1], _delve.Rock[2, 3]));
        Assert.Same(water, _delve.Water);
        Assert.Equal(0.25f, _delve.Water["pool"]);
        Assert.Equal(1, _delve.Settles);
        Assert.NotNull(rock);
    }

    [Fact]
    public void A_part_of_the_scene_that_is_as_authored_is_left_out()
    {
        var record = _live.Capture();
        Assert.Equal(["water"], Parts(record));
        _delve.Rock[0, 0] = 1;
        Assert.Equal(["rock", "water"], Parts(_live.Capture()));
        _live.Restore(record);
        Assert.Equal((0, 7), (_delve.Rock[0, 0], _delve.Rock[1, 1]));
    }

    private static List<string> Parts(SceneRecord record)
    {
        var save = new ShoalSave();
        save.Scenes.Put("delve", record);
        var text = System.Text.Encoding.UTF8.GetString(StateFile.ToBytes(save, SaveForm.Json));
        return [.. new[] { "rock", "water" }.Where(name => text.Contains($"\"{name}\": {{", StringComparison.Ordinal))];
    }
}
