using Lodrik.Migrations;
using Lodrik.State;
using Lodrik.Testing;
using Lodrik.Tests.Formats;

namespace Lodrik.Tests.State;

/// <summary>Members that were renamed, in saves that nobody migrates.</summary>
public sealed class FormerNameTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("former-").FullName;

    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory, MemberData(nameof(Forms))]
    public void A_member_is_found_under_the_name_that_it_had(SaveForm form)
    {
        var old = new OldLights { All = [.. Enumerable.Range(0, 40).Select(i => new OldLight { Oil = i, Called = $"light {i}", Hours = [i] })], One = { Oil = 3, Called = "mill", Hours = [1, 2] } };
        var loaded = StateFile.FromBytes<Lights>(StateFile.ToBytes(old, form));
        Assert.Equal((3.0, "mill", 2), (loaded.One.Fuel, loaded.One.Title, loaded.One.Burned.Count));
        Assert.Equal(old.All.Select(light => ((double)light.Oil, light.Called, light.Hours[0])), loaded.All.Select(light => (light.Fuel, light.Title, light.Burned[0])));
        // What is saved has the name of today, and loads.
        var again = StateFile.ToBytes(loaded, form);
        Assert.True(StateContent.AreEqual(loaded, StateFile.FromBytes<Lights>(again)));
        Assert.Throws<SaveContentException>(() => StateFile.FromBytes<OldLightsStrict>(again));
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_value_under_both_names_is_refused(SaveForm form)
    {
        var both = new BothLights { All = [.. Enumerable.Range(0, 40).Select(i => new BothLight { Oil = i, Fuel = i })] };
        var told = Assert.Throws<SaveContentException>(() => StateFile.FromBytes<Lights>(StateFile.ToBytes(both, form)));
        Assert.Contains("\"fuel\" appears twice", told.Message, StringComparison.Ordinal);
        Assert.StartsWith("/all/0", told.Location.Path, StringComparison.Ordinal);
    }

    [Fact]
    public void A_file_that_people_edit_has_the_older_name_or_the_later_one()
    {
        Assert.Equal((4.0, "north"), Read("{ \"oil\": 4, \"Called\": \"north\" }"));
        Assert.Equal((4.0, "north"), Read("{ \"fuel\": 4, \"label\": \"north\" }"));
        Assert.Contains("\"fuel\" appears twice", Assert.Throws<SaveContentException>(() => Read("{ \"oil\": 4, \"fuel\": 5 }")).Message, StringComparison.Ordinal);
        StateFile.FromText<Light>("{ \"oil\": 4, \"oill\": 5 }", out var unknown);
        Assert.Equal("oill", Assert.Single(unknown).Key);

        static (double, string) Read(string text)
        {
            var light = StateFile.FromText<Light>(text);
            return (light.Fuel, light.Title);
        }
    }

    [Fact]
    public void The_ledger_knows_that_nothing_is_lost()
    {
        var changes = Shape<FormerV1>().ChangesTo(Shape<FormerV2>());
        Assert.Contains(changes, change => change.IsLoss && change.ToString()!.Contains("called", StringComparison.Ordinal));
        Assert.Equal("fuel", Shape<FormerV2>().Find(typeof(PartlyRenamed).FullName!)!.FormerKeys["oil"]);
        Assert.DoesNotContain(changes, change => change.IsLoss && !change.ToString()!.Contains("called", StringComparison.Ordinal));
    }

    [Fact]
    public void The_compatibility_test_finds_the_values_under_the_later_name()
    {
        Ledger.Open(_folder).Record(Shape<FormerV1>());
        var told = Assert.Throws<CompatibilityException>(() => SaveCompatibility.Of<FormerV2>(_folder).WithSaves(60).Check());
        Assert.EndsWith("/called", told.Path, StringComparison.Ordinal);
        Assert.Equal(60, SaveCompatibility.Of<FormerV3>(_folder).WithSaves(60).Check().SaveCount);
    }

    private static SaveShape Shape<T>() => SaveShape.OfAssembly(typeof(T).Assembly.Location, typeof(T).FullName);
}

[StateType]
public sealed partial class OldLight
{
    public int Oil { get; set; }
    public string Called { get; set; } = "";
    public List<int> Hours { get; set; } = [];
}

[StateType]
public sealed partial class OldLights
{
    public OldLight One { get; set; } = new();
    public List<OldLight> All { get; set; } = [];
}

[StateType]
public sealed partial class BothLight
{
    public int Oil { get; set; }
    public int Fuel { get; set; }
}

[StateType]
public sealed partial class BothLights
{
    public List<BothLight> All { get; set; } = [];
}

[StateType]
public sealed partial class OldLightsStrict
{
    public StrictLight One { get; set; } = new() { Oil = 0 };
}

[StateType]
public sealed partial class StrictLight
{
    public required int Oil { get; set; }
}

[StateType]
public sealed partial class Light(string title = "")
{
    [FormerName("oil")]
    public double Fuel { get; set; }

    [FormerName("Called", "label")]
    public string Title { get; } = title;

    [Saved("burned"), FormerName("hours")]
    public List<int> Burned { get; init; } = [];
}

[StateType]
public sealed partial class Lights
{
    public Light One { get; set; } = new();
    public List<Light> All { get; set; } = [];
}

[SaveFile("former")]
public sealed partial class FormerV1
{
    public OldLight Light { get; set; } = new();
    public List<OldLight> Lights { get; set; } = [];
}

[SaveFile("former")]
public sealed partial class FormerV2
{
    public PartlyRenamed Light { get; set; } = new();
    public List<PartlyRenamed> Lights { get; set; } = [];
}

[StateType]
public sealed partial class PartlyRenamed
{
    [FormerName("oil")]
    public int Fuel { get; set; }
    public string Title { get; set; } = "";
    [FormerName("hours")]
    public List<int> Burned { get; set; } = [];
}

[SaveFile("former")]
public sealed partial class FormerV3
{
    public Light Light { get; set; } = new();
    public List<Light> Lights { get; set; } = [];
}
