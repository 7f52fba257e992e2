using System.Text.RegularExpressions;
using Lodrik.Scenes;
using Lodrik.Tests.Scenes;

namespace Lodrik.Tests.Declared;

public sealed class WorkshopGameTests
{
    private readonly Workshop _shop = new();
    private readonly LiveScene<Workshop> _live;
    private readonly Bench _bench = new("bench");
    private readonly Bench _vice = new("vice");

    public WorkshopGameTests()
    {
        _shop.Benches.AddRange([_bench, _vice]);
        _shop.Keeper = Keeper.Hire("Ada");
        _shop.Keeper.Favourite = _bench;
        _shop.Bells[1] = new Bell("noon");
        _bench.Tools.Add(Tool("saw"));
        _live = LiveScene.Begin(_shop);
    }

    private Tool Tool(EntityId id, string make = "steel") => new(_shop, _bench, id, make) { Edge = 0.5 };

    private Tool Spawned(string make = "steel") => Tool(EntityId.Spawned(_shop.Numbers.Next()), make);

    private static SceneRecord Edited(SceneRecord record, Func<string, string> edit)
    {
        var save = new ShoalSave();
        save.Scenes.Put("shop", record);
        var text = System.Text.Encoding.UTF8.GetString(StateFile.ToBytes(save, SaveForm.Json));
        var edited = edit(text);
        Assert.NotEqual(text, edited);
        return StateFile.FromBytes<ShoalSave>(System.Text.Encoding.UTF8.GetBytes(edited)).Scenes.Get("shop")!;
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void Constructors_get_what_they_take(SaveForm form)
    {
        var plane = new Tool(_shop, _vice, EntityId.Spawned(_shop.Numbers.Next()), "oak", 8) { Edge = 0.25, Wear = 2, Note = "old" };
        _vice.Tools.Add(plane);
        var record = Shoal.Through(_live.Capture(), form);
        _vice.Tools.Clear();
        _live.Restore(record);
        var back = Assert.Single(_vice.Tools);
        Assert.Equal(("oak", 8, 0.25, 2, "old"), (back.Make, back.Weight, back.Edge, back.Wear, back.Note));
        Assert.Equal((_shop, _vice), (back.Shop, back.MadeAt));
    }

    [Fact]
    public void What_is_found_in_another_entity_moves_between_those()
    {
        var record = _live.Capture();
        var saw = _bench.Tools[0];
        _bench.Tools.Clear();
        _vice.Tools.Add(saw);
        _live.Restore(record);
        Assert.Equal([saw], _bench.Tools);
        Assert.Empty(_vice.Tools);
        _vice.Tools.Add(Spawned());
        _bench.Tools.Clear();
        _live.Restore(record);
        Assert.Empty(_vice.Tools);
        Assert.Equal("saw", Assert.Single(_bench.Tools).Id.Name);
    }

    [Fact]
    public void What_another_entity_was_removed_with_comes_back_in_it()
    {
        var record = _live.Capture();
        _shop.Benches.Remove(_bench);
        _shop.Keeper!.Favourite = _vice;
        _live.Restore(record);
        var bench = _shop.Benches.Single(one => one.Name == "bench");
        Assert.NotSame(_bench, bench);
        Assert.Equal("saw", Assert.Single(bench.Tools).Id.Name);
        Assert.Same(bench, _shop.Keeper.Favourite);
    }

    [Fact]
    public void What_only_a_constructor_sets_and_is_another_one_is_created_again()
    {
        var tool = Spawned("oak");
        _bench.Tools.Add(tool);
        var record = _live.Capture();
        _bench.Tools[1] = Tool(tool.Id, "brass");
        var report = _live.Restore(record);
        Assert.Equal("oak", _bench.Tools[1].Make);
        Assert.Contains("it is created again", report.Plan.ToString());
        var same = _bench.Tools[1];
        _live.Restore(record);
        Assert.Same(same, _bench.Tools[1]);
    }

    [Fact]
    public void A_placed_one_that_the_game_made_anew_is_as_it_is_saved()
    {
        var record = _live.Capture();
        _bench.Tools[0] = Tool("saw", "brass");
        _live.Restore(record);
        Assert.Equal("steel", _bench.Tools[0].Make);
    }

    [Fact]
    public void A_member_that_the_save_lacks_has_the_constant_that_it_begins_with()
    {
        _shop.Crates.Add(EntityId.Spawned(1), new Crate { Id = EntityId.Spawned(1), Count = 5 });
        var record = Edited(_live.Capture(), text => text.Replace("\"count\": 5", "", StringComparison.Ordinal));
        var crate = _shop.Crates.Values.Single();
        _live.Restore(record);
        Assert.Same(crate, _shop.Crates.Values.Single());
        Assert.Null(crate.Count);
    }

    [Fact]
    public void A_member_that_the_save_lacks_and_that_begins_with_no_constant_is_made_by_the_constructor()
    {
        var tool = Spawned();
        _bench.Tools.Add(tool);
        tool.Note = "mine";
        var record = Edited(_live.Capture(), text => Regex.Replace(text, "(,\\s*)?\"note\": \"mine\"", ""));
        tool.Note = "changed since";
        _live.Restore(record);
        Assert.NotSame(tool, _bench.Tools[1]);
        Assert.Equal("new", _bench.Tools[1].Note);
    }

    [Fact]
    public void A_member_that_the_save_lacks_is_as_the_designer_left_it_where_there_was_a_designer()
    {
        _bench.Tools[0].Note = "played";
        var record = Edited(_live.Capture(), text => Regex.Replace(text, "(,\\s*)?\"note\": \"played\"", ""));
        var saw = _bench.Tools[0];
        _live.Restore(record);
        Assert.Same(saw, _bench.Tools[0]);
        Assert.Equal("new", saw.Note);
    }

    [Fact]
    public void One_member_may_have_the_only_one_of_a_kind()
    {
        var record = _live.Capture();
        _shop.Keeper = null;
        _live.Restore(record);
        Assert.Equal(("Ada", 1), (_shop.Keeper!.Name, _shop.Keeper.Hired));
        _shop.Keeper = null;
        var without = _live.Capture();
        _live.Restore(record);
        _live.Restore(without);
        Assert.Null(_shop.Keeper);
    }

    [Fact]
    public void A_part_with_a_condition_is_left_alone_where_it_does_not_hold()
    {
        _shop.Keeper!.Hum("tide");
        var record = _live.Capture();
        (_shop.Keeper.Cheer, _shop.Keeper.IsAwake) = (1, false);
        _shop.Keeper.Hum(null);
        var asleep = _live.Capture();
        _live.Restore(record);
        Assert.Equal((4, "tide"), (_shop.Keeper.Cheer, _shop.Keeper.Hummed));
        _live.Restore(asleep);
        Assert.Equal((false, 4, "tide"), (_shop.Keeper.IsAwake, _shop.Keeper.Cheer, _shop.Keeper.Hummed));
    }

    [Fact]
    public void A_reference_that_is_never_null_stays_where_the_save_has_none()
    {
        _shop.Keeper!.Favourite = _vice;
        var record = Edited(_live.Capture(), text => text.Replace("\"favourite\": \"vice\"", "\"favourite\": \"gone\"", StringComparison.Ordinal));
        var report = _live.Restore(record);
        Assert.Same(_vice, _shop.Keeper.Favourite);
        Assert.Contains("which is missing", Assert.Single(report.Plan.Warnings));
    }

    [Fact]
    public void What_is_always_there_is_neither_created_nor_removed()
    {
        _shop.Bells[1]!.Rings = 12;
        var record = _live.Capture();
        _shop.Bells[1]!.Rings = 0;
        _live.Restore(record);
        Assert.Equal(12, _shop.Bells[1]!.Rings);
        _shop.Bells[1] = null;
        Assert.Contains("its kind does not say how to spawn one", _live.Restore(record).Plan.ToString());
    }

    [Fact]
    public void Collections_of_every_sort_have_references()
    {
        var (one, two) = (new Crate { Id = EntityId.Placed("a") }, new Crate { Id = EntityId.Spawned(_shop.Numbers.Next()) });
        one.Beside = [two, one];
        one.Near.UnionWith([_bench, _vice]);
        _shop.Crates.Add(one.Id, one);
        _shop.Crates.Add(two.Id, two);
        var record = Shoal.Through(_live.Capture(), SaveForm.Binary);
        _shop.Crates.Remove(two.Id);
        one.Beside = [];
        one.Near.Clear();
        _live.Restore(record);
        Assert.Equal([_shop.Crates[two.Id], one], one.Beside);
        Assert.Equal([_bench, _vice], one.Near);
    }

    [Fact]
    public void What_attributes_cannot_say_is_added_by_a_method_of_the_scene()
    {
        _shop.Chalks[0].Text = "low tide at nine";
        var record = _live.Capture();
        _shop.Chalks[0].Text = "";
        _live.Restore(record);
        Assert.Equal("low tide at nine", _shop.Chalks[0].Text);
        Assert.Equal(["down"], _shop.Log);
    }

    [Fact]
    public void A_scene_that_could_not_be_restored_is_what_it_was()
    {
        var record = _live.Capture();
        _bench.Tools.Add(Spawned("oak"));
        _vice.Tools.Add(new Tool(_shop, _vice, EntityId.Spawned(_shop.Numbers.Next()), "brass") { Edge = 1 });
        _shop.Chalks[0].Refuses = true;
        var error = Assert.Throws<SceneException>(() => _live.Restore(record));
        Assert.Contains("broken chalk", error.ToString());
        Assert.Equal(["steel", "oak"], _bench.Tools.Select(tool => tool.Make));
        var brass = Assert.Single(_vice.Tools);
        Assert.Equal(("brass", _vice), (brass.Make, brass.MadeAt));
    }
}
