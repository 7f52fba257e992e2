using Lodrik.Migrations;
using Lodrik.Testing;

namespace Lodrik.Tests.Migrations;

/// <summary>The compatibility test proves that saves keep their values, and not only that they load.</summary>
public sealed class KeptValuesTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kept-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void A_value_that_the_game_changes_is_told_with_what_to_say_of_it()
    {
        Record<Hold>();
        var told = Assert.Throws<CompatibilityException>(() => SaveCompatibility.Of<Hold>(_folder).Check());
        Assert.StartsWith("/holds/", told.Path, StringComparison.Ordinal);
        Assert.EndsWith("/oil", told.Path, StringComparison.Ordinal);
        Assert.Matches(@"A value changes when it is loaded: -?\d+ became (0|100)\. If the game's own code changes it, name it with WithChanged\.", told.Message);
        Assert.Equal(200, SaveCompatibility.Of<Hold>(_folder).WithChanged("/holds/*/oil").Check().SaveCount);
        Assert.Equal(200, SaveCompatibility.Of<Hold>(_folder).WithChanged("/holds").Check().SaveCount);
        Assert.Throws<CompatibilityException>(() => SaveCompatibility.Of<Hold>(_folder).WithChanged("/holds/*/note").Check());
    }

    [Fact]
    public void Contents_of_shared_objects_are_made_up_and_one_that_is_lost_is_told()
    {
        Record<BagsV1>();
        Assert.Equal(60, SaveCompatibility.Of<BagsV2>(_folder, Chain("/bags#shared/*/kind")).WithSaves(60).Check().SaveCount);
        var told = Assert.Throws<CompatibilityException>(() => SaveCompatibility.Of<BagsV2>(_folder, new MigrationChain().From(1, _ => { })).WithSaves(60).Check());
        Assert.EndsWith("/kind", told.Path, StringComparison.Ordinal);

        static MigrationChain Chain(string path) => new MigrationChain().From(1, step => step.IfPresent.Rename(path, "what"));
    }

    [Fact]
    public void A_sample_that_loses_a_value_does_not_pass()
    {
        Record<Hold>();
        var sample = StateFile.ToText(new Hold { Holds = [new Cask { Oil = 7 }] }).Replace("7", "700", StringComparison.Ordinal);
        Directory.CreateDirectory(Path.Combine(_folder, "samples"));
        File.WriteAllText(Path.Combine(_folder, "samples", "night.json"), sample);
        var told = Assert.Throws<CompatibilityException>(() => SaveCompatibility.Of<Hold>(_folder).WithSamples(Path.Combine(_folder, "samples")).WithChanged("/holds/*/never").WithSaves(1).WithSeed(3).Check());
        Assert.Contains("became", told.Message, StringComparison.Ordinal);
    }

    private void Record<T>() => Ledger.Open(_folder).Record(SaveShape.OfAssembly(typeof(T).Assembly.Location, typeof(T).FullName));
}

[SaveFile("hold")]
public sealed partial class Hold
{
    public List<Cask> Holds { get; set; } = [];
}

/// <summary>A setter that keeps what it is given in its range.</summary>
[StateType]
public sealed partial class Cask
{
    private int _oil;

    public int Oil
    {
        get => _oil;
        set => _oil = Math.Clamp(value, 0, 100);
    }

    public string Note { get; set; } = "";
}
