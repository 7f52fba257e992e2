using System.Net;
using Lodrik.State;
using Lodrik.Tests.Formats;
using Lodrik.Tests.State;

[assembly: Lodrik.State.SaveAdapter(typeof(AddressAdapter))]
[assembly: Lodrik.State.SaveAdapter(typeof(RangeAdapter))]

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
