using System.Text;
using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Formats;

namespace Lodrik.Tests.State;

public sealed class VariantAndHookTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory, MemberData(nameof(Forms))]
    public void Each_object_comes_back_as_the_variant_it_was(SaveForm form)
    {
        var shed = new Shed { Main = new Ladder { Wear = 1, Rungs = 9 }, Spare = { new Lamp { Oil = 2.5f }, new Gear { Wear = 3 }, new Ladder { Rungs = 4 } }, Named = { ["a"] = new Lamp() } };
        var loaded = StateFile.FromBytes<Shed>(StateFile.ToBytes(shed, form));
        Assert.Equal((1, 9), Assert.IsType<Ladder>(loaded.Main) is var ladder ? (ladder.Wear, ladder.Rungs) : default);
        Assert.Equal([typeof(Lamp), typeof(Gear), typeof(Ladder)], loaded.Spare.Select(gear => gear!.GetType()));
        Assert.Equal(2.5f, ((Lamp)loaded.Spare[0]!).Oil);
        Assert.IsType<Lamp>(loaded.Named["a"]);
        Assert.Null(loaded.None);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_base_that_nothing_is_an_object_of_can_stand_at_the_top_and_be_read_into(SaveForm form)
    {
        var bytes = StateFile.ToBytes<Shape>(new Circle { Radius = 3 }, form);
        Assert.Equal(3, Assert.IsType<Circle>(StateFile.FromBytes<Shape>(bytes)).Radius);
        var page = new Page { Shape = new Circle { Radius = 1, Filled = true } };
        var (circle, other) = (page.Shape, new Page { Shape = new Square() });
        StateFile.ReadInto(StateFile.ToBytes(new Page { Shape = new Circle { Radius = 8 } }, form), page);
        Assert.Same(circle, page.Shape);
        StateFile.ReadInto(StateFile.ToBytes(page, form), other);
        Assert.IsType<Circle>(other.Shape);
    }

    [Fact]
    public void A_variant_stands_under_its_name_whatever_its_class_is_called() =>
        Assert.Contains("\"main\": {\n      \"hanging ladder\": {\n        \"wear\": 0,", StateFile.ToText(new Shed { Main = new Ladder() }), StringComparison.Ordinal);

    [Theory]
    [InlineData("{ \"main\": { \"rope\": { } } }", "not a variant of Gear. Valid variants: gear, hanging ladder, lamp", "/main/rope")]
    [InlineData("{ \"main\": { } }", "is missing", "/main")]
    [InlineData("{ \"main\": { \"lamp\": { }, \"gear\": { } } }", "only one variant", "/main/gear")]
    [InlineData("{ \"main\": 7 }", "Expected an object", "/main")]
    [InlineData("{ \"main\": { \"lamp\": { \"oil\": 1.0, \"oil\": 2.0 } } }", "The key \"oil\" appears twice", "/main/lamp/oil")]
    public void A_variant_that_cannot_be_is_named(string text, string message, string path)
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<Shed>(text));
        Assert.Contains(message, problem.Message, StringComparison.Ordinal);
        Assert.Equal(path, problem.Location.Path);
    }

    [Fact]
    public void An_object_that_is_no_variant_is_refused_when_saving()
    {
        var problem = Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(new Shed { Spare = { new Lamp(), new Unnamed() } }));
        Assert.Equal((SaveErrorCode.UndeclaredType, "/spare/1"), (problem.Code, problem.Location.Path));
        Assert.Contains("Unnamed is not a variant of Gear", problem.Message, StringComparison.Ordinal);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_key_that_stands_twice_is_refused_in_objects_of_any_size(SaveForm form)
    {
        // In binary, no writer of ours makes one; the bytes of one key are turned into those of another.
        var bytes = Encoding.Latin1.GetString(StateFile.ToBytes(new Inner { Left = 1, Loft = 2 }, form)).Replace("loft", "left", StringComparison.Ordinal);
        if (form == SaveForm.Binary)
        {
            var section = SavedFile.FromBytes(StateFile.ToBytes(new Inner(), form)).Sections[0];
            var body = Encoding.Latin1.GetBytes(bytes)[^((int)section.ByteCount + 1)..^1];
            Assert.Throws<ContentException>(() =>
            {
                var reader = new Lodrik.Formats.Binary.BinaryStateReader(body);
                var inner = new Inner();
                Inner.StateCodec.Read(ref reader, ref inner);
            });
            return;
        }
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromBytes<Inner>(Encoding.Latin1.GetBytes(bytes)));
        Assert.Contains("\"left\" appears twice", problem.Message, StringComparison.Ordinal);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Members_that_a_type_does_not_know_are_kept_and_written_back(SaveForm form)
    {
        var newer = new NewerOar { Length = 3, Grips = ["left", "right"], Mark = new Crate("x", 7) };
        var older = StateFile.FromBytes<OlderOar>(StateFile.ToBytes(newer, form));
        Assert.Equal((3, 2), (older.Length, older.Unknown.Count));
        older.Length = 4;
        var back = StateFile.FromBytes<NewerOar>(StateFile.ToBytes(older, form));
        Assert.Equal(4, back.Length);
        Assert.Equal(["left", "right"], back.Grips);
        Assert.Equal(new Crate("x", 7), back.Mark);
        StateFile.ReadInto(StateFile.ToBytes(new NewerOar(), form), older);
        Assert.Equal(2, older.Unknown.Count);
        older.Unknown["length"] = 9;
        Assert.Contains("key of a known member", Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(older, form)).Message, StringComparison.Ordinal);
        Assert.Equal(SaveErrorCode.Damaged, Assert.Throws<DamagedSaveException>(() => StateFile.ReadTextInto("{ \"a b\": 1, \"a b\": 2 }", older)).Code);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Hooks_run_before_saving_and_after_loading(SaveForm form)
    {
        var clock = new TideClock { Hours = 30 };
        var bytes = StateFile.ToBytes(new Harbour { Clock = clock, Bell = new Bell { Rung = 4 } }, form);
        Assert.Equal((1, 6), (clock.Days, clock.Hours));
        var loaded = StateFile.FromBytes<Harbour>(bytes);
        Assert.Equal("day 1, 6 h", loaded.Clock.Face);
        Assert.Equal((5, 10), (loaded.Bell.Rung, loaded.Bell.Echo));
    }

    [Fact]
    public void A_copy_is_what_saving_and_loading_would_give_hooks_included()
    {
        var harbour = new Harbour { Clock = new TideClock { Hours = 30 }, Bell = new Bell { Rung = 4 } };
        var copy = StateContent.Copy(harbour);
        Assert.Equal((1, 6, "day 1, 6 h"), (copy.Clock.Days, copy.Clock.Hours, copy.Clock.Face));
        var loaded = StateFile.FromBytes<Harbour>(StateFile.ToBytes(harbour));
        Assert.Equal((loaded.Bell.Rung, loaded.Bell.Echo, loaded.Clock.Face), (copy.Bell.Rung, copy.Bell.Echo, copy.Clock.Face));
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_state_that_finds_itself_invalid_refuses_the_load_at_its_place(SaveForm form)
    {
        var bytes = StateFile.ToBytes(new Harbour { Boats = { new Boat { Seats = 2, Crew = 1 }, new Boat { Seats = 2, Crew = 3 } } }, form);
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromBytes<Harbour>(bytes));
        Assert.Equal((SaveErrorCode.Invalid, "/boats/1"), (problem.Code, problem.Location.Path));
        Assert.Contains("3 sailors and 2 seats. A boat of two needs a third oar.", problem.Message, StringComparison.Ordinal);
        var live = new Harbour { Clock = { Hours = 5 } };
        Assert.Throws<SaveContentException>(() => StateFile.ReadInto(bytes, live));
        Assert.Equal(5, live.Clock.Hours);
    }

    [Fact]
    public void An_invalid_save_is_passed_over_where_the_store_is_told_so()
    {
        var memory = new MemoryStorage();
        using var store = SaveStore<HarbourSave>.Open(new SaveStoreOptions { Storage = memory, InvalidSaves = SaveTreatment.PassOver });
        store.Save("a", new HarbourSave { Harbour = { Boats = { new Boat { Seats = 2, Crew = 1 } } } });
        store.Save("a", new HarbourSave { Harbour = { Boats = { new Boat { Seats = 2, Crew = 9 } } } });
        var loaded = store.Load("a");
        Assert.Equal((1, 1), (loaded.Generation, loaded.State.Harbour.Boats[0].Crew));
        Assert.Equal(SaveErrorCode.Invalid, Assert.Single(loaded.PassedOver).Code);
        using var strict = SaveStore<HarbourSave>.Open(new SaveStoreOptions { Storage = memory });
        Assert.Equal(SaveErrorCode.Invalid, Assert.Throws<SaveContentException>(() => strict.Load("a")).Code);
    }
}

[StateType]
public sealed partial class Shed
{
    public Gear? Main { get; set; }
    public Gear? None { get; set; }
    public List<Gear?> Spare { get; set; } = [];
    public Dictionary<string, Gear> Named { get; set; } = [];
}

[StateType]
[SaveVariant("gear", typeof(Gear))]
[SaveVariant("hanging ladder", typeof(Ladder))]
[SaveVariant("lamp", typeof(Lamp))]
public partial class Gear
{
    public int Wear { get; set; }
}

[StateType]
public sealed partial class Ladder : Gear
{
    public int Rungs { get; set; }
}

[StateType]
public sealed partial class Lamp : Gear
{
    public float Oil { get; set; }
}

public sealed class Unnamed : Gear;

[StateType]
[SaveVariant("circle", typeof(Circle))]
[SaveVariant("square", typeof(Square))]
public abstract partial class Shape
{
    public bool Filled { get; set; }
}

[StateType]
public sealed partial class Circle : Shape
{
    public int Radius { get; set; }
}

[StateType]
public sealed partial class Square : Shape
{
    public int Side { get; set; }
}

[StateType]
public sealed partial class Page
{
    public Shape? Shape { get; set; }
}

[StateType]
public sealed partial class Inner
{
    public int Left { get; set; }
    public int Loft { get; set; }
}

[SaveFile("harbour")]
public sealed partial class HarbourSave
{
    public Harbour Harbour { get; set; } = new();
}

[StateType]
public sealed partial class Harbour
{
    public TideClock Clock { get; set; } = new();
    public Bell Bell { get; set; }
    public List<Boat> Boats { get; set; } = [];
}

[StateType]
public sealed partial class TideClock : IBeforeSaving, IAfterLoading
{
    public int Days { get; set; }
    public int Hours { get; set; }
    [NotSaved] public string Face { get; private set; } = "";

    public void BeforeSaving() => (Days, Hours) = (Days + (Hours / 24), Hours % 24);

    public void AfterLoading() => Face = $"day {Days}, {Hours} h";
}

[StateType]
public partial struct Bell : IBeforeSaving, IAfterLoading
{
    public int Rung { get; set; }
    [NotSaved] public int Echo { get; set; }

    public void BeforeSaving() => Rung++;

    public void AfterLoading() => Echo = 2 * Rung;
}

[StateType]
public sealed partial class Boat : IValidatedState
{
    public int Seats { get; set; }
    public int Crew { get; set; }

    public IEnumerable<string> FindProblems()
    {
        if (Crew <= Seats)
            yield break;
        yield return $"There are {Crew} sailors and {Seats} seats.";
        yield return "A boat of two needs a third oar.";
    }
}

[StateType]
public sealed partial class OlderOar
{
    public int Length { get; set; }

    [KeepUnknown]
    public SaveMap Unknown { get; } = new();
}

[StateType]
public sealed partial class NewerOar
{
    public string[] Grips { get; set; } = [];
    public int Length { get; set; }
    public Crate Mark { get; set; }
}
