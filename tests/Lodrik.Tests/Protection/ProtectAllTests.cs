using System.Buffers;
using System.Text;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.Storage;
using static Lodrik.Tests.Protection.SampleFerries;

namespace Lodrik.Tests.Protection;

/// <summary>A whole store under another key, with nothing lost wherever it is cut short.</summary>
public sealed class ProtectAllTests
{
    private static readonly SaveProtection Old = SaveProtection.With(Key("2030"));
    private static readonly SaveProtection New = SaveProtection.Encrypted(Key("2031")) with { HasCounter = true, HasHiddenTitles = true };

    [Theory]
    [InlineData(SaveForm.Json, SaveCompression.None)]
    [InlineData(SaveForm.Xml, SaveCompression.None)]
    [InlineData(SaveForm.Binary, SaveCompression.None)]
    [InlineData(SaveForm.Json, SaveCompression.Small)]
    public void There_and_back_every_file_has_the_bytes_it_had(SaveForm form, SaveCompression compression)
    {
        var storage = Filled(null, form, compression);
        var before = Files(storage).ToDictionary(file => file, file => Convert.ToHexString(storage.Read(file)!));
        foreach (var (from, to) in new[] { (null, Old), (Old, New), (New, Old with { Context = "account 7" }), (Old with { Context = "account 7" }, (SaveProtection?)null) })
        {
            var results = SaveSlots.Open(storage).Protect(from, to);
            Assert.Equal(before.Count, results.Count(one => one is { Changed: true, Problem: null }));
            Assert.All(SaveSlots.Open(storage).Protect(from, to), one => Assert.False(one.Changed || one.Problem is not null));
            using var store = Open(storage, to, form, compression);
            Assert.Equal((2, 12), (store.Load("evening").State.Pilot.Hp, store.Load("noon").State.Route.Crossings));
            Assert.Equal(before.Count, Files(storage).Count);
        }
        Assert.Equal(before, Files(storage).ToDictionary(file => file, file => Convert.ToHexString(storage.Read(file)!)));
    }

    [Fact]
    public void Cut_short_after_any_number_of_steps_it_has_lost_nothing_and_goes_on()
    {
        for (var steps = 0; ; steps++)
        {
            var storage = Filled(Old, SaveForm.Json, SaveCompression.None);
            var isCut = false;
            try
            {
                SaveSlots.Open(new CutStorage(storage, steps)).Protect(Old, New);
            }
            catch (StorageException)
            {
                isCut = true;
            }
            foreach (var number in Enumerable.Range(1, 3))
            {
                // Each generation is there under one key or the other.
                Assert.Contains(Files(storage).Where(file => file.StartsWith($"slots/evening/0000000{number}", StringComparison.Ordinal)), file => Opens(storage.Read(file)!, Old) || Opens(storage.Read(file)!, New));
            }
            Assert.All(SaveSlots.Open(storage).Protect(Old, New), one => Assert.Null(one.Problem));
            Assert.All(Files(storage), file => Assert.True(Opens(storage.Read(file)!, New) && file.EndsWith(".lodrik", StringComparison.Ordinal)));
            Assert.Equal(4, Files(storage).Count);
            if (!isCut)
                break;
        }
    }

    [Fact]
    public void A_save_that_does_not_fit_its_seal_stays_as_it_is()
    {
        var storage = Filled(Old, SaveForm.Json, SaveCompression.None);
        var edited = Files(storage)[1];
        storage.Write(edited, Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(storage.Read(edited)!).Replace("On the river", "On the brook", StringComparison.Ordinal)), replace: true);
        var bytes = storage.Read(edited)!;
        using var store = Open(storage, New);
        var results = store.ProtectAll(Old);
        var problem = Assert.Single(results, one => one.Problem is not null);
        Assert.Equal(((SlotName)"evening", 2, SaveErrorCode.Tampered), (problem.Slot, problem.Generation, problem.Problem!.Code));
        Assert.Equal(bytes, storage.Read(edited));
        Assert.Equal(3, results.Count(one => one.Changed));
        Assert.Equal(SaveErrorCode.UnknownKey, SaveSlots.Open(storage).Protect(null, Old).First(one => one.Problem is not null).Problem!.Code);
    }

    [Fact]
    public async Task Only_what_was_chosen_gets_a_seal_and_only_while_it_is_that_save()
    {
        var storage = Filled(null, SaveForm.Json, SaveCompression.None);
        using var store = Open(storage, New with { HasCounter = false });
        var chosen = store.History("evening").Where(one => one.Number != 2).ToList();
        Assert.Equal([3, 1], store.ProtectChosen(chosen).Where(one => one is { Changed: true, Problem: null }).Select(one => one.Generation));
        Assert.Equal(2, Files(storage).Count(file => Opens(storage.Read(file)!, New)));
        Assert.Throws<TamperedSaveException>(() => store.LoadGeneration("evening", 2));
        Assert.All(await store.ProtectChosenAsync(chosen, TestContext.Current.CancellationToken), one => Assert.False(one.Changed || one.Problem is not null));

        var slots = SaveSlots.Open(storage);
        Assert.All(slots.ProtectChosen(chosen, New).Concat(await slots.ProtectChosenAsync(chosen, New, TestContext.Current.CancellationToken)), one => Assert.False(one.Changed || one.Problem is not null));

        // A stranger's save in the place of the one that was seen; one that is gone; one whose header cannot be read; a seal that is there.
        var (noon, second) = (store.History("noon").Single(), store.History("evening").Single(one => one.Number == 2));
        storage.Write(noon.File, SampleFerries.Save(null), replace: true);
        Assert.Equal([null, "The generation is not the save that was chosen."], Problems(second with { Header = second.Header }, noon).Select(one => one?.Message.Split(" (")[0]));
        Assert.Equal(
            [SaveErrorCode.NoSuchSlot, SaveErrorCode.NoSuchSlot], Problems(second with { Number = 9 }, second with { Slot = "dawn" }).Select(one => one!.Code));
        Assert.NotNull(Problems(noon with { Header = null })[0]);
        using var other = Open(storage, Old);
        Assert.Equal(SaveErrorCode.UnknownKey, other.ProtectChosen([store.History("evening").First()]).Single().Problem!.Code);
        using var open = Open(storage, null);
        Assert.Throws<InvalidOperationException>(() => open.ProtectChosen(chosen));

        List<SaveException?> Problems(params GenerationSummary[] these) => [.. store.ProtectChosen(these).Select(one => one.Problem)];
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void The_counter_moves_with_the_store_whether_or_not_the_mover_counts(bool moverCounts)
    {
        var storage = new MemoryStorage();
        using (var store = Open(storage, Old with { HasCounter = true }))
        {
            store.Save("evening", Sample());
            store.Save("evening", Sample());
        }
        SaveSlots.Open(storage).Protect(Old with { HasCounter = moverCounts }, New with { HasCounter = moverCounts });
        using var moved = Open(storage, New);
        Assert.Equal((2, null), (moved.LastWriteNumber(), moved.Load("evening").Replay));
        moved.Save("evening", Sample());
        Assert.Equal((3, null), (moved.LastWriteNumber(), moved.Load("evening").Replay));
        Assert.NotNull(moved.LoadGeneration("evening", 1).Replay);
    }

    [Fact]
    public void What_was_not_checked_is_not_sealed_and_a_public_key_seals_nothing()
    {
        var file = SavedFile.FromBytes(SampleFerries.Save(Old));
        Assert.Contains("check it", Assert.Throws<InvalidOperationException>(() => file.Protect(New)).Message, StringComparison.Ordinal);
        Assert.Throws<InvalidOperationException>(() => file.ToForm(SaveForm.Xml, protection: New));
        using var pair = System.Security.Cryptography.ECDsa.Create(System.Security.Cryptography.ECCurve.NamedCurves.nistP256);
        var verifying = SaveProtection.With(SaveKey.Verifying("studio", pair.ExportSubjectPublicKeyInfoPem()));
        Assert.Throws<ArgumentException>(() => SaveSlots.Open(new MemoryStorage()).Protect(Old, verifying));
        Assert.Throws<ArgumentException>(() => SavedFile.FromBytes(SampleFerries.Save(null)).Protect(verifying));
    }

    private static MemoryStorage Filled(SaveProtection? protection, SaveForm form, SaveCompression compression)
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, protection, form, compression);
        for (var hp = 0; hp < 3; hp++)
            store.Save("evening", Sample(hp), Label());
        store.Save("noon", Sample(), Label());
        return storage;
    }

    private static bool Opens(byte[] bytes, SaveProtection protection)
    {
        try
        {
            var file = SavedFile.FromBytes(bytes);
            file.CheckSeal(protection);
            return file.ReadTree().Count == 3;
        }
        catch (SaveException)
        {
            return false;
        }
    }

    /// <summary>A storage that fails from some change on, as if the power were gone.</summary>
    private sealed class CutStorage(MemoryStorage whole, int changes) : ISaveStorage
    {
        private int _left = changes;

        public string Description => whole.Description;

        public IReadOnlyList<StoredFile> List(string folder) => whole.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => whole.ReadRange(name, offset, count);

        public byte[]? Read(string name) => whole.Read(name);

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace)
        {
            Count();
            whole.Write(name, bytes, replace);
        }

        public bool Delete(string name)
        {
            Count();
            return whole.Delete(name);
        }

        public StorageHold TryHold() => StorageHold.Held(new MemoryStream());

        public string Locate(string name) => whole.Locate(name);

        private void Count()
        {
            if (_left-- <= 0)
                throw new StorageException("The power is gone.");
        }
    }
}
