using System.Runtime.CompilerServices;
using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Testing;
using Tidewarden;

namespace Lodrik.Tests.Migrations;

/// <summary>A forgotten step is found by the game's tests, and the message says what would be lost.</summary>
public sealed class CompatibilityTests : IDisposable
{
    private const string Examples = "../../../examples/Tidewarden/";

    private readonly string _folder = Directory.CreateTempSubdirectory("ledger-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    public static TheoryData<string> Samples => [.. new[] { "saves", "saves-protected" }
        .SelectMany(folder => Directory.EnumerateFiles(Path.Combine(Here(), Examples, folder), "*", SearchOption.AllDirectories))
        .Where(file => Path.GetExtension(file) != ".jwk").Order().Select(file => Path.GetRelativePath(Path.Combine(Here(), Examples), file))];

    [Fact]
    public void Saves_of_every_release_of_the_demo_game_load_today()
    {
        var report = SaveCompatibility.Of<TidewardenSave>(Examples + "ledger", SaveHistory.Migrations)
            .WithScenes<Scene>()
            .WithSection<Weather>("weather")
            .WithSamples(Examples + "saves")
            .WithSaves(200)
            .WithSeed(7)
            .Check();
        Assert.Equal("versions 1, 2, 3, 4: 800 saves and 16 sample files load", report.ToString());
        Assert.Equal([1, 2, 3, 4], report.Versions);
        Assert.Equal((800, 0, 16), (report.SaveCount, report.RefusedCount, report.SampleCount));
    }

    [Theory]
    [MemberData(nameof(Samples))]
    public void A_night_that_was_saved_by_any_release_is_played_on(string sample)
    {
        var storage = new MemoryStorage();
        storage.Write("slots/night/00000001" + Path.GetExtension(sample), File.ReadAllBytes(Path.Combine(Here(), Examples, sample)), replace: false);
        var key = SaveKey.FromJwk(File.ReadAllText(Path.Combine(Here(), Examples, "saves-protected", "sample.jwk")));
        var protection = sample.Contains("encrypted", StringComparison.Ordinal) ? SaveProtection.Encrypted(key) : sample.Contains("sealed", StringComparison.Ordinal) ? SaveProtection.With(key) : null;
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage, Migrations = SaveHistory.Migrations, Protection = protection });
        using var game = new Game(store);
        game.Session.Load("night");
        Assert.Equal((5, 4, 1, 0), (game.Warden.Oil, game.Season.Tally.OilBurnt, game.Season.Tally.LettersDelivered, game.Season.Tally.Floods));
        Assert.Equal(("tinderbox", "", 36f, ErrandState.Done), (game.Warden.Satchel[0].What, game.Warden.Satchel[0].From, game.Weather.WindKnots, game.Errands["letter-1"].State));
        Assert.Equal((3, 3, 1), (game.Scene.Beacons.Count(beacon => beacon.Lit), game.Scene.Lanterns.Count, game.Scene.Herons.Count(heron => heron.Wary)));
        Assert.Empty(game.Session.UnsavedChanges());
        // The checkpoint that the save has in it was migrated with it.
        game.Drown();
        Assert.Equal((2, 1), (game.Scene.Beacons.Count(beacon => beacon.Lit), game.Season.Tally.Floods));
        game.Session.Save("night");
        Assert.Equal(4, store.History("night")[0].Header!.Version);
    }

    [Fact]
    public void Saves_of_recorded_shapes_go_through_the_chain_and_what_was_only_added_needs_no_step()
    {
        Record<FerryV1>();
        Record<Ferry>();
        Assert.Equal("versions 1, 3: 400 saves and 0 sample files load", Check(new MigrationChain().From(1, RenameAll).From(2, TidyAll)).ToString());
    }

    [Fact]
    public void A_member_that_was_renamed_without_a_step_fails_with_the_smallest_save()
    {
        Record<FerryV1>();
        var failure = Assert.Throws<CompatibilityException>(() => Check(new MigrationChain().From(1, step => RenameAll(step, but: "/pilot/hp")).From(2, TidyAll)));
        Assert.Equal((1, "/pilot/hp"), (failure.Version, failure.Path));
        Assert.Contains("Something is lost: Lodrik.Tests.Migrations.Pilot of today has no such member.", failure.Message, StringComparison.Ordinal);
        // Nothing in the save that has nothing to do with it.
        Assert.Matches("""hp +0\s""", failure.Message);
        Assert.Matches("""name +""\s""", failure.Message);
        Assert.DoesNotContain("what", failure.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_member_that_was_retyped_without_a_step_fails()
    {
        Record<FerryV1>();
        var failure = Assert.Throws<CompatibilityException>(() => Check(new MigrationChain().From(1, RenameAll).From(2, step => TidyAll(step, but: "/pilot/fuel"))));
        Assert.Equal((1, "/pilot/fuel"), (failure.Version, failure.Path));
        Assert.IsType<SaveContentException>(failure.InnerException);
    }

    [Fact]
    public void A_step_that_fails_for_some_values_is_named()
    {
        Record<FerryV1>();
        var failure = Assert.Throws<CompatibilityException>(() => Check(new MigrationChain()
            .From(1, step => { RenameAll(step, but: "/pilot/name"); step.Split("/pilot/name", ["first", "last"], "at the blank", name => [.. name.AsText()!.Split(' ').Select(word => (SaveValue)word)]); })
            .From(2, TidyAll)));
        Assert.Contains("The step 1 → 2 failed at \"/pilot/name is split at the blank", failure.Message, StringComparison.Ordinal);
        Assert.Equal(1, Assert.IsType<MigrationException>(failure.InnerException).FromVersion);
    }

    [Fact]
    public void A_check_says_what_it_has_to_be_given()
    {
        Assert.Contains("There is nothing in the ledger", Assert.Throws<CompatibilityException>(() => Check(new MigrationChain().From(1, _ => { }).From(2, _ => { }))).Message, StringComparison.Ordinal);
        var scenes = SaveCompatibility.Of<TidewardenSave>(Examples + "ledger", SaveHistory.Migrations);
        Assert.Contains("WithScenes", Assert.Throws<CompatibilityException>(() => scenes.Check()).Message, StringComparison.Ordinal);
        Record<FerryV1>();
        Assert.Contains("no folder", Assert.Throws<CompatibilityException>(() => Of(new MigrationChain().From(1, RenameAll).From(2, TidyAll)).WithSamples("nowhere").Check()).Message, StringComparison.Ordinal);
        File.WriteAllText(Path.Combine(_folder, "sample.json"), "{ \"lodrik\": { \"format\": 1 }, ");
        Assert.Contains("The sample", Assert.Throws<CompatibilityException>(() => Of(new MigrationChain().From(1, RenameAll).From(2, TidyAll)).WithSamples(_folder).Check()).Message, StringComparison.Ordinal);
    }

    private static void RenameAll(MigrationStep step) => RenameAll(step, but: "");

    private static void RenameAll(MigrationStep step, string but)
    {
        if (but != "/pilot/hp")
            step.Rename("/pilot/hp", "health");
        if (but != "/pilot/name")
            step.Split("/pilot/name", ["first", "last"], "at the blank", name => name.AsText()!.Split(' ', 2) is [var first, var last] ? [first, last] : [name, ""]);
        step.ForEach("/pilot/hold/*", cargo => cargo.Rename("/what", "kind").Rename("/number", "count"));
    }

    private static void TidyAll(MigrationStep step) => TidyAll(step, but: "");

    private static void TidyAll(MigrationStep step, string but)
    {
        step.Move("/route/crossings", "/pilot/tally/crossings").Convert("/route/weather", "becomes Still or Gale", weather => weather.AsText() == "Gale" ? "Gale" : "Still");
        if (but != "/pilot/fuel")
            step.Convert("/pilot/fuel", "is rounded to litres", fuel => (long)Math.Clamp(fuel.AsDouble() is var litres && double.IsNaN(litres) ? 0 : litres, int.MinValue, int.MaxValue));
    }

    private CompatibilityReport Check(MigrationChain chain) => Of(chain).Check();

    private CompatibilityCheck<Ferry> Of(MigrationChain chain) => SaveCompatibility.Of<Ferry>(_folder, chain).WithScenes<Scene>().WithNames("Tidewarden.Glasses", Glasses.Catalogue.Names);

    private void Record<T>() => Ledger.Open(_folder).Record(SaveShape.OfAssembly(typeof(T).Assembly.Location, typeof(T).FullName));

    private static string Here([CallerFilePath] string here = "") => Path.GetDirectoryName(here)!;
}
