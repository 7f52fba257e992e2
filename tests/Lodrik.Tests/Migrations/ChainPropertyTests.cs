using System.Buffers;
using System.Globalization;
using CsCheck;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.Saves.Writing;
using Lodrik.State;

namespace Lodrik.Tests.Migrations;

/// <summary>Whatever a chain does, it does what it names and nothing else, in every form alike.</summary>
public sealed class ChainPropertyTests
{
    private static readonly string[] Names = ["hull", "mast", "a/b", "til~de", "*", "crew", "log"];

    [Fact]
    public void Random_chains_on_random_trees_keep_what_they_do_not_name() => Gen.Int.Sample(
        seed =>
        {
            var random = new Random(seed);
            var sections = Tree(random);
            var before = Leaves(sections);
            var touched = new List<string>();
            var chain = new MigrationChain();
            // Each step is made for the save as the steps before it leave it.
            for (var version = 1; version <= 1 + (random.Next() & 3); version++)
            {
                var now = version == 1 ? sections : chain.Migrate(Save(sections, SaveForm.Binary), version).ReadTree();
                chain.From(version, step => AddOperations(step, now, random, touched));
            }
            var last = chain.Steps[^1].To;
            var migrated = chain.Migrate(Save(sections, SaveForm.Binary), last);
            var after = Leaves(migrated.ReadTree());
            foreach (var (path, value) in before.Where(leaf => !touched.Exists(one => IsWithin(leaf.Key, one))))
                Assert.Equal(value, after.GetValueOrDefault(path));
            foreach (var (path, value) in after.Where(leaf => !touched.Exists(one => IsWithin(leaf.Key, one))))
                Assert.Equal(value, before.GetValueOrDefault(path));
            foreach (var form in new[] { SaveForm.Json, SaveForm.Xml })
                Assert.Equal(migrated.ReadTree(), SavedFile.FromBytes(chain.Migrate(Save(sections, form), last).ToForm(SaveForm.Binary)).ReadTree());
            // What was read is as it was.
            Assert.Equal(before.Count, Leaves(sections).Count);
        },
        iter: 300);

    [Fact]
    public void Moving_there_and_back_changes_nothing() => Gen.Int.Sample(
        seed =>
        {
            var random = new Random(seed);
            var sections = Tree(random);
            var map = new SaveMap { ["things"] = new SaveMap { ["from"] = sections } };
            var chain = new MigrationChain().From(1, step => step.Move("/things/from", "/things/deep/er/to").Wrap("/things/deep/er/to", "inside"))
                .From(2, step => step.Unwrap("/things/deep/er/to", "inside").Move("/things/deep/er/to", "/things/from").Remove("/things/deep"));
            Assert.Equal(map, chain.Migrate(Save(map, SaveForm.Binary), 3).ReadTree());
        },
        iter: 100);

    [Fact]
    public void Several_values_are_bound_by_what_their_stars_stand_for()
    {
        var map = new SaveMap
        {
            ["crew"] = new SaveMap { ["ana"] = new SaveMap { ["hp"] = 1, ["kit"] = new SaveList { 1, 2 } }, ["bo"] = new SaveMap { ["hp"] = 2, ["kit"] = new SaveList() } },
            ["boats"] = new SaveList { new SaveMap { ["x"] = 1, ["y"] = 2 }, new SaveMap { ["x"] = 3, ["y"] = 4 } },
        };
        var chain = new MigrationChain().From(1, step => step
            .Move("/crew/*/hp", "/health/*/points")
            .Merge(["/boats/*/x", "/boats/*/y"], "/boats/*/at", "as a pair", both => new SaveList { both[0], both[1] })
            .Copy("/crew/*/kit", "/spare/*")
            .UnwrapItem("/single").IfPresent.Remove("/crew/*/kit/0"));
        map["single"] = new SaveList { "only" };
        var migrated = chain.Migrate(Save(map, SaveForm.Binary), 2);
        Assert.Equal(
            new SaveMap
            {
                ["crew"] = new SaveMap { ["ana"] = new SaveMap { ["kit"] = new SaveList { 2 } }, ["bo"] = new SaveMap { ["kit"] = new SaveList() } },
                ["boats"] = new SaveList { new SaveMap { ["at"] = new SaveList { 1, 2 } }, new SaveMap { ["at"] = new SaveList { 3, 4 } } },
                ["single"] = "only",
                ["health"] = new SaveMap { ["ana"] = new SaveMap { ["points"] = 1 }, ["bo"] = new SaveMap { ["points"] = 2 } },
                ["spare"] = new SaveMap { ["ana"] = new SaveList { 1, 2 }, ["bo"] = new SaveList() },
            },
            migrated.ReadTree());
    }

    [Fact]
    public void Scenes_and_what_refers_to_them_are_renamed_in_checkpoints_too()
    {
        SaveMap Scenes() => new()
        {
            ["scenes/mill"] = new SaveMap { ["entities"] = new SaveMap { ["#1"] = new SaveMap { ["kind"] = "boat", ["parts"] = new SaveMap { ["hull"] = new SaveMap { ["leak"] = 1 }, ["moored"] = "weir>post-1", ["near"] = new SaveList { "weir>a", "b" }, ["name"] = "weir" } } } },
            ["scenes/weir"] = new SaveMap { ["entities"] = new SaveMap { ["post-1"] = new SaveMap { ["kind"] = "post" } } },
            ["session/place"] = new SaveMap { ["scene"] = "weir", ["entrance"] = "" },
        };
        var sections = Scenes();
        sections["session/checkpoint old"] = new SaveMap { ["order"] = 0, ["scene"] = "weir", ["entrance"] = "", ["played"] = "00:00:00", ["sections"] = Scenes() };
        var chain = new MigrationChain().From(1, step => step
            .RenameScene("weir", "sluice/gate").RenameKind("boat", "barge").RenamePart("barge", "hull", "body")
            .ForEachEntity("barge", barge => barge.SetDefault("/parts/flag", true)).ForEachPart("*", "body", body => body.Rename("/leak", "water")));
        var tree = chain.Migrate(Save(sections, SaveForm.Json), 2).ReadTree();
        var checkpoint = (SaveMap)tree["session/checkpoint old"];
        Assert.Equal("sluice/gate", checkpoint["scene"]);
        foreach (var save in new[] { tree, (SaveMap)checkpoint["sections"] })
        {
            Assert.Equal("sluice/gate", ((SaveMap)save["session/place"])["scene"]);
            Assert.True(save.TryGet("scenes/sluice/gate", out _));
            Assert.Equal(
                new SaveMap { ["kind"] = "barge", ["parts"] = new SaveMap { ["body"] = new SaveMap { ["water"] = 1 }, ["moored"] = "sluice/gate>post-1", ["near"] = new SaveList { "sluice/gate>a", "b" }, ["name"] = "weir", ["flag"] = true } },
                ((SaveMap)((SaveMap)save["scenes/mill"])["entities"])["#1"]);
        }
        // A failure in the checkpoint says that it is there.
        var failing = new MigrationChain().From(1, step => step.Convert("/session/place/entrance", "fails the second time", value => value.AsText() == "x" ? value : throw new InvalidOperationException("no")));
        ((SaveMap)sections["session/place"])["entrance"] = "x";
        var problem = Assert.Throws<MigrationException>(() => failing.Migrate(Save(sections, SaveForm.Json), 2));
        Assert.Equal(("session/checkpoint old", "/sections/session~1place/entrance"), (problem.Location.Section, problem.Location.Path));
    }

    [Fact]
    public void A_scene_that_was_split_takes_the_places_of_player_and_checkpoints_with_it()
    {
        SaveMap Sections(string entrance) => new()
        {
            ["scenes/weir"] = new SaveMap { ["entities"] = new SaveMap { ["post-1"] = new SaveMap { ["kind"] = "post" }, ["post-2"] = new SaveMap { ["kind"] = "post" } } },
            ["session/place"] = new SaveMap { ["scene"] = "weir", ["entrance"] = entrance },
        };
        var sections = Sections("south");
        sections["session/checkpoint old"] = new SaveMap { ["order"] = 0, ["scene"] = "weir", ["entrance"] = "north", ["played"] = "00:00:00", ["sections"] = Sections("north") };
        sections["session/checkpoint far"] = new SaveMap { ["order"] = 1, ["scene"] = "mill", ["entrance"] = "north", ["played"] = "00:00:00", ["sections"] = new SaveMap() };
        var chain = new MigrationChain().From(1, step => step
            .Run("the second post is in the far weir", ["scenes/*"], save =>
            {
                if (save.Find("/scenes/weir/entities/post-2") is { } post)
                    save.Set("/scenes/far weir/entities/post-2", post);
                save.Remove("/scenes/weir/entities/post-2");
            })
            .MovePlaces("weir", "the north gate is in the far weir", entrance => entrance == "north" ? ("far weir", "gate") : ("weir", entrance)));
        Assert.Contains("places in weir: the north gate is in the far weir", chain.ToString(), StringComparison.Ordinal);
        var tree = chain.Migrate(Save(sections, SaveForm.Json), 2).ReadTree();
        Assert.Equal(("weir", "south"), PlaceIn(tree["session/place"]));
        Assert.Equal(("far weir", "gate"), PlaceIn(tree["session/checkpoint old"]));
        Assert.Equal(("far weir", "gate"), PlaceIn(((SaveMap)((SaveMap)tree["session/checkpoint old"])["sections"])["session/place"]));
        Assert.Equal(("mill", "north"), PlaceIn(tree["session/checkpoint far"]));
        var failing = new MigrationChain().From(1, step => step.MovePlaces("weir", "goes nowhere", _ => ("", "")));
        Assert.Contains("returned no scene", Assert.Throws<MigrationException>(() => failing.Migrate(Save(sections, SaveForm.Json), 2)).Message, StringComparison.Ordinal);

        static (string?, string?) PlaceIn(SaveValue place) => (((SaveMap)place)["scene"].AsText(), ((SaveMap)place)["entrance"].AsText());
    }

    [Fact]
    public void Shared_objects_go_where_their_section_goes_and_nowhere_else()
    {
        SaveMap Sections() => new() { ["crew"] = new SaveMap { ["first"] = 1 }, ["crew#shared"] = new SaveMap { ["1"] = new SaveMap { ["name"] = "ana" } }, ["log"] = "x" };
        Assert.Equal(["log", "deck", "deck#shared"], Names(step => step.Move("/crew", "/deck")));
        Assert.Equal(["deck", "deck#shared", "log"], Names(step => step.Rename("/crew", "deck")));
        Assert.Equal(["crew", "crew#shared", "log", "deck", "deck#shared"], Names(step => step.Copy("/crew", "/deck")));
        Assert.Equal(["log"], Names(step => step.Remove("/crew")));
        Assert.Contains("shared objects", Assert.Throws<MigrationException>(() => Names(step => step.Move("/crew", "/deck/crew"))).Message, StringComparison.Ordinal);

        IEnumerable<string> Names(Action<MigrationStep> step) => new MigrationChain().From(1, step).Migrate(Save(Sections(), SaveForm.Json), 2).Sections.Select(section => section.Name);
    }

    [Theory]
    [InlineData("contents")]
    [InlineData("lodrik")]
    [InlineData("a/b")]
    public void A_section_cannot_take_a_name_that_the_file_has_for_itself(string name)
    {
        var save = Save(new SaveMap { ["crew"] = new SaveMap { ["first"] = 1 }, ["run/x"] = 1, ["walk/x"] = 2 }, SaveForm.Json);
        Assert.Throws<MigrationException>(() => new MigrationChain().From(1, step => step.Rename("/crew", name)).Migrate(save, 2));
        Assert.Contains("There is a section \"walk/x\" already", Assert.Throws<MigrationException>(() => new MigrationChain().From(1, step => step.Rename("/run", "walk")).Migrate(save, 2)).Message, StringComparison.Ordinal);
        Assert.Throws<ArgumentException>(() => new MigrationChain().From(1, step => step.RenameScene("mill", "a>b")));
        Assert.Throws<MigrationException>(() => new MigrationChain().From(1, step => step.Split("/crew/first", ["a"], "wrongly", _ => null!)).Migrate(save, 2));
    }

    [Fact]
    public void Variants_and_flags_are_renamed_where_they_stand()
    {
        var map = new SaveMap { ["foes"] = new SaveList { new SaveMap { ["crab"] = new SaveMap { ["hp"] = 1 } }, new SaveMap { ["eel"] = new SaveMap() }, SaveValue.Null }, ["flags"] = "Wet, Cold" };
        var chain = new MigrationChain().From(1, step => step.RenameVariant("/foes/*", "crab", "spiderCrab").RenameEnumValue("/flags", "Cold", "Icy").IfPresent.RenameEnumValue("/none", "a", "b"));
        Assert.Equal(
            new SaveMap { ["foes"] = new SaveList { new SaveMap { ["spiderCrab"] = new SaveMap { ["hp"] = 1 } }, new SaveMap { ["eel"] = new SaveMap() }, SaveValue.Null }, ["flags"] = "Wet, Icy" },
            chain.Migrate(Save(map, SaveForm.Xml), 2).ReadTree());
    }

    /// <summary>Two or three operations at places of the save, and the paths that they touch.</summary>
    private static void AddOperations(MigrationStep step, SaveMap save, Random random, List<string> touched)
    {
        for (var i = random.Next(1, 4); i > 0; i--)
        {
            var leaves = Leaves(save).Keys.Where(path => path.Count(c => c == '/') >= 2 && !path.Contains('*', StringComparison.Ordinal) && !touched.Exists(one => IsWithin(path, one))).ToList();
            if (leaves.Count == 0)
                return;
            var path = leaves[random.Next(leaves.Count)];
            var isItem = char.IsDigit(path[^1]);
            var fresh = string.Create(CultureInfo.InvariantCulture, $"/fresh/new-{touched.Count}");
            // Nothing is taken out of a list here, which would move what is behind it to other places.
            switch (random.Next(isItem ? 3 : 8))
            {
                case 0:
                    step.Convert(path, SaveValueKind.Text);
                    break;
                case 1:
                    step.Copy(path, fresh);
                    path = fresh;
                    break;
                case 2:
                    step.Wrap(path, "wrapped");
                    break;
                case 3:
                    step.Rename(path, $"renamed-{touched.Count}");
                    touched.Add($"{path[..path.LastIndexOf('/')]}/renamed-{touched.Count}");
                    break;
                case 4:
                    step.Move(path, fresh);
                    touched.Add(fresh);
                    break;
                case 5:
                    step.Remove(path);
                    break;
                case 6:
                    step.SetDefault(fresh, "default");
                    path = fresh;
                    break;
                default:
                    step.Convert(path, "is doubled", value => new SaveList { value, value });
                    break;
            }
            touched.Add(path);
        }
    }

    private static bool IsWithin(string path, string other) => path == other || path.StartsWith(other + "/", StringComparison.Ordinal);

    private static SaveMap Tree(Random random)
    {
        var sections = new SaveMap();
        foreach (var name in Names.Where(name => !name.Contains('/', StringComparison.Ordinal)).Take(random.Next(2, 6)))
            sections[name] = Map(random, 3);
        return sections;
    }

    private static SaveMap Map(Random random, int depth)
    {
        var map = new SaveMap();
        foreach (var name in Names.Take(random.Next(1, Names.Length)))
            map[name] = Value(random, depth - 1);
        return map;
    }

    private static SaveValue Value(Random random, int depth)
    {
        switch (random.Next(depth > 0 ? 6 : 3))
        {
            case 0:
                return random.Next(-5, 100_000);
            case 1:
                return random.Next(2) == 0;
            case 2:
                return $"text {random.Next(9)}";
            case 3:
                var list = new SaveList();
                for (var i = random.Next(4); i > 0; i--)
                    list.Add(Value(random, depth - 1));
                return list;
            default:
                return Map(random, depth);
        }
    }

    /// <summary>All single values, and empty collections, by their paths.</summary>
    private static Dictionary<string, SaveValue> Leaves(SaveMap sections)
    {
        var leaves = new Dictionary<string, SaveValue>(StringComparer.Ordinal);
        Collect("", sections);
        return leaves;

        void Collect(string path, SaveValue value)
        {
            switch (value)
            {
                case SaveMap { Count: > 0 } map:
                    foreach (var (key, entry) in map)
                        Collect($"{path}/{key.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal)}", entry);
                    break;
                case SaveList { Count: > 0 } list:
                    for (var i = 0; i < list.Count; i++)
                        Collect($"{path}/{i}", list[i]);
                    break;
                case SaveScalar:
                    leaves.Add(path, value);
                    break;
            }
        }
    }

    private static SavedFile Save(SaveMap sections, SaveForm form)
    {
        using var writer = new SaveWriter();
        var header = new SaveHeader { Game = "ferry", Version = 1, SaveId = Guid.CreateVersion7() };
        return SavedFile.FromBytes(writer.Write(TreeSave.Of(sections), header, new SaveTerms(form, IsIndented: false)).ToArray());
    }
}
