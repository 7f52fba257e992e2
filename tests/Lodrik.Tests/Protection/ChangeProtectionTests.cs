using System.Security.Cryptography;
using Lodrik.Protection;
using Lodrik.Storage;
using Lodrik.Tests.Migrations;
using Lodrik.Tests.Slots;
using static Lodrik.Tests.Protection.SampleFerries;

namespace Lodrik.Tests.Protection;

/// <summary>The form and the protection of a store that is open, changed while the game runs.</summary>
public sealed class ChangeProtectionTests
{
    private static readonly SaveProtection Sealed = SaveProtection.With(Key("2030"));
    private static readonly SaveProtection Encrypted = SaveProtection.Encrypted(Key("2031")) with { HasHiddenTitles = true };

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    [Fact]
    public void Each_save_is_written_in_the_form_of_its_moment_and_all_of_them_load()
    {
        using var store = Open(new MemoryStorage(), null);
        foreach (var (form, slot) in new[] { (SaveForm.Json, "one"), (SaveForm.Binary, "two"), (SaveForm.Xml, "three"), (SaveForm.Json, "four") })
        {
            store.Form = form;
            Assert.Equal((form, form), (store.Form, store.Save(slot, Sample()).Form));
        }
        Assert.EndsWith(".xml", store.List().Single(one => one.Slot == "three").File, StringComparison.Ordinal);
        Assert.All(store.List(), one => Assert.Equal(7, store.Load(one.Slot).State.Pilot.Hp));
        Assert.Throws<ArgumentException>(() => store.Form = (SaveForm)9);
    }

    [Fact]
    public async Task All_saves_come_along_and_the_next_ones_are_written_under_the_new_protection()
    {
        var storage = new MemoryStorage();
        using (var store = Open(storage, null))
        {
            foreach (var (to, hp) in new[] { (Sealed, 1), (Encrypted, 2), (Sealed, 3), ((SaveProtection?)null, 4), (Encrypted, 5) })
            {
                store.Save("evening", Sample(hp), Label($"hour {hp}"));
                var results = hp % 2 == 0 ? store.ChangeProtection(to) : await store.ChangeProtectionAsync(to, Cancellation);
                Assert.All(results, one => Assert.True(one is { Changed: true, Problem: null }));
                Assert.Equal((to, hp), (store.Protection, results.Count));
                Assert.Equal($"hour {hp}", store.List().Single().Title);
                Assert.Equal(hp, store.Load("evening").State.Pilot.Hp);
                Assert.False(store.WouldLoseProgress(Sample(hp)));
            }
            store.Save("noon", Sample(6));
        }
        using var later = Open(storage, Encrypted);
        Assert.Equal((5, 6), (later.Load("evening").State.Pilot.Hp, later.Load("noon").State.Pilot.Hp));
        using var without = Open(storage, Sealed);
        Assert.Throws<TamperedSaveException>(() => without.Load("noon"));
    }

    [Fact]
    public async Task While_it_goes_on_every_save_loads_and_what_was_asked_for_before_is_written_first()
    {
        var storage = new GatedStorage();
        using var store = Open(storage, Sealed);
        for (var hp = 1; hp <= 4; hp++)
            store.Save($"slot-{hp}", Sample(hp));
        storage.Shut();
        var saving = store.SaveAsync("slot-5", Sample(5), cancellationToken: Cancellation);
        var changing = store.ChangeProtectionAsync(Encrypted, Cancellation);
        while (!changing.IsCompleted)
        {
            for (var hp = 1; hp <= 4; hp++)
                Assert.Equal(hp, store.Load($"slot-{hp}").State.Pilot.Hp);
            storage.LetOneGo();
            await Task.Yield();
        }
        await saving;
        Assert.Equal(5, (await changing).Count(one => one.Changed));
        Assert.Equal(5, store.Load("slot-5").State.Pilot.Hp);
        Assert.False(store.WouldLoseProgress(Sample(5)));
    }

    [Fact]
    public void A_full_disk_in_the_middle_leaves_the_earlier_protection_and_nothing_unreadable_and_it_can_be_repeated()
    {
        for (var last = 1; last < 12; last++)
        {
            var storage = new GatedStorage();
            using var store = Open(storage, Sealed);
            for (var hp = 1; hp <= 4; hp++)
                store.Save($"slot-{hp}", Sample(hp));
            var before = storage.Changes;
            storage.Failure = number => number > before + last ? new StorageException("The disk is full.") : null;
            var isCut = Record.Exception(() => store.ChangeProtection(Encrypted)) is StorageException;
            Assert.Equal(isCut ? Sealed : Encrypted, store.Protection);
            for (var hp = 1; hp <= 4; hp++)
                Assert.Equal(hp, store.Load($"slot-{hp}").State.Pilot.Hp);
            storage.Failure = _ => null;
            store.Save("slot-1", Sample(9));
            Assert.All(store.ChangeProtection(Encrypted), one => Assert.Null(one.Problem));
            Assert.Equal(9, store.Load("slot-1").State.Pilot.Hp);
            Assert.All(Files(storage), file => Assert.EndsWith(".lodrik", file, StringComparison.Ordinal));
            Assert.Equal(last < 8, isCut);
        }
    }

    [Fact]
    public void Whatever_mixture_a_crash_left_loads_where_the_protections_are_listed_and_is_brought_together()
    {
        var storage = new MemoryStorage();
        SaveProtection?[] all = [null, Sealed, Encrypted];
        for (var i = 0; i < all.Length; i++)
        {
            using var store = Open(storage, all[i]);
            store.Save($"slot-{i}", Sample(i));
        }
        foreach (var own in all)
        {
            using var store = OpenAny(storage, own);
            for (var i = own is null ? 0 : 1; i < all.Length; i++)
                Assert.Equal(i, store.Load($"slot-{i}").State.Pilot.Hp);
            if (own is not null)
                Assert.Equal(SaveErrorCode.Unprotected, Assert.Throws<TamperedSaveException>(() => store.Load("slot-0")).Code);
        }
        using (var store = OpenAny(storage, null))
            Assert.Equal(3, store.ChangeProtection(Encrypted).Count(one => one.Problem is null));
        using var last = Open(storage, Encrypted);
        Assert.Equal([0, 1, 2], Enumerable.Range(0, 3).Select(i => last.Load($"slot-{i}").State.Pilot.Hp));

        static SaveStore<FerryV1> OpenAny(ISaveStorage storage, SaveProtection? own) => SaveStore<FerryV1>.Open(
            new SaveStoreOptions { Storage = storage, Protection = own, OtherProtections = [Sealed, Encrypted] });
    }

    [Fact]
    public void A_save_that_was_edited_is_not_sealed_anew_and_is_still_refused()
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, Sealed);
        store.Save("evening", Sample(), Label());
        var file = Files(storage).Single();
        storage.Write(file, System.Text.Encoding.UTF8.GetBytes(System.Text.Encoding.UTF8.GetString(storage.Read(file)!).Replace("On the river", "On the brook", StringComparison.Ordinal)), replace: true);
        Assert.Equal(SaveErrorCode.Tampered, store.ChangeProtection(Encrypted).Single().Problem?.Code);
        Assert.Throws<TamperedSaveException>(() => store.Load("evening"));
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var publicKey = SaveKey.Verifying("2032", pair.ExportSubjectPublicKeyInfoPem());
        Assert.Throws<ArgumentException>(() => store.ChangeProtection(SaveProtection.With(publicKey)));
    }
}
