using System.Numerics;
using Lodrik.Scenes;
using Lodrik.Tests.Formats;

namespace Lodrik.Tests.Scenes;

/// <summary>Each case of a restoration, on a yard of barrels, wagons and sparrows.</summary>
public sealed class SceneTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory, MemberData(nameof(Forms))]
    public void What_moved_is_where_it_was(SaveForm form)
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Barrel("b1").At = new Vector2(5, 6);
        var record = Through(form, live.Capture());
        yard.Barrel("b1").At = new Vector2(9, 9);
        live.Restore(record);
        Assert.Equal(new Vector2(5, 6), yard.Barrel("b1").At);
    }

    [Theory, MemberData(nameof(Forms))]
    public void What_was_collected_before_the_save_stays_gone_in_a_scene_that_begins_anew(SaveForm form)
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Barrels.Remove(yard.Barrel("b2"));
        var record = Through(form, live.Capture());
        Assert.Equal(["b2"], record.Gone.Select(id => id.ToString()));

        var fresh = Yard.Author();
        var report = Yard.Bindings().Begin(fresh).Restore(record);
        Assert.Equal(["b1", "b3"], fresh.Barrels.Select(barrel => barrel.Name));
        Assert.Equal(RestoreAction.Remove, Step(report.Plan, "b2").Action);
    }

    [Theory, MemberData(nameof(Forms))]
    public void What_was_collected_after_the_save_is_brought_back(SaveForm form)
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Barrel("b2").At = new Vector2(7, 7);
        var record = Through(form, live.Capture());
        yard.Barrels.Remove(yard.Barrel("b2"));
        var report = live.Restore(record);
        Assert.Equal(new Vector2(7, 7), yard.Barrel("b2").At);
        Assert.Equal(RestoreAction.BringBack, Step(report.Plan, "b2").Action);
    }

    [Theory, MemberData(nameof(Forms))]
    public void What_was_spawned_before_the_save_returns_and_what_was_spawned_after_it_goes(SaveForm form)
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Spawn("song 1");
        yard.Spawn("song 2");
        var record = Through(form, live.Capture());
        yard.Sparrows.RemoveAt(0);
        yard.Spawn("song 3");
        live.Restore(record);
        Assert.Equal([(1, "song 1"), (2, "song 2")], yard.Sparrows.OrderBy(sparrow => sparrow.Number).Select(sparrow => (sparrow.Number, sparrow.Song)));
    }

    [Theory, MemberData(nameof(Forms))]
    public void Restoring_twice_changes_nothing_the_second_time(SaveForm form)
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Spawn("song");
        yard.Barrels.RemoveAt(0);
        var record = Through(form, live.Capture());
        live.Restore(record);
        var report = live.Restore(record);
        Assert.Equal(yard.Barrels.Count + yard.Wagons.Count + yard.Sparrows.Count, report.Plan.Count(RestoreAction.Update));
        Assert.Equal(report.Plan.Steps.Count, report.Plan.Count(RestoreAction.Update));
        Assert.Equal(yard.Print(), Restored(record).Print());
    }

    [Fact]
    public void A_number_is_never_handed_out_again_after_loading()
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Spawn("song");
        var record = live.Capture();
        var fresh = Restored(record);
        Assert.Equal(2, fresh.Numbers.Next());
    }

    [Fact]
    public void Parents_are_there_before_their_children_and_are_put_back()
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        var sparrow = yard.Spawn("on the wagon");
        sparrow.On = yard.Wagons[0];
        var record = Through(SaveForm.Json, live.Capture());
        Assert.Equal("w1", record.Find(1)!.Value.Parent.ToString());
        sparrow.On = null;
        live.Restore(record);
        Assert.Same(yard.Wagons[0], yard.Sparrows[0].On);
        Assert.Same(Restored(record) is var fresh ? fresh.Wagons[0] : null, fresh.Sparrows[0].On);
    }

    [Fact]
    public void A_parent_that_is_not_in_the_scene_is_not_saved_and_the_capture_says_so()
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Spawn("lost").On = new Wagon("elsewhere");
        var record = live.Capture();
        Assert.Equal(
            "The sparrow #1 belongs to a Wagon that is not in the scene; it is saved without a parent.", Assert.Single(record.Warnings));
        Assert.Null(record.Find(1)!.Value.Parent);
    }

    [Fact]
    public void What_a_later_version_of_the_game_placed_is_as_that_placed_it()
    {
        var record = Yard.Bindings().Begin(Yard.Author()).Capture();
        var updated = Yard.Author();
        updated.Barrels.Add(new Barrel("b4") { At = new Vector2(4, 4) });
        var report = Yard.Bindings().Begin(updated).Restore(record);
        Assert.Equal(RestoreAction.AsAuthored, Step(report.Plan, "b4").Action);
        Assert.Equal(4, updated.Barrels.Count);
        Assert.Equal(new Vector2(4, 4), updated.Barrel("b4").At);
    }

    [Fact]
    public void What_a_later_version_of_the_game_took_out_stays_out_and_is_kept_for_a_version_that_has_it_again()
    {
        var record = Yard.Bindings().Begin(Yard.Author()).Capture();
        var updated = Yard.Author();
        updated.Wagons.Clear();
        updated.Barrels.RemoveAt(0);
        var live = Yard.Bindings().Begin(updated);
        var report = live.Restore(record);
        Assert.Equal(RestoreAction.TakenOut, Step(report.Plan, "w1").Action);
        Assert.Equal(RestoreAction.TakenOut, Step(report.Plan, "b1").Action);
        Assert.Empty(updated.Wagons);
        Assert.Equal(2, updated.Barrels.Count);

        var again = Yard.Author();
        var archive = Through(SaveForm.Json, "yard", live.Capture());
        again.Barrel("b1").At = new Vector2(9, 9);
        report = Yard.Bindings().Begin(again).RestoreFrom(archive, "yard")!;
        Assert.Equal(RestoreAction.Update, Step(report.Plan, "b1").Action);
        Assert.Equal(new Vector2(1, 0), again.Barrel("b1").At);
    }

    [Theory, MemberData(nameof(Forms))]
    public void An_entity_of_an_unknown_kind_is_reported_and_kept_through_the_next_save(SaveForm form)
    {
        var yard = Yard.Author();
        yard.Spawn("of an old kind");
        var archive = Through(form, "yard", Yard.Bindings().Begin(yard).Capture());

        var without = Yard.Author();
        var live = Yard.Bindings(sparrows: false).Begin(without);
        var report = live.RestoreFrom(archive, "yard")!;
        Assert.Equal(RestoreAction.UnknownKind, Step(report.Plan, "#1").Action);
        Assert.Empty(without.Sparrows);

        archive = Through(form, "yard", live.Capture());
        var with = Yard.Author();
        Yard.Bindings().Begin(with).RestoreFrom(archive, "yard");
        Assert.Equal("of an old kind", Assert.Single(with.Sparrows).Song);
    }

    [Fact]
    public void A_record_does_not_change_with_the_live_scene()
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Spawn("song").Feathers.Add("red");
        var record = live.Capture();
        yard.Sparrows[0].Feathers.Add("blue");
        live.Restore(record);
        Assert.Equal(["red"], yard.Sparrows[0].Feathers);
        yard.Sparrows[0].Feathers.Add("green");
        live.Restore(record);
        Assert.Equal(["red"], yard.Sparrows[0].Feathers);
    }

    [Fact]
    public void A_plan_touches_nothing_and_says_why()
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        var record = live.Capture();
        yard.Spawn("later");
        yard.Barrels.RemoveAt(0);
        var before = yard.Print();
        var text = live.Plan(record).ToString();
        Assert.Equal(before, yard.Print());
        Assert.Contains("update 3, bring back 1, remove 1", text, StringComparison.Ordinal);
        Assert.Contains("remove sparrow #1: it was spawned since the save", text, StringComparison.Ordinal);
    }

    [Fact]
    public void Settled_code_sees_everything_in_its_place()
    {
        var record = Yard.Bindings().Begin(Yard.Author()).Capture();
        var seen = new List<string>();
        var yard = Yard.Author();
        var bindings = Yard.Bindings(settled: (scene, barrel) => seen.Add($"{barrel.Name} of {scene.Barrels.Count} at {barrel.At}")).Settled(scene => seen.Add("scene"));
        var live = bindings.Begin(yard);
        yard.Barrels.Clear();
        live.Restore(record);
        Assert.Equal(4, seen.Count);
        Assert.All(seen.Take(3), line => Assert.Contains("of 3", line, StringComparison.Ordinal));
        Assert.Equal("scene", seen[3]);
    }

    [Fact]
    public void Two_objects_with_one_id_are_an_error_that_names_it()
    {
        var yard = Yard.Author();
        yard.Barrels.Add(new Barrel("b1"));
        var problem = Assert.Throws<SceneException>(() => Yard.Bindings().Begin(yard));
        Assert.Contains("b1", problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("{ \"entities\": { \"b1\": { \"kind\": \"barrel\" }, \"b1\": { \"kind\": \"barrel\" } } }", "twice")]
    [InlineData("{ \"entities\": { \"b1\": { \"parts\": {} } } }", "kind")]
    [InlineData("{ \"entities\": { \"b1\": { } } }", "no kind")]
    [InlineData("{ \"entities\": { \"#x\": { \"kind\": \"barrel\" } } }", "not a valid entity id")]
    [InlineData("{ \"gone\": [ \"\" ] }", "not a valid entity id")]
    [InlineData("{ \"entities\": { \"b1\": { \"kind\": \"barrel\", \"parts\": { \"spot\": { \"at\": [1.0] } } } } }", "2 numbers")]
    public void A_scene_edited_into_nonsense_is_refused_and_the_live_one_untouched(string scene, string message)
    {
        var text = $"{{ \"scenes/yard\": {scene} }}";
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        var before = yard.Print();
        var problem = Assert.Throws<SaveContentException>(() => live.RestoreFrom(StateFile.FromText<YardSave>(text).Scenes, "yard"));
        Assert.Contains(message, problem.Message, StringComparison.Ordinal);
        Assert.Equal(before, yard.Print());
    }

    [Fact]
    public void Entities_that_belong_to_each_other_in_a_circle_are_refused_and_a_missing_parent_is_a_warning()
    {
        const string Scene = "{{ \"scenes/yard\": {{ \"entities\": {{ \"#1\": {{ \"kind\": \"sparrow\", \"parent\": \"{0}\" }}, \"#2\": {{ \"kind\": \"sparrow\", \"parent\": \"#1\" }} }} }} }}";
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        var circle = StateFile.FromText<YardSave>(string.Format(null, Scene, "#2")).Scenes;
        Assert.Contains("#1 in #2 in #1", Assert.Throws<SceneException>(() => live.RestoreFrom(circle, "yard")).Message, StringComparison.Ordinal);
        Assert.Empty(yard.Sparrows);

        var dangling = StateFile.FromText<YardSave>(string.Format(null, Scene, "w9")).Scenes;
        Assert.Contains("w9", Assert.Single(live.RestoreFrom(dangling, "yard")!.Plan.Warnings), StringComparison.Ordinal);
        Assert.Equal(2, yard.Sparrows.Count);
    }

    [Fact]
    public void A_scene_that_was_never_visited_is_no_restoration()
    {
        var live = Yard.Bindings().Begin(Yard.Author());
        Assert.Null(live.RestoreFrom(new SceneArchive(), "yard"));
    }

    [Fact]
    public void A_callback_of_the_game_that_throws_is_named()
    {
        var record = Yard.Bindings().Begin(Yard.Author()).Capture();
        var yard = Yard.Author();
        var live = Yard.Bindings(settled: (_, barrel) => throw new InvalidOperationException("creak")).Begin(yard);
        var problem = Assert.Throws<SceneException>(() => live.Restore(record));
        Assert.Contains("settling the barrel b1: creak", problem.Message, StringComparison.Ordinal);
        Assert.IsType<InvalidOperationException>(problem.InnerException);
    }

    [Fact]
    public void A_binding_that_cannot_work_is_refused_when_it_is_made()
    {
        static SceneException Refused(Action<KindBinding<Yard, Barrel>> describe) =>
            Assert.Throws<SceneException>(() => new SceneBindings<Yard>().Kind("barrel", yard => yard.Barrels, describe));

        Assert.Contains("id", Refused(_ => { }).Message, StringComparison.Ordinal);
        Assert.Contains("how to spawn one", Refused(kind => kind.Id(one => one.Name).Remove((_, _) => { })).Message, StringComparison.Ordinal);
        Assert.Contains("how to remove one", Refused(kind => kind.Id(one => one.Name).Spawn((_, id) => new Barrel(id.ToString()))).Message, StringComparison.Ordinal);
        Assert.Contains("two parts named \"spot\"", Refused(kind => kind
            .Part("spot", one => new Spot(one.At), (_, _) => { }).Part("spot", one => new Spot(one.At), (_, _) => { })).Message, StringComparison.Ordinal);
        Assert.Contains("twice", Assert.Throws<SceneException>(() => new SceneBindings<Yard>()
            .Kind("barrel", yard => yard.Barrels, kind => kind.Id(one => one.Name))
            .Kind("barrel", yard => yard.Barrels, kind => kind.Id(one => one.Name))).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_spawned_object_of_a_kind_that_cannot_be_spawned_is_an_error_when_capturing()
    {
        var yard = Yard.Author();
        var bindings = new SceneBindings<Yard>().Kind("sparrow", scene => scene.Sparrows, kind => kind.Id(one => one.Number));
        yard.Spawn("song");
        Assert.Contains("could not be restored", Assert.Throws<SceneException>(() => bindings.Begin(yard).Capture()).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void An_object_of_another_kind_under_the_same_id_is_exchanged()
    {
        var record = Yard.Bindings().Begin(Yard.Author()).Capture();
        var yard = Yard.Author();
        yard.Barrels.RemoveAt(0);
        var bindings = Yard.Bindings().Kind("crate", scene => scene.Crates, kind => kind
            .Id(one => one.Name)
            .Spawn((scene, id) => new Barrel(id.ToString()))
            .Remove((scene, one) => scene.Crates.Remove(one)));
        yard.Crates.Add(new Barrel("b1"));
        bindings.Begin(yard).Restore(record);
        Assert.Empty(yard.Crates);
        Assert.Equal(3, yard.Barrels.Count);
    }

    [Fact]
    public void Entities_of_a_world_that_knows_them_by_number_are_captured_and_put_back()
    {
        // No objects at all: arrays of components, and an entity is an index into them.
        var world = new NumberedWorld();
        var bindings = new SceneBindings<NumberedWorld>().OwnNumbers().Kind("moth", scene => scene.Alive, kind => kind
            .Id(entity => world.Ids[entity])
            .ParentId(entity => world.Owner[entity] is >= 0 and var owner ? world.Ids[owner] : default(EntityId?), (entity, _, owner) => world.Owner[entity] = owner is int index ? index : -1)
            .Part("spot", entity => new Spot(world.At[entity]), (entity, spot) => world.At[entity] = spot.At)
            .Spawn((scene, id) => scene.Add(id))
            .Remove((scene, entity) => scene.Ids[entity] = default));
        var live = bindings.Begin(world);
        var first = world.Add(1);
        var second = world.Add(2);
        world.At[first] = new Vector2(3, 4);
        world.Owner[second] = first;
        var record = live.Capture();
        world.Ids[first] = default;
        world.Add(3);
        live.Restore(record);
        Assert.Equal(["#1", "#2"], world.Alive.Select(entity => world.Ids[entity].ToString()).Order(StringComparer.Ordinal));
        var back = world.Alive.Single(entity => world.Ids[entity] == 1);
        Assert.Equal(new Vector2(3, 4), world.At[back]);
        Assert.Equal(back, world.Owner[world.Alive.Single(entity => world.Ids[entity] == 2)]);
    }

    [Fact]
    public void A_record_that_was_read_without_the_bindings_restores_as_well()
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Spawn("song").Feathers.Add("red");
        var record = Through(SaveForm.Xml, "yard", live.Capture()).Get("yard")!;
        Assert.False(record.TryGetPart<Spot>("b1", "spot", out _));
        Assert.Equal(yard.Print(), Restored(record).Print());

        var broken = StateFile.FromText<YardSave>("{ \"scenes/yard\": { \"entities\": { \"b1\": { \"kind\": \"barrel\", \"parts\": { \"spot\": { \"at\": \"here\" } } } } } }").Scenes.Get("yard")!;
        var problem = Assert.Throws<SaveContentException>(() => live.Restore(broken));
        Assert.Equal("/entities/b1/parts/spot/at", problem.Location.Path);
        Assert.Equal(3, yard.Barrels.Count);
    }

    [Fact]
    public void What_stays_is_let_go_of_before_what_it_belonged_to_goes()
    {
        // A game in which an object that goes takes along whatever belongs to it.
        var yard = Yard.Author();
        var bindings = new SceneBindings<Yard>()
            .SpawnNumbers(scene => scene.Numbers)
            .Kind("wagon", scene => scene.Wagons, kind => kind
                .Id(one => one.Name)
                .Spawn((scene, id) => new Wagon(id.ToString()))
                .Remove((scene, one) =>
                {
                    scene.Wagons.Remove(one);
                    scene.Sparrows.RemoveAll(sparrow => sparrow.On == one);
                }))
            .Kind("sparrow", scene => scene.Sparrows, kind => kind
                .Id(one => one.Number)
                .Parent(one => one.On, (one, wagon) => one.On = wagon)
                .Spawn((scene, id) => new Sparrow(id.Number))
                .Remove((scene, one) => Assert.True(scene.Sparrows.Remove(one))));
        var live = bindings.Begin(yard);
        var stays = yard.Spawn("stays");
        yard.Wagons.Clear();
        var record = live.Capture();
        var wagon = new Wagon("w1");
        yard.Wagons.Add(wagon);
        stays.On = wagon;
        yard.Spawn("goes").On = wagon;
        live.Restore(record);
        Assert.Empty(yard.Wagons);
        Assert.Same(stays, Assert.Single(yard.Sparrows));
        Assert.Null(stays.On);
    }

    [Fact]
    public void A_part_can_be_looked_up_in_a_record()
    {
        var record = Yard.Bindings().Begin(Yard.Author()).Capture();
        Assert.True(record.TryGetPart<Spot>("b1", "spot", out var spot));
        Assert.Equal(new Vector2(1, 0), spot.At);
        Assert.False(record.TryGetPart<Spot>("b1", "none", out _));
        Assert.False(record.TryGetPart<Spot>("none", "spot", out _));
        Assert.Null(record.Find("none"));
    }

    private static RestoreStep Step(RestorePlan plan, string id) => plan.Steps.Single(step => step.Id.ToString() == id);

    private static Yard Restored(SceneRecord record)
    {
        var fresh = Yard.Author();
        Yard.Bindings().Begin(fresh).Restore(record);
        return fresh;
    }

    /// <summary>The record as it is after it was saved and loaded in a form.</summary>
    private static SceneRecord Through(SaveForm form, SceneRecord record) =>
        Through(form, "yard", record).Get("yard", Yard.Bindings().Types)!;

    private static SceneArchive Through(SaveForm form, string name, SceneRecord record)
    {
        var save = new YardSave();
        save.Scenes.Put(name, record);
        return StateFile.FromBytes<YardSave>(StateFile.ToBytes(save, form)).Scenes;
    }
}

public sealed class EntityIdTests
{
    [Theory]
    [InlineData("beacon-1", false), InlineData("#17", true), InlineData("a b/c", false)]
    public void An_id_is_its_text(string text, bool spawned)
    {
        Assert.True(EntityId.TryParse(text, out var id));
        Assert.Equal(spawned, id.IsSpawned);
        Assert.Equal(text, id.ToString());
    }

    [Theory]
    [InlineData(""), InlineData("#"), InlineData("#0"), InlineData("#-1"), InlineData("#x"), InlineData("#1 "), InlineData(null)]
    public void What_is_no_id_is_refused(string? text) => Assert.False(EntityId.TryParse(text, out _));

    [Fact]
    public void Ids_that_cannot_be_are_refused_when_made()
    {
        Assert.Throws<ArgumentException>(() => EntityId.Placed("#1"));
        Assert.ThrowsAny<ArgumentException>(() => EntityId.Placed(""));
        Assert.Throws<ArgumentOutOfRangeException>(() => EntityId.Spawned(0));
    }

    [Fact]
    public void Placed_ones_come_before_spawned_ones() =>
        Assert.Equal(["a", "b", "#2", "#10"], new EntityId[] { 10, "b", 2, "a" }.Order().Select(id => id.ToString()));
}
