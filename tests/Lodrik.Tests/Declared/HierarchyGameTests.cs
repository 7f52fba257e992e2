using Lodrik.Scenes;
using Lodrik.Tests.Scenes;

namespace Lodrik.Tests.Declared;

public sealed class HierarchyGameTests
{
    private readonly Fen _fen = new();
    private readonly LiveScene<Fen> _live;

    public HierarchyGameTests()
    {
        _fen.Creatures.Add(new Heron(EntityId.Placed("grey")) { Eggs = 2, Traits = { new Health { Points = 7 } } });
        _fen.Creatures.Add(new EelMonger(EntityId.Placed("monger")) { Stock = { new Eel { Weight = 2 } } });
        _live = LiveScene.Begin(_fen);
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void Classes_of_one_list_are_kinds_with_the_members_of_their_bases(SaveForm form)
    {
        var heron = (Heron)_fen.Creatures[0];
        var otter = new Otter(EntityId.Spawned(_fen.Numbers.Next())) { At = new(3, 4), Follows = heron };
        otter.Grow();
        otter.Grow();
        otter.Traits.Add(new Temper { Anger = 0.5f, Grudge = heron });
        _fen.Creatures.Add(otter);
        ((EelMonger)_fen.Creatures[1]).Coins = 3;
        ((EelMonger)_fen.Creatures[1]).Stock.Add(new Eel { Weight = 9 });
        var record = Shoal.Through(_live.Capture(), form);

        _fen.Creatures.RemoveAt(2);
        var monger = (EelMonger)_fen.Creatures[1];
        (monger.Coins, heron.Eggs) = (0, 0);
        monger.Stock.Clear();
        var health = Assert.IsType<Health>(Assert.Single(heron.Traits));
        health.Points = 1;
        heron.Traits.Add(new Temper());
        _live.Restore(record);

        Assert.Equal((2, 7), (heron.Eggs, health.Points));
        Assert.Same(health, Assert.Single(heron.Traits));
        Assert.Equal(3, monger.Coins);
        Assert.Equal([2f, 9f], monger.Stock.Select(eel => eel.Weight));
        var back = Assert.IsType<Otter>(_fen.Creatures[2]);
        Assert.Equal((new System.Numerics.Vector2(3, 4), 2), (back.At, back.Age));
        Assert.Same(heron, back.Follows);
        var temper = Assert.IsType<Temper>(Assert.Single(back.Traits));
        Assert.Equal(0.5f, temper.Anger);
        Assert.Same(heron, temper.Grudge);
    }

    [Fact]
    public void A_part_that_is_as_authored_is_left_out()
    {
        var record = _live.Capture();
        Assert.DoesNotContain("\"nest\": {", Text(record));
        ((Heron)_fen.Creatures[0]).IsBrooding = true;
        Assert.Contains("\"nest\": {", Text(_live.Capture()));
        _live.Restore(record);
        Assert.False(((Heron)_fen.Creatures[0]).IsBrooding);
    }

    [Fact]
    public void A_kind_goes_by_its_former_name_as_well()
    {
        var text = Text(_live.Capture()).Replace("\"heron\"", "\"egret\"", StringComparison.Ordinal);
        var heron = (Heron)_fen.Creatures[0];
        heron.Traits.Clear();
        _live.Restore(StateFile.FromBytes<ShoalSave>(System.Text.Encoding.UTF8.GetBytes(text)).Scenes.Get("fen")!);
        Assert.IsType<Health>(Assert.Single(heron.Traits));
    }

    [Fact]
    public void A_component_of_a_class_that_is_not_known_is_an_error()
    {
        _fen.Creatures[0].Traits.Add(new Rumour());
        var error = Assert.Throws<SceneException>(_live.Capture);
        Assert.Contains("The heron grey has a component of the class Rumour", error.Message);
    }

    [Fact]
    public void Two_components_of_one_class_are_an_error()
    {
        _fen.Creatures[0].Traits.Add(new Health());
        var error = Assert.Throws<SceneException>(_live.Capture);
        Assert.Contains("The heron grey has two components of the class Health", error.Message);
    }

    [Fact]
    public void A_component_that_was_taken_away_is_taken_away_again()
    {
        _fen.Creatures[0].Traits.Clear();
        var record = Shoal.Through(_live.Capture(), SaveForm.Binary);
        _fen.Creatures[0].Traits.Add(new Health());
        _live.Restore(record);
        Assert.Empty(_fen.Creatures[0].Traits);
    }

    private static string Text(SceneRecord record)
    {
        var save = new ShoalSave();
        save.Scenes.Put("fen", record);
        return System.Text.Encoding.UTF8.GetString(StateFile.ToBytes(save, SaveForm.Json));
    }
}
