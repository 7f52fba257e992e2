using Lodrik.Inspection;
using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik.Tests.Scenes;

/// <summary>Scenes that are there together are restored together.</summary>
public sealed class SceneSetTests
{
    private static SceneBindings<Shoal> Bindings() => Shoal.Bindings(kind => kind
        .Reference("leads", one => one.Leads, (one, target) => one.Leads = target)
        .ReferenceList("follows", one => one.Follows, (one, targets) => one.Follows = [.. targets]));

    [Fact]
    public void A_reference_that_led_nowhere_is_kept_when_another_scene_brings_its_target_back()
    {
        var numbers = new SpawnNumbers();
        var (east, west) = (Level(numbers, "a"), Level(numbers, "b"));
        var set = new SceneSet<Shoal>(Bindings());
        set.Begin("east", east);
        set.Begin("west", west);
        west["b"].Leads = east["a"];
        var save = new ShoalSave();
        set.CaptureTo(save.Scenes);

        // What the west refers to is not there when it is restored; then the east is restored, and nobody tells the west.
        east.All.Clear();
        west["b"].Leads = null;
        set["west"]!.RestoreFrom(save.Scenes, "west");
        set["east"]!.RestoreFrom(save.Scenes, "east");
        Assert.Null(west["b"].Leads);
        var later = new ShoalSave();
        set.CaptureTo(later.Scenes);
        set.RestoreFrom(later.Scenes);
        Assert.Same(east["a"], west["b"].Leads);
    }

    [Theory, InlineData(SaveForm.Json), InlineData(SaveForm.Binary)]
    public void What_one_scene_lost_and_another_refers_to_is_there_again(SaveForm form)
    {
        var numbers = new SpawnNumbers();
        var (east, west) = (Level(numbers, "a", "b"), Level(numbers, "a", "c"));
        var set = new SceneSet<Shoal>(Bindings());
        set.Begin("east", east);
        set.Begin("west", west);
        Assert.Equal(["east", "west"], set.Names);
        var boat = east.Spawn();
        west["c"].Leads = boat;
        west["a"].Follows = [east["a"], boat, west["c"], east["b"]];
        boat.Leads = west["a"];
        var save = new ShoalSave();
        set.CaptureTo(save.Scenes);
        save = StateFile.FromBytes<ShoalSave>(StateFile.ToBytes(save, form));

        // The running scenes lose the boat and a placed one that the other refers to, and refer to what is not in the save.
        east.All.Remove(boat);
        east.All.Remove(east["a"]);
        west["c"].Leads = east.Spawn();
        var report = set.RestoreFrom(save.Scenes);
        Check(east, west);
        Assert.Empty(report.Plan.Warnings);

        // The same in scenes that were built anew.
        var again = new SceneSet<Shoal>(Bindings());
        numbers = new SpawnNumbers();
        (east, west) = (Level(numbers, "a", "b"), Level(numbers, "a", "c"));
        again.Begin("west", west);
        again.Begin("east", east);
        again.RestoreFrom(save.Scenes);
        Check(east, west);

        // One of them alone reaches the other all the same, and what is not there is kept for when it is.
        again["west"]!.RestoreFrom(save.Scenes, "west");
        Check(east, west);
        Assert.True(again.End("east"));
        again["west"]!.RestoreFrom(save.Scenes, "west");
        Assert.Equal((null, "a c"), (west["c"].Leads, string.Join(' ', west["a"].Follows.Select(one => one.Id).Prepend("a").Distinct())));
        var kept = new ShoalSave { Scenes = save.Scenes };
        again.CaptureTo(kept.Scenes);
        again.Begin("east", east = Level(numbers, "a", "b"));
        again.RestoreFrom(kept.Scenes);
        Check(east, west);

        static void Check(Shoal east, Shoal west)
        {
            Assert.Same(east[1], west["c"].Leads);
            Assert.Same(west["a"], east[1].Leads);
            Assert.Equal([east["a"], east[1], west["c"], east["b"]], west["a"].Follows);
        }
    }

    [Fact]
    public void All_of_them_are_rolled_back_if_one_fails()
    {
        var fails = false;
        var bindings = Bindings().Settled(shoal => _ = fails && shoal.All.Exists(one => one.Id == "c") ? throw new InvalidOperationException("no light") : 0);
        var (east, west) = (Shoal.Of("a"), Shoal.Of("c"));
        var set = new SceneSet<Shoal>(bindings);
        var liveEast = set.Begin("east", east);
        set.Begin("west", west);
        var save = new ShoalSave();
        set.CaptureTo(save.Scenes);
        var boat = east.Spawn();
        west["c"].Leads = boat;
        fails = true;
        var restoration = set.BeginRestoreFrom(save.Scenes);
        Assert.Throws<SceneException>(liveEast.Capture);
        Assert.Throws<SceneException>(() => set.End("west"));
        Assert.Throws<SceneException>(() => set.BeginRestoreFrom(save.Scenes));
        Assert.Contains("no light", Assert.Throws<SceneException>(() => restoration.Finish()).Message, StringComparison.Ordinal);
        Assert.Equal(2, east.All.Count);
        Assert.Same(east[1], west["c"].Leads);
        fails = false;
        set.RestoreFrom(save.Scenes);
        Assert.Null(west["c"].Leads);
        Assert.Single(east.All);
    }

    [Fact]
    public void A_name_is_valid_and_free()
    {
        var set = new SceneSet<Shoal>(Bindings());
        set.Begin("east", Shoal.Of("a"));
        Assert.Throws<SceneException>(() => set.Begin("east", Shoal.Of("a")));
        Assert.Throws<ArgumentException>(() => set.Begin("a>b", Shoal.Of("a")));
        Assert.Throws<ArgumentException>(() => set.Begin("", Shoal.Of("a")));
        Assert.Null(set["west"]);
        Assert.False(set.End("west"));
    }

    [Fact]
    public void Elsewhere_gets_the_scene_that_a_reference_starts_from()
    {
        var far = new Float("far");
        var bindings = Bindings().Elsewhere(
            (shoal, one) => one == far ? new EntityReference("far", $"beside {shoal.All[0].Id}") : default(EntityReference?),
            (shoal, reference) => reference.Scene == $"beside {shoal.All[0].Id}" ? far : null);
        var (one, other) = (Shoal.Of("a"), Shoal.Of("b"));
        one["a"].Leads = far;
        var record = bindings.Begin(one).Capture();
        Assert.Equal("beside a>far", ((SaveMap)((SaveMap)((SaveMap)((SaveMap)SectionOf(record))["entities"])["a"])["parts"])["leads"].AsText());
        one["a"].Leads = null;
        bindings.Begin(one).Restore(record);
        Assert.Same(far, one["a"].Leads);

        static SaveValue SectionOf(SceneRecord record)
        {
            var save = new ShoalSave();
            save.Scenes.Put("shoal", record);
            return SavedFile.FromBytes(StateFile.ToBytes(save, SaveForm.Json)).ReadSection("scenes/shoal");
        }
    }

    private static Shoal Level(SpawnNumbers numbers, params string[] names)
    {
        var shoal = new Shoal { Numbers = numbers };
        foreach (var name in names)
            shoal.Add(new Float(name));
        return shoal;
    }
}
