using CsCheck;
using Lodrik.Inspection;
using Lodrik.State;

namespace Lodrik.Tests.State;

/// <summary>One object in several places is one object after loading, and copying keeps that too.</summary>
public sealed class SharedTests
{
    public static TheoryData<SaveForm> Forms => [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    [Theory, MemberData(nameof(Forms))]
    public void Two_keepers_hold_the_same_lantern_after_loading(SaveForm form)
    {
        var lantern = new Lantern { Colour = "amber", Oil = 7 };
        var loaded = Reload(new Watch { Keepers = { new() { Name = "a", Holds = lantern }, new() { Name = "b", Holds = lantern }, new() { Name = "c", Holds = new() { Colour = "amber", Oil = 7 } } } }, form);
        Assert.Same(loaded.Keepers[0].Holds, loaded.Keepers[1].Holds);
        Assert.NotSame(loaded.Keepers[0].Holds, loaded.Keepers[2].Holds);
        Assert.Equal(("amber", 7), (loaded.Keepers[0].Holds!.Colour, loaded.Keepers[0].Holds!.Oil));
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_circle_is_closed_again(SaveForm form)
    {
        var one = new Lantern { Colour = "red" };
        one.Next = new Lantern { Colour = "green", Next = one };
        var loaded = Reload(new Watch { First = one }, form).First!;
        Assert.Equal(("red", "green"), (loaded.Colour, loaded.Next!.Colour));
        Assert.Same(loaded, loaded.Next.Next);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_chain_of_many_thousand_does_not_nest(SaveForm form)
    {
        var first = new Lantern { Oil = 0 };
        var last = first;
        for (var i = 1; i < 5000; i++)
            last = last.Next = new Lantern { Oil = i };
        var loaded = Reload(new Watch { First = first }, form);
        Assert.Equal(Enumerable.Range(0, 5000), Chain(loaded.First));
        Assert.Equal(Enumerable.Range(0, 5000), Chain(StateContent.Copy(loaded).First));
    }

    [Theory, MemberData(nameof(Forms))]
    public void Shared_objects_have_variants_unknown_ones_included(SaveForm form)
    {
        var wick = new Wick { Length = 3 };
        var loaded = Reload(new Watch { Gear = { wick, wick, new Flint { Sparks = 9 }, new LostPart { VariantName = "from later", VariantContent = new SaveMap { ["x"] = 1 } } } }, form);
        Assert.Same(loaded.Gear[0], loaded.Gear[1]);
        Assert.Equal(3, Assert.IsType<Wick>(loaded.Gear[0]).Length);
        Assert.Equal(9, Assert.IsType<Flint>(loaded.Gear[2]).Sparks);
        var lost = Assert.IsType<LostPart>(loaded.Gear[3]);
        Assert.Equal(("from later", new SaveMap { ["x"] = 1 }), (lost.VariantName, lost.VariantContent));
    }

    [Theory, MemberData(nameof(Forms))]
    public void Any_graph_loads_and_converts_as_it_was(SaveForm form) => AnyWatch.Sample(
        watch =>
        {
            var bytes = StateFile.ToBytes(watch, form);
            var shape = Shape(watch);
            Assert.Equal(shape, Shape(StateFile.FromBytes<Watch>(bytes)));
            foreach (var other in Enum.GetValues<SaveForm>())
                Assert.Equal(shape, Shape(StateFile.FromBytes<Watch>(SavedFile.FromBytes(bytes).ToForm(other))));
            var copy = StateContent.Copy(watch);
            Assert.Equal(shape, Shape(copy));
            Assert.True(StateContent.AreEqual(watch, copy));
            Assert.Empty(watch.Keepers.Select(keeper => keeper.Holds).OfType<Lantern>().Intersect(copy.Keepers.Select(keeper => keeper.Holds).OfType<Lantern>()));
        },
        iter: 150, threads: 2);

    [Theory, MemberData(nameof(Forms))]
    public void A_shared_object_holds_whatever_a_state_type_can_hold(SaveForm form) => SampleStates.Any.Sample(
        sample =>
        {
            var locker = new Locker { Scalars = sample.Scalars, Values = sample.Values, Collections = sample.Collections };
            var loaded = StateFile.FromBytes<Lockers>(StateFile.ToBytes(new Lockers { All = { locker, locker } }, form));
            Assert.Same(loaded.All[0], loaded.All[1]);
            Assert.True(StateContent.AreEqual(locker, loaded.All[0]), StateFile.ToText(locker));
        },
        iter: 60, threads: 2);

    [Fact]
    public void Shared_objects_stand_beside_their_section_for_anyone_to_read()
    {
        var lantern = new Lantern { Colour = "amber", Oil = 7 };
        var text = StateFile.ToText(new WatchSave { Watch = new Watch { First = lantern, Keepers = { new() { Holds = lantern } } } });
        var tree = SavedFile.FromBytes(System.Text.Encoding.UTF8.GetBytes(text)).ReadTree();
        Assert.Equal(1, ((SaveMap)tree["watch"])["first"]);
        Assert.Equal("amber", ((SaveMap)((SaveMap)tree["watch#shared"])["1"])["colour"]);
    }

    [Fact]
    public void A_number_without_an_object_and_an_object_of_another_type_are_named()
    {
        var missing = Assert.Throws<SaveContentException>(() => StateFile.FromText<Watch>("""{ "first": 3 }"""));
        Assert.Contains("The shared object 3 is not in the save.", missing.Message, StringComparison.Ordinal);

        var text = StateFile.ToText(new Watch { First = new(), Gear = { new Wick() } }).Replace("\"first\": 2", "\"first\": 1", StringComparison.Ordinal);
        var other = Assert.Throws<SaveContentException>(() => StateFile.FromText<Watch>(text));
        Assert.Equal("/first", other.Location.Path);
        Assert.Contains("The shared object 1 is a Wick elsewhere, and a Lantern is expected here.", other.Message, StringComparison.Ordinal);

        text = StateFile.ToText(new Watch { First = new() { Oil = 5 } }).Replace("\"oil\": 5", "\"oil\": \"five\"", StringComparison.Ordinal);
        var wrong = Assert.Throws<SaveContentException>(() => StateFile.FromText<Watch>(text));
        Assert.Equal(("state#shared", "/1/oil"), (wrong.Location.Section, wrong.Location.Path));
        Assert.Contains("five", text.Split('\n')[(int)wrong.Location.Line!.Value - 1], StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("[]", "map")]
    [InlineData("{ \"0\": { } }", "\"0\" is not a valid number of a shared object")]
    [InlineData("{ \"one\": { } }", "\"one\" is not a valid number of a shared object")]
    [InlineData("{ \"1\": { }, \"01\": { } }", "The shared object 1 appears twice")]
    public void Contents_that_are_no_map_from_numbers_are_refused(string shared, string message)
    {
        var wrong = Assert.ThrowsAny<SaveException>(() => StateFile.FromText<WatchSave>($$"""{ "watch": { "first": 1 }, "watch#shared": {{shared}} }"""));
        Assert.Equal("watch#shared", wrong.Location.Section);
        Assert.Contains(message, wrong.Message, StringComparison.Ordinal);
    }

    private static Gen<Watch> AnyWatch => Gen.Select(Gen.Int[1, 12], Gen.Int[0, 12].Array[0, 30], Gen.Bool).Select((count, picks, gear) =>
    {
        var lanterns = Enumerable.Range(0, count).Select(i => new Lantern { Colour = $"c{i}", Oil = i }).ToList();
        var parts = new Part[] { new Wick { Length = 1 }, new Flint { Sparks = 2 } };
        var watch = new Watch();
        for (var i = 0; i < picks.Length; i++)
        {
            var lantern = picks[i] < count ? lanterns[picks[i]] : null;
            watch.Keepers.Add(new Keeper { Name = $"k{i}", Holds = lantern });
            if (lantern is not null && i + 1 < picks.Length && picks[i + 1] < count)
                lantern.Next = lanterns[picks[i + 1]];
            if (gear)
                watch.Gear.Add(parts[picks[i] % 2]);
        }
        return watch;
    });

    /// <summary>Which object is which and leads where, as text.</summary>
    private static string Shape(Watch watch)
    {
        var numbers = new Dictionary<object, int>(ReferenceEqualityComparer.Instance);
        var text = new List<string>();
        void Visit(Lantern? lantern)
        {
            for (; lantern is not null; lantern = lantern.Next)
            {
                if (!numbers.TryAdd(lantern, numbers.Count))
                {
                    text.Add($"={numbers[lantern]}");
                    return;
                }
                text.Add($"{lantern.Colour}/{lantern.Oil}");
            }
            text.Add("end");
        }

        watch.Keepers.ForEach(keeper => Visit(keeper.Holds));
        foreach (var part in watch.Gear)
            text.Add(numbers.TryAdd(part, numbers.Count) ? part.GetType().Name : $"={numbers[part]}");
        return string.Join(' ', text);
    }

    private static IEnumerable<int> Chain(Lantern? lantern)
    {
        for (; lantern is not null; lantern = lantern.Next)
            yield return lantern.Oil;
    }

    private static Watch Reload(Watch watch, SaveForm form) =>
        StateFile.FromBytes<WatchSave>(StateFile.ToBytes(new WatchSave { Watch = watch }, form)).Watch;
}

[SaveFile("watch")]
public sealed partial class WatchSave
{
    public Watch Watch { get; set; } = new();
}

[StateType]
public sealed partial class Watch
{
    public List<Keeper> Keepers { get; set; } = [];
    public List<Part> Gear { get; set; } = [];
    public Lantern? First { get; set; }
}

[StateType]
public sealed partial class Keeper
{
    public string Name { get; set; } = "";
    public Lantern? Holds { get; set; }
}

[StateType]
public sealed partial class Lockers
{
    public List<Locker> All { get; set; } = [];
}

[StateType(Shared = true)]
public sealed partial class Locker
{
    public Scalars Scalars { get; set; } = new();
    public Values Values { get; set; } = new();
    public Collections Collections { get; set; } = new();
}

[StateType(Shared = true)]
public sealed partial class Lantern
{
    public string Colour { get; set; } = "white";
    public int Oil { get; set; }
    public Lantern? Next { get; set; }
}

[StateType(Shared = true)]
[SaveVariant("wick", typeof(Wick))]
[SaveVariant("flint", typeof(Flint))]
[UnknownVariant(typeof(LostPart))]
public abstract partial class Part;

[StateType]
public sealed partial class Wick : Part
{
    public int Length { get; set; }
}

[StateType]
public sealed partial class Flint : Part
{
    public int Sparks { get; set; }
}

public sealed class LostPart : Part, IUnknownVariant
{
    public string VariantName { get; set; } = "";
    public SaveValue VariantContent { get; set; } = SaveValue.Null;
}
