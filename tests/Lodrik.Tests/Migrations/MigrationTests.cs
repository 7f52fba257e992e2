using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik.Tests.Migrations;

/// <summary>A save from any version loads in every later one, and a step that cannot be done harms nothing.</summary>
public sealed class MigrationTests
{
    private readonly MemoryStorage _storage = new();

    public static TheoryData<SaveForm> Forms => [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_save_of_the_first_version_loads_in_every_form(SaveForm form)
    {
        var loaded = Ferry.Chain.FromBytes<Ferry>(StateFile.ToBytes(Old(), form));
        Assert.Equal(("Bryn", "Alder", 7, 3), (loaded.Pilot.First, loaded.Pilot.Last, loaded.Pilot.Health, loaded.Pilot.Fuel));
        Assert.Equal([("salt", 3), ("peat", 0)], loaded.Pilot.Hold.Select(cargo => (cargo.Kind, cargo.Count)));
        Assert.Equal((12, 0), (loaded.Pilot.Tally.Crossings, loaded.Pilot.Tally.Storms));
        Assert.Equal(RiverWeather.Still, loaded.Route.Weather);
        Assert.Equal(["cast off"], loaded.Log);
    }

    [Fact]
    public void The_store_is_given_the_chain_once_and_the_older_file_stays_a_generation()
    {
        using (var before = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = _storage }))
            before.Save("evening", Old());
        var bytes = _storage.Read("slots/evening/00000001.json");
        using var store = SaveStore<Ferry>.Open(new SaveStoreOptions { Storage = _storage, Migrations = Ferry.Chain, KeepGenerations = 2 });
        var result = store.Load("evening");
        Assert.Equal((1, 1, 7), (result.MigratedFrom, result.Header!.Version, result.State.Pilot.Health));

        for (var i = 0; i < 5; i++)
            store.Save("evening", result.State);
        Assert.Equal(bytes, _storage.Read("slots/evening/00000001.json"));
        // Two of this version are kept, and the one that they come from.
        Assert.Equal([6, 5, 1], store.History("evening").Select(one => one.Number));
        Assert.Null(store.Load("evening").MigratedFrom);
    }

    [Fact]
    public void Only_the_sections_that_a_step_names_are_decoded()
    {
        var file = SavedFile.FromBytes(Spoil(StateFile.ToBytes(Old(), SaveForm.Binary), "log"));
        Assert.Equal(SectionHealth.Damaged, file.Sections.Single(section => section.Name == "log").Health);
        var migrated = Ferry.Chain.Migrate(file);
        Assert.Equal(3, migrated.Header!.Version);
        Assert.Equal(1, file.Header!.Version);
        Assert.Equal("Bryn", ((SaveMap)migrated.ReadSection("pilot"))["first"].AsText());
        Assert.Throws<DamagedSaveException>(() => migrated.ReadSection("log"));
        // What is named has to be whole.
        var damaged = Assert.Throws<DamagedSaveException>(() => Ferry.Chain.Migrate(SavedFile.FromBytes(Spoil(StateFile.ToBytes(Old(), SaveForm.Binary), "pilot"))));
        Assert.Equal("pilot", damaged.Location.Section);
    }

    [Fact]
    public void A_step_that_finds_nothing_names_itself_and_the_place()
    {
        var chain = new MigrationChain().From(1, step => step.Rename("/route/weather", "sky")).From(2, step => step.Rename("/pilot/mood", "temper"));
        using (var before = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = _storage }))
            before.Save("evening", Old());
        var files = Contents();
        using var store = SaveStore<Ferry>.Open(new SaveStoreOptions { Storage = _storage, Migrations = chain });
        var problem = Assert.Throws<MigrationException>(() => store.Load("evening"));
        Assert.Equal((SaveErrorCode.MigrationFailed, 2), (problem.Code, problem.FromVersion));
        Assert.Equal(("evening", "pilot", "/mood"), (problem.Location.Slot, problem.Location.Section, problem.Location.Path));
        Assert.Contains("The step 2 → 3 failed at \"/pilot/mood becomes /pilot/temper\"", problem.Message, StringComparison.Ordinal);
        Assert.Equal(files, Contents());
    }

    [Fact]
    public void If_present_makes_it_fine_that_there_is_nothing()
    {
        var chain = new MigrationChain()
            .From(1, step => step
                .IfPresent.Rename("/pilot/mood", "temper").IfPresent.Remove("/gone/for/good").IfPresent.Move("/pilot/a", "/route/a")
                .IfPresent.Convert("/pilot/b", SaveValueKind.Text).IfPresent.ForEach("/attic", item => item.Remove("/x"))
                .IfPresent.Merge(["/pilot/name", "/pilot/title"], "/pilot/full", "with a blank", all => all[0]));
        var before = SavedFile.FromBytes(StateFile.ToBytes(Old()));
        Assert.Equal(before.ReadTree(), chain.Migrate(before, 2).ReadTree());
        Assert.Contains("1 → 2: if present, /pilot/mood becomes /pilot/temper", chain.ToString(), StringComparison.Ordinal);
        Assert.Throws<ArgumentException>(() => chain.From(2, step => step.IfPresent.SetDefault("/pilot/mood", 1)));
    }

    [Fact]
    public void The_chain_prints_what_it_does() => Assert.Equal(
        """
        1 → 2: /pilot/hp becomes /pilot/health
        1 → 2: /pilot/name is split at the blank into /pilot/first and /pilot/last
        1 → 2: /pilot/hold/*/what becomes /pilot/hold/*/kind
        1 → 2: /pilot/hold/*/number becomes /pilot/hold/*/count
        2 → 3: /route/crossings moves to /pilot/tally/crossings
        2 → 3: /pilot/tally/storms is 0 where it is missing
        2 → 3: /route/weather: the value Calm becomes Still
        2 → 3: /pilot/fuel is rounded to litres
        2 → 3: the kind boat becomes barge
        """,
        Ferry.Chain.ToString(),
        ignoreLineEndingDifferences: true);

    [Fact]
    public void A_store_with_a_faulty_chain_does_not_open()
    {
        AssertFault("The step from 1 to 2 is missing.", new MigrationChain().ImportJson().From(0, _ => { }).From(2, _ => { }));
        AssertFault("There are 2 steps from 2 to 3.", new MigrationChain().From(1, _ => { }).From(2, _ => { }).From(2, _ => { }));
        AssertFault("The step from 1 comes after the step from 2.", new MigrationChain().From(2, _ => { }).From(1, _ => { }));
        AssertFault("The chain ends at version 2, but the game has version 3.", new MigrationChain().From(1, _ => { }));
        AssertFault("The chain leads up to version 4, but the game has version 3.", new MigrationChain().From(1, _ => { }).From(2, _ => { }).From(3, _ => { }));
        AssertFault("there is no step from 0 to 1", new MigrationChain().ImportXml().From(1, _ => { }).From(2, _ => { }));
        AssertFault("no import produces version 0", new MigrationChain().From(0, _ => { }).From(1, _ => { }).From(2, _ => { }));
        // A chain may begin late; what is older is told so when it is loaded.
        using var store = SaveStore<Ferry>.Open(new SaveStoreOptions { Storage = _storage, Migrations = new MigrationChain().From(2, _ => { }) });
        using (var before = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = _storage }))
            before.Save("evening", Old());
        var missing = Assert.Throws<SaveMismatchException>(() => store.Load("evening"));
        Assert.Equal(SaveErrorCode.MissingMigration, missing.Code);
        Assert.Contains("no migration step from 1 to 2", missing.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("pilot/hp", "has to begin with a slash")]
    [InlineData("/pilot/~2", "'~' is written ~0")]
    [InlineData("", "has to end with a name")]
    [InlineData("/pilot/*", "has to end with a name")]
    public void A_path_that_cannot_be_is_told_while_the_chain_is_made(string path, string problem) =>
        Assert.Contains(problem, Assert.Throws<ArgumentException>(() => new MigrationChain().From(1, step => step.Rename(path, "x"))).Message, StringComparison.Ordinal);

    [Fact]
    public void What_the_games_own_code_throws_is_an_error_of_the_step()
    {
        var chain = new MigrationChain().From(1, step => step.Convert("/pilot/name", "is counted", name => name.AsInt64()));
        var problem = Assert.Throws<MigrationException>(() => chain.Migrate(SavedFile.FromBytes(StateFile.ToBytes(Old())), 2));
        Assert.Equal(("pilot", "/name"), (problem.Location.Section, problem.Location.Path));
        Assert.Contains("\"Bryn Alder\" is not a valid whole number", problem.Message, StringComparison.Ordinal);
        var run = new MigrationChain().From(1, step => step.Run("peeks", ["pilot"], save => save.Find("/route/weather")));
        Assert.Contains("The step does not name the section", Assert.Throws<MigrationException>(() => run.Migrate(SavedFile.FromBytes(StateFile.ToBytes(Old())), 2)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Free_code_sees_the_sections_that_the_step_names()
    {
        var chain = new MigrationChain().From(1, step => step.Run("the log counts the cargo", ["pilot", "log"], save =>
        {
            Assert.Equal(["pilot", "log"], save.Sections);
            var count = save.Each("/pilot/hold/*/number").Sum(place => place.Value.AsInt64());
            save.Set("/log/1", count);
            save.Set("/pilot/seen/cargo", count);
            Assert.True(save.Remove("/pilot/hp"));
            Assert.False(save.Remove("/pilot/hp"));
        }));
        var pilot = (SaveMap)chain.Migrate(SavedFile.FromBytes(StateFile.ToBytes(Old())), 2).ReadSection("pilot");
        Assert.Equal(3, ((SaveMap)pilot["seen"])["cargo"].AsInt64());
        Assert.False(pilot.TryGet("hp", out _));
    }

    [Fact]
    public void A_save_of_a_newer_version_is_refused_unless_it_was_asked_for_and_never_written_over()
    {
        using (var newer = SaveStore<Ferry>.Open(new SaveStoreOptions { Storage = _storage }))
        {
            newer.Save("evening", new Ferry { Log = ["from later on"] });
            newer.QuickSave(new Ferry());
        }
        var files = Contents();
        using (var strict = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = _storage }))
            Assert.Equal(SaveErrorCode.NewerVersion, Assert.Throws<SaveMismatchException>(() => strict.Load("evening")).Code);

        using var store = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = _storage, NewerSaves = SaveTreatment.Load, KeepQuick = 1 });
        var result = store.Load("evening");
        Assert.True(result.IsFromNewerVersion);
        Assert.Null(result.MigratedFrom);
        Assert.Equal(["from later on"], result.State.Log);
        Assert.Equal(SaveErrorCode.NewerVersion, Assert.Throws<SaveMismatchException>(() => store.Save("evening", result.State, overwrite: Overwrite.Allowed)).Code);
        store.LoadGeneration("quick", 1);
        store.QuickSave(result.State);
        store.QuickSave(result.State);
        Assert.Equal([3, 1], store.History("quick").Select(one => one.Number));
        Assert.All(files, file => Assert.Equal(file.Value, Contents()[file.Key]));
    }

    [Fact]
    public void Sections_move_without_being_decoded_and_a_group_is_renamed_as_one()
    {
        var file = SavedFile.FromBytes(Spoil(StateFile.ToBytes(Old(), SaveForm.Binary), "log"));
        var chain = new MigrationChain().From(1, step => step.Rename("/log", "journal").Rename("/route", "way").Rename("/session", "run").Copy("/pilot", "/twin").Remove("/pilot"));
        Assert.Equal(["twin", "way", "journal"], chain.Migrate(file, 2).Sections.Select(section => section.Name).OrderByDescending(name => name.Length == 4).ThenBy(name => name == "way" ? 0 : 1));
        Assert.Throws<DamagedSaveException>(() => chain.Migrate(file, 2).ReadSection("journal"));
        var taken = new MigrationChain().From(1, step => step.Rename("/route", "log"));
        Assert.Contains("There is a \"log\" already", Assert.Throws<MigrationException>(() => taken.Migrate(file, 2)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_plain_json_file_comes_in_as_version_0()
    {
        var chain = new MigrationChain().ImportJson().From(0, step => step
            .Move("/Player/HitPoints", "/pilot/hp").Move("/Player/Name", "/pilot/name").Move("/Player/Tank", "/pilot/fuel")
            .Move("/Player/Cargo", "/pilot/hold").ForEach("/pilot/hold/*", item => item.Wrap("", "what").SetDefault("/number", 1))
            .Remove("/Player").SetDefault("/route/weather", "Calm").SetDefault("/route/crossings", 0));
        foreach (var step in new[] { 1, 2 })
            chain = Append(chain, step);
        var file = Path.GetTempFileName();
        try
        {
            File.WriteAllText(file, """{ "Player": { "Name": "Old Hand", "HitPoints": 4, "Tank": 1.0, "Cargo": ["salt", "eels"] } }""");
            using var store = SaveStore<Ferry>.Open(new SaveStoreOptions { Storage = _storage, Migrations = chain });
            var state = store.Import(file);
            Assert.Equal(("Old", "Hand", 4), (state.Pilot.First, state.Pilot.Last, state.Pilot.Health));
            Assert.Equal([("salt", 1), ("eels", 1)], state.Pilot.Hold.Select(cargo => (cargo.Kind, cargo.Count)));
            store.Save("imported", state);

            File.WriteAllText(file, "{ \"Player\": [ }");
            Assert.Equal(file, Assert.ThrowsAny<SaveException>(() => store.Import(file)).Location.File);
            File.WriteAllText(file, "[1, 2]");
            Assert.Contains("has no object", Assert.ThrowsAny<SaveException>(() => store.Import(file)).Message, StringComparison.Ordinal);
        }
        finally
        {
            File.Delete(file);
        }
    }

    [Fact]
    public void A_plain_xml_file_and_raw_bytes_come_in_as_well()
    {
        var xml = new MigrationChain().ImportXml().From(0, step => step
            .WrapInList("/player/item").ForEach("/player/item/*", item => item.Rename("/#text", "what"))
            .Convert("/player/hp", SaveValueKind.Integer).Rename("/player", "pilot"));
        var one = xml.ImportFile("<save><player hp='9'><item id='a'>salt</item></player><route/></save>"u8.ToArray(), "ferry", 1);
        Assert.Equal(Tree("""{"pilot":{"hp":9,"item":[{"id":"a","what":"salt"}]},"route":""}"""), one.ReadTree());
        var two = xml.ImportFile("<save><player hp='9'><item id='a'>salt</item><item id='b'>peat</item></player></save>"u8.ToArray(), "ferry", 1);
        Assert.Equal(2, ((SaveList)((SaveMap)two.ReadSection("pilot"))["item"]).Count);
        Assert.Equal(SaveErrorCode.NotASave, Assert.Throws<MigrationException>(() => xml.ImportFile("<save"u8.ToArray(), "ferry", 1)).Code);
        Assert.Equal(SaveErrorCode.NotASave, Assert.Throws<MigrationException>(() => xml.ImportFile("<!DOCTYPE x [<!ENTITY a 'b'>]><save>&a;</save>"u8.ToArray(), "ferry", 1)).Code);
        Assert.ThrowsAny<SaveException>(() => xml.ImportFile(System.Text.Encoding.ASCII.GetBytes(string.Concat(Enumerable.Repeat("<a>", 100_000))), "ferry", 1));

        var raw = new MigrationChain().Import(bytes => bytes.Span is [1, var hp, ..] ? new SaveMap { ["pilot"] = new SaveMap { ["hp"] = hp } } : null).From(0, _ => { });
        Assert.Equal(Tree("""{"pilot":{"hp":200}}"""), raw.ImportFile(new byte[] { 1, 200 }, "ferry", 1).ReadTree());
        Assert.Contains("does not recognise the file", Assert.Throws<MigrationException>(() => raw.ImportFile(new byte[] { 2 }, "ferry", 1)).Message, StringComparison.Ordinal);
        Assert.Throws<InvalidOperationException>(() => raw.ImportJson());
    }

    [Fact]
    public void Values_are_converted_as_far_as_they_stand_for_each_other()
    {
        Assert.Equal(5, ((SaveValue)"5").ConvertTo(SaveValueKind.Integer));
        Assert.Equal("5", ((SaveValue)5).ConvertTo(SaveValueKind.Text));
        Assert.Equal(5, ((SaveValue)5.0).ConvertTo(SaveValueKind.Integer));
        Assert.Equal(0.5f, ((SaveValue)0.5).ConvertTo(SaveValueKind.Single));
        Assert.Equal(1.5m, ((SaveValue)"1.5").ConvertTo(SaveValueKind.Decimal));
        Assert.Equal(double.NegativeInfinity, ((SaveValue)"-Infinity").ConvertTo(SaveValueKind.Double));
        Assert.Equal(float.PositiveInfinity, ((SaveValue)double.PositiveInfinity).ConvertTo(SaveValueKind.Single));
        // What has no room is not infinite.
        Assert.Throws<InvalidCastException>(() => ((SaveValue)"1e400").ConvertTo(SaveValueKind.Double));
        Assert.Throws<InvalidCastException>(() => ((SaveValue)System.Numerics.BigInteger.Pow(10, 400)).ConvertTo(SaveValueKind.Double));
        Assert.Throws<InvalidCastException>(() => ((SaveValue)1e300).ConvertTo(SaveValueKind.Single));
        Assert.Equal(true, ((SaveValue)1).ConvertTo(SaveValueKind.Bool));
        Assert.Equal(new byte[] { 1, 2, 3 }, ((SaveValue)"AQID").ConvertTo(SaveValueKind.Bytes));
        Assert.Equal(SaveValue.Null, SaveValue.Null.ConvertTo(SaveValueKind.Integer));
        foreach (var (value, kind) in new (SaveValue, SaveValueKind)[]
        {
            (5.5, SaveValueKind.Integer), ("five", SaveValueKind.Integer), (2, SaveValueKind.Bool), ("?", SaveValueKind.Bytes), (1e300, SaveValueKind.Single),
            (1e300, SaveValueKind.Decimal), (new SaveList(), SaveValueKind.Text), ("", SaveValueKind.Double), (double.NaN, SaveValueKind.Integer),
        })
        {
            Assert.Throws<InvalidCastException>(() => value.ConvertTo(kind));
        }
        Assert.Throws<InvalidCastException>(() => ((SaveValue)System.Numerics.BigInteger.Pow(2, 70)).AsInt64());
        Assert.Throws<InvalidCastException>(() => SaveValue.Null.AsDouble());
    }

    private static void AssertFault(string problem, MigrationChain chain)
    {
        var fault = Assert.Throws<MigrationException>(() => SaveStore<Ferry>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Migrations = chain }));
        Assert.Equal(SaveErrorCode.BadMigrations, fault.Code);
        Assert.Contains(problem, fault.Message, StringComparison.Ordinal);
    }

    private static MigrationChain Append(MigrationChain chain, int version)
    {
        // The steps of the game itself, behind those of this chain.
        return version == 1
            ? chain.From(1, step => step.Rename("/pilot/hp", "health").Split("/pilot/name", ["first", "last"], "at the blank", name => [.. name.AsText()!.Split(' ', 2).Select(word => (SaveValue)word)])
                .ForEach("/pilot/hold/*", cargo => cargo.Rename("/what", "kind").Rename("/number", "count")))
            : chain.From(2, step => step.Move("/route/crossings", "/pilot/tally/crossings").RenameEnumValue("/route/weather", "Calm", "Still").Convert("/pilot/fuel", SaveValueKind.Integer));
    }

    private static SaveValue Tree(string json) => new MigrationChain().ImportJson().From(0, _ => { }).ImportFile(System.Text.Encoding.UTF8.GetBytes(json), "ferry", 1).ReadTree();

    private static FerryV1 Old() => new()
    {
        Pilot = { Hp = 7, Fuel = 2.6, Hold = [new CargoV1 { What = "salt", Number = 3 }, new CargoV1 { What = "peat" }] },
        Route = { Crossings = 12 },
        Log = ["cast off"],
    };

    private Dictionary<string, string> Contents() => _storage.List("").ToDictionary(file => file.Name, file => Convert.ToBase64String(_storage.Read(file.Name)!));

    /// <summary>Flips a bit in a section of a packed save.</summary>
    private static byte[] Spoil(byte[] bytes, string section)
    {
        // The section's own bytes stand last where its content does.
        var at = section == "log" ? bytes.AsSpan().LastIndexOf("cast off"u8) : bytes.AsSpan().LastIndexOf("Bryn Alder"u8);
        bytes[at] ^= 1;
        return bytes;
    }
}
