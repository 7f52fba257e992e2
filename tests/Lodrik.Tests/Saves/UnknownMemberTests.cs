using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik.Tests.Saves;

/// <summary>A save of the game's own version can be of another game all the same: of another branch, or of yesterday.</summary>
public sealed class UnknownMemberTests
{
    public static TheoryData<SaveForm> Forms => [.. Enum.GetValues<SaveForm>()];

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_save_of_the_other_branch_says_what_this_game_does_not_know(SaveForm form)
    {
        var storage = Saved(form, Coins());
        using var store = SaveStore<BranchOfGold>.Open(new SaveStoreOptions { Storage = storage });
        var result = store.Load("night");
        Assert.Equal(("Wren", 0), (result.State.Hero.Name, result.State.Hero.Gold));
        Assert.Equal(
            [("coins", "hero/coins"), ("amount", "hero/bag/0/amount"), ("carat", "hero#shared/1/carat"), ("log", "log")],
            result.UnknownMembers.Select(one => (one.Key, one.Location.Section + one.Location.Path)));
        Assert.Equal("Unknown member \"coins\"", result.UnknownMembers[0].ToString().Split(" (")[0]);
    }

    [Fact]
    public void What_the_game_says_becomes_of_such_a_save()
    {
        var storage = Saved(SaveForm.Binary, Coins());
        SaveStore<BranchOfGold> Open(SaveTreatment treatment) => SaveStore<BranchOfGold>.Open(new SaveStoreOptions { Storage = storage, OtherShapes = treatment });
        using (var store = Open(SaveTreatment.Load))
            Assert.Empty(store.Load("night").UnknownMembers);
        using (var store = Open(SaveTreatment.Refuse))
        {
            var mine = new BranchOfGold { Hero = { Gold = 5 } };
            var refused = Assert.Throws<SaveMismatchException>(() => store.LoadInto("night", mine));
            Assert.Equal(SaveErrorCode.OtherShape, refused.Code);
            Assert.Contains("members that the game does not know: \"coins\" in hero, \"amount\" in hero", refused.Message, StringComparison.Ordinal);
            Assert.Equal(5, mine.Hero.Gold);
            // A save of its own is there as the newest, and the other one before it.
            store.Save("night", mine, overwrite: Overwrite.Allowed);
            Assert.Equal(5, store.Load("night").State.Hero.Gold);
        }
        using (var other = SaveStore<BranchOfCoins>.Open(new SaveStoreOptions { Storage = storage }))
            other.Save("night", Coins(), overwrite: Overwrite.Allowed);
        using (var store = Open(SaveTreatment.PassOver))
        {
            var loaded = store.Load("night");
            Assert.Equal((5, SaveErrorCode.OtherShape), (loaded.State.Hero.Gold, Assert.Single(loaded.PassedOver).Code));
        }
    }

    [Fact]
    public void Each_load_warns_once()
    {
        var log = new LinesLogger();
        using var store = SaveStore<BranchOfGold>.Open(new SaveStoreOptions { Storage = Saved(SaveForm.Json, Coins()), Logger = log });
        store.LoadInto("night", new BranchOfGold());
        Assert.Contains("\"coins\" in hero", Assert.Single(log.Lines, line => line.Contains("does not know", StringComparison.Ordinal)), StringComparison.Ordinal);
        store.Load("night");
        Assert.Equal(2, log.Lines.Count(line => line.Contains("does not know", StringComparison.Ordinal)));
    }

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_game_that_only_added_members_is_silent(SaveForm form)
    {
        var before = new BranchOfCoins { Hero = { Coins = 3, Bag = [new Purse { Amount = 2 }] } };
        var storage = Saved(form, before);
        using var store = SaveStore<BranchOfMore>.Open(new SaveStoreOptions { Storage = storage, OtherShapes = SaveTreatment.Refuse });
        var result = store.Load("night");
        Assert.Equal((3, 2, 7), (result.State.Hero.Coins, result.State.Hero.Bag[0].Amount, result.State.Hero.Luck));
        Assert.Empty(result.UnknownMembers);
    }

    [Fact]
    public void The_digest_is_of_all_types_that_a_save_has_and_of_nothing_else()
    {
        Assert.Equal(16, Shape<BranchOfCoins>().Length);
        Assert.Equal(3, new[] { Shape<BranchOfGold>(), Shape<BranchOfCoins>(), Shape<BranchOfMore>() }.Distinct().Count());
        Assert.Equal(Shape<BranchOfCoins>(), SavedFileOf(StateFile.ToBytes(Coins())).Header!.Shape);
        Assert.Equal("", StateRoot.Single.Shape);
        Assert.Null(SavedFileOf(StateFile.ToBytes(new Purse())).Header!.Shape);

        static string Shape<T>() where T : IStateRoot<T> => T.Root.Shape;
        static SavedFile SavedFileOf(byte[] bytes) => SavedFile.FromBytes(bytes);
    }

    [Fact]
    public void A_typo_in_a_file_that_a_person_wrote_can_be_told()
    {
        var read = StateFile.FromText<Purse>("""{ "amuont": 4, "gem": null }""", out var unknown);
        Assert.Equal(0, read.Amount);
        Assert.Equal(("amuont", "/amuont"), (Assert.Single(unknown).Key, unknown[0].Location.Path));
        StateFile.FromText<Purse>("""{ "amount": 4 }""", out var none);
        Assert.Empty(none);
        var file = Path.Combine(Directory.CreateTempSubdirectory("typo-").FullName, "purse.json");
        File.WriteAllText(file, """{ "amount": 4, "gem": { "name": "jet", "cut": [1] }, "Amount": 5 }""");
        Assert.Equal(4, StateFile.Read<Purse>(file, out var inFile).Amount);
        Assert.Equal(["cut", "Amount"], inFile.Select(one => one.Key));
        Assert.Equal(file, inFile[0].Location.File);
        Directory.Delete(Path.GetDirectoryName(file)!, recursive: true);
    }

    private static BranchOfCoins Coins() => new()
    {
        Hero = { Name = "Wren", Coins = 9, Bag = [.. Enumerable.Range(0, 40).Select(i => new Purse { Amount = i })], Ring = new Ring { Carat = 2 } },
        Log = ["dusk"],
    };

    private static MemoryStorage Saved<T>(SaveForm form, T state) where T : class, IStateRoot<T>
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<T>.Open(new SaveStoreOptions { Storage = storage, Form = form });
        store.Save("night", state);
        return storage;
    }
}

// One game in three branches, each of which made a version 2 of its own.
[SaveFile("branches", Version = 2)]
public sealed partial class BranchOfCoins
{
    public HeroOfCoins Hero { get; set; } = new();

    public List<string> Log { get; set; } = [];
}

[SaveFile("branches", Version = 2)]
public sealed partial class BranchOfGold
{
    public HeroOfGold Hero { get; set; } = new();
}

[SaveFile("branches", Version = 2)]
public sealed partial class BranchOfMore
{
    public HeroOfMore Hero { get; set; } = new();

    public List<string> Log { get; set; } = [];

    public List<string> Letters { get; set; } = [];
}

[StateType]
public sealed partial class HeroOfCoins
{
    public string Name { get; set; } = "";

    public int Coins { get; set; }

    public List<Purse> Bag { get; set; } = [];

    public Ring? Ring { get; set; }
}

[StateType]
public sealed partial class HeroOfGold
{
    public string Name { get; set; } = "";

    public int Gold { get; set; }

    public List<Pouch> Bag { get; set; } = [];

    public PlainRing? Ring { get; set; }
}

[StateType]
public sealed partial class HeroOfMore
{
    public string Name { get; set; } = "";

    public int Coins { get; set; }

    public int Luck { get; set; } = 7;

    public List<Purse> Bag { get; set; } = [];

    public Ring? Ring { get; set; }
}

[StateType]
public sealed partial class Purse
{
    public int Amount { get; set; }

    public Gem? Gem { get; set; }
}

[StateType]
public sealed partial class Pouch
{
    public int Weight { get; set; }

    public Gem? Gem { get; set; }
}

[StateType]
public sealed partial class Gem
{
    public string Name { get; set; } = "";
}

[StateType(Shared = true)]
public sealed partial class Ring
{
    public int Carat { get; set; }
}

[StateType(Shared = true)]
public sealed partial class PlainRing
{
    public int Size { get; set; }
}
