using System.Numerics;
using Lodrik.Scenes;
using Lodrik.Storage;

namespace Lodrik.Tests.Scenes;

/// <summary>What can be captured can be restored, whatever the scene that is being left is like.</summary>
public sealed class SoundnessTests
{
    [Fact]
    public void An_object_without_an_id_is_named_when_it_is_captured()
    {
        var live = Shoal.Bindings().Begin(Shoal.Of("a"));
        live.Scene.Add(new Float(default));
        var problem = Assert.Throws<SceneException>(live.Capture);
        Assert.StartsWith("The float number 2 of its kind has no id (Lodrik.Tests.Scenes.Float).", problem.Message, StringComparison.Ordinal);

        var byName = new SceneBindings<Yard>().Kind("barrel", yard => yard.Barrels, kind => kind.Id(one => one.Name)).Begin(Yard.Author());
        byName.Scene.Barrels.Add(new Barrel(""));
        problem = Assert.Throws<SceneException>(byName.Capture);
        Assert.StartsWith("The barrel number 4 of its kind has no id", problem.Message, StringComparison.Ordinal);
        Assert.IsType<ArgumentException>(problem.InnerException);
    }

    [Fact]
    public void A_circle_of_parents_is_refused_when_it_is_captured_and_names_its_entities()
    {
        var live = Shoal.Bindings(Shoal.HasParent).Begin(Shoal.Of("a", "b", "c"));
        (live.Scene["a"].TiedTo, live.Scene["b"].TiedTo, live.Scene["c"].TiedTo) = (live.Scene["b"], live.Scene["a"], live.Scene["a"]);
        Assert.StartsWith("The float a belongs to itself: a in b in a.", Assert.Throws<SceneException>(live.Capture).Message, StringComparison.Ordinal);
        live.RestoreAuthored();
        Assert.All(live.Scene.All, one => Assert.Null(one.TiedTo));
    }

    [Theory, InlineData(true), InlineData(false)]
    public void A_circle_that_a_level_edit_makes_is_opened_where_the_designer_changed_something(bool onlyIfChanged)
    {
        var bindings = Shoal.Bindings(Shoal.HasParent, onlyIfChanged);
        var shoal = Level(isExchanged: false);
        var live = bindings.Begin(shoal);
        shoal["b"].At = new Vector2(4, 4);
        shoal["c"].TiedTo = shoal["a"];
        var record = Shoal.Through(live.Capture(), SaveForm.Json);
        var edited = Level(isExchanged: true);
        var report = bindings.Begin(edited).Restore(record);
        Assert.Equal(new Vector2(4, 4), edited["b"].At);
        Assert.Same(edited["a"], edited["c"].TiedTo);
        if (onlyIfChanged)
            Assert.Equal("float a belongs to c in this version of the game, which belongs to it in the save; it has no parent now", Assert.Single(report.Plan.Warnings));

        static Shoal Level(bool isExchanged)
        {
            var shoal = Shoal.Of("a", "b", "c");
            if (isExchanged)
                (shoal["a"].TiedTo, shoal["b"].TiedTo) = (shoal["c"], null);
            else
                shoal["b"].TiedTo = shoal["a"];
            return shoal;
        }
    }

    [Fact]
    public void Half_a_pair_is_refused_in_ids_and_in_names_of_scenes()
    {
        // Made while the test runs: a constant of the assembly cannot hold it either.
        var half = new string('\uD83D', 1);
        Assert.Throws<ArgumentException>(() => EntityId.Placed($"x{half}"));
        Assert.False(EntityId.TryParse($"x{half}", out _));
        Assert.Throws<ArgumentException>(() => new EntityReference("x", $"a{half}"));
        Assert.False(EntityReference.TryParse($"a{half}>x", out _));
        Assert.Throws<ArgumentException>(() => new SceneArchive().Put($"a{half}", new SceneRecord()));
        Assert.Equal("x😀", EntityId.Placed("x😀").Name);
    }

    [Fact]
    public void A_scene_that_is_not_sound_is_left_all_the_same_and_rolled_back_with_the_very_objects()
    {
        var bindings = Shoal.Bindings(kind => kind
            .Parent(one => one.TiedTo, (one, parent) => one.TiedTo = parent)
            .Reference("leads", one => one.Leads, (one, target) => one.Leads = target)
            .ReferenceList("follows", one => one.Follows, (one, targets) => one.Follows = [.. targets]));
        var shoal = Shoal.Of("a", "b");
        var live = bindings.Begin(shoal);
        var record = live.Capture();
        var removed = new Float("removed");
        Float[] strangers = [removed, shoal["b"], new Float("other")];
        (shoal["a"].Leads, shoal["a"].TiedTo, shoal["a"].Follows) = (removed, strangers[2], [.. strangers]);
        var restoration = live.BeginRestore(record);
        while (restoration.Progress.Phase < RestorePhase.Settling)
            restoration.Step(TimeSpan.Zero);
        Assert.Null(shoal["a"].Leads);
        restoration.Cancel();
        Assert.Same(removed, shoal["a"].Leads);
        Assert.Same(strangers[2], shoal["a"].TiedTo);
        Assert.Equal(strangers, shoal["a"].Follows);

        // An id twice, and none.
        shoal.Add(new Float("a"));
        shoal.Add(new Float(default));
        Assert.Contains("have the id a", Assert.Throws<SceneException>(live.Capture).Message, StringComparison.Ordinal);
        var report = live.Restore(record);
        Assert.Equal(["a", "b"], shoal.All.Select(one => one.Id.Name));
        Assert.Equal(2, report.Plan.Count(RestoreAction.Remove));
    }

    [Fact]
    public void What_leads_out_of_the_scene_is_saved_as_nothing_with_a_warning()
    {
        var live = Shoal.Bindings(kind =>
        {
            Shoal.HasParent(kind);
            Shoal.HasReference(kind);
        }).Begin(Shoal.Of("a"));
        (live.Scene["a"].Leads, live.Scene["a"].TiedTo) = (new Float("x"), new Float("y"));
        var record = live.Capture();
        Assert.Equal(
            [
                "The float a belongs to a Float that is not in the scene; it is saved without a parent.",
                "The float a refers to a Float as its leads that is not in the scene; the reference is not saved.",
            ],
            record.Warnings);
        // Whoever saves is told, also where the scene was left long ago and its section is written again as it was.
        using var store = SaveStore<ShoalSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var save = new ShoalSave();
        save.Scenes.Put("reef", record);
        for (var time = 0; time < 2; time++)
        {
            var warnings = store.Save("evening", save).Warnings;
            Assert.Equal(record.Warnings, warnings.Select(warning => warning.Message));
            Assert.All(warnings, warning => Assert.Equal((SaveWarningCode.LostReference, "scenes/reef"), (warning.Code, warning.Location.Section)));
        }
        Assert.Empty(store.Save("evening", store.Load("evening").State).Warnings);
        live.Restore(Shoal.Through(record, SaveForm.Json));
        Assert.Equal((null, null), (live.Scene["a"].Leads, live.Scene["a"].TiedTo));
    }

    [Fact]
    public void A_strangers_save_leaves_numbers_to_hand_out()
    {
        var live = Shoal.Bindings(Shoal.HasParent).Begin(Shoal.Of("a"));
        var own = new ShoalSave();
        own.Scenes.Put("reef", live.Capture());
        var text = StateFile.ToText(own);
        const string One = "\"nextSpawn\": 1";
        Assert.Contains(One, text, StringComparison.Ordinal);
        Assert.Throws<SaveContentException>(() => StateFile.FromText<ShoalSave>(text.Replace(One, $"\"nextSpawn\": {long.MaxValue}", StringComparison.Ordinal)));
        Assert.Throws<SaveContentException>(() => StateFile.FromText<ShoalSave>(text.Replace(One, "\"nextSpawn\": -1", StringComparison.Ordinal)));

        // The largest number that is taken: what is spawned from there on can be saved and loaded, again and again.
        var record = StateFile.FromText<ShoalSave>(text.Replace(One, $"\"nextSpawn\": {1L << 62}", StringComparison.Ordinal)).Scenes.Get("reef")!;
        for (var time = 0; time < 3; time++)
        {
            live = Shoal.Bindings(Shoal.HasParent).Begin(Shoal.Of("a"));
            live.Restore(record);
            Assert.Equal(time, live.Scene.All.Count(one => one.Id.IsSpawned));
            live.Scene.Add(new Float(live.Scene.Numbers.Next()));
            record = Shoal.Through(live.Capture(), SaveForm.Json);
        }
    }

    [Fact]
    public void An_id_out_of_all_64_bits_does_not_use_up_the_numbers()
    {
        var live = Shoal.Bindings(Shoal.HasParent).Begin(Shoal.Of("a"));
        live.Scene.Add(new Float(long.MaxValue));
        live.Scene.Add(new Float(live.Scene.Numbers.Next()));
        var again = Shoal.Bindings(Shoal.HasParent).Begin(Shoal.Of("a"));
        again.Restore(Shoal.Through(live.Capture(), SaveForm.Binary));
        Assert.Equal(2, again.Scene.Numbers.Next());
        Assert.Equal(["#1", $"#{long.MaxValue}", "a"], again.Scene.All.Select(one => one.Id.ToString()).Order(StringComparer.Ordinal));
    }

    [Fact]
    public void A_getter_that_throws_names_the_entity_and_the_part()
    {
        var fails = false;
        var live = Shoal.Bindings(kind => kind.Part("oil", one => fails && one.Id == "b" ? throw new InvalidOperationException("no tank") : new OilLeft(one.Oil), (one, oil) => one.Oil = oil.Amount))
            .Begin(Shoal.Of("a", "b"));
        fails = true;
        var problem = Assert.Throws<SceneException>(live.Capture);
        Assert.Contains("while the \"oil\" of the float b was captured: no tank", problem.Message, StringComparison.Ordinal);
        Assert.IsType<InvalidOperationException>(problem.InnerException);
        problem = Assert.Throws<SceneException>(() => live.RestoreAuthored());
        Assert.Contains("while remembering the float b (oil): no tank", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Spawned_entities_need_numbers_that_go_on()
    {
        var bindings = new SceneBindings<Shoal>().Kind("float", shoal => shoal.All, kind => kind
            .Id(one => one.Id).Spawn((shoal, id) => shoal.Add(new Float(id))).Remove((shoal, one) => shoal.All.Remove(one)));
        var live = bindings.Begin(Shoal.Of("a"));
        live.Capture();
        live.Scene.Spawn();
        Assert.Contains("OwnNumbers", Assert.Throws<SceneException>(live.Capture).Message, StringComparison.Ordinal);
        Assert.Equal(2, bindings.OwnNumbers().Begin(live.Scene).Capture().Entities.Count);
    }

    [Fact]
    public void A_shared_source_of_numbers_only_rises()
    {
        var numbers = new SpawnNumbers();
        var bindings = Shoal.Bindings();
        var (east, west) = (new Shoal { Numbers = numbers }, new Shoal { Numbers = numbers });
        var (liveEast, liveWest) = (bindings.Begin(east), bindings.Begin(west));
        east.Spawn();
        var record = liveEast.Capture();
        west.Spawn();
        west.Spawn();
        liveEast.Restore(record);
        Assert.Equal(4, numbers.Upcoming);
        Assert.Equal(2, liveWest.Capture().Entities.Count);
    }
}
