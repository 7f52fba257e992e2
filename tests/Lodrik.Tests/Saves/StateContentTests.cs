using CsCheck;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Formats;
using Lodrik.Tests.State;

namespace Lodrik.Tests.Saves;

/// <summary>Copies, comparisons, and what changed.</summary>
public sealed class StateContentTests
{
    [Fact]
    public void A_copy_has_the_same_content_and_shares_nothing() => SampleStates.Any.Sample(
        save =>
        {
            save.Declarations.Hovering = 77;
            var copy = StateContent.Copy(save);
            Same.Assert(save.Content(), copy.Content());
            Assert.True(StateContent.AreEqual(save, copy));
            Assert.Equal(13, copy.Declarations.Hovering);

            var before = save.Content();
            Spoil(copy);
            Same.Assert(before, save.Content());
            Assert.False(StateContent.AreEqual(save, copy));
        },
        iter: 200, threads: 2);

    [Fact]
    public void Two_states_are_equal_as_far_as_what_would_be_saved_of_them_is() => Gen.Select(SampleStates.Any, SampleStates.Any).Sample(
        (one, other) =>
        {
            Assert.True(StateContent.AreEqual(one, StateFile.FromBytes<SampleSave>(StateFile.ToBytes(one))));
            Assert.Equal(one.Content().Equals(other.Content()), StateContent.AreEqual(one, other));
        },
        iter: 100, threads: 2);

    [Fact]
    public void Rows_of_every_sort_are_copied_and_compared() => DriftSave.Of(Gen.Int[0, 30]).Sample(
        save =>
        {
            var copy = StateContent.Copy(save);
            Same.Assert(save.Content(), copy.Content());
            Assert.True(StateContent.AreEqual(save, copy));
            if (copy.Items.Count == 0)
                return;
            copy.Items[^1].Labels.Add("one more");
            Assert.False(StateContent.AreEqual(save, copy));
        },
        iter: 60, threads: 2);

    [Fact]
    public void The_order_of_sets_and_dictionaries_does_not_count_that_of_lists_does()
    {
        var (one, other) = (new Collections(), new Collections());
        (one.Set, other.Set) = (["a", "b"], ["b", "a"]);
        (one.ByNumber, other.ByNumber) = (new() { [1] = "x", [2] = "y" }, new() { [2] = "y", [1] = "x" });
        Assert.True(StateContent.AreEqual(one, other));
        (one.Doubles, other.Doubles) = ([1, 2], [2, 1]);
        Assert.False(StateContent.AreEqual(one, other));
        (one.Doubles, other.Doubles) = ([0.0], [-0.0]);
        Assert.False(StateContent.AreEqual(one, other));
        (one.Doubles, other.Doubles) = ([double.NaN], [double.NaN]);
        Assert.True(StateContent.AreEqual(one, other));
    }

    [Fact]
    public void What_changed_is_named_with_its_place()
    {
        var before = new Collections { Ints = [1, 2, 3], ByNumber = new() { [1] = "x", [2] = "y" }, Crates = [new("a", 1), new("b", 2)] };
        var after = StateContent.Copy(before);
        Assert.Empty(StateContent.Changes(before, after));
        after.Ints = [1, 5];
        after.ByNumber.Remove(2);
        after.ByNumber[30] = "z";
        after.Crates[1] = new("b", 9);
        Assert.Equal(
            ["/ints/1: 2 became 5", "/ints/2: removed 3", "/crates/1/weight: 2 became 9", "/byNumber/2: removed y", "/byNumber/30: added z"],
            StateContent.Changes(before, after).Select(change => change.ToString()));
    }

    [Fact]
    public void Changes_of_a_whole_save_begin_with_the_section()
    {
        var before = new SampleSave();
        var after = StateContent.Copy(before);
        after.Scalars.Int32 = 5;
        Assert.Equal(["/scalars/int32: 0 became 5"], StateContent.Changes(before, after).Select(change => change.ToString()));
    }

    [Fact]
    public void A_circle_that_is_not_shared_is_refused_when_it_is_copied()
    {
        var room = new Room();
        room.Doors.Add(room);
        var problem = Assert.Throws<UnsavableStateException>(() => StateContent.Copy(room));
        Assert.Equal(SaveErrorCode.TooDeep, problem.Code);
        Assert.Throws<UnsavableStateException>(() => StateContent.Copy(new Shelf { Tools = { new Rope() } }));
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void The_receipt_says_where_half_of_a_pair_was_replaced(SaveForm form)
    {
        using var store = SaveStore<SampleSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form });
        Assert.Empty(store.Save("whole", new SampleSave { Scalars = new() { Text = "\ud83d\ude00" } }).Warnings);

        var save = new SampleSave { Scalars = new() { Text = "cut \ud83d" } };
        save.Collections.Nested = [["fine", "\ude00 cut"]];
        save.Collections.Crates = [.. Enumerable.Range(0, 20).Select(i => new Crate(i == 17 ? "\ud83d\ud83d\ude00" : $"c{i}", i))];
        var receipt = store.Save("cut", save);
        Assert.Equal(
            ["scalars/text", "collections/crates/17/mark", "collections/nested/0/1"],
            receipt.Warnings.Select(warning => $"{warning.Location.Section}{warning.Location.Path}"));
        Assert.All(receipt.Warnings, warning => Assert.Equal(SaveWarningCode.ReplacedText, warning.Code));
        Assert.Equal("cut \uFFFD", store.Load("cut").State.Scalars.Text);
        Assert.Empty(store.Save("whole", new SampleSave()).Warnings);
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void A_value_of_an_enum_loads_by_the_name_that_it_had_before(SaveForm form)
    {
        var old = StateFile.ToBytes(new OldTide { Now = OldTides.Springy, Seen = OldTideMarks.High | OldTideMarks.Lowish, ByTide = { [OldTides.Springy] = 4 } }, form);
        var loaded = StateFile.FromBytes<NewTide>(old);
        Assert.Equal(NewTides.Spring, loaded.Now);
        Assert.Equal(NewTideMarks.High | NewTideMarks.Low, loaded.Seen);
        Assert.Equal(4, loaded.ByTide[NewTides.Spring]);
        Assert.Contains("\"now\": \"Spring\"", StateFile.ToText(loaded), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void A_variant_of_a_later_release_is_kept_and_written_back(SaveForm form)
    {
        var later = new LaterBoat { Gear = [.. Enumerable.Range(0, 12).Select(i => i % 3 == 0 ? (LaterGear)new LaterSail { Cloth = $"c{i}" } : new LaterOar { Length = i })] };
        var kept = StateFile.FromBytes<EarlierBoat>(StateFile.ToBytes(later, form));
        Assert.Equal(4, kept.Gear.OfType<KeptGear>().Count());
        Assert.Equal("sail", kept.Gear.OfType<KeptGear>().First().VariantName);
        kept.Gear.RemoveAt(1);
        var back = StateFile.FromBytes<LaterBoat>(StateFile.ToBytes(StateContent.Copy(kept), form));
        Assert.Equal(["c0", "c3", "c6", "c9"], back.Gear.OfType<LaterSail>().Select(sail => sail.Cloth));
        Assert.Equal(7, back.Gear.OfType<LaterOar>().Count());

        kept.Gear.Add(new KeptGear { VariantName = "oar" });
        Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(kept, form));
    }

    private static void Spoil(SampleSave copy)
    {
        copy.Scalars.Int32++;
        copy.Collections.Texts = [.. copy.Collections.Texts, "spoiled"];
        copy.Collections.Crates.Add(new("spoiled", 1));
        copy.Collections.Set.Add("spoiled");
        copy.Collections.ByName["spoiled"] = null;
        copy.Collections.Queue.Enqueue("spoiled");
        if (copy.Collections.Ints is { Length: > 0 } ints)
            ints[0]++;
        if (copy.Scalars.Bytes is { Length: > 0 } bytes)
            bytes[0]++;
        if (copy.Tree is SaveMap map)
            map["spoiled"] = 1;
        copy.Declarations.GetOnly.Add("spoiled");
        copy.Declarations.Pockets[0]++;
    }
}

public enum OldTides { Slack, Springy }

public enum NewTides { Slack, [FormerName("Springy", "Springtide")] Spring }

[Flags]
public enum OldTideMarks { High = 1, Lowish = 2 }

[Flags]
public enum NewTideMarks { High = 1, [FormerName("Lowish")] Low = 4 }

[StateType]
public sealed partial class OldTide
{
    public OldTides Now { get; set; }
    public OldTideMarks Seen { get; set; }
    public Dictionary<OldTides, int> ByTide { get; set; } = [];
}

[StateType]
public sealed partial class NewTide
{
    public NewTides Now { get; set; }
    public NewTideMarks Seen { get; set; }
    public Dictionary<NewTides, int> ByTide { get; set; } = [];
}

[StateType]
public sealed partial class LaterBoat
{
    public List<LaterGear> Gear { get; set; } = [];
}

[StateType]
[SaveVariant("oar", typeof(LaterOar))]
[SaveVariant("sail", typeof(LaterSail))]
public abstract partial class LaterGear;

[StateType]
public sealed partial class LaterOar : LaterGear
{
    public int Length { get; set; }
}

[StateType]
public sealed partial class LaterSail : LaterGear
{
    public string Cloth { get; set; } = "";
}

[StateType]
public sealed partial class EarlierBoat
{
    public List<EarlierGear> Gear { get; set; } = [];
}

[StateType]
[SaveVariant("oar", typeof(EarlierOar))]
[UnknownVariant(typeof(KeptGear))]
public abstract partial class EarlierGear;

[StateType]
public sealed partial class EarlierOar : EarlierGear
{
    public int Length { get; set; }
}

public sealed class KeptGear : EarlierGear, IUnknownVariant
{
    public string VariantName { get; set; } = "";
    public SaveValue VariantContent { get; set; } = SaveValue.Null;
}
