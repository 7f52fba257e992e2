using Lodrik.Migrations;
using Lodrik.Testing;
using Tidewarden;

namespace Lodrik.Tests.Migrations;

/// <summary>Arrays that stay the ones they are have a length, which the ledger knows.</summary>
public sealed class FixedArrayTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_ledger_says_how_long_an_array_of_fixed_length_is()
    {
        var members = Shape<PouchesV1>().Types["Lodrik.Tests.Migrations.PouchV1"].Members;
        Assert.Equal(
            ("list<int32>*4", "list<text>*2", "list<Lodrik.Tests.Migrations.Coin>*3", "list<int32>", "list<int32>*2"),
            (members["pockets"], members["names"], members["coins"], members["free"], members["field"]));
    }

    [Fact]
    public void An_unchanged_game_passes_the_check()
    {
        Ledger.Open(_folder).Record(Shape<PouchesV1>());
        Assert.Equal(200, SaveCompatibility.Of<PouchesV1>(_folder, new MigrationChain()).WithScenes(Scenes.Yard.Bindings()).WithNames("Tidewarden.Glasses", Glasses.Catalogue.Names).Check().SaveCount);
    }

    [Fact]
    public void A_shorter_array_is_a_loss_and_a_longer_or_a_free_one_is_none()
    {
        Assert.Contains("/pouch/pockets was list<int32>*4 and is list<int32>*3", Losses<PouchesV1, PouchesV2>());
        Assert.Single(Losses<PouchesV1, PouchesV2>());
        Assert.Empty(Losses<PouchesV2, PouchesV3>());
        Assert.Contains("/pouch/pockets was list<int32> and is list<int32>*4", Losses<PouchesV3, PouchesV1>());
    }

    private static List<string> Losses<TOld, TNew>() => [.. Shape<TOld>().ChangesTo(Shape<TNew>()).Where(change => change.IsLoss).Select(change => change.ToString())];

    private static SaveShape Shape<T>() => SaveShape.OfAssembly(typeof(T).Assembly.Location, typeof(T).FullName);
}

[SaveFile("pouches")]
public sealed partial class PouchesV1
{
    public PouchV1 Pouch { get; set; } = new();
}

[StateType]
public sealed partial class PouchV1
{
    private const int Count = 2;

    public int[] Pockets { get; } = new int[Count + 2];

    public string[] Names { get; } = ["oil", "wick"];

    public Coin[] Coins { get; } = new Coin[] { default, default, default };

    public int[] Free { get; set; } = new int[3];

    public readonly int[] Field = new int[Count];
}

[StateType]
public readonly partial record struct Coin(int Worth);

[SaveFile("pouches", Version = 2)]
public sealed partial class PouchesV2
{
    public PouchV2 Pouch { get; set; } = new();
}

[StateType]
public sealed partial class PouchV2
{
    public int[] Pockets { get; } = new int[3];

    public string[] Names { get; } = ["oil", "wick", "rope"];

    public List<Coin> Coins { get; } = [];

    public int[] Free { get; set; } = [];

    public readonly int[] Field = [1, 2];
}

[SaveFile("pouches", Version = 3)]
public sealed partial class PouchesV3
{
    public PouchV3 Pouch { get; set; } = new();
}

[StateType]
public sealed partial class PouchV3
{
    public int[] Pockets { get; set; } = [];

    public string[] Names { get; } = ["oil", "wick", "rope"];

    public List<Coin> Coins { get; } = [];

    public int[] Free { get; set; } = [];

    public readonly int[] Field = [1, 2];
}
