using Lodrik.Migrations;
using Lodrik.Storage;
using Lodrik.Tests.Migrations;

namespace Lodrik.Tests.Saves;

/// <summary>A single file lives through releases too: a profile, settings, something that people edit.</summary>
public sealed class SingleFileTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("single-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    public void A_readable_file_can_be_as_short_as_it_can_be(SaveForm form)
    {
        var purse = new Purse { Amount = 4, Gem = new Gem { Name = "jet" } };
        var (full, compact) = (StateFile.ToText(purse, form), StateFile.ToText(purse, form, indented: false));
        Assert.True(compact.Length < full.Length && !compact.TrimEnd('\n').Contains("\n  ", StringComparison.Ordinal), compact);
        Assert.Equal(("jet", 4), (StateFile.FromText<Purse>(compact).Gem!.Name, StateFile.FromText<Purse>(compact).Amount));
        StateFile.Write(At("purse"), purse, form, indented: false);
        Assert.Equal(compact.Length, File.ReadAllText(At("purse")).Length);
    }

    [Fact]
    public void A_file_for_people_has_the_state_alone()
    {
        var purse = new Purse { Amount = 4, Gem = new Gem { Name = "jet" } };
        StateFile.WritePlain(At("purse.json"), purse);
        Assert.Equal("{\n  \"amount\": 4,\n  \"gem\": {\n    \"name\": \"jet\"\n  }\n}\n", File.ReadAllText(At("purse.json")));
        Assert.Equal(File.ReadAllText(At("purse.json")), StateFile.ToPlainText(purse));
        Assert.Equal("jet", StateFile.Read<Purse>(At("purse.json")).Gem!.Name);
        Assert.Throws<UnsavableStateException>(() => StateFile.WritePlain(At("ring.json"), new RingBox { Ring = new Ring() }));
        Assert.False(File.Exists(At("ring.json")));
        Assert.Throws<ArgumentException>(() => StateFile.WritePlain("", purse));
    }

    [Fact]
    public void A_new_object_in_place_of_a_damaged_file_comes_with_the_problem()
    {
        Assert.Equal(0, StateFile.ReadOrNew<Purse>(At("none.json"), out var none).Amount);
        Assert.Null(none);
        File.WriteAllText(At("half.json"), StateFile.ToText(new Purse { Amount = 4 })[..^30]);
        Assert.Equal(0, StateFile.ReadOrNew<Purse>(At("half.json"), out var problem).Amount);
        Assert.Equal(At("half.json"), problem!.Location.File);
        Assert.Contains("or a copy", problem.Message, StringComparison.Ordinal);
        StateFile.Write(At("whole.json"), new Purse { Amount = 4 });
        Assert.Equal(4, StateFile.ReadOrNew<Purse>(At("whole.json"), out var fine).Amount);
        Assert.Null(fine);
        Directory.CreateDirectory(At("folder.json"));
        Assert.Throws<StorageException>(() => StateFile.ReadOrNew<Purse>(At("folder.json"), out _));
    }

    [Fact]
    public void A_profile_of_an_older_release_is_migrated_and_a_damaged_one_is_told()
    {
        StateFile.Write(At("profile.json"), new BagsV1 { Bags = { Hand = new ThingV1 { Kind = "flask" } } });
        var chain = new MigrationChain().From(1, step => step.Rename("/bags#shared/*/kind", "what"));
        Assert.Equal("flask", chain.ReadOrNew<BagsV2>(At("profile.json")).Bags.Hand!.What);
        using (var kept = chain.Keep<BagsV2>(At("profile.json")))
        {
            Assert.Equal(("flask", false), (kept.State.Bags.Hand!.What, kept.HasUnsavedChanges));
            kept.State.Bags.Hand.What = "lantern";
        }
        Assert.Equal("lantern", StateFile.Read<BagsV2>(At("profile.json")).Bags.Hand!.What);
        // Without the chain, the older release's file is put aside like a damaged one.
        StateFile.Write(At("old.json"), new BagsV1 { Bags = { Hand = new ThingV1 { Kind = "flask" } } });
        using (var kept = StateFile.Keep<BagsV2>(At("old.json")))
            Assert.Equal("flask", StateFile.Read<BagsV1>(Assert.Single(kept.Notices).PutAside!).Bags.Hand!.Kind);
        Assert.Null(chain.ReadOrNew<BagsV2>(At("none.json"), out var none).Bags.Hand);
        Assert.Null(none);
        File.WriteAllText(At("profile.json"), "{");
        Assert.Null(chain.ReadOrNew<BagsV2>(At("profile.json"), out var problem).Bags.Hand);
        Assert.NotNull(problem);
        Assert.ThrowsAny<SaveException>(() => chain.ReadOrNew<BagsV2>(At("profile.json")));
    }

    private string At(string name) => Path.Combine(_folder, name);
}

[StateType]
public sealed partial class RingBox
{
    public Ring? Ring { get; set; }
}
