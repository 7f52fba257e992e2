using System.Net;
using Lodrik.State;
using Lodrik.Tests.Formats;
using Lodrik.Tests.State;

[assembly: Lodrik.State.SaveAdapter(typeof(AddressAdapter))]
[assembly: Lodrik.State.SaveAdapter(typeof(RangeAdapter))]
[assembly: Lodrik.State.SaveAdapter(typeof(CellAdapter))]

namespace Lodrik.Tests.State;

/// <summary>Types that are not ours: a class and a struct of the platform that nothing else here can save.</summary>
public sealed class AdapterTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory, MemberData(nameof(Forms))]
    public void Types_that_the_game_does_not_own_are_saved_as_others(SaveForm form)
    {
        var saved = new Foreign
        {
            Address = IPAddress.Parse("10.1.2.3"),
            Window = 3..9,
            Maybe = 1..2,
            Many = { IPAddress.Loopback, null, IPAddress.IPv6Loopback },
            Named = { ["a"] = 4..5 },
        };
        var loaded = StateFile.FromBytes<Foreign>(StateFile.ToBytes(saved, form));
        Assert.Equal(saved.Address, loaded.Address);
        Assert.Equal(saved.Window, loaded.Window);
        Assert.Equal(saved.Maybe, loaded.Maybe);
        Assert.Equal(saved.Many, loaded.Many);
        Assert.Equal(saved.Named, loaded.Named);
        Assert.Null(StateFile.FromBytes<Foreign>(StateFile.ToBytes(new Foreign(), form)).Address);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_key_of_a_map_can_be_of_an_adapted_type(SaveForm form)
    {
        var saved = new Board { Depths = { [new Cell(1, 2)] = 5, [new Cell(-3, 0)] = 7 }, Sorted = { [new Cell(9, 9)] = ["mud"] }, Names = new Dictionary<Cell, string> { [new Cell(0, 0)] = "mill" } };
        var loaded = StateFile.FromBytes<Board>(StateFile.ToBytes(saved, form));
        Assert.Equal(saved.Depths, loaded.Depths);
        Assert.Equal("mud", Assert.Single(loaded.Sorted[new Cell(9, 9)]));
        Assert.Equal("mill", loaded.Names[new Cell(0, 0)]);
        Assert.True(StateContent.AreEqual(saved, StateContent.Copy(saved)));
    }

    [Fact]
    public void A_key_that_the_adapter_refuses_is_told_and_so_are_two_that_would_be_one()
    {
        Assert.Contains("\"1;2\": 5", StateFile.ToText(new Board { Depths = { [new Cell(1, 2)] = 5 } }), StringComparison.Ordinal);
        var refused = Assert.ThrowsAny<SaveException>(() => StateFile.FromText<Board>("{ \"depths\": { \"1\": 5 } }"));
        Assert.Contains("\"1\" is no cell", refused.Message, StringComparison.Ordinal);
        Assert.Equal("/depths/1", refused.Location.Path);
        Assert.Contains("twice", Assert.ThrowsAny<SaveException>(() => StateFile.FromText<Board>("{ \"depths\": { \"1;2\": 5, \"01;2\": 5 } }")).Message, StringComparison.Ordinal);
        var unsavable = Assert.Throws<UnsavableStateException>(() => StateFile.ToText(new Board { Depths = { [new Cell(1, 2)] = 5, [new Cell(1, 2, "a name that is not saved")] = 6 } }));
        Assert.Contains("Two keys of the map have the same saved form \"1;2\"", unsavable.Message, StringComparison.Ordinal);
        Assert.Equal("/depths", unsavable.Location.Path);
    }

    [Fact]
    public void What_the_adapter_refuses_is_reported_at_its_place()
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<Foreign>("{ \"address\": \"nowhere\" }"));
        Assert.Equal("/address", problem.Location.Path);
        Assert.IsType<FormatException>(problem.InnerException);
    }
}

[StateType]
public sealed partial class Foreign
{
    public IPAddress? Address { get; set; }
    public Range Window { get; set; }
    public Range? Maybe { get; set; }
    public List<IPAddress?> Many { get; set; } = [];
    public Dictionary<string, Range> Named { get; set; } = [];
}

/// <summary>A key of the game that is no state type.</summary>
public readonly record struct Cell(int X, int Y, string? Note = null) : IComparable<Cell>
{
    public int CompareTo(Cell other) => (X, Y).CompareTo((other.X, other.Y));
}

[StateType]
public sealed partial class Board
{
    public Dictionary<Cell, int> Depths { get; } = [];
    public SortedDictionary<Cell, List<string>> Sorted { get; } = [];
    public IReadOnlyDictionary<Cell, string> Names { get; set; } = new Dictionary<Cell, string>();
}

public readonly struct CellAdapter : ISaveAdapter<Cell, string>
{
    public static string ToSaved(Cell value) => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{value.X};{value.Y}");

    public static Cell FromSaved(string saved) => saved.Split(';') is [var x, var y]
        ? new Cell(int.Parse(x, System.Globalization.CultureInfo.InvariantCulture), int.Parse(y, System.Globalization.CultureInfo.InvariantCulture))
        : throw new FormatException($"\"{saved}\" is no cell.");
}

public readonly struct AddressAdapter : ISaveAdapter<IPAddress, string>
{
    public static string ToSaved(IPAddress value) => value.ToString();

    public static IPAddress FromSaved(string saved) => IPAddress.Parse(saved);
}

public readonly struct RangeAdapter : ISaveAdapter<Range, (int From, int To)>
{
    public static (int From, int To) ToSaved(Range value) => (value.Start.Value, value.End.Value);

    public static Range FromSaved((int From, int To) saved) => saved.From..saved.To;
}
