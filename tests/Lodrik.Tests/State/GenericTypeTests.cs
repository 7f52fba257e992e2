using Lodrik.State;
using Lodrik.Tests.Formats;

namespace Lodrik.Tests.State;

/// <summary>State types with members of their type parameter's type.</summary>
public sealed class GenericTypeTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory, MemberData(nameof(Forms))]
    public void A_member_of_a_type_parameters_type_is_saved_as_its_argument_is(SaveForm form)
    {
        var saved = new Cupboard
        {
            Oil = new Bin<int>(7) { Former = [5, 6], Spare = 3, Named = { ["old"] = 2 } },
            Letter = new Bin<string>("come at low tide") { Former = ["", "é"], Spare = null },
            Chart = new Bin<byte[]>([1, 2]) { Former = [[3], []] },
            Raw = new Bin<byte>(9) { Former = [200, 201] },
            Lantern = new Bin<Torch>(new Torch { Level = 4 }) { Spare = new Torch { Level = 5 } },
            Nested = new Bin<Bin<Torch>?>(new Bin<Torch>(new Torch { Level = 1 })),
            Both = new Couple<string, List<int>> { Left = "left", Right = [1, 2] },
            Tide = new Bin<Tide>(State.Tide.Ebb),
            Bright = { new Bin<Torch>(new Torch { Level = 8 }), new Bin<Torch>(new Torch { Level = 9 }) },
            Derived = new LampBin { Content = new Torch { Level = 6 }, Label = "by the door" },
        };
        var loaded = StateFile.FromBytes<Cupboard>(StateFile.ToBytes(saved, form));
        Assert.True(StateContent.AreEqual(saved, loaded));
        Assert.Equal(7, loaded.Oil.Content);
        Assert.Equal([5, 6], loaded.Oil.Former);
        Assert.Equal(3, loaded.Oil.Spare);
        Assert.Equal(2, loaded.Oil.Named["old"]);
        Assert.Equal("come at low tide", loaded.Letter.Content);
        Assert.Equal([[3], []], loaded.Chart.Former);
        Assert.Equal([200, 201], loaded.Raw.Former);
        Assert.Equal(5, loaded.Lantern.Spare!.Level);
        Assert.Equal(1, loaded.Nested.Content!.Content.Level);
        Assert.Equal(("left", 2), (loaded.Both.Left, loaded.Both.Right.Count));
        Assert.Equal(State.Tide.Ebb, loaded.Tide.Content);
        Assert.Equal([8, 9], loaded.Bright.Select(box => box.Content.Level));
        Assert.Equal((6, "by the door"), (loaded.Derived.Content.Level, loaded.Derived.Label));
        var copy = StateContent.Copy(saved);
        Assert.True(StateContent.AreEqual(saved, copy));
        copy.Lantern.Content.Level++;
        Assert.Equal(4, saved.Lantern.Content.Level);
        Assert.False(StateContent.AreEqual(saved, copy));
    }

    [Fact]
    public void The_form_is_that_of_a_type_written_out()
    {
        Assert.Equal(
            StateFile.ToPlainText(new WrittenOut { Raw = { Content = 9, Former = [200, 201] } }),
            StateFile.ToPlainText(new Short { Raw = new Bin<byte>(9) { Former = [200, 201] } }));
        var written = StateFile.FromBytes<WrittenOut>(StateFile.ToBytes(new Short { Raw = new Bin<byte>(9) { Former = [200, 201] } }, SaveForm.Binary));
        Assert.Equal([200, 201], written.Raw.Former);
    }

    [Fact]
    public void A_reference_that_is_never_null_keeps_its_initial_value_where_null_was_saved()
    {
        var loaded = StateFile.FromText<Cupboard>("{ \"both\": { \"left\": null, \"right\": null } }");
        Assert.Equal(("none", 0), (loaded.Both.Left, loaded.Both.Right.Count));
    }

    [Fact]
    public void What_a_generic_type_holds_can_be_shared()
    {
        var one = new Cork { Name = "north" };
        var loaded = StateFile.FromText<Anchorage>(StateFile.ToText(new Anchorage { First = new Bin<Cork?>(one), Second = new Bin<Cork?>(one) }));
        Assert.Same(loaded.First.Content, loaded.Second.Content);
        Assert.Equal("north", loaded.First.Content!.Name);
    }
}

[StateType]
public partial class Cupboard
{
    public Bin<int> Oil { get; set; } = new(0);
    public Bin<string> Letter { get; set; } = new("");
    public Bin<byte[]> Chart { get; set; } = new([]);
    public Bin<byte> Raw { get; set; } = new(0);
    public Bin<Torch> Lantern { get; set; } = new(new Torch());
    public Bin<Bin<Torch>?> Nested { get; set; } = new(null);
    public Couple<string, List<int>> Both { get; set; } = new() { Left = "none", Right = [] };
    public Bin<Tide> Tide { get; set; } = new(State.Tide.Flood);
    public List<Bin<Torch>> Bright { get; } = [];
    public LampBin Derived { get; set; } = new();
}

public enum Tide
{
    Flood,
    Ebb,
}

[StateType]
public partial class Torch
{
    public int Level { get; set; }
}

/// <summary>Members of the type parameter's type in every way that there is to set one.</summary>
[StateType]
public partial class Bin<T>(T content)
{
    public T Content { get; } = content;
    public T[] Former { get; init; } = [];
    public T? Spare { get; set; }
    public Dictionary<string, T> Named { get; } = [];
    public int Opened { get; private set; }
}

[StateType]
public partial struct Couple<TLeft, TRight> where TLeft : notnull where TRight : class
{
    public TLeft Left;
    public TRight Right;
}

[StateType]
public partial class Crate<T> where T : new()
{
    public T Content { get; set; } = new();
    public T Sealed { get; private set; } = new();
}

[StateType]
public partial class LampBin : Crate<Torch>
{
    public string Label { get; set; } = "";
}

[StateType]
public partial class Short
{
    public Bin<byte> Raw { get; set; } = new(0);
}

[StateType]
public partial class WrittenOut
{
    public WrittenBin Raw { get; set; } = new();

    [StateType]
    public partial class WrittenBin
    {
        public byte Content { get; set; }
        public byte[] Former { get; set; } = [];
        public byte Spare { get; set; }
        public Dictionary<string, byte> Named { get; } = [];
        public int Opened { get; private set; }
    }
}

[StateType(Shared = true)]
public partial class Cork
{
    public string Name { get; set; } = "";
}

[StateType]
public partial class Anchorage
{
    public Bin<Cork?> First { get; set; } = new(null);
    public Bin<Cork?> Second { get; set; } = new(null);
}
