using System.Text;
using Lodrik.Protection;
using Lodrik.Storage;
using Lodrik.Tests.Migrations;
using Lodrik.Tests.State;
using static Lodrik.Tests.Protection.SampleFerries;

namespace Lodrik.Tests.Slots;

/// <summary>What becomes of a save that is readable and not what it should be is one question with four answers, whatever is wrong.</summary>
public sealed class SaveTreatmentTests
{
    private readonly MemoryStorage _storage = new();

    [Fact]
    public void By_default_edits_load_replays_are_marked_and_all_else_is_refused()
    {
        var options = new SaveStoreOptions();
        Assert.Equal(
            (SaveTreatment.Load, SaveTreatment.Refuse, SaveTreatment.Refuse, SaveTreatment.Refuse, SaveTreatment.Mark),
            (options.EditedSaves, options.TamperedSaves, options.NewerSaves, options.InvalidSaves, options.ReplayedSaves));
    }

    [Theory]
    [InlineData(SaveTreatment.Load, 2, false)]
    [InlineData(SaveTreatment.Mark, 2, true)]
    [InlineData(SaveTreatment.PassOver, 0, true)]
    [InlineData(SaveTreatment.Refuse, 0, true)]
    public void A_replayed_save_is_treated_as_the_game_says(SaveTreatment treatment, int generation, bool isTold)
    {
        var protection = SaveProtection.With(Key()) with { HasCounter = true };
        using (var store = Open(_storage, protection))
        {
            store.Save("evening", Sample(hp: 7));
            store.Save("evening", Sample(hp: 1));
        }
        _storage.Write("slots/evening/00000002.json", _storage.Read("slots/evening/00000001.json")!, replace: true);
        using var again = Open(_storage, protection, replayed: treatment);
        if (generation > 0)
        {
            var loaded = again.Load("evening");
            Assert.Equal((generation, 7, isTold), (loaded.Generation, loaded.State.Pilot.Hp, loaded.Replay is not null));
            return;
        }
        // Passing over ends at the first generation, which is as old.
        var problem = Assert.Throws<TamperedSaveException>(() => again.Load("evening"));
        Assert.Equal(SaveErrorCode.Replayed, problem.Code);
        Assert.Equal(treatment == SaveTreatment.PassOver, problem.Message.Contains("None of the 2 generations", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData(SaveTreatment.Load, 2), InlineData(SaveTreatment.Mark, 2), InlineData(SaveTreatment.PassOver, 1), InlineData(SaveTreatment.Refuse, 0)]
    public void A_newer_save_is_treated_as_the_game_says(SaveTreatment treatment, int generation)
    {
        using (var store = Open(_storage, protection: null))
            store.Save("evening", Sample(hp: 7));
        var text = Encoding.UTF8.GetString(_storage.Read("slots/evening/00000001.json")!);
        _storage.Write("slots/evening/00000002.json", Encoding.UTF8.GetBytes(text.Replace("\"version\": 1", "\"version\": 9", StringComparison.Ordinal)), replace: false);
        using var again = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = _storage, NewerSaves = treatment });
        if (generation == 0)
        {
            Assert.Equal(SaveErrorCode.NewerVersion, Assert.Throws<SaveMismatchException>(() => again.Load("evening")).Code);
            return;
        }
        var loaded = again.Load("evening");
        Assert.Equal((generation, generation == 2), (loaded.Generation, loaded.IsFromNewerVersion));
        Assert.Equal(generation == 1 ? SaveErrorCode.NewerVersion : default(SaveErrorCode?), loaded.PassedOver.FirstOrDefault()?.Code);
    }

    [Theory]
    [InlineData(SaveTreatment.Load, 2), InlineData(SaveTreatment.Mark, 2), InlineData(SaveTreatment.PassOver, 1), InlineData(SaveTreatment.Refuse, 0)]
    public void A_save_that_was_edited_by_hand_is_treated_as_the_game_says(SaveTreatment treatment, int generation)
    {
        using (var store = Open(_storage, protection: null))
        {
            store.Save("evening", Sample(hp: 7));
            store.Save("evening", Sample(hp: 7));
        }
        var text = Encoding.UTF8.GetString(_storage.Read("slots/evening/00000002.json")!);
        _storage.Write("slots/evening/00000002.json", Encoding.UTF8.GetBytes(text.Replace("\"hp\": 7", "\"hp\": 99", StringComparison.Ordinal)), replace: true);
        using var again = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = _storage, EditedSaves = treatment });
        if (generation == 0)
        {
            Assert.Equal(SaveErrorCode.EditedByHand, Assert.Throws<SaveContentException>(() => again.Load("evening")).Code);
            return;
        }
        var loaded = again.Load("evening");
        Assert.Equal((generation, generation == 2 ? 99 : 7, generation == 2), (loaded.Generation, loaded.State.Pilot.Hp, loaded.WasEditedByHand));
    }

    [Theory]
    [InlineData(SaveTreatment.Load), InlineData(SaveTreatment.Mark)]
    public void A_save_that_the_games_own_rules_refuse_cannot_be_asked_to_load(SaveTreatment treatment) => Assert.Contains(
        "InvalidSaves",
        Assert.Throws<ArgumentException>(() => SaveStore<SampleSave>.Open(new SaveStoreOptions { Storage = _storage, InvalidSaves = treatment })).Message,
        StringComparison.Ordinal);
}
