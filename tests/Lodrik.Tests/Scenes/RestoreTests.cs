using System.Numerics;
using CsCheck;
using Lodrik.Scenes;
using Lodrik.Tests.Formats;

namespace Lodrik.Tests.Scenes;

/// <summary>What a restoration promises beyond the single cases: all or nothing, in one go or in slices, nothing lost.</summary>
public sealed class RestoreTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    /// <summary>A played scene and a record that differs from it in every way, so that a restoration calls everything that there is.</summary>
    private static (Fleet Fleet, LiveScene<Fleet> Live, SceneRecord Record, string Wanted) Apart()
    {
        var fleet = Fleet.Author();
        var live = Fleet.Bindings(fleet).Begin(fleet);
        var barge = fleet.Spawn();
        barge.Cargo = new Cargo { Crates = { "tar" } };
        barge.TowedBy = fleet.Boats[2];
        var cook = new Cook(fleet.Numbers.Next()) { Years = 3, Soup = "pea" };
        fleet.Sailors.Add(cook);
        fleet.Boats[2].Crew = [cook];
        fleet.Boats[2].Mooring = fleet.Buoys[1];
        fleet.Boats[3].Title = "Otter";
        fleet.Buoys[1].Lit = true;
        fleet.Buoys.RemoveAt(4);
        var record = live.Capture();
        var wanted = fleet.Print();

        fleet.Sink(fleet.Boats[2]);
        fleet.Sailors.Clear();
        fleet.Boats[2].Title = "Heron";
        fleet.Boats[2].Cargo = new Cargo { Crates = { "oil", "rope" } };
        fleet.Buoys[0].Bearing.Degrees = 77;
        fleet.Buoys.RemoveAt(2);
        fleet.Buoys.Add(new Buoy("buoy-5") { Lit = true });
        var newcomer = fleet.Spawn();
        fleet.Boats[0].Tows(newcomer);
        newcomer.Tows(fleet.Boats[2]);
        fleet.Sailors.Add(new Sailor(fleet.Numbers.Next()) { Years = 1 });
        newcomer.Crew = [.. fleet.Sailors];
        newcomer.Mooring = fleet.Buoys[0];
        fleet.Told.Clear();
        return (fleet, live, record, wanted);
    }

    [Fact]
    public void A_callback_that_throws_at_any_point_leaves_the_scene_as_it_was()
    {
        var calls = new List<string>();
        var (fleet, live, record, wanted) = Apart();
        fleet.Fault = calls.Add;
        live.Restore(record);
        Assert.Equal(wanted, fleet.Print());
        Assert.Superset(
            new HashSet<string>(["curtain down", "remove boat", "remove sailor", "remove buoy", "spawn boat", "spawn buoy", "spawn sailor", "parent", "placement", "active", "name", "cargo", "clear",
                "mooring", "crew", "light", "rank", "soup", "settled", "boat-1 settled", "curtain up"]),
            calls.ToHashSet());

        for (var failing = 0; failing < calls.Count; failing++)
        {
            (fleet, live, record, wanted) = Apart();
            var before = fleet.Print();
            var count = 0;
            var at = failing;
            fleet.Fault = name =>
            {
                if (count++ == at)
                    throw new InvalidOperationException($"no {name}");
            };
            var problem = Assert.Throws<SceneException>(() => live.Restore(record));
            Assert.Equal($"no {calls[failing]}", problem.InnerException!.Message);
            Assert.Contains("as it was before", problem.Remedy, StringComparison.Ordinal);
            Assert.Equal(before, fleet.Print());
            Assert.Equal("curtain up", fleet.Told[^1]);

            // And nothing is broken for good: the next attempt does it.
            fleet.Fault = _ => { };
            live.Restore(record);
            Assert.Equal(wanted, fleet.Print());
        }
        TestContext.Current.TestOutputHelper?.WriteLine($"{calls.Count} callbacks, each of which failed once");
    }

    [Theory]
    [InlineData("spawn boat", "Not everything could be rolled back"), InlineData("placement", "Not everything could be rolled back")]
    [InlineData("parent", "Not everything could be rolled back"), InlineData("remove sailor", "The scene is as it was before")]
    public void What_fails_on_the_way_back_as_well_is_said(string name, string outcome)
    {
        var (fleet, live, record, _) = Apart();
        fleet.Fault = called =>
        {
            if (called == name)
                throw new InvalidOperationException($"no {name}");
        };
        var problem = Assert.Throws<SceneException>(() => live.Restore(record));
        Assert.StartsWith("The game's code failed while ", problem.Problem, StringComparison.Ordinal);
        Assert.StartsWith(outcome, problem.Remedy!, StringComparison.Ordinal);
        Assert.Equal("curtain up", fleet.Told[^1]);
    }

    [Fact]
    public void In_slices_the_outcome_is_the_same_and_a_frame_is_not_held_up()
    {
        var (fleet, live, record, wanted) = Apart();
        var restoration = live.BeginRestore(record);
        Assert.False(restoration.IsDone);
        Assert.Equal(SaveErrorCode.NotReady, Assert.Throws<SceneException>(() => restoration.Report).Code);
        var seen = new List<RestoreProgress> { restoration.Progress };
        while (!restoration.Step(TimeSpan.Zero))
        {
            seen.Add(restoration.Progress);
            Assert.True(live.IsRestoring);
            Assert.Equal(SaveErrorCode.NotReady, Assert.Throws<SceneException>(live.Capture).Code);
            Assert.Equal(SaveErrorCode.NotReady, Assert.Throws<SceneException>(() => live.BeginRestore(record)).Code);
        }
        Assert.Equal(wanted, fleet.Print());
        Assert.True(seen.Count > 40);
        Assert.Equal(seen.OrderBy(one => one.Done).ThenBy(one => one.Phase), seen);
        Assert.Equal(new RestoreProgress(RestorePhase.Done, seen[^1].Total, seen[^1].Total), restoration.Progress);
        Assert.Equal(12, restoration.Report.Phases.Count);
        Assert.Contains("curtain down", restoration.Report.ToString(), StringComparison.Ordinal);
        Assert.True(restoration.Step(TimeSpan.Zero));
        live.Capture();
    }

    [Fact]
    public void Cancelled_at_any_slice_the_scene_is_as_it_was()
    {
        for (var slices = 0; ; slices++)
        {
            var (fleet, live, record, wanted) = Apart();
            var before = fleet.Print();
            var restoration = live.BeginRestore(record);
            for (var i = 0; i < slices && !restoration.IsDone; i++)
                restoration.Step(TimeSpan.Zero);
            if (restoration.IsDone)
            {
                restoration.Cancel();
                Assert.Equal(wanted, fleet.Print());
                break;
            }
            restoration.Cancel();
            restoration.Cancel();
            Assert.Equal(before, fleet.Print());
            Assert.Throws<SceneException>(() => restoration.Step(TimeSpan.Zero));
            Assert.Throws<SceneException>(() => restoration.Report);
            live.Restore(record);
            Assert.Equal(wanted, fleet.Print());
        }
    }

    [Fact]
    public void Phases_come_in_their_order_and_settled_code_sees_all()
    {
        var (fleet, live, record, _) = Apart();
        live.Restore(record);
        Assert.Equal("curtain down", fleet.Told[0]);
        Assert.Equal(["settled", "curtain up"], fleet.Told.TakeLast(2));
        Assert.Equal(fleet.Boats.Count + 3, fleet.Told.Count);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Only_what_changed_is_written_and_the_rest_is_as_authored(SaveForm form)
    {
        var fleet = Fleet.Author();
        var live = Fleet.Bindings().Begin(fleet);
        fleet.Buoys[2].Lit = true;
        fleet.Buoys.RemoveAt(5);
        var record = live.Capture();
        Assert.Equal(["buoy-3"], record.Entities.Where(entity => entity.Kind == "buoy").Select(entity => entity.Id.ToString()));
        Assert.True(record.TryGetPart<Light>("buoy-3", "light", out _));
        Assert.False(record.TryGetPart<Bearing>("buoy-3", "bearing", out _));
        var wanted = fleet.Print();

        foreach (var buoy in fleet.Buoys)
            (buoy.Lit, buoy.Bearing.Degrees) = (!buoy.Lit, -1);
        fleet.Buoys.RemoveAt(0);
        fleet.Buoys.Add(new Buoy("buoy-6"));
        var report = live.RestoreFrom(Through(form, record), "harbour")!;
        Assert.Equal(wanted, fleet.Print());
        Assert.Equal(3, report.Plan.Count(RestoreAction.AsAuthored));
        Assert.Equal("buoy-1", Assert.Single(report.Plan.Of(RestoreAction.BringBack)).Id.ToString());
        Assert.Equal("buoy-6", Assert.Single(report.Plan.Of(RestoreAction.Remove)).Id.ToString());
    }

    [Fact]
    public void A_part_may_be_written_only_if_changed_by_itself()
    {
        var stalls = Enumerable.Range(1, 50).Select(i => new Stall($"stall-{i}") { At = new Vector2(i, 0) }).ToList();
        var bindings = new SceneBindings<List<Stall>>().Kind("stall", list => list, stall => stall
            .Id(one => one.Name)
            .Part("place", one => new Spot(one.At), (one, spot) => one.At = spot.At, onlyIfChanged: true, when: one => one.SavesPlace));
        var live = bindings.Begin(stalls);
        Assert.Empty(live.Capture().Entities);
        stalls[6].At = new Vector2(0, 9);
        stalls[7].At = new Vector2(0, 9);
        stalls[7].SavesPlace = false;
        var record = live.Capture();
        Assert.Equal("stall-7", Assert.Single(record.Entities).Id.ToString());
        stalls[6].At = default;
        stalls[9].At = default;
        live.Restore(record);
        Assert.Equal(new Vector2(0, 9), stalls[6].At);
        Assert.Equal(new Vector2(10, 0), stalls[9].At);
        Assert.Equal(new Vector2(0, 9), stalls[7].At);
        live.RestoreAuthored();
        Assert.Equal(new Vector2(7, 0), stalls[6].At);
    }

    [Fact]
    public void A_part_that_an_object_may_have_or_not_is_there_if_it_was()
    {
        var stalls = Enumerable.Range(1, 3).Select(i => new Stall($"stall-{i}")).ToList();
        stalls[0].Price = 5;
        stalls[1].Price = 6;
        var live = new SceneBindings<List<Stall>>().Kind("stall", list => list, stall => stall
            .Id(one => one.Name)
            .OptionalPart<Rank>("price", one => one.Price is { } price ? new Rank(price) : null, (one, price) => one.Price = price?.Years)
            .Spawn((list, id) => list.Arrive(id.ToString()))
            .Remove((list, one) => list.Remove(one))).Begin(stalls);
        var record = live.Capture();
        stalls.RemoveAt(0);
        (stalls[0].Price, stalls[1].Price) = (null, 9);
        live.Restore(record);
        Assert.Equal(["stall-1 5", "stall-2 6", "stall-3 "], stalls.Select(stall => $"{stall.Name} {stall.Price}").Order());
    }

    [Theory, MemberData(nameof(Forms))]
    public void References_are_resolved_across_cycles_and_reported_where_they_lead_nowhere(SaveForm form)
    {
        var fleet = Fleet.Author();
        var live = Fleet.Bindings().Begin(fleet);
        var sailors = Enumerable.Range(0, 3).Select(_ => new Sailor(fleet.Numbers.Next())).ToList();
        fleet.Sailors.AddRange(sailors);
        fleet.Boats[0].Crew = [sailors[2], sailors[0]];
        fleet.Boats[0].Mooring = fleet.Buoys[3];
        fleet.Boats[1].TowedBy = null;
        fleet.Boats[0].TowedBy = fleet.Boats[3];
        var archive = Through(form, live.Capture());

        var fresh = Fleet.Author();
        var report = Fleet.Bindings().Begin(fresh).RestoreFrom(archive, "harbour")!;
        Assert.Equal(fleet.Print(), fresh.Print());
        Assert.Empty(report.Plan.Warnings);

        // An update took the buoy out, and knows no mates: what was referred to is kept for a version that has it again.
        var updated = Fleet.Author();
        updated.Buoys.RemoveAt(3);
        var without = new SceneBindings<Fleet>()
            .SpawnNumbers(one => one.Numbers)
            .Kind("boat", one => one.Boats, boat => boat
                .Id(one => one.Id)
                .Parent(one => one.TowedBy, (one, by) => one.TowedBy = by)
                .Reference("mooring", one => one.Mooring, (one, buoy) => one.Mooring = buoy)
                .ReferenceList("crew", one => one.Crew, (one, crew) => one.Crew = [.. crew]))
            .Kind("buoy", one => one.Buoys, buoy => buoy.Id(one => one.Id));
        var restored = without.Begin(updated);
        report = restored.RestoreFrom(archive, "harbour")!;
        Assert.Contains("boat boat-1 refers to buoy-4 as its mooring, which is missing; the reference is empty now", report.Plan.Warnings);
        Assert.Null(updated.Boats[0].Mooring);
        Assert.Empty(updated.Boats[0].Crew);
        archive = Through(form, restored.Capture());

        var again = Fleet.Author();
        Fleet.Bindings().Begin(again).RestoreFrom(archive, "harbour");
        Assert.Equal(fleet.Print(), again.Print());
    }

    [Fact]
    public void What_a_list_referred_to_and_is_not_there_keeps_its_place_in_the_list()
    {
        var fleet = Fleet.Author();
        var live = Fleet.Bindings().Begin(fleet);
        fleet.Sailors.AddRange([new Sailor(fleet.Numbers.Next()), new Cook(fleet.Numbers.Next()), new Sailor(fleet.Numbers.Next()), new Cook(fleet.Numbers.Next())]);
        var (mate, cook, mate2, cook2) = (fleet.Sailors[0], fleet.Sailors[1], fleet.Sailors[2], fleet.Sailors[3]);
        fleet.Boats[0].Crew = [cook, mate, cook2, mate2];
        var archive = Through(SaveForm.Json, live.Capture());

        // A version of the game that knows no cooks: the mates are there, and the cooks keep their places between them.
        var without = new SceneBindings<Fleet>()
            .SpawnNumbers(one => one.Numbers)
            .Kind("boat", one => one.Boats, boat => boat.Id(one => one.Id).ReferenceList("crew", one => one.Crew, (one, crew) => one.Crew = [.. crew]))
            .Kind("buoy", one => one.Buoys, buoy => buoy.Id(one => one.Id))
            .Kind("mate", one => one.Sailors, sailor => sailor.Id(one => one.Id).Spawn((one, id) =>
            {
                one.Sailors.Add(new Sailor(id));
                return one.Sailors[^1];
            }).Remove((one, sailor) => one.Sailors.Remove(sailor)));
        var cookless = Fleet.Author();
        var restored = without.Begin(cookless);
        restored.RestoreFrom(archive, "harbour");
        Assert.Equal([mate.Id, mate2.Id], cookless.Boats[0].Crew.Select(one => one.Id));

        var again = Fleet.Author();
        Fleet.Bindings().Begin(again).RestoreFrom(Through(SaveForm.Json, restored.Capture()), "harbour");
        Assert.Equal([cook.Id, mate.Id, cook2.Id, mate2.Id], again.Boats[0].Crew.Select(one => one.Id));
    }

    [Fact]
    public void Rolling_back_keeps_what_the_restoration_had_tied_to_something_that_goes_again()
    {
        var fleet = Fleet.Author();
        var live = Fleet.Bindings(fleet).Begin(fleet);
        var tug = fleet.Spawn();
        tug.Tows(fleet.Boats[3]);
        var record = live.Capture();
        fleet.Boats[3].TowedBy = null;
        fleet.Sink(tug);
        var before = fleet.Print();
        var kept = fleet.Boats[3];

        // The tug is spawned again and tows the boat; sinking it on the way back must not take the boat along.
        fleet.Fault = what =>
        {
            if (what != "boat-1 settled")
                return;
            fleet.Fault = _ => { };
            throw new InvalidOperationException("no");
        };
        Assert.Equal("The scene is as it was before.", Assert.Throws<SceneException>(() => live.Restore(record)).Remedy);
        Assert.Equal(before, fleet.Print());
        Assert.Contains(fleet.Boats, boat => ReferenceEquals(boat, kept));
    }

    [Fact]
    public void The_total_of_a_restoration_is_what_there_is_to_do()
    {
        var (fleet, live, record, _) = Apart();
        var calls = 0;
        fleet.Fault = name => calls += name is "curtain down" or "curtain up" or "settled" ? 0 : 1;
        var restoration = live.BeginRestore(record);
        var last = restoration.Progress;
        Assert.Equal(0, last.Done);
        while (last.Phase == RestorePhase.Planning)
        {
            Assert.False(restoration.Step(TimeSpan.Zero));
            Assert.InRange(restoration.Progress.Done - last.Done, 0, 1);
            // A loading bar does not go back when the plan is made.
            Assert.True((long)restoration.Progress.Done * last.Total >= (long)last.Done * restoration.Progress.Total);
            last = restoration.Progress;
        }
        var total = last.Total;
        while (!restoration.Step(TimeSpan.Zero))
        {
            Assert.Equal(total, restoration.Progress.Total);
            Assert.InRange(restoration.Progress.Done - last.Done, 0, 1);
            last = restoration.Progress;
        }
        Assert.Equal(total, restoration.Progress.Done);
        Assert.InRange(last.Done, total - 2, total);
    }

    [Fact]
    public void References_reach_into_another_scene()
    {
        var far = new Buoy("far-out");
        var isOpen = true;
        SceneBindings<Fleet> Bindings() => new SceneBindings<Fleet>()
            .Elsewhere(thing => thing == far ? new EntityReference("far-out", "open sea") : default(EntityReference?), reference => isOpen && reference == new EntityReference("far-out", "open sea") ? far : null)
            .Kind("boat", fleet => fleet.Boats, boat => boat
                .Id(one => one.Id)
                .Reference("mooring", one => one.Mooring, (one, buoy) => one.Mooring = buoy));
        var fleet = Fleet.Author();
        var live = Bindings().Begin(fleet);
        fleet.Boats[0].Mooring = far;
        var record = live.Capture();
        fleet.Boats[0].Mooring = null;
        live.Restore(record);
        Assert.Same(far, fleet.Boats[0].Mooring);

        // The other scene is not loaded now: nothing is wrong, and nothing is forgotten.
        isOpen = false;
        var report = live.Restore(record);
        Assert.Empty(report.Plan.Warnings);
        Assert.Null(fleet.Boats[0].Mooring);
        record = live.Capture();
        isOpen = true;
        live.Restore(record);
        Assert.Same(far, fleet.Boats[0].Mooring);

        fleet.Boats[0].Mooring = new Buoy("unknown");
        record = live.Capture();
        Assert.Equal(
            $"The boat {fleet.Boats[0].Id} refers to a Buoy as its mooring that is not in the scene; the reference is not saved.", Assert.Single(record.Warnings));
        live.Restore(record);
        Assert.Null(fleet.Boats[0].Mooring);
    }

    [Theory]
    [InlineData("buoy-3", null, "buoy-3"), InlineData("#7", null, "#7"), InlineData("a>b", null, ">a>b"), InlineData("a", "deep/sea", "deep/sea>a")]
    public void A_reference_is_its_text(string id, string? scene, string text)
    {
        Assert.True(EntityId.TryParse(id, out var entity));
        var reference = new EntityReference(entity, scene);
        Assert.Equal(text, reference.ToString());
        Assert.True(EntityReference.TryParse(text, out var back));
        Assert.Equal(reference, back);
        Assert.False(EntityReference.TryParse("sea>", out _));
        Assert.False(EntityReference.TryParse("", out _));
        Assert.Throws<ArgumentException>(() => new EntityReference(entity, "a>b"));
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_renamed_kind_is_known_by_its_former_name(SaveForm form)
    {
        var yard = Yard.Author();
        yard.Spawn("trill");
        var record = Yard.Bindings().Begin(yard).Capture();
        SceneBindings<Yard> Renamed() => new SceneBindings<Yard>()
            .SpawnNumbers(one => one.Numbers)
            .Kind("finch", one => one.Sparrows, sparrow => sparrow
                .Id(one => one.Number)
                .Part("plumage", one => new Plumage { Song = one.Song }, (one, plumage) => one.Song = plumage.Song)
                .Spawn((scene, id) => scene.Arrive(id))
                .Remove((scene, one) => scene.Sparrows.Remove(one)))
            .FormerKind("sparrow", "finch");
        var fresh = new Yard();
        var report = Renamed().Begin(fresh).RestoreFrom(Through(form, record), "harbour")!;
        Assert.Equal("trill", Assert.Single(fresh.Sparrows).Song);
        Assert.Equal("finch", Assert.Single(report.Plan.Of(RestoreAction.Spawn)).Kind);

        // A record that was read without the game's bindings as well.
        fresh = new Yard();
        Renamed().Begin(fresh).Restore(Through(form, record).Get("harbour")!);
        Assert.Equal("trill", Assert.Single(fresh.Sparrows).Song);
        Assert.Throws<SceneException>(() => Renamed().FormerKind("a", "sparrow"));
        Assert.Throws<SceneException>(() => Renamed().FormerKind("finch", "finch"));
        Assert.Throws<SceneException>(() => Renamed().FormerKind("sparrow", "finch"));
    }

    [Theory, MemberData(nameof(Forms))]
    public void Parts_that_the_game_does_not_know_are_kept(SaveForm form)
    {
        var yard = Yard.Author();
        yard.Spawn("trill").Feathers.Add("red");
        var archive = Through(form, Yard.Bindings().Begin(yard).Capture());
        var plain = new SceneBindings<Yard>()
            .SpawnNumbers(one => one.Numbers)
            .Kind("sparrow", one => one.Sparrows, sparrow => sparrow.Id(one => one.Number).Spawn((scene, id) => scene.Arrive(id)).Remove((scene, one) => scene.Sparrows.Remove(one)));
        var live = plain.Begin(new Yard());
        live.RestoreFrom(archive, "harbour");
        archive = Through(form, live.Capture());
        var again = Yard.Author();
        Yard.Bindings().Begin(again).RestoreFrom(archive, "harbour");
        Assert.Equal(yard.Print(), again.Print());
    }

    [Fact]
    public void What_was_carried_into_the_scene_returns_and_is_not_taken_for_what_the_designer_took_out()
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Barrels.Add(new Barrel("from-the-mill") { At = new Vector2(5, 5) });
        var record = Through(SaveForm.Json, live.Capture()).Get("harbour")!;
        Assert.True(record.Find("from-the-mill")!.Value.IsCarried);
        Assert.False(record.Find("b1")!.Value.IsCarried);
        var fresh = Yard.Author();
        var anew = Yard.Bindings().Begin(fresh);
        var report = anew.Restore(record);
        Assert.Equal("from-the-mill", Assert.Single(report.Plan.Of(RestoreAction.Spawn)).Id.ToString());
        Assert.Equal(yard.Print(), fresh.Print());

        var later = anew.Restore(Yard.Bindings().Begin(Yard.Author()).Capture());
        Assert.Equal("it was brought into the scene since the save", Assert.Single(later.Plan.Of(RestoreAction.Remove)).Reason);
    }

    [Fact]
    public void A_missing_parent_is_kept_until_it_is_there_again()
    {
        var yard = Yard.Author();
        yard.Spawn("a").On = yard.Wagons[0];
        var record = Yard.Bindings().Begin(yard).Capture();
        var updated = Yard.Author();
        updated.Wagons.Clear();
        var live = Yard.Bindings().Begin(updated);
        Assert.Contains("belongs to w1, which is missing", Assert.Single(live.Restore(record).Plan.Warnings), StringComparison.Ordinal);
        Assert.Null(updated.Sparrows[0].On);
        var again = Yard.Author();
        Yard.Bindings().Begin(again).Restore(live.Capture());
        Assert.Same(again.Wagons[0], again.Sparrows[0].On);
    }

    [Fact]
    public void An_object_of_a_kind_that_a_description_does_not_name_is_an_error()
    {
        var bindings = new SceneBindings<Fleet>().Kinds(["mate"], fleet => fleet.Sailors, one => one is Cook ? "cook" : "mate", sailor => sailor.Id(one => one.Id));
        var fleet = new Fleet();
        fleet.Sailors.Add(new Cook("c"));
        Assert.Contains("\"cook\", which is not bound", Assert.Throws<SceneException>(() => bindings.Begin(fleet)).Message, StringComparison.Ordinal);
        Assert.Throws<SceneException>(() => new SceneBindings<Fleet>().Kinds<Sailor>([], fleet => fleet.Sailors, _ => "", sailor => sailor.Id(one => one.Id)));
    }

    [Fact]
    public void A_live_object_is_found_by_its_id_and_the_other_way_round()
    {
        var fleet = Fleet.Author();
        var live = Fleet.Bindings().Begin(fleet);
        Assert.Same(fleet.Buoys[2], live.Find("buoy-3"));
        Assert.Equal("buoy-3", live.IdOf(fleet.Buoys[2])!.Value);
        Assert.Null(live.Find("buoy-33"));
        Assert.Null(live.IdOf(new Buoy("buoy-3")));
    }

    [Fact]
    public void A_long_plan_is_printed_in_short_and_in_full()
    {
        var yard = new Yard();
        var live = Yard.Bindings().Begin(yard);
        var record = live.Capture();
        for (var i = 0; i < 100; i++)
            yard.Spawn("s");
        var plan = live.Plan(record);
        Assert.Equal(42, plan.ToString().Split('\n').Length);
        Assert.EndsWith("… 60 more", plan.ToString(), StringComparison.Ordinal);
        Assert.Equal(101, plan.Print().Split('\n').Length);
        Assert.Equal("nothing to do", new RestorePlan().ToString());
    }

    [Fact]
    public void After_any_play_of_everything_that_is_bound_a_load_gives_what_was_saved()
    {
        var loads = 0;
        Gen.Select(Gen.Int[0, 15], Gen.Int[0, 9], Gen.Int[0, 9], Gen.Enum<SaveForm>()).Array[1, 40].Sample(
            play =>
            {
                var fleet = Fleet.Author();
                var live = Fleet.Bindings().Begin(fleet);
                (byte[] Bytes, string Print)? saved = null;
                foreach (var (act, which, other, form) in play)
                {
                    switch (act)
                    {
                        case 13 or 14:
                            var save = new YardSave();
                            live.CaptureTo(save.Scenes, "harbour");
                            saved = (StateFile.ToBytes(save, form), fleet.Print());
                            break;
                        case 15 when saved is { } slot:
                            if (other % 3 == 0)
                            {
                                fleet = Fleet.Author();
                                live = Fleet.Bindings().Begin(fleet);
                            }
                            var record = StateFile.FromBytes<YardSave>(slot.Bytes).Scenes.Get("harbour", Fleet.Bindings().Types)!;
                            if (other % 3 == 1)
                            {
                                var before = fleet.Print();
                                var restoration = live.BeginRestore(record);
                                for (var i = 0; i < which * 7 && !restoration.Step(TimeSpan.Zero); i++)
                                    continue;
                                restoration.Cancel();
                                Assert.Equal(restoration.Progress.Phase == RestorePhase.Done && which > 0 && fleet.Print() == slot.Print ? slot.Print : before, fleet.Print());
                            }
                            live.Restore(record);
                            Assert.Equal(slot.Print, fleet.Print());
                            Interlocked.Increment(ref loads);
                            break;
                        default:
                            Play(fleet, act, which, other);
                            break;
                    }
                }
            },
            iter: 2000, threads: 2);
        Assert.True(loads > 100);
        TestContext.Current.TestOutputHelper?.WriteLine($"{loads} loads");
    }

    private static void Play(Fleet fleet, int act, int which, int other)
    {
        var boat = fleet.Boats.Count > 0 ? fleet.Boats[which % fleet.Boats.Count] : null;
        var buoy = fleet.Buoys.Count > 0 ? fleet.Buoys[other % fleet.Buoys.Count] : null;
        switch (act)
        {
            case 0 when boat is not null:
                boat.Place = boat.Place with { Position = boat.Place.Position + new Vector2(other, 1) };
                break;
            case 1:
                fleet.Spawn().Title = $"spawned {which}";
                break;
            case 2 when boat is not null:
                fleet.Sink(boat);
                Forget(fleet);
                break;
            case 3 when boat is not null:
                // A boat never tows one that tows it.
                var by = fleet.Boats[other % fleet.Boats.Count];
                for (var above = by; ; above = above.TowedBy)
                {
                    if (above is null)
                    {
                        boat.TowedBy = by;
                        break;
                    }
                    if (above == boat)
                        break;
                }
                break;
            case 4 when boat is not null:
                boat.TowedBy = null;
                break;
            case 5 when boat is not null:
                boat.Cargo = other == 0 ? null : new Cargo { Crates = { $"crate {other}", "x" } };
                break;
            case 6 when boat is not null:
                boat.Mooring = other % 3 == 0 ? null : buoy;
                break;
            case 7:
                fleet.Sailors.Add(which % 2 == 0 ? new Cook(fleet.Numbers.Next()) { Soup = $"soup {other}" } : new Sailor(fleet.Numbers.Next()) { Years = other });
                break;
            case 8 when boat is not null:
                boat.Crew = [.. fleet.Sailors.Where((_, i) => (i + which + other) % 2 == 0)];
                break;
            case 9 when buoy is not null:
                buoy.Lit = !buoy.Lit;
                break;
            case 10 when buoy is not null:
                buoy.Bearing.Degrees = which % 2 == 0 ? 10 * which : int.Parse(buoy.Id.ToString()[5..], null) * 10;
                break;
            case 11 when buoy is not null:
                fleet.Buoys.Remove(buoy);
                Forget(fleet);
                break;
            case 12 when boat is not null:
                (boat.Afloat, boat.Title) = (!boat.Afloat, $"title {other}");
                break;
        }
    }

    private static void Forget(Fleet fleet)
    {
        foreach (var boat in fleet.Boats)
        {
            if (boat.Mooring is { } buoy && !fleet.Buoys.Contains(buoy))
                boat.Mooring = null;
        }
    }

    private static SceneArchive Through(SaveForm form, SceneRecord record)
    {
        var save = new YardSave();
        save.Scenes.Put("harbour", record);
        return StateFile.FromBytes<YardSave>(StateFile.ToBytes(save, form)).Scenes;
    }
}

/// <summary>A stall of which the place may be saved or not.</summary>
public sealed class Stall(string name)
{
    public string Name { get; } = name;
    public Vector2 At { get; set; }
    public bool SavesPlace { get; set; } = true;
    public int? Price { get; set; }
}

internal static class Stalls
{
    public static Stall Arrive(this List<Stall> stalls, string name)
    {
        stalls.Add(new Stall(name));
        return stalls[^1];
    }
}
