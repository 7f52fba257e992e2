using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>Absent, unchanged and taken away are three things: what the player took away stays away.</summary>
public sealed class TakenAwayTests
{
    public static TheoryData<SaveForm> Forms => [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    [Theory, MemberData(nameof(Forms))]
    public void An_optional_part_that_was_taken_away_stays_away(SaveForm form)
    {
        foreach (var alsoMoves in (bool[])[false, true])
        {
            var bindings = Shoal.Bindings(Shoal.HasCargo, onlyIfChanged: true);
            var (authored, shoal) = (With(), With());
            var live = bindings.Begin(shoal);
            shoal["a"].Cargo = null;
            if (alsoMoves)
                shoal["a"].At = new Vector2(9, 9);
            var record = Shoal.Through(live.Capture(), form);
            Assert.Equal("a", Assert.Single(record.Entities).Id.Name);
            bindings.Begin(authored).Restore(record);
            Assert.Equal(shoal.Print(), authored.Print());
            live.Restore(record);
            Assert.Null(shoal["a"].Cargo);
        }

        static Shoal With()
        {
            var shoal = Shoal.Of("a", "b");
            (shoal["a"].Cargo, shoal["b"].Cargo) = (5, 6);
            return shoal;
        }
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_part_that_became_null_is_cleared(SaveForm form)
    {
        var bindings = Shoal.Bindings(kind => kind.Part<FloatLabel>(
            "label", one => one.Label is { } text ? new FloatLabel { Text = text } : null, (one, label) => one.Label = label.Text, clear: one => one.Label = null,
            onlyIfChanged: true));
        var shoal = With();
        var live = bindings.Begin(shoal);
        shoal["a"].Label = null;
        shoal["b"].Label = "b'";
        var record = Shoal.Through(live.Capture(), form);
        var fresh = With();
        bindings.Begin(fresh).Restore(record);
        Assert.Equal(shoal.Print(), fresh.Print());

        static Shoal With()
        {
            var shoal = Shoal.Of("a", "b", "c");
            (shoal["a"].Label, shoal["b"].Label, shoal["c"].Label) = ("fragile", "b", "c");
            return shoal;
        }
    }

    [Theory, MemberData(nameof(Forms))]
    public void References_and_parents_that_were_cleared_stay_cleared(SaveForm form)
    {
        var bindings = Shoal.Bindings(
            kind => kind
                .Parent(one => one.TiedTo, (one, parent) => one.TiedTo = parent)
                .Reference("leads", one => one.Leads, (one, target) => one.Leads = target)
                .ReferenceList("follows", one => one.Follows, (one, targets) => one.Follows = [.. targets])
                .ReferenceId("far", one => one.Far, (one, reference, _) => one.Far = reference),
            onlyIfChanged: true);
        var changes = new (string Name, Action<Float> Change)[]
        {
            ("reference", one => one.Leads = null), ("list", one => one.Follows.Clear()), ("id", one => one.Far = null), ("parent", one => one.TiedTo = null),
            ("all", one => (one.Leads, one.Follows, one.Far, one.TiedTo) = (null, [], null, null)),
        };
        foreach (var (_, change) in changes)
        {
            var shoal = With();
            var live = bindings.Begin(shoal);
            Assert.Empty(live.Capture().Entities);
            change(shoal["a"]);
            var record = Shoal.Through(live.Capture(), form);
            Assert.Single(record.Entities);
            var fresh = With();
            bindings.Begin(fresh).Restore(record);
            Assert.Equal(shoal.Print(), fresh.Print());
        }

        static Shoal With()
        {
            var shoal = Shoal.Of("a", "b");
            (shoal["a"].Leads, shoal["a"].TiedTo, shoal["a"].Far) = (shoal["b"], shoal["b"], new EntityReference("x", "bridge"));
            shoal["a"].Follows.Add(shoal["b"]);
            return shoal;
        }
    }

    [Fact]
    public void A_parent_that_is_unchanged_follows_the_designer_and_one_that_was_cleared_does_not()
    {
        var bindings = Shoal.Bindings(Shoal.HasParent, onlyIfChanged: true);
        var shoal = Level("x");
        var live = bindings.Begin(shoal);
        shoal["moved"].At = new Vector2(3, 3);
        shoal["freed"].TiedTo = null;
        var record = Shoal.Through(live.Capture(), SaveForm.Json);
        var edited = Level("y");
        bindings.Begin(edited).Restore(record);
        Assert.Equal(("y", null), (edited["moved"].TiedTo?.Id.Name, edited["freed"].TiedTo));

        static Shoal Level(string parent)
        {
            var shoal = Shoal.Of("x", "y", "moved", "freed");
            shoal["moved"].TiedTo = shoal["freed"].TiedTo = shoal[parent];
            return shoal;
        }
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_part_or_member_that_an_older_save_lacks_is_as_authored_and_never_what_the_running_game_had(SaveForm form)
    {
        var older = new SceneBindings<Shoal>().SpawnNumbers(shoal => shoal.Numbers).Kind("float", shoal => shoal.All, kind => kind
            .Id(one => one.Id)
            .Part("lamp", one => new OlderLamp(one.IsLit), (one, lamp) => one.IsLit = lamp.IsLit)
            .Spawn((shoal, id) => shoal.Add(new Float(id)))
            .Remove((shoal, one) => shoal.All.Remove(one)));
        var newer = new SceneBindings<Shoal>().SpawnNumbers(shoal => shoal.Numbers).Kind("float", shoal => shoal.All, kind => kind
            .Id(one => one.Id)
            .Part("lamp", one => new NewerLamp(one.IsLit, one.Marks.FirstOrDefault()), (one, lamp) => (one.IsLit, one.Marks) = (lamp.IsLit, [lamp.Wick]))
            .Part("oil", one => new OilLeft(one.Oil), (one, oil) => one.Oil = oil.Amount)
            .Reference("leads", one => one.Leads, (one, target) => one.Leads = target)
            .Parent(one => one.TiedTo, (one, parent) => one.TiedTo = parent)
            .Spawn((shoal, id) => shoal.Add(new Float(id) { Oil = 50 }))
            .Remove((shoal, one) => shoal.All.Remove(one)));
        var first = Level();
        var live = older.Begin(first);
        first.Spawn();
        first["a"].IsLit = true;
        var record = Shoal.Through(live.Capture(), form);

        var running = Level();
        var now = newer.Begin(running);
        var spawned = running.Spawn();
        foreach (var one in running.All)
            (one.Oil, one.Marks, one.Leads, one.TiedTo) = (99, [99], running["b"], one == running["b"] ? null : running["b"]);
        now.Restore(record);
        Assert.Equal((true, 5, 3, null, "c"), (running["a"].IsLit, running["a"].Oil, running["a"].Marks[0], running["a"].Leads, running["a"].TiedTo?.Id.Name));
        // What is spawned is as it is spawned, and not the object that the running game had.
        Assert.NotSame(spawned, running[1]);
        Assert.Equal((50, null), (running[1].Oil, running[1].Leads));
        // Once more: now the save knows all of it.
        var again = Shoal.Through(now.Capture(), form);
        running[1].Oil = running["a"].Oil = 7;
        var kept = running[1];
        now.Restore(again);
        Assert.Same(kept, running[1]);
        Assert.Equal((50, 5), (running[1].Oil, running["a"].Oil));

        static Shoal Level()
        {
            var shoal = Shoal.Of("a", "b", "c");
            (shoal["a"].Oil, shoal["a"].Marks, shoal["a"].TiedTo) = (5, [3], shoal["c"]);
            return shoal;
        }
    }
}

[StateType]
public partial record struct OlderLamp(bool IsLit);

[StateType]
public partial record struct NewerLamp(bool IsLit, int Wick);
