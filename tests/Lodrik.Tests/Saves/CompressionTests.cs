using CsCheck;
using Lodrik.Inspection;
using Lodrik.Storage;
using Lodrik.Tests.Slots;
using Lodrik.Tests.State;

namespace Lodrik.Tests.Saves;

public sealed class CompressionTests
{
    public static TheoryData<SaveForm, SaveCompression> All => new(
        from form in Enum.GetValues<SaveForm>() from compression in Enum.GetValues<SaveCompression>() select (form, compression));

    [Theory, MemberData(nameof(All))]
    public void A_compressed_save_loads_as_it_was_in_every_form(SaveForm form, SaveCompression compression) => DriftSave.Of(Gen.Int[0, 30]).Sample(
        drift =>
        {
            var storage = new MemoryStorage();
            using var store = SaveStore<DriftSave>.Open(new SaveStoreOptions { Storage = storage, Form = form, Compression = compression });
            var receipt = store.Save("evening", drift);
            Same.Assert(drift.Content(), store.Load("evening").State.Content());

            var file = SavedFile.FromBytes(storage.Read($"slots/evening/{Path.GetFileName(receipt.File)}")!);
            Assert.Equal((form, SectionHealth.Intact), (file.Form, file.Health));
            Assert.Equal(compression == SaveCompression.None && form != SaveForm.Binary ? form.ToString().ToLowerInvariant() : "lodrik", Path.GetExtension(receipt.File)[1..]);
            foreach (var other in Enum.GetValues<SaveForm>())
                Same.Assert(drift.Content(), StateFile.FromBytes<DriftSave>(file.ToForm(other)).Content());
        },
        iter: 12, threads: 2);

    [Fact]
    public void Compressing_makes_smaller_and_leaves_alone_what_does_not_become_smaller()
    {
        var save = new LogSave { Log = new Log { Lines = [.. Enumerable.Range(0, 500).Select(i => $"the tide turned at {i % 12}")] } };
        var none = Save(save, SaveCompression.None);
        var fast = Save(save, SaveCompression.Fast);
        var small = Save(save, SaveCompression.Small);
        Assert.True(fast.ByteCount * 3 < none.ByteCount, $"{fast.ByteCount} of {none.ByteCount}");
        Assert.True(small.ByteCount <= fast.ByteCount);
        Assert.True(small.IsCompressed && fast.IsCompressed && !none.IsCompressed);
        // The clock's section is a few bytes, and stays as it is.
        Assert.Equal(none.Sections.Single(section => section.Name == "clock").ByteCount, small.Sections.Single(section => section.Name == "clock").ByteCount);
    }

    [Fact]
    public void A_compressed_section_that_was_changed_or_claims_too_much_is_damaged()
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary, Compression = SaveCompression.Fast });
        store.Save("evening", new LogSave { Log = new Log { Lines = [.. Enumerable.Repeat("the same line", 300)] } });
        const string File = "slots/evening/00000001.lodrik";
        var whole = storage.Read(File)!;
        for (var at = 3; at < whole.Length; at++)
        {
            var bytes = (byte[])whole.Clone();
            bytes[at] ^= 0x40;
            Assert.ThrowsAny<SaveException>(() => StateFile.FromBytes<LogSave>(bytes));
        }
        var before = GC.GetAllocatedBytesForCurrentThread();
        Assert.Throws<Lodrik.State.ContentException>(() => Lodrik.Saves.SectionCompression.Decompress(new byte[20], int.MaxValue - 100));
        Assert.Throws<Lodrik.State.ContentException>(() => Lodrik.Saves.SectionCompression.Decompress([1, 2, 3], 100));
        Assert.True(GC.GetAllocatedBytesForCurrentThread() - before < 100_000);
    }

    private static SavedFile Save(LogSave save, SaveCompression compression)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary, Compression = compression });
        store.Save("evening", save);
        return SavedFile.FromBytes(storage.Read("slots/evening/00000001.lodrik")!);
    }
}
