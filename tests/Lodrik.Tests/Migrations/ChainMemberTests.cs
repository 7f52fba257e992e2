using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.State;

namespace Lodrik.Tests.Migrations;

/// <summary>What chains, places, shapes and samples say to tools and to a game's own code.</summary>
public sealed class ChainMemberTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("chain-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void A_chain_says_what_is_missing_and_reads_a_file_of_an_older_version()
    {
        var chain = new MigrationChain().From(1, step => step.Rename("/log/day", "night"));
        Assert.Equal(["/log/day becomes /log/night"], chain.Steps[0].ToString().Split('\n').Select(line => line[(line.IndexOf(':', StringComparison.Ordinal) + 2)..].Trim()));
        Assert.Contains("3", Assert.Single(chain.ProblemsFor(3)), StringComparison.Ordinal);
        Assert.Empty(chain.ProblemsFor(2));
        Assert.Equal(["log"], chain.Steps[0].Sections);
        var path = Path.Combine(_folder, "ferry.json");
        StateFile.Write(path, new FerryV1 { Log = ["cast off"] });
        Assert.Equal(["cast off"], new MigrationChain().Read<FerryV1>(path).Log);
    }

    [Fact]
    public void A_steps_own_code_finds_places_changes_their_values_and_takes_them_away()
    {
        var seen = new List<string>();
        var chain = new MigrationChain().From(1, step => step.Run("tidies the log", ["log"], save =>
        {
            foreach (var place in save.Each("/log/*").Reverse())
            {
                seen.Add($"{place.Path} is {place.Name}");
                if (place.Value.AsText() == "")
                    place.Remove();
                else
                    place.Value = place.Value.AsText()!.ToUpperInvariant();
            }
        }));
        var bytes = StateFile.ToBytes(new FerryV1 { Log = ["cast off", "", "moor"] }, SaveForm.Json);
        Assert.Equal(["CAST OFF", "MOOR"], ((SaveList)chain.Migrate(SavedFile.FromBytes(bytes), 2).ReadSection("log")).Select(line => line.AsText()));
        Assert.Equal(["/log/2 is 2", "/log/1 is 1", "/log/0 is 0"], seen);
    }

    [Fact]
    public void A_change_of_a_shape_says_what_it_is_a_change_of()
    {
        var before = Shape("\"members\": { \"hp\": \"int32\" }, \"required\": [\"hp\"], \"named\": { \"hp\": \"Health\" }");
        var change = Assert.Single(before.ChangesTo(Shape("\"members\": { \"hp\": \"text\" }, \"isShared\": true")));
        Assert.Equal(
            (ShapeChangeKind.TypeChanged, ShapeElement.Member, "hp", "int32", "text"), (change.Kind, change.Element, change.Name, change.Before, change.After));
        Assert.Equal(("", "Game.Thing"), (change.Note, change.Owner));
        var type = before.Find("Game.Thing")!;
        Assert.Equal(("hp", "Health", false, false), (type.Required.Single(), type.Named["hp"], type.IsShared, before.IsReleased));
        Assert.Equal(["Old"], Shape("\"values\": [\"New\"], \"formerValues\": [\"Old\"]").Find("Game.Thing")!.FormerValues);
    }

    [Fact]
    public void Samples_of_a_shape_have_names_and_are_saves_of_it()
    {
        var samples = SampleSaves.Of(Shape("\"members\": { \"hp\": \"int32\" }"), 2).ToList();
        Assert.Equal(["made-up-1.json", "made-up-1.xml", "made-up-1.lodrik", "made-up-1-compressed.lodrik"], samples.Take(4).Select(sample => sample.Name));
        Assert.All(samples, sample => Assert.Equal(("game", 1), (SavedFile.FromBytes(sample.Bytes).Header!.Game, SavedFile.FromBytes(sample.Bytes).Header!.Version)));
        Assert.Throws<LedgerException>(() => SampleSaves.Of(Shape("\"members\": { \"hp\": \"Game.Nowhere\" }"), 1).ToList());
    }

    private static SaveShape Shape(string thing) => SaveShape.Of(
        [$$"""{ "game": "game", "version": 1, "root": "Game.Save", "types": { "Game.Save": { "members": { "thing": "Game.Thing" } }, "Game.Thing": { {{thing}} } }, "kinds": { } }"""]);
}
