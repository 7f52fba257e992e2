using System.Buffers;
using System.Text;
using CsCheck;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Formats;
using Lodrik.Tests.Protection;
using Lodrik.Tests.State;
using Tidewarden;

namespace Lodrik.Tests.Saves;

/// <summary>What is taken on the game's thread is the same for every form, and what becomes of it in the background never looks back.</summary>
public sealed class SnapshotTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void A_form_made_of_a_snapshot_has_the_same_bytes_as_one_written_at_once(SaveForm form)
    {
        SampleStates.Any.Sample(save => AssertSame(save, form), iter: 60, threads: 2);
        DriftSave.Of(Gen.Int[0, 40]).Sample(save => AssertSame(save, form), iter: 20, threads: 2);
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage });
        Story.Play(store);
        AssertSame(store.Load("evening").State, form);
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void Half_a_character_pair_is_reported_under_every_protection_and_compression(SaveForm form)
    {
        var state = new Roll { Names = { "Ann \uD83D" }, Rows = [.. Enumerable.Range(0, 20).Select(i => new RollRow { Name = i == 7 ? "\uDC00" : $"row {i}", Keys = { [$"k{i}"] = i } })] };
        foreach (var protection in new[] { null, SaveProtection.With(SampleFerries.Key()), SaveProtection.Encrypted(SampleFerries.Key()) })
        {
            foreach (var compression in Enum.GetValues<SaveCompression>())
            {
                using var store = SaveStore<Roll>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form, Protection = protection, Compression = compression });
                var receipt = store.Save("evening", state);
                Assert.Equal([("names", "/0"), ("rows", "/7/name")], receipt.Warnings.Select(warning => (warning.Location.Section, warning.Location.Path)));
                Assert.All(receipt.Warnings, warning => Assert.Equal(SaveWarningCode.ReplacedText, warning.Code));
                var loaded = store.Load("evening").State;
                Assert.Equal(("Ann \uFFFD", "\uFFFD"), (loaded.Names[0], loaded.Rows[7].Name));
            }
        }
    }

    [Fact]
    public void A_text_that_is_whole_is_not_reported_after_one_that_is_not()
    {
        using var store = SaveStore<Roll>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        Assert.Single(store.Save("evening", new Roll { Names = { "\uD83D" } }).Warnings);
        Assert.Empty(store.Save("evening", new Roll { Names = { "\uD83E\uDDA2 \uFFFD" } }).Warnings);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Every_section_is_hashed_once_however_often_it_is_read(SaveForm form)
    {
        var bytes = StateFile.ToBytes(new Roll { Names = { "a" } }, form);
        var opened = OpenedSave.Open(bytes);
        var save = CheckedSave.WithoutSeal(opened);
        Assert.Same(save.Find("names"), save.Find("names"));
        // Once it was hashed, nothing looks at the bytes again: what is spoilt after that is the memory's fault.
        Assert.Equal(SectionHealth.Intact, opened.Find("names")!.Health);
        bytes.AsSpan(opened.Find("names")!.Slice.Offset, opened.Find("names")!.Slice.Length).Clear();
        Assert.Equal(SectionHealth.Intact, opened.Health);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_save_of_many_sections_is_opened_and_read_with_work_that_follows_their_number(SaveForm form)
    {
        // Each of 20,000 sections is asked for; were one search among them linear, this would be 200 million comparisons of names.
        const int Count = 20_000;
        var tree = TreeSave.Of(Enumerable.Range(0, Count).Select(i => KeyValuePair.Create($"part-{i:D6}", (SaveValue)i)));
        using var writer = new SaveWriter();
        var save = CheckedSave.WithoutSeal(OpenedSave.Open(writer.Write(tree, new SaveHeader { Game = "many" }, new SaveTerms(form)).ToArray()));
        var before = GC.GetAllocatedBytesForCurrentThread();
        for (var i = 0; i < Count; i++)
            Assert.NotNull(save.Find($"part-{i:D6}"));
        Assert.Empty(save.Opened.MissingSections);
        Assert.Equal(SectionHealth.Intact, save.Opened.Health);
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, 2000L * Count);
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void Two_sections_of_one_name_are_refused_in_every_form(SaveForm form)
    {
        using var writer = new SaveWriter();
        EncodedSection Section(int number)
        {
            using var batch = new SectionBatch();
            batch.Begin(isIndented: true);
            FileForms.Of(form).Write(TreeSave.Of([KeyValuePair.Create("twin", (SaveValue)number)]), batch);
            return EncodedSection.Of("twin", batch.BytesOf(batch.Slices[0]).ToArray());
        }
        var bytes = writer.Write([Section(1), Section(2)], new SaveHeader { Game = "twins" }, form, null).ToArray();
        Assert.Contains("\"twin\" appears twice", Assert.Throws<DamagedSaveException>(() => SavedFile.FromBytes(bytes)).Message, StringComparison.Ordinal);
    }

    private static void AssertSame<T>(T save, SaveForm form) where T : IStateRoot<T>
    {
        using var writer = new SaveWriter();
        var header = new SaveHeader { Game = T.Root.Game, Version = T.Root.Version };
        var terms = new SaveTerms(form);
        var direct = writer.Write(save, header, terms).ToArray();
        using var snapshot = Snapshot.Of(save);
        var indirect = writer.Write(snapshot, header, terms).ToArray();
        if (!direct.AsSpan().SequenceEqual(indirect))
            Assert.Equal(Encoding.UTF8.GetString(direct), Encoding.UTF8.GetString(indirect));
    }

}

[SaveFile("roll")]
public sealed partial class Roll
{
    public List<string> Names { get; set; } = [];

    public List<RollRow> Rows { get; set; } = [];
}

[StateType]
public sealed partial class RollRow
{
    public string Name { get; set; } = "";

    public Dictionary<string, int> Keys { get; set; } = [];
}
