using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>Saves and scenes of several releases of a game: nothing that one of them knew is lost in another.</summary>
public sealed class UpdateTests
{
    public static TheoryData<SaveForm> Forms => [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    [Theory, MemberData(nameof(Forms))]
    public void A_spawned_entity_of_an_unknown_kind_waits_whoever_has_its_number_now(SaveForm form)
    {
        var both = Shoal.Bindings(null, false, "float", "stork");
        var one = Shoal.Of("a");
        var live = both.Begin(one);
        one.Spawn("stork").At = new Vector2(8, 8);
        var record = Shoal.Through(live.Capture(), form);

        // A release without storks, in which a float has been spawned since.
        var less = Shoal.Of("a");
        var lessLive = Shoal.Bindings().Begin(less);
        less.Spawn();
        var plan = lessLive.Restore(record).Plan;
        Assert.Equal((1, 1), (plan.Count(RestoreAction.UnknownKind), plan.Count(RestoreAction.Remove)));
        Assert.Equal("a", Assert.Single(less.All).Id.Name);
        // The game counts by itself here, and gives the number away once more.
        less.Add(new Float(1));
        var next = Shoal.Through(Shoal.Through(lessLive.Capture(), form), form);
        Assert.Equal("float", next.Find(1)!.Value.Kind);

        // The release after that has storks again; the float that was given the number stays, and the stork goes on waiting.
        var again = Shoal.Of("a");
        var againLive = both.Begin(again);
        againLive.Restore(next);
        Assert.Equal("float", again[1].Kind);
        var last = Shoal.Through(againLive.Capture(), form);
        again.All.Remove(again[1]);
        var after = Shoal.Of("a");
        var afterLive = both.Begin(after);
        afterLive.Restore(last);
        after.All.Remove(after[1]);
        after = Shoal.Of("a");
        both.Begin(after).Restore(Shoal.Through(afterLive.Capture(), form));
        Assert.Equal(("stork", new Vector2(8, 8)), (after[1].Kind, after[1].At));
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_placed_entity_whose_kind_was_renamed_without_saying_so_is_as_authored_and_its_state_waits(SaveForm form)
    {
        var older = Shoal.Bindings(null, false, "torch");
        var shoal = Level("torch");
        var live = older.Begin(shoal);
        shoal["a"].At = new Vector2(5, 5);
        var record = Shoal.Through(live.Capture(), form);

        var renamed = Level("cresset");
        var renamedLive = Shoal.Bindings(null, false, "cresset").Begin(renamed);
        renamed["a"].At = new Vector2(3, 3);
        var plan = renamedLive.Restore(record).Plan;
        Assert.Equal((1, 1), (plan.Count(RestoreAction.UnknownKind), plan.Count(RestoreAction.AsAuthored)));
        Assert.Equal(new Vector2(1, 1), renamed["a"].At);
        var next = Shoal.Through(renamedLive.Capture(), form);

        // The third release names the former kind.
        var third = Level("cresset");
        var thirdBindings = Shoal.Bindings(null, false, "cresset").FormerKind("torch", "cresset");
        thirdBindings.Begin(third).Restore(record);
        Assert.Equal(new Vector2(5, 5), third["a"].At);
        // Or it brings the former one back: what waited is what the designer placed.
        var back = Level("torch");
        older.Begin(back).Restore(next);
        Assert.Equal(new Vector2(5, 5), back["a"].At);

        static Shoal Level(string kind)
        {
            var shoal = new Shoal();
            shoal.Add(new Float("a", kind) { At = new Vector2(1, 1) });
            return shoal;
        }
    }

    [Theory, InlineData(true), InlineData(false)]
    public void What_was_collected_stays_gone_through_a_release_that_does_not_place_it(bool onlyIfChanged)
    {
        var bindings = Shoal.Bindings(null, onlyIfChanged);
        var first = Shoal.Of("gem", "b");
        var live = bindings.Begin(first);
        first.All.Remove(first["gem"]);
        var record = Shoal.Through(live.Capture(), SaveForm.Json);
        for (var release = 2; release <= 4; release++)
        {
            var without = Shoal.Of("b");
            var withoutLive = bindings.Begin(without);
            withoutLive.Restore(record);
            record = Shoal.Through(withoutLive.Capture(), SaveForm.Binary);
            Assert.Equal("gem", Assert.Single(record.Gone).Name);
        }
        var again = Shoal.Of("gem", "b");
        bindings.Begin(again).Restore(record);
        Assert.Equal("b", Assert.Single(again.All).Id.Name);
    }

    [Fact]
    public void A_parent_that_was_lost_comes_back_until_the_entity_belonged_to_something_else()
    {
        var bindings = Shoal.Bindings(Shoal.HasParent, false, "float", "dory");
        var less = Shoal.Bindings(Shoal.HasParent);
        var shoal = new Shoal();
        shoal.Add(new Float("a")).TiedTo = shoal.Add(new Float("p", "dory"));
        var record = Shoal.Through(bindings.Begin(shoal).Capture(), SaveForm.Json);

        var without = Shoal.Of("a", "b");
        var live = less.Begin(without);
        live.Restore(record);
        Assert.Equal("p", live.Capture().Find("a")!.Value.Parent?.Name);
        without["a"].TiedTo = without["b"];
        Assert.Equal("b", live.Capture().Find("a")!.Value.Parent?.Name);
        without["a"].TiedTo = null;
        Assert.Null(live.Capture().Find("a")!.Value.Parent);
    }

    [Fact]
    public void A_parent_that_is_named_and_not_there_is_kept_by_whoever_names_it()
    {
        var bindings = Shoal.Bindings(kind => kind.ParentId(one => one.TiedToId, (one, id, _) => one.TiedToId = id));
        var shoal = Shoal.Of("a");
        var live = bindings.Begin(shoal);
        shoal["a"].TiedToId = "pier-of-another-scene";
        var record = live.Capture();
        shoal["a"].TiedToId = "other";
        var restoration = live.BeginRestore(Shoal.Through(record, SaveForm.Json));
        while (restoration.Progress.Phase < RestorePhase.Putting)
            restoration.Step(TimeSpan.Zero);
        Assert.Equal("pier-of-another-scene", shoal["a"].TiedToId?.Name);
        restoration.Cancel();
        Assert.Equal("other", shoal["a"].TiedToId?.Name);
        live.Restore(record);
        Assert.Equal("pier-of-another-scene", live.Capture().Find("a")!.Value.Parent?.Name);
        Assert.Empty(live.Restore(record).Plan.Warnings);
    }
}
