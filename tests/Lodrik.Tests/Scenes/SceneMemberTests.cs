using System.Numerics;
using Lodrik.Inspection;
using Lodrik.Scenes;
using Lodrik.Scenes.Authoring;
using Lodrik.State;

namespace Lodrik.Tests.Scenes;

/// <summary>References by id, placements, and what records, plans, reports and manifests say.</summary>
public sealed class SceneMemberTests
{
    /// <summary>A harbour whose objects know each other by id, as engines with handles do.</summary>
    private sealed class Harbour
    {
        public List<Boat> Boats { get; } = [];

        public static SceneBindings<Harbour> Bindings() => new SceneBindings<Harbour>()
            .Kind("boat", harbour => harbour.Boats, boat => boat
                .Id(one => one.Name)
                .Placement3D(one => one.Place, (one, place) => one.Place = place)
                .ReferenceId("tows", one => one.Tows, (one, tows, there) => (one.Tows, one.Towed) = (tows, there)));
    }

    private sealed class Boat(string name)
    {
        public string Name { get; } = name;

        public Placement3D Place { get; set; } = new(Vector3.Zero);

        public EntityReference? Tows { get; set; }

        public object? Towed { get; set; }
    }

    [Fact]
    public void A_reference_by_id_comes_back_with_the_object_where_that_is_there_and_without_where_it_is_elsewhere()
    {
        var harbour = new Harbour { Boats = { new Boat("tug"), new Boat("barge"), new Boat("skiff") } };
        var live = Harbour.Bindings().Begin(harbour);
        harbour.Boats[0].Tows = EntityId.Placed("barge");
        harbour.Boats[1].Tows = new EntityReference(EntityId.Placed("beacon-1"), "marsh");
        harbour.Boats[2].Place = new Placement3D(new Vector3(1, 2, 3), Quaternion.CreateFromYawPitchRoll(1, 0, 0), new Vector3(2, 2, 2));
        var record = live.Capture();
        (harbour.Boats[0].Tows, harbour.Boats[1].Tows, harbour.Boats[2].Place) = (null, null, new Placement3D(Vector3.One));
        live.Restore(record);
        Assert.Equal((EntityId.Placed("barge"), null), (harbour.Boats[0].Tows!.Value.Id, harbour.Boats[0].Tows!.Value.Scene));
        Assert.Same(harbour.Boats[1], harbour.Boats[0].Towed);
        Assert.Equal(("beacon-1", "marsh"), (harbour.Boats[1].Tows!.Value.Id.ToString(), harbour.Boats[1].Tows!.Value.Scene));
        Assert.Null(harbour.Boats[1].Towed);
        var place = harbour.Boats[2].Place;
        Assert.Equal((new Vector3(1, 2, 3), Quaternion.CreateFromYawPitchRoll(1, 0, 0), new Vector3(2, 2, 2)), (place.Position, place.Rotation, place.Scale));
        Assert.Equal((0f, Vector2.One), (new Placement2D(Vector2.Zero).Rotation, new Placement2D(Vector2.Zero).Scale));
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void Plain_values_are_parts(SaveForm form)
    {
        var tank = new Tank();
        var live = new SceneBindings<Tank>().Kind("tank", one => new[] { one }, kind => kind
            .Id(_ => "tank")
            .Part("open", one => one.IsOpen, (one, value) => one.IsOpen = value)
            .Part("eels", one => one.Eels, (one, value) => one.Eels = value, onlyIfChanged: true)
            .Part("drops", one => one.Drops, (one, value) => one.Drops = value)
            .Part("salt", one => one.Salt, (one, value) => one.Salt = value)
            .Part("age", one => one.Age, (one, value) => one.Age = value)
            .Part("label", one => one.Label, (one, value) => one.Label = value)
            .Part("at", one => one.At, (one, value) => one.At = value)
            .Part("flow", one => one.Flow, (one, value) => one.Flow = value)).Begin(tank);
        var untouched = new ShoalSave();
        untouched.Scenes.Put("tank", live.Capture());
        Assert.DoesNotContain("\"eels\": 0", StateFile.ToText(untouched), StringComparison.Ordinal);
        tank.Fill(true, 7, 1L << 40, 0.25f, 1e-30, "eels & salt", new(1, 2), new(3, 4, 5));
        var record = Shoal.Through(live.Capture(), form);
        var filled = tank.ToString();
        tank.Fill(false, 0, 0, 0, 0, null, default, default);
        live.Restore(record);
        Assert.Equal(filled, tank.ToString());
        Assert.Throws<SceneException>(() => new SceneBindings<Tank>().Kind("tank", one => new[] { one }, kind => kind
            .Id(_ => "tank").Part("eels", one => one.Eels, (one, value) => one.Eels = value).Part("eels", one => one.Age, (one, value) => one.Age = value)));
        Assert.Throws<ArgumentNullException>(() => new SceneBindings<Tank>().Kind("tank", one => new[] { one }, kind => kind
            .Id(_ => "tank").Part("label", one => one.Label, (Action<Tank, string>)null!)));
    }

    private sealed class Tank
    {
        public bool IsOpen { get; set; }

        public int Eels { get; set; }

        public long Drops { get; set; }

        public float Salt { get; set; }

        public double Age { get; set; }

        public string? Label { get; set; }

        public Vector2 At { get; set; }

        public Vector3 Flow { get; set; }

        public void Fill(bool isOpen, int eels, long drops, float salt, double age, string? label, Vector2 at, Vector3 flow) =>
            (IsOpen, Eels, Drops, Salt, Age, Label, At, Flow) = (isOpen, eels, drops, salt, age, label, at, flow);

        public override string ToString() => $"{IsOpen} {Eels} {Drops} {Salt} {Age} {Label} {At} {Flow}";
    }

    [Fact]
    public void A_part_that_stays_is_read_into_with_all_that_it_holds_and_its_hooks_see_the_live_object()
    {
        var scene = new List<Hold> { new() };
        var hold = scene[0].Cargo;
        var (lid, sacks, casks, weights) = (hold.Lid, hold.Sacks, hold.Casks, hold.Weights);
        (hold.Live, lid.Open) = (7, true);
        sacks.Add("salt");
        casks["oil"] = new Lid { Open = true };
        weights[1] = 4;
        var live = new SceneBindings<List<Hold>>()
            .Kind("hold", one => one, one => one.Id(hold => "hold").PartInto("cargo", hold => hold.Cargo))
            .Begin(scene);
        var record = live.Capture();
        Assert.Equal(7, record.TryGetPart<Stowage>(EntityId.Placed("hold"), "cargo", out var part) ? part.Saved : 0);
        (hold.Live, lid.Open, weights[1]) = (9, false, 0);
        sacks.Add("peat");
        casks.Clear();
        live.Restore(record);
        Assert.Same(hold, scene[0].Cargo);
        Assert.Equal((7, 7, true, 4), (hold.Saved, hold.Live, lid.Open, weights[1]));
        Assert.Equal((lid, sacks, casks, weights), (hold.Lid, hold.Sacks, hold.Casks, hold.Weights));
        Assert.Equal(["salt"], sacks);
        Assert.True(casks["oil"].Open);
        Assert.True(record.TryGetPart<Stowage>(EntityId.Placed("hold"), "cargo", out part));
        Assert.NotSame(part.Casks["oil"], casks["oil"]);
        Assert.Equal("kept", hold.Engine);
    }

    [Fact]
    public void A_restoration_in_slices_goes_back_to_the_authored_scene_and_reports_its_phases()
    {
        var yard = Yard.Author();
        var live = Yard.Bindings().Begin(yard);
        yard.Barrels.RemoveAt(0);
        yard.Spawn("trill");
        var record = live.Capture();
        Assert.Equal(("barrel 2, sparrow 1, wagon 1", 2L), (string.Join(", ", record.CountByKind().OrderBy(one => one.Key).Select(one => $"{one.Key} {one.Value}")), record.NextSpawn));
        var restoration = live.BeginRestoreAuthored();
        Assert.Equal(SaveErrorCode.NotReady, Assert.Throws<SceneException>(() => restoration.Plan).Code);
        while (restoration.Progress.Phase == RestorePhase.Planning)
            restoration.Step(TimeSpan.Zero);
        Assert.Equal((1, 1), (restoration.Plan.Count(RestoreAction.BringBack), restoration.Plan.Count(RestoreAction.Remove)));
        var report = restoration.Finish();
        Assert.Equal((3, 0), (yard.Barrels.Count, yard.Sparrows.Count));
        Assert.Equal(Enum.GetValues<RestorePhase>().Except([RestorePhase.Done]), report.Phases.Select(one => one.Phase));
        Assert.Equal(report.Planning + report.Acting, report.Phases.Aggregate(TimeSpan.Zero, (all, one) => all + one.Time));
        Assert.True(report.Planning > TimeSpan.Zero);
    }

    [Fact]
    public void Arrays_that_a_renderer_may_hold_are_filled_in_place_if_they_keep_their_lengths()
    {
        var bindings = new SceneBindings<List<Chart>>().Kind("chart", scene => scene, kind => kind.Id(_ => "only").PartInto("depths", one => one.Depths));
        List<Chart> scene = [new Chart()];
        var live = bindings.Begin(scene);
        var depths = scene[0].Depths;
        var (numbers, bytes, names, grid, nested) = (depths.Numbers, depths.Bytes, depths.Names, depths.Grid, depths.Nested[0]);
        var record = live.Capture();
        (numbers[0], bytes[0], names[0], grid[1, 1], nested[0]) = (9, 9, "nine", 9, 9);
        live.Restore(record);
        Assert.Equal((1, (byte)1, "one", 4, 1), (numbers[0], bytes[0], names[0], grid[1, 1], depths.Nested[0][0]));
        Assert.Same(depths, scene[0].Depths);
        Assert.Same(numbers, depths.Numbers);
        Assert.Same(bytes, depths.Bytes);
        Assert.Same(names, depths.Names);
        Assert.Same(grid, depths.Grid);

        (depths.Numbers, depths.Grid) = ([1], new int[1, 4]);
        live.Restore(record);
        Assert.Equal([1, 2, 3], depths.Numbers);
        Assert.Equal(2, depths.Grid.GetLength(0));
        // The array that a new object begins with may belong to many: a copy does not write into it.
        var copy = StateContent.Copy(new Depths { Shared = [7, 7] });
        Assert.Equal((7, 0), (copy.Shared[0], Depths.Default[0]));
    }

    [Fact]
    public void What_a_scene_has_can_be_read_without_its_bindings()
    {
        var save = new YardSave();
        Yard.Bindings().Begin(Yard.Author()).CaptureTo(save.Scenes, "yard");
        var content = SceneContent.Of("scenes/yard", SavedFile.FromBytes(StateFile.ToBytes(save, SaveForm.Json)).ReadSection("scenes/yard"))!;
        Assert.Equal([2f, 0f], content.Entities.Single(entity => entity.Id == EntityId.Placed("b2")).Parts["spot"] is SaveMap spot ? ((SaveList)spot["at"]).Select(number => (float)number.AsDouble()) : []);
    }

    [Fact]
    public void A_manifest_says_of_each_object_where_it_was_and_whether_it_is_there_still()
    {
        var builder = new ManifestBuilder();
        builder.Add("lamp", new Vector2(3, 4), "hut/lamp");
        builder.Add("coin", new Vector3(1, 2, 3), "cave", "gold");
        var first = builder.Build();
        var later = new ManifestBuilder(first.Manifest);
        later.Add("lamp", new Vector2(3, 4), "shed/lamp");
        var second = later.Build();
        var lamp = second.Manifest.Entries.Single(entry => entry.Kind == "lamp");
        Assert.Equal((new Vector3(3, 4, 0), "shed/lamp", false), (lamp.Place, lamp.Path, lamp.IsRetired));
        Assert.True(second.Manifest.Entries.Single(entry => entry.Id == EntityId.Placed("gold")).IsRetired);
        Assert.Equal(("hut/lamp", "shed/lamp"), second.Moved.Select(move => (move.FromPath, move.ToPath)).Single());
        LevelPosition flat = new Vector2(5, 6);
        Assert.Equal(new Vector3(5, 6, 0), flat.Value);

        // One that is written by hand serves as well.
        var own = new SceneManifest { Entries = [new ManifestEntry { Id = EntityId.Placed("door"), Kind = "door", Place = Vector3.One, Path = "hall" }] };
        var third = new ManifestBuilder(own);
        third.Add("door", Vector3.One, "hall");
        Assert.Equal([EntityId.Placed("door")], third.Build().Ids);
    }
}

/// <summary>An entity whose cargo is an object of the engine's own.</summary>
public sealed class Hold
{
    public Stowage Cargo { get; } = new() { Engine = "kept" };
}

[StateType]
public sealed partial class Stowage : IBeforeSaving, IAfterLoading
{
    public int Saved { get; set; }

    public Lid Lid { get; } = new();

    public List<string> Sacks { get; } = [];

    public Dictionary<string, Lid> Casks { get; } = [];

    public int[] Weights { get; } = new int[3];

    [NotSaved] public int Live { get; set; }

    [NotSaved] public string Engine { get; set; } = "";

    public void BeforeSaving() => Saved = Live;

    public void AfterLoading() => Live = Saved;
}

[StateType]
public sealed partial class Lid
{
    public bool Open { get; set; }
}

public sealed class Chart
{
    public Depths Depths { get; } = new();
}

[StateType]
public sealed partial class Depths
{
    public static readonly int[] Default = [0, 0];

    public int[] Numbers { get; set; } = [1, 2, 3];

    public byte[] Bytes { get; set; } = [1, 2];

    public string[] Names { get; set; } = ["one", "two"];

    public int[,] Grid { get; set; } = { { 1, 2 }, { 3, 4 } };

    public int[][] Nested { get; set; } = [[1], [2]];

    public int[] Shared { get; set; } = Default;
}
