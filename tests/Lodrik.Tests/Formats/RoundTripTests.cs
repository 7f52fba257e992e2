using CsCheck;
using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Tests.State;

namespace Lodrik.Tests.Formats;

public sealed class RoundTripTests
{
    public static TheoryData<SaveForm> Forms => [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    [Theory, MemberData(nameof(Forms))]
    public void Every_state_loads_as_it_was_saved(SaveForm form) => SampleStates.Any.Sample(
        save =>
        {
            var loaded = StateFile.FromBytes<SampleSave>(StateFile.ToBytes(save, form));
            Same.Assert(save.Content(), loaded.Content());
        },
        iter: 400, threads: 2);

    [Theory, MemberData(nameof(Forms))]
    public void Loading_into_a_used_object_gives_the_same_as_into_a_new_one(SaveForm form) =>
        Gen.Select(SampleStates.Any, SampleStates.Any).Sample(
            (save, used) =>
            {
                StateFile.ReadInto(StateFile.ToBytes(save, form), used);
                used.Declarations.Hovering = save.Declarations.Hovering;
                Same.Assert(save.Content(), used.Content());
            },
            iter: 150, threads: 2);

    public static TheoryData<SaveForm, SaveForm> Pairs => new(
        from source in Enum.GetValues<SaveForm>() from target in Enum.GetValues<SaveForm>() select (source, target));

    [Theory, MemberData(nameof(Pairs))]
    public void Converting_without_the_types_loses_nothing_that_a_typed_load_sees(SaveForm source, SaveForm target) => SampleStates.Any.Sample(
        save =>
        {
            var original = SavedFile.FromBytes(StateFile.ToBytes(save, source));
            var converted = SavedFile.FromBytes(original.ToForm(target));
            Assert.Equal((target, SectionHealth.Intact, original.Header!.SaveId), (converted.Form, converted.Health, converted.Header!.SaveId));
            Same.Assert(save.Content(), StateFile.FromBytes<SampleSave>(converted.ToForm(target, indented: false)).Content());
        },
        iter: 150, threads: 2);

    [Fact]
    public void A_file_written_wholly_by_hand_cannot_be_converted() =>
        Assert.Throws<SaveContentException>(() => SavedFile.FromBytes("{ \"a\": 1 }"u8.ToArray()).ToForm(SaveForm.Xml));

    [Theory, MemberData(nameof(Forms))]
    public void A_tree_keeps_whole_numbers_whole_and_floats_floats(SaveForm form) => SampleStates.AnyTree.Sample(
        tree => Assert.Equal(tree, StateFile.FromBytes<SampleSave>(StateFile.ToBytes(new SampleSave { Tree = tree }, form)).Tree),
        iter: 1000, threads: 2);

    [Theory]
    [InlineData(1.0, "1.0")]
    [InlineData(-0.0, "-0.0")]
    [InlineData(1e17, "1E+17")]
    [InlineData(0.1, "0.1")]
    public void A_float_always_has_a_point_or_an_exponent_in_text(double value, string written)
    {
        var state = new Scalars { Double = value };
        Assert.Contains($"\"double\": {written},", StateFile.ToText(state), StringComparison.Ordinal);
        Assert.Contains($"<double>{written}</double>", StateFile.ToText(state, SaveForm.Xml), StringComparison.Ordinal);
    }

    [Theory, MemberData(nameof(Forms))]
    public void What_is_no_number_survives_bit_for_bit(SaveForm form)
    {
        foreach (var value in new[] { double.NaN, double.PositiveInfinity, double.NegativeInfinity, double.Epsilon, -0.0 })
        {
            var loaded = StateFile.FromBytes<Scalars>(StateFile.ToBytes(new Scalars { Double = value, Single = (float)value }, form));
            Assert.Equal(BitConverter.DoubleToInt64Bits(value), BitConverter.DoubleToInt64Bits(loaded.Double));
            Assert.Equal(BitConverter.SingleToInt32Bits((float)value), BitConverter.SingleToInt32Bits(loaded.Single));
        }
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_lone_surrogate_is_replaced_and_nothing_fails(SaveForm form)
    {
        var loaded = StateFile.FromBytes<Scalars>(StateFile.ToBytes(new Scalars { Text = "cut \ud83e", Char = '\ud83e' }, form));
        Assert.Equal("cut \uFFFD", loaded.Text);
        Assert.Equal('\ud83e', loaded.Char);
    }

    [Theory, MemberData(nameof(Forms))]
    public void What_is_saved_reads_the_same_as_a_tree_in_every_form(SaveForm form)
    {
        var save = new SampleSave { Declarations = new() { Required = "r" } };
        var tree = SavedFile.FromBytes(StateFile.ToBytes(save, form)).ReadTree();
        var declarations = (SaveMap)tree["declarations"];
        Assert.Equal(7, declarations["field"]);
        Assert.Equal(9, declarations["lamp"]);
        Assert.Equal(11, declarations["odd key / with ~ and \""]);
        Assert.Equal("inherited", declarations["inherited"]);
        Assert.False(declarations.TryGet("hovering", out _));
        Assert.False(declarations.TryGet("computed", out _));
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_state_as_deep_as_the_limit_loads_and_a_deeper_one_is_refused_when_saving(SaveForm form)
    {
        // The section's own value is one level; the limit holds within a section.
        var tree = Nested(StateLimits.MaxDepth - 1);
        Assert.Equal(tree, StateFile.FromBytes<SampleSave>(StateFile.ToBytes(new SampleSave { Tree = tree }, form)).Tree);

        var refused = Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(new SampleSave { Tree = Nested(StateLimits.MaxDepth + 1) }, form));
        Assert.Equal(SaveErrorCode.TooDeep, refused.Code);
        Assert.Equal("tree", refused.Location.Section);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_cycle_is_found_and_its_path_is_named(SaveForm form)
    {
        var room = new Room { Name = "a" };
        room.Doors.Add(new Room { Name = "b" });
        room.Doors[0].Doors.Add(room);
        var refused = Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(room, form));
        Assert.Equal(SaveErrorCode.TooDeep, refused.Code);
        Assert.Equal("/doors/0", refused.Location.Path);
    }

    [Theory, MemberData(nameof(Forms))]
    public void An_object_of_a_derived_type_is_refused_rather_than_cut_to_its_base(SaveForm form)
    {
        var shelf = new Shelf { Tools = { new Tool(), new Rope() } };
        var refused = Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(shelf, form));
        Assert.Equal(SaveErrorCode.UndeclaredType, refused.Code);
        Assert.Equal("/tools/1", refused.Location.Path);
    }

    [Theory]
    [InlineData("{ \"pair\": [1] }", "2 values are expected here, and there are fewer", "/pair")]
    [InlineData("{ \"pair\": [1, \"a\", 2] }", "2 values are expected here, and there are more", "/pair/2")]
    [InlineData("{ \"grid\": { \"lengths\": [2, 2], \"items\": [1, 2, 3] } }", "2 by 2 do not make an array of 2 dimensions with 3 items", "/grid")]
    [InlineData("{ \"grid\": { \"lengths\": [3], \"items\": [1, 2, 3] } }", "do not make", "/grid")]
    [InlineData("{ \"grid\": { \"lengths\": [-1, -3], \"items\": [1, 2, 3] } }", "do not make", "/grid")]
    [InlineData("{ \"grid\": { \"lengths\": [2147483647, 2147483647], \"items\": [] } }", "do not make", "/grid")]
    public void A_tuple_or_an_array_of_another_size_is_refused(string text, string message, string path)
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<Made>(text));
        Assert.Contains(message, problem.Message, StringComparison.Ordinal);
        Assert.StartsWith(path, problem.Location.Path, StringComparison.Ordinal);
    }

    private static SaveValue Nested(int depth)
    {
        SaveValue value = new SaveList();
        for (var i = 1; i < depth; i++)
        {
            var outer = new SaveList { value };
            value = outer;
        }
        return value;
    }
}

[StateType]
public sealed partial class Room
{
    public string Name { get; set; } = "";
    public List<Room> Doors { get; set; } = [];
}

[StateType]
public sealed partial class Shelf
{
    public List<Tool> Tools { get; } = [];
}

[StateType]
public partial class Tool
{
    public int Wear { get; set; }
}

public sealed class Rope : Tool
{
    public int Length { get; set; }
}
