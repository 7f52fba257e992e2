using System.Numerics;
using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Binary.Tables;
using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Testing;

namespace Lodrik.Tests.State;

/// <summary>A log is saved like a list, and what was encoded for one save is copied into the next.</summary>
public sealed class SaveLogTests
{
    private static readonly SaveForm[] Forms = [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    [Theory]
    [InlineData(0), InlineData(3), InlineData(1023), InlineData(1024), InlineData(1025), InlineData(5000)]
    public void A_log_is_saved_like_a_list_in_every_form_and_either_becomes_the_other(int count)
    {
        var journal = Journal(count);
        var list = new ListSave { Lines = [.. journal.Lines], Tides = [.. journal.Tides] };
        Assert.Equal(journal.Lines, new SaveLog<JournalLine>(list.Lines));
        foreach (var form in Forms)
        {
            var (log, plain) = (StateFile.ToBytes(journal, form), StateFile.ToBytes(list, form));
            Assert.Equal(SavedFile.FromBytes(plain).ReadTree(), SavedFile.FromBytes(log).ReadTree());
            Assert.Equal(journal.Lines, StateFile.FromBytes<JournalSave>(log).Lines);
            Assert.Equal(journal.Tides, StateFile.FromBytes<JournalSave>(plain).Tides);
            var back = StateFile.FromBytes<ListSave>(log);
            Assert.Equal(journal.Lines, back.Lines);
            Assert.Equal(journal.Tides, back.Tides);
            var queue = StateFile.FromBytes<QueueSave>(log);
            Assert.Equal(journal.Lines, queue.Lines);
            foreach (var other in Forms)
                Assert.Equal(journal.Lines, StateFile.FromBytes<JournalSave>(SavedFile.FromBytes(log).ToForm(other)).Lines);
        }
    }

    [Fact]
    public void What_was_encoded_is_not_encoded_again()
    {
        using var store = Open(finds: false);
        var save = new CountedSave();
        CountedLine.Encoded = 0;
        for (var i = 0; i < 20_000; i++)
            save.Lines.Add(new CountedLine { Tide = i });
        store.Save("evening", save);
        Assert.Equal(20_000, CountedLine.Encoded);
        for (var turn = 0; turn < 10; turn++)
        {
            save.Lines.Add(new CountedLine { Tide = -turn });
            CountedLine.Encoded = 0;
            store.Save("evening", save);
            // Written elsewhere, it stands less deep; that changes nothing.
            StateFile.ToBytes(save, SaveForm.Binary);
            Assert.InRange(CountedLine.Encoded, 1, 2048);
        }
        var back = store.Load("evening").State;
        Assert.Equal([.. Enumerable.Range(0, 20_000), 0, -1, -2, -3, -4, -5, -6, -7, -8, -9], back.Lines.Select(line => line.Tide));
    }

    [Fact]
    public void Whatever_is_done_to_it_every_save_has_what_stands_in_it() => Gen.Int[0, 5].Array[1, 14].Select(Gen.Int[0, 1 << 30]).Sample(
        (acts, seed) =>
        {
            var random = new Random(seed);
            using var store = Open<JournalSave>(finds: seed % 2 == 0);
            var save = new JournalSave();
            var expected = new List<JournalLine>();
            var isSaved = false;
            foreach (var act in acts)
            {
                var some = Enumerable.Range(0, random.Next(1800)).Select(i => new JournalLine(i, $"line {random.Next(50)}")).ToList();
                switch (act)
                {
                    case 0:
                        save.Lines.Clear();
                        expected.Clear();
                        break;
                    case 1:
                        var count = random.Next(expected.Count + 1);
                        save.Lines.RemoveOldest(count);
                        expected.RemoveRange(0, count);
                        break;
                    case 2:
                        save = isSaved ? store.Load("evening").State : save;
                        expected = [.. save.Lines];
                        break;
                    default:
                        save.Lines.AddRange(some);
                        expected.AddRange(some);
                        break;
                }
                Assert.Equal(expected, save.Lines);
                Assert.Empty(store.Save("evening", save).Warnings);
                isSaved = true;
                Assert.Equal(expected, store.Load("evening").State.Lines);
            }
        },
        iter: 40, threads: 1);

    [Theory]
    [InlineData(3, 1), InlineData(3000, 0), InlineData(3000, 1500), InlineData(3000, 2999)]
    public void A_changed_entry_is_saved_and_told_in_a_debug_build(int count, int changed)
    {
        using var store = Open(finds: true);
        var save = new CountedSave();
        for (var i = 0; i < count; i++)
            save.Lines.Add(new CountedLine { Tide = i });
        Assert.Empty(store.Save("evening", save).Warnings);
        save.Lines[changed].Tide = -1;
        for (var i = 0; i < 1500; i++)
            save.Lines.Add(new CountedLine { Tide = i });
        var warning = Assert.Single(store.Save("evening", save).Warnings);
        Assert.Equal((SaveWarningCode.UnmarkedChange, "lines"), (warning.Code, warning.Location.Section));
        Assert.Equal(-1, store.Load("evening").State.Lines[changed].Tide);
        Assert.Empty(store.Save("evening", save).Warnings);
    }

    [Fact]
    public void A_section_whose_revision_was_forgotten_is_saved_and_told_in_a_debug_build()
    {
        using var store = SaveStore<Saves.LedgerSave>.Open(
            new SaveStoreOptions { Storage = new MemoryStorage(), Form = SaveForm.Json, FindsUnmarkedChanges = true });
        var save = new Saves.LedgerSave();
        save.Oil.Keepers.AddRange([new() { Name = "x" }, new() { Name = "y" }]);
        save.Oil.First = save.Oil.Keepers[0];
        store.Save("evening", save);
        Assert.Empty(store.Save("evening", save).Warnings);

        save.Oil.Keepers.Add(new() { Name = "z" });
        var warning = Assert.Single(store.Save("evening", save).Warnings);
        Assert.Equal((SaveWarningCode.UnmarkedChange, "oil", "/keepers/2"), (warning.Code, warning.Location.Section, warning.Location.Path));
        Assert.Contains("Revision", warning.Message, StringComparison.Ordinal);
        Assert.Equal(3, store.Load("evening").State.Oil.Keepers.Count);

        // The same in another order is no change.
        using var other = SaveStore<ReorderedSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), FindsUnmarkedChanges = true });
        var counts = new ReorderedSave { Oil = { Cans = new() { ["quay"] = 1, ["mill"] = 2 } } };
        other.Save("evening", counts);
        counts.Oil.Cans = new() { ["mill"] = 2, ["quay"] = 1 };
        Assert.Empty(other.Save("evening", counts).Warnings);
        counts.Oil.Cans["mill"] = 3;
        Assert.Equal("/cans/mill", Assert.Single(other.Save("evening", counts).Warnings).Location.Path);

        // A change that is in the shared objects alone.
        save.Oil.Keepers[1].Name = "changed";
        Assert.Equal(SaveWarningCode.UnmarkedChange, Assert.Single(store.Save("evening", save).Warnings).Code);
        save.Oil.Revision++;
        Assert.Empty(store.Save("evening", save).Warnings);
    }

    [Fact]
    public void A_test_finds_changes_that_a_save_would_miss()
    {
        var save = new CountedSave { Lines = { new CountedLine() } };
        var check = new UnmarkedChangeCheck<CountedSave>(save);
        save.Lines.Add(new CountedLine());
        check.Check();
        save.Lines[1].Tide = 5;
        var found = Assert.Throws<UnmarkedChangeException>(check.Check);
        Assert.Equal("lines", Assert.Single(found.Changes).Location.Section);
        Assert.Contains("An entry of a log changed", found.Message, StringComparison.Ordinal);
        check.Check();

        var ledger = new Saves.LedgerSave();
        var second = new UnmarkedChangeCheck<Saves.LedgerSave>(ledger);
        ledger.Other["a"] = 1;
        second.Check();
        ledger.Oil.Keepers.Add(new());
        Assert.Throws<UnmarkedChangeException>(second.Check);
    }

    [Fact]
    public void Entries_that_hold_shared_objects_are_saved_as_in_a_list()
    {
        using var store = SaveStore<SharedLogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), FindsUnmarkedChanges = true });
        var keeper = new Saves.KeeperRow { Name = "x" };
        var save = new SharedLogSave { Keeper = keeper };
        for (var i = 0; i < 1500; i++)
            save.Lines.Add(new SharedLine { By = keeper });
        for (var turn = 0; turn < 2; turn++)
        {
            Assert.Empty(store.Save("evening", save).Warnings);
            var back = store.Load("evening").State;
            Assert.All(back.Lines, line => Assert.Same(back.Keeper, line.By));
            keeper.Name = "renamed";
        }
    }

    [Fact]
    public void An_entry_that_cannot_be_saved_is_named_by_its_index_and_can_once_it_is_taken_out()
    {
        using var store = SaveStore<NumberLogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var save = new NumberLogSave();
        for (var i = 0; i < 2500; i++)
            save.Lines.Add(new NumberLine(i == 1500 ? BigInteger.Pow(10, 6000) : i));
        var problem = Assert.Throws<UnsavableStateException>(() => store.Save("evening", save));
        Assert.Contains("/1500", problem.Location.Path, StringComparison.Ordinal);
        save.Lines.RemoveOldest(1501);
        store.Save("evening", save);
        Assert.Equal(999, store.Load("evening").State.Lines.Count);
    }

    [Fact]
    public void Half_a_character_pair_is_told_again_with_every_save()
    {
        using var store = Open<JournalSave>(finds: false);
        var save = Journal(2000);
        save.Lines.Add(new JournalLine(1, "cut \ud83d"));
        save.Lines.AddRange(Journal(2000).Lines);
        for (var turn = 0; turn < 2; turn++)
        {
            var warning = Assert.Single(store.Save("evening", save).Warnings);
            Assert.Equal((SaveWarningCode.ReplacedText, "/2000/text"), (warning.Code, warning.Location.Path));
        }
    }

    [Fact]
    public void A_copy_shares_no_log_and_differences_are_found_entry_by_entry()
    {
        using var store = Open<JournalSave>(finds: true);
        var save = Journal(3000);
        store.Save("evening", save);
        var copy = StateContent.Copy(save);
        Assert.True(StateContent.AreEqual(save, copy));
        copy.Lines.Add(new JournalLine(7, "more"));
        Assert.Equal(3000, save.Lines.Count);
        Assert.False(StateContent.AreEqual(save, copy));
        var change = Assert.Single(store.UnsavedChanges(copy));
        Assert.Equal("/lines/3000", change.Path);
    }

    [Fact]
    public void What_does_not_fit_is_named_by_its_place_in_whichever_part()
    {
        foreach (var at in new[] { 0, 1023, 1024, 2600 })
        {
            var loose = new LooseSave();
            for (var i = 0; i < 2601; i++)
                loose.Lines.Add(new LooseLine(i == at ? "not a number" : i));
            var bytes = StateFile.ToBytes(loose, SaveForm.Binary);
            var problem = Assert.Throws<SaveContentException>(() => StateFile.FromBytes<JournalSave>(bytes));
            Assert.Equal($"/{at}/tide", problem.Location.Path);
        }
    }

    [Fact]
    public void A_strangers_parts_are_refused_and_never_nest()
    {
        byte[] Parts(params byte[][] parts)
        {
            using var buffer = new PooledBuffer();
            var writer = new BinaryStateWriter(buffer);
            writer.WriteTag(TableFormat.PartsTag);
            writer.BeginList(parts.Length);
            foreach (var part in parts)
                buffer.Write(part);
            return buffer.Written.ToArray();
        }

        byte[] two = [0x82, 0x01, 0x02];
        Assert.Equal([1, 2, 1, 2], Read(Parts(two, two))!);
        Assert.Empty(Read(Parts())!);
        var deep = two;
        for (var i = 0; i < 20_000; i++)
            deep = Parts(deep);
        byte[][] wrong =
        [
            Parts(Parts(two)), deep, Parts([0x01]), Parts([0xA0]), Parts([0xF6]), Parts(two)[..^1], [.. Parts(two)[..5], 0x9F, .. two, 0xFF],
            [.. Parts(two)[..5], 0x9B, 0x7F, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, .. two], [.. Parts(two)[..5], 0xA1, .. two, .. two],
        ];
        foreach (var bytes in wrong)
        {
            Assert.Throws<ContentException>(() => Read(bytes));
            Assert.Throws<ContentException>(() => ReadTree(bytes));
        }

        static List<int>? Read(byte[] bytes)
        {
            var reader = new BinaryStateReader(bytes);
            List<int>? numbers = null;
            ListCodec<int, IntegerCodec<int>>.Read(ref reader, ref numbers);
            reader.End();
            return numbers;
        }

        static SaveValue ReadTree(byte[] bytes)
        {
            var reader = new BinaryStateReader(bytes);
            var tree = SaveValueCodec.ReadTree(ref reader);
            reader.End();
            return tree;
        }
    }

    private static JournalSave Journal(int count)
    {
        var save = new JournalSave();
        for (var i = 0; i < count; i++)
        {
            save.Lines.Add(new JournalLine(i, $"the {i % 7}th lantern"));
            save.Tides.Add(i * 3);
        }
        return save;
    }

    private static SaveStore<CountedSave> Open(bool finds) => Open<CountedSave>(finds);

    private static SaveStore<T> Open<T>(bool finds) where T : class, IStateRoot<T> => SaveStore<T>.Open(
        new SaveStoreOptions { Storage = new MemoryStorage(), Form = SaveForm.Binary, FindsUnmarkedChanges = finds, WarmsUp = false });
}

[SaveFile("journal")]
public sealed partial class JournalSave
{
    public SaveLog<JournalLine> Lines { get; } = [];

    public SaveLog<int> Tides { get; set; } = [];
}

[StateType]
public sealed partial record JournalLine(int Tide, string Text);

[SaveFile("journal")]
public sealed partial class ListSave
{
    public List<JournalLine> Lines { get; set; } = [];

    public List<int> Tides { get; set; } = [];
}

[SaveFile("journal")]
public sealed partial class QueueSave
{
    public Queue<JournalLine> Lines { get; set; } = [];

    public HashSet<int> Tides { get; set; } = [];
}

[SaveFile("journal")]
public sealed partial class LooseSave
{
    public SaveLog<LooseLine> Lines { get; set; } = [];
}

[StateType]
public sealed partial record LooseLine(SaveValue Tide);

[SaveFile("counted")]
public sealed partial class CountedSave
{
    public SaveLog<CountedLine> Lines { get; set; } = [];
}

[StateType]
public sealed partial class CountedLine : IBeforeSaving
{
    internal static int Encoded { get; set; }

    public int Tide { get; set; }

    public void BeforeSaving() => Encoded++;
}

[SaveFile("reordered")]
public sealed partial class ReorderedSave
{
    public OilCans Oil { get; set; } = new();
}

[StateType]
public sealed partial class OilCans : IRevisedState
{
    public Dictionary<string, int> Cans { get; set; } = [];

    [NotSaved] public long Revision { get; set; }
}

[SaveFile("shared-log")]
public sealed partial class SharedLogSave
{
    public SharedLines Book { get; set; } = new();

    [NotSaved] public Saves.KeeperRow? Keeper { get => Book.Keeper; set => Book.Keeper = value; }

    [NotSaved] public SaveLog<SharedLine> Lines => Book.Lines;
}

[StateType]
public sealed partial class SharedLines
{
    public Saves.KeeperRow? Keeper { get; set; }

    public SaveLog<SharedLine> Lines { get; set; } = [];
}

[StateType]
public sealed partial class SharedLine
{
    public Saves.KeeperRow? By { get; set; }
}

[SaveFile("number-log")]
public sealed partial class NumberLogSave
{
    public SaveLog<NumberLine> Lines { get; set; } = [];
}

[StateType]
public sealed partial record NumberLine(BigInteger Number);
