using System.Runtime.CompilerServices;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.State;
using Tidewarden;

namespace Lodrik.Tests.Migrations;

/// <summary>A step that names what was never there, or leaves out what is lost, is found by what the ledger knows.</summary>
public sealed class StepCheckTests
{
    private static readonly IReadOnlyList<SaveShape> Recorded = [.. Enumerable.Range(1, 4).Select(Ledger.Open(Path.Combine(Here(), "../../../examples/Tidewarden/ledger")).Read)];

    [Fact]
    public void The_steps_of_the_demo_game_name_what_is_there_and_deal_with_all_that_changed() =>
        Assert.Empty(SaveHistory.Migrations.ProblemsFor(Recorded));

    public static TheoryData<string> Unmatched => new(Wrong.Keys);

    private static readonly Dictionary<string, Action<MigrationStep>> Wrong = new()
    {
        ["/season/lettersDeliverd is removed"] = step => step.Remove("/season/lettersDeliverd"),
        ["if present, /seasons/floods becomes /seasons/tides"] = step => step.IfPresent.Rename("/seasons/floods", "tides"),
        ["/warden/satchel/*/nam becomes a text"] = step => step.Convert("/warden/satchel/*/nam", SaveValueKind.Text),
        ["/warden/satchel/name becomes a text"] = step => step.Convert("/warden/satchel/name", SaveValueKind.Text),
        ["/warden/satchel/*/what becomes /warden/satchel/*/of"] = step => step.ForEach("/warden/satchel/*", item => item.Rename("/what", "of")),
        ["the kind buoy becomes beacon"] = step => step.RenameKind("buoy", "beacon"),
        ["the kind buoy is removed"] = step => step.RemoveKind("buoy"),
        ["the part flam of beacon becomes light"] = step => step.RenamePart("beacon", "flam", "light"),
        ["flame of each sluice: /lit is removed"] = step => step.ForEachPart("sluice", "flame", flame => flame.Remove("/lit")),
        ["flame of each beacon: /lid is removed"] = step => step.ForEachPart("beacon", "flame", flame => flame.Remove("/lid")),
        ["each heron: /parts/mod is removed"] = step => step.ForEachEntity("heron", heron => heron.Remove("/parts/mod")),
        ["gate of each sluice: /setting: the value Halb becomes Ajar"] = step => step.ForEachPart("sluice", "gate", gate => gate.RenameEnumValue("/setting", "Halb", "Ajar")),
        ["/warden: the variant keeper becomes warden"] = step => step.RenameVariant("/warden", "keeper", "warden"),
        ["/session/wether/wind is removed"] = step => step.Remove("/session/wether/wind"),
        ["/scenes/*/entitys is removed"] = step => step.Remove("/scenes/*/entitys"),
        ["/scenes/*/entities/*/parts/flam is removed"] = step => step.Remove("/scenes/*/entities/*/parts/flam"),
    };

    [Theory]
    [MemberData(nameof(Unmatched))]
    public void A_name_that_no_recorded_save_has_is_an_error(string operation)
    {
        var problems = new MigrationChain().From(1, Wrong[operation]).ProblemsFor(Recorded.Take(2).ToList());
        Assert.Contains(problems, problem => problem.StartsWith("The step 1 → 2 names something that no save of version 1 has", StringComparison.Ordinal) && problem.Contains(operation, StringComparison.Ordinal));
    }

    [Fact]
    public void What_an_operation_before_made_may_be_named_and_so_may_what_is_free()
    {
        var chain = new MigrationChain().From(1, step => step
            .Rename("/season/floods", "tides").Convert("/season/tides", SaveValueKind.Integer).SetDefault("/season/note/of", "").Rename("/season/note/of", "by")
            .RenameKind("punt", "boat").ForEachEntity("boat", boat => boat.Rename("/parts/place", "where"))
            .Remove("/session/place").IfPresent.Remove("/scenes/marsh/gone").IfPresent.Convert("/scenes/marsh/entities/*/kind", SaveValueKind.Text));
        Assert.DoesNotContain(chain.ProblemsFor(Recorded.Take(2).ToList()), problem => problem.Contains("names what", StringComparison.Ordinal));
    }

    [Fact]
    public void A_loss_that_no_operation_deals_with_is_an_error_and_so_is_a_step_that_does_nothing()
    {
        var problems = new MigrationChain().From(1, _ => { }).ProblemsFor(Recorded.Take(2).ToList());
        Assert.Equal(
            [
                "The step 1 → 2 does not handle this: /season/floods was removed: int32. Add an operation, or declare the loss with Accept.",
                "The step 1 → 2 does not handle this: /season/lettersDelivered was removed: int32. Add an operation, or declare the loss with Accept.",
                "The step 1 → 2 does not handle this: /season/oilBurnt was removed: int32. Add an operation, or declare the loss with Accept.",
                "The step 1 → 2 does not handle this: gate of each sluice: /setting: the value Half was removed. Add an operation, or declare the loss with Accept.",
            ],
            problems.Order(StringComparer.Ordinal));
        var accepted = new MigrationChain().From(1, step => step.Accept("/season", "the season begins anew").ForEachPart("sluice", "gate", gate => gate.Accept("", "it is shut")));
        Assert.Empty(accepted.ProblemsFor(Recorded.Take(2).ToList()));
        Assert.Equal("1 → 2: /season: the season begins anew", accepted.ToString().Split(Environment.NewLine)[0]);
        var byOwnCode = new MigrationChain().From(1, step => step.Run("all of it", ["season", "scenes/*"], _ => { }));
        Assert.Empty(byOwnCode.ProblemsFor(Recorded.Take(2).ToList()));
    }

    [Fact]
    public void A_kind_is_taken_out_of_all_scenes_and_nothing_else_is()
    {
        var migrations = new MigrationChain().From(1, step => step.RemoveKind("lantern"));
        var migrated = migrations.Migrate(SavedFile.FromBytes(SaveHistory.SaveOfFirstRelease()), 2);
        var (before, after) = (Kinds(SavedFile.FromBytes(SaveHistory.SaveOfFirstRelease())), Kinds(migrated));
        Assert.Contains("lantern", before);
        Assert.Equal(before.Where(kind => kind != "lantern"), after);
        Assert.Equal("1 → 2: the kind lantern is removed", migrations.ToString());

        static List<string> Kinds(SavedFile save) => [.. save.Sections.Where(section => section.Name.StartsWith("scenes/", StringComparison.Ordinal))
            .SelectMany(section => ((SaveMap)((SaveMap)save.ReadSection(section.Name))["entities"]).Select(entity => ((SaveMap)entity.Value)["kind"].AsText()!))];
    }

    [Fact]
    public void The_contents_of_shared_objects_are_named_beside_their_section()
    {
        var (before, after) = (ShapeOf<BagsV1>(), ShapeOf<BagsV2>());
        var loss = Assert.Single(before.ChangesTo(after), change => change.IsLoss);
        Assert.Equal("/bags#shared/*/kind was removed: text", loss.ToString());
        Assert.Equal(".From(1, step => step\n    .Rename(\"/bags#shared/*/kind\", \"what\"))", before.ProposeStepTo(after));
        Assert.Empty(new MigrationChain().From(1, step => step.Rename("/bags#shared/*/kind", "what")).ProblemsFor([before, after]));
        Assert.NotEmpty(new MigrationChain().From(1, step => step.Rename("/bags/hand/kind", "what")).ProblemsFor([before, after]));
    }

    private static SaveShape ShapeOf<T>() => SaveShape.OfAssembly(typeof(T).Assembly.Location, typeof(T).FullName);

    private static string Here([CallerFilePath] string here = "") => Path.GetDirectoryName(here)!;
}
