using Lodrik.State;
using Lodrik.Tests.Formats;

namespace Lodrik.Tests.State;

/// <summary>An interface where variants are declared.</summary>
public sealed class InterfaceVariantTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory, MemberData(nameof(Forms))]
    public void What_implements_an_interface_is_saved_under_its_name(SaveForm form)
    {
        var saved = new Hold { Best = new Coins(4), Things = { new Line { Length = 12.5 }, null, new Coins(7), new Parcel<int> { Content = 3 } }, ByName = { ["spare"] = new Line() } };
        var loaded = StateFile.FromBytes<Hold>(StateFile.ToBytes(saved, form));
        Assert.Equal(new Coins(4), loaded.Best);
        Assert.Equal(12.5, Assert.IsType<Line>(loaded.Things[0]).Length);
        Assert.Null(loaded.Things[1]);
        Assert.Equal(new Coins(7), loaded.Things[2]);
        Assert.Equal(3, Assert.IsType<Parcel<int>>(loaded.Things[3]).Content);
        Assert.IsType<Line>(loaded.ByName["spare"]);
        Assert.True(StateContent.AreEqual(saved, loaded));
        var copy = StateContent.Copy(saved);
        Assert.True(StateContent.AreEqual(saved, copy));
        Assert.NotSame(saved.Things[0], copy.Things[0]);
        ((Line)copy.Things[0]!).Length = 1;
        Assert.False(StateContent.AreEqual(saved, copy));
    }

    [Fact]
    public void An_object_of_an_interface_can_be_saved_by_itself()
    {
        IThing thing = new Line { Length = 3 };
        var text = StateFile.ToText(thing);
        Assert.Contains("\"rope\"", text, StringComparison.Ordinal);
        Assert.Equal(3, Assert.IsType<Line>(StateFile.FromText<IThing>(text)).Length);
    }

    [Fact]
    public void What_implements_it_and_has_no_name_is_not_saved()
    {
        var problem = Assert.Throws<UnsavableStateException>(() => StateFile.ToText(new Hold { Best = new Stowaway() }));
        Assert.Contains(nameof(Stowaway), problem.Message, StringComparison.Ordinal);
        Assert.Equal("/best", problem.Location.Path);
    }

    [Fact]
    public void An_unknown_name_is_kept_where_the_interface_says_so()
    {
        const string Text = "{ \"all\": [{ \"kite\": { \"line\": 3 } }] }";
        var loaded = StateFile.FromText<Rack>(Text);
        Assert.Equal("kite", Assert.IsType<UnknownGood>(loaded.All[0]).VariantName);
        Assert.Contains("\"kite\"", StateFile.ToText(loaded), StringComparison.Ordinal);
    }

    private sealed class Stowaway : IThing
    {
        public int Weight => 70;
    }
}

[StateType]
[SaveVariant("coins", typeof(Coins)), SaveVariant("rope", typeof(Line)), SaveVariant("parcel", typeof(Parcel<int>))]
public partial interface IThing
{
    int Weight { get; }
}

[StateType]
public readonly partial record struct Coins(int Amount) : IThing
{
    public int Weight => Amount / 10;
}

[StateType]
public partial class Line : IThing
{
    public double Length { get; set; }
    public int Weight => (int)Length;
}

[StateType]
public partial class Parcel<T> : IThing
{
    public T? Content { get; set; }
    public int Weight => 1;
}

[StateType]
public partial class Hold
{
    public IThing? Best { get; set; }
    public List<IThing?> Things { get; } = [];
    public Dictionary<string, IThing> ByName { get; } = [];
}

[StateType]
[SaveVariant("net", typeof(FishNet)), UnknownVariant(typeof(UnknownGood))]
public partial interface IGood;

[StateType]
public partial class FishNet : IGood;

public sealed class UnknownGood : IGood, IUnknownVariant
{
    public string VariantName { get; set; } = "";
    public SaveValue VariantContent { get; set; } = new SaveMap();
}

[StateType]
public partial class Rack
{
    public List<IGood> All { get; } = [];
}
