using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>Entities that are numbers, with components in arrays, lists and dictionaries.</summary>
public sealed class TableTests
{
    public static TheoryData<SaveForm> Forms => [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    private static SceneBindings<Pond> Bindings(bool onlyIfChanged = false) => new SceneBindings<Pond>()
        .SpawnNumbers(pond => pond.Numbers)
        .Table("newt", pond => pond.Ids, newt =>
        {
            newt.Column("spot", pond => pond.Spots)
                .Column("age", pond => pond.Ages)
                .Column("egg", pond => pond.Eggs)
                .Reference("chases", pond => pond.Chases)
                .Parent(pond => pond.Rides)
                .Spawn((pond, id) => pond.Create(id))
                .Remove((pond, number) => pond.Destroy(number));
            if (onlyIfChanged)
                newt.OnlyIfChanged();
        });

    private static Pond Designed()
    {
        var pond = new Pond();
        pond.Spots[pond.Create("old")] = new Spot(new(1, 1));
        pond.Chases[pond.Create("young")] = 0;
        return pond;
    }

    [Theory]
    [MemberData(nameof(Forms))]
    public void What_stands_in_columns_comes_back(SaveForm form)
    {
        var pond = Designed();
        var live = Bindings().Begin(pond);
        var spawned = pond.Create(pond.Numbers.Next());
        pond.Eggs[spawned] = new Load(3);
        pond.Ages[spawned] = new OilLeft(9);
        pond.Rides[spawned] = 1;
        pond.Chases[0] = spawned;
        pond.Chases.Remove(1);
        var before = pond.Print();
        var record = Shoal.Through(live.Capture(), form);

        // Numbers are used again, so that other entities stand where those of the save stood.
        pond.Destroy(0);
        pond.Destroy(spawned);
        pond.Create(pond.Numbers.Next());
        pond.Create(pond.Numbers.Next());
        pond.Eggs[1] = new Load(1);
        pond.Chases[1] = 0;
        live.Restore(record);
        Assert.Equal(before, pond.Print());
    }

    [Fact]
    public void Those_that_are_as_authored_are_left_out()
    {
        var pond = Designed();
        var live = Bindings(onlyIfChanged: true).Begin(pond);
        Assert.Empty(live.Capture().CountByKind());
        pond.Rides[1] = 0;
        Assert.Equal(1, live.Capture().CountByKind()["newt"]);
        var record = live.Capture();
        pond.Rides.Clear();
        live.Restore(record);
        Assert.Equal(0, pond.Rides[1]);
    }

    [Fact]
    public void What_cannot_work_is_refused()
    {
        Assert.Throws<SceneException>(() => new SceneBindings<Pond>().Table("newt", pond => pond.Ids, newt => newt
            .Column("age", pond => pond.Ages).Column("age", pond => pond.Eggs)));
        Assert.Throws<SceneException>(() => new SceneBindings<Pond>().Table("newt", pond => pond.Ids, newt => newt
            .Spawn((pond, id) => pond.Create(id))));
        Assert.Throws<ArgumentNullException>(() => new SceneBindings<Pond>().Table("newt", pond => pond.Ids, newt => newt
            .Reference("chases", null!)));
        var pond = Designed();
        var live = Bindings().Begin(pond);
        // It refers to a free number: none is saved.
        pond.Chases[1] = 5;
        Assert.DoesNotContain("chases", string.Join(' ', live.Capture().Warnings), StringComparison.Ordinal);
    }

    private sealed class Pond
    {
        private int _top;

        public EntityId[] Ids { get; } = new EntityId[8];

        public Spot[] Spots { get; } = new Spot[8];

        public List<OilLeft> Ages { get; } = [.. new OilLeft[8]];

        public Dictionary<int, Load> Eggs { get; } = [];

        public Dictionary<int, int> Chases { get; } = [];

        public Dictionary<int, int> Rides { get; } = [];

        public SpawnNumbers Numbers { get; } = new();

        public int Create(EntityId id)
        {
            var number = Array.FindIndex(Ids, 0, _top, one => one == default);
            if (number < 0)
                number = _top++;
            (Ids[number], Spots[number], Ages[number]) = (id, default, default);
            return number;
        }

        public void Destroy(int number)
        {
            Ids[number] = default;
            Eggs.Remove(number);
            Chases.Remove(number);
            Rides.Remove(number);
        }

        public string Print() => string.Join('\n', Enumerable.Range(0, _top).Where(number => Ids[number] != default).Select(number =>
            $"{Ids[number]} {Spots[number]} {Ages[number]} {(Eggs.TryGetValue(number, out var egg) ? egg : null)} chases {At(Chases, number)} rides {At(Rides, number)}").Order(StringComparer.Ordinal));

        private string At(Dictionary<int, int> column, int number) => column.TryGetValue(number, out var other) ? Ids[other].ToString() : "none";
    }
}
