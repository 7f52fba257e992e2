using System.Text;
using Lodrik.Protection;
using Lodrik.Storage;
using static Lodrik.Tests.Protection.SampleFerries;

namespace Lodrik.Tests.Protection;

/// <summary>An old save that somebody put in place of a newer one is a good save, and the store's counter tells nevertheless.</summary>
public sealed class ReplayTests
{
    private static readonly SaveProtection Counting = SaveProtection.With(Key()) with { HasCounter = true };

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void A_replayed_save_loads_and_is_told(bool encrypted)
    {
        var protection = encrypted ? SaveProtection.Encrypted(Key()) with { HasCounter = true } : Counting;
        var storage = new MemoryStorage();
        using var store = Open(storage, protection);
        store.Save("evening", Sample(hp: 7));
        var old = storage.Read(Files(storage)[0])!;
        store.Save("evening", Sample(hp: 1));
        Assert.Null(store.Load("evening").Replay);
        Assert.Equal(2, store.LastWriteNumber());
        var extension = Path.GetExtension(Files(storage)[0]);
        storage.Write($"slots/evening/00000003{extension}", old, replace: false);

        var loaded = store.Load("evening");
        Assert.Equal((3, 7), (loaded.Generation, loaded.State.Pilot.Hp));
        Assert.Equal((1L, 2L), (loaded.Replay!.WriteNumber!.Value, loaded.Replay.NewestKnown!.Value));
        Assert.Contains("has held a newer save", loaded.Replay.Reason, StringComparison.Ordinal);
        // What is saved now is newer than everything known.
        store.Save("evening", loaded.State);
        Assert.Null(store.Load("evening").Replay);
        Assert.Equal(3, store.LastWriteNumber());
    }

    [Fact]
    public void A_newer_save_that_was_taken_away_is_told_too()
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, Counting);
        store.Save("evening", Sample());
        store.Save("evening", Sample());
        storage.Delete(Files(storage)[^1]);
        Assert.NotNull(store.Load("evening").Replay);
    }

    [Fact]
    public void What_the_game_does_itself_is_no_reason_for_alarm()
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, Counting, keep: 2);
        for (var i = 0; i < 4; i++)
            store.Save("evening", Sample(i));
        store.QuickSave(Sample());
        store.StartPlaythrough();
        store.QuickSave(Sample());
        store.Copy("evening", "copy");
        store.Rename("copy", "dusk");
        store.Reinstate("evening", 3);
        foreach (var slot in new SlotName[] { "evening", "dusk", SlotName.Quick })
            Assert.Null(store.Load(slot).Replay);
        Assert.Null(store.QuickLoad().Replay);
        Assert.Null(store.Continue().Replay);
        store.DeleteGeneration("dusk", 4);
        Assert.Null(store.Load("dusk").Replay);
        store.Delete("evening");
        Assert.False(store.Load("evening").Found);
        // A save of a game that was cut short between the save and the counter is newer than that says.
        store.Save("noon", Sample());
        var counter = storage.Read("counter.jws")!;
        store.Save("noon", Sample());
        storage.Write("counter.jws", counter, replace: true);
        Assert.Null(store.Load("noon").Replay);
    }

    [Fact]
    public void A_slot_that_was_deleted_and_comes_back_is_told()
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, Counting);
        store.Save("evening", Sample());
        var (name, bytes) = (Files(storage)[0], storage.Read(Files(storage)[0])!);
        store.Delete("evening");
        storage.Write(name, bytes, replace: false);
        Assert.Contains("not one that the store wrote", store.Load("evening").Replay!.Reason, StringComparison.Ordinal);
        // So is one that was given another name.
        store.Save("noon", Sample());
        storage.Write("slots/dusk/00000001.json", storage.Read("slots/noon/00000001.json")!, replace: false);
        Assert.NotNull(store.Load("dusk").Replay);
    }

    [Fact]
    public void A_counter_that_is_missing_edited_or_set_back_is_told()
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, Counting);
        store.Save("evening", Sample());
        var first = storage.Read("counter.jws")!;
        store.Save("evening", Sample());
        var counter = storage.Read("counter.jws")!;

        storage.Delete("counter.jws");
        Assert.Contains("removed", store.Load("evening").Replay!.Reason, StringComparison.Ordinal);
        foreach (var at in Enumerable.Range(0, counter.Length))
        {
            var edited = counter.ToArray();
            edited[at] ^= 1;
            storage.Write("counter.jws", edited, replace: true);
            Assert.Contains("was changed", store.Load("evening").Replay!.Reason, StringComparison.Ordinal);
        }
        // The whole folder as it was yesterday: only who knows the count from elsewhere can tell.
        storage.Write("counter.jws", first, replace: true);
        storage.Delete(Files(storage)[^1]);
        Assert.Null(store.Load("evening").Replay);
        using (var knowing = Open(storage, Counting with { NewestKnown = 2 }))
        {
            Assert.Contains("whole store is older", knowing.Load("evening").Replay!.Reason, StringComparison.Ordinal);
            knowing.Save("evening", Sample());
            Assert.Equal((3, null), (knowing.LastWriteNumber(), knowing.Load("evening").Replay));
        }
        // A counter of another account, or of another key, is none.
        using var other = Open(storage, Counting with { Context = "another" });
        Assert.Equal(0, other.LastWriteNumber());
        using var edgeless = Open(storage, SaveProtection.With(Key("other")) with { HasCounter = true });
        Assert.Equal(0, edgeless.LastWriteNumber());
    }

    [Fact]
    public void A_store_that_only_checks_signatures_copies_and_deletes_all_the_same()
    {
        using var pair = System.Security.Cryptography.ECDsa.Create(System.Security.Cryptography.ECCurve.NamedCurves.nistP256);
        var storage = new MemoryStorage();
        using (var studio = Open(storage, SaveProtection.With(SaveKey.Signing("studio", pair.ExportPkcs8PrivateKeyPem())) with { HasCounter = true }))
            studio.Save("evening", Sample());
        using var player = Open(storage, SaveProtection.With(SaveKey.Verifying("studio", pair.ExportSubjectPublicKeyInfoPem())) with { HasCounter = true });
        Assert.Null(player.Load("evening").Replay);
        player.Copy("evening", "copy");
        Assert.NotNull(player.Load("copy").Replay);
        Assert.True(player.Delete("copy"));
        Assert.Equal((1, null), (player.LastWriteNumber(), player.Load("evening").Replay));
    }

    [Fact]
    public void Saves_of_before_the_store_counted_are_taken_as_they_are()
    {
        var storage = new MemoryStorage();
        using (var before = Open(storage, SaveProtection.With(Key())))
            before.Save("evening", Sample());
        using var store = Open(storage, Counting);
        Assert.Null(store.Load("evening").Replay);
        Assert.Null(store.Load("evening").Header!.WriteNumber);
        store.Save("evening", Sample());
        Assert.Equal((1L, null), (store.Load("evening").Header!.WriteNumber!.Value, store.Load("evening").Replay));
        Assert.NotNull(store.LoadGeneration("evening", 1).Replay);
        // The count stands under the seal.
        var text = Encoding.UTF8.GetString(storage.Read(Files(storage)[^1])!);
        Assert.Contains("\"count\": 1", text, StringComparison.Ordinal);
        storage.Write(Files(storage)[^1], Encoding.UTF8.GetBytes(text.Replace("\"count\": 1", "\"count\": 9", StringComparison.Ordinal)), replace: true);
        Assert.Throws<TamperedSaveException>(() => store.Load("evening"));
    }
}
