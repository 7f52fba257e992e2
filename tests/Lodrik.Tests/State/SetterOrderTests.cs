using System.Numerics;

namespace Lodrik.Tests.State;

/// <summary>Setters run in the order of the members, whatever the order in the file.</summary>
public sealed class SetterOrderTests
{
    public static TheoryData<SaveForm> Forms => [.. Enum.GetValues<SaveForm>()];

    [Theory]
    [MemberData(nameof(Forms))]
    public void What_one_setter_needs_is_set_before_it(SaveForm form)
    {
        var loaded = StateFile.FromBytes<Vigour>(StateFile.ToBytes(new Vigour { MaxHp = 50, Hp = 40 }, form));
        Assert.Equal((50, 40), (loaded.MaxHp, loaded.Hp));
        var many = StateFile.FromBytes<Crew>(StateFile.ToBytes(new Crew { All = [.. Enumerable.Range(1, 60).Select(i => new Vigour { MaxHp = 50 + i, Hp = 40 + i })] }, form));
        Assert.All(many.All.Select((one, i) => (one, i)), one => Assert.Equal((51 + one.i, 41 + one.i), (one.one.MaxHp, one.one.Hp)));
    }

    [Theory]
    [InlineData("""{ "hp": 40, "maxHp": 50 }""", 50, 40)]
    [InlineData("""{ "maxHp": 50, "hp": 40 }""", 50, 40)]
    [InlineData("""{ "hp": 40 }""", 10, 10)]
    [InlineData("""{ "maxHp": 50 }""", 50, 10)]
    public void A_file_in_another_order_loses_nothing(string text, int maxHp, int hp)
    {
        var loaded = StateFile.FromText<Vigour>(text);
        Assert.Equal((maxHp, hp), (loaded.MaxHp, loaded.Hp));
        var into = new Vigour();
        StateFile.ReadTextInto(text, into);
        Assert.Equal((maxHp, hp), (into.MaxHp, into.Hp));
    }

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_value_that_a_setter_refuses_is_told_at_its_place(SaveForm form)
    {
        var bytes = StateFile.ToBytes(new Ledge { All = [new Step { Height = 1, Note = "a" }, new Step { Height = -1, Note = "b" }] }, form);
        var refused = Assert.ThrowsAny<SaveException>(() => StateFile.FromBytes<CarefulLedge>(bytes));
        Assert.Equal(("/all/1/height", SaveErrorCode.WrongContent), (refused.Location.Path, refused.Code));
        Assert.Contains("The value was rejected", refused.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_circle_is_told_by_the_way_once_around_it()
    {
        var (one, other) = (new Friend(), new Friend());
        (one.Next, other.Next) = (other, one);
        var refused = Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(new Village { Founder = one }));
        Assert.Equal("/founder/next", refused.Location.Path);
        var row = new Friend { All = [new Friend()] };
        row.All[0].All.Add(row);
        Assert.Equal("/all/0", Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(row, SaveForm.Binary)).Location.Path);
    }

    [Fact]
    public void A_number_that_is_too_large_is_told_as_one()
    {
        var bytes = StateFile.ToBytes(new Heap { Grains = BigInteger.Pow(2, 80) }, SaveForm.Binary);
        var refused = Assert.ThrowsAny<SaveException>(() => StateFile.FromBytes<SmallHeap>(bytes));
        Assert.Contains("out of range", refused.Message, StringComparison.Ordinal);
        Assert.DoesNotContain("Expected a whole number", refused.Message, StringComparison.Ordinal);
    }
}

/// <summary>The member that is needed first is declared last.</summary>
[StateType]
public sealed partial class Vigour
{
    private int _hp = 10;

    public int Hp
    {
        get => _hp;
        set => _hp = Math.Clamp(value, 0, MaxHp);
    }

    [Saved(Order = -1)]
    public int MaxHp { get; set; } = 10;
}

[StateType]
public sealed partial class Crew
{
    public List<Vigour> All { get; set; } = [];
}

[StateType]
public sealed partial class Ledge
{
    public List<Step> All { get; set; } = [];
}

[StateType]
public sealed partial class Step
{
    public int Height { get; set; }

    public string Note { get; set; } = "";
}

[StateType]
public sealed partial class CarefulLedge
{
    public List<CarefulStep> All { get; set; } = [];
}

[StateType]
public sealed partial class CarefulStep
{
    private int _height;

    public int Height
    {
        get => _height;
        set
        {
            ArgumentOutOfRangeException.ThrowIfNegative(value);
            _height = value;
        }
    }

    public string Note { get; set; } = "";
}

[StateType]
public sealed partial class Village
{
    public Friend? Founder { get; set; }
}

[StateType]
public sealed partial class Friend
{
    public Friend? Next { get; set; }

    public List<Friend> All { get; set; } = [];
}

[StateType]
public sealed partial class Heap
{
    public BigInteger Grains { get; set; }
}

[StateType]
public sealed partial class SmallHeap
{
    public int Grains { get; set; }
}
