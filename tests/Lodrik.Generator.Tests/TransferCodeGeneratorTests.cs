using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>A layout of transfer codes is made of attributes, and what cannot be in one is refused where it stands.</summary>
public sealed class TransferCodeGeneratorTests
{
    private const string Everything = """
        public enum Moon { New, Full }
        [TransferCode("night", Version = 2, CheckCharacterCount = 4, Corrects = 2)]
        public partial class Night
        {
            [InCode] public bool Fog { get; set; }
            [InCode] public Moon Moon { get; set; }
            [InCode(-3, 200)] public short Oil { get; set; }
            [InCode("mill", "quay")] public string Place { get; set; } = "mill";
            [InCode("a", "b")] public HashSet<string> Beacons { get; } = [];
            [InCode("a", "b")] public List<EntityId> Gone { get; } = [];
            [InCode(0, 9, MostItems = 4)] public List<int> Marks { get; } = [];
            [InCode("x", "y", MostItems = 3)] public List<string> Words = [];
            [InCode(MostItems = 2, Since = 2)] private readonly List<Moon> _moons = [];
            public int Elsewhere { get; set; }
        }
        """;

    [Fact]
    public void Every_kind_of_member_becomes_its_field()
    {
        var run = GeneratorRun.OfCodes(Everything);
        Assert.Empty(run.Problems);
        Assert.Empty(run.Complaints);
        var source = run.Source("Night.Code.g.cs");
        foreach (var call in new[] { ".Flag(\"fog\"", ".Choice<global::Moon>(\"moon\"", ".Number(\"oil\", -3L, 200L", ".Choice<string>(\"place\", [\"mill\", \"quay\"]", ".Set(\"beacons\"", ".Entities(\"gone\"", ".Numbers(\"marks\", 4, 0L, 9L", ".Choices<string>(\"words\", 3", ".Since(2)", ".Choices<global::Moon>(\"moons\", 2" })
            Assert.Contains(call, source, StringComparison.Ordinal);
        Assert.DoesNotContain("elsewhere", source, StringComparison.Ordinal);
        Assert.True(source.IndexOf("\"words\"", StringComparison.Ordinal) < source.IndexOf(".Since(2)", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("[InCode] public int Oil { get; set; }")]
    [InlineData("[InCode(0, 9)] public double Oil { get; set; }")]
    [InlineData("[InCode] public string Place { get; set; } = \"\";")]
    [InlineData("[InCode(0, 9)] public int Oil { get; }")]
    [InlineData("[InCode(0, 9)] public int Oil { get; init; }")]
    [InlineData("[InCode(0, 9)] public static int Oil { get; set; }")]
    [InlineData("[InCode(0, 9)] public List<int> Marks { get; } = [];")]
    [InlineData("[InCode] public HashSet<string> Beacons { get; } = [];")]
    [InlineData("[InCode(0, 9, MostItems = 3)] public HashSet<int> Marks { get; } = [];")]
    [InlineData("[InCode] public DateTime At { get; set; }")]
    public void What_cannot_be_in_a_code_is_refused_where_it_stands(string member)
    {
        var run = GeneratorRun.OfCodes($"[TransferCode(\"night\")] public partial class Night {{ {member} }}");
        Assert.Equal("LDR202", Assert.Single(run.Problems).Id);
        Assert.Empty(run.Result.GeneratedSources);
    }

    [Theory]
    [InlineData("[TransferCode(\"night\")] public class Night { [InCode] public bool Fog { get; set; } }", "partial")]
    [InlineData("[TransferCode(\"night\")] public partial class Night { public bool Fog { get; set; } }", "[InCode]")]
    [InlineData("[TransferCode(\"night\")] public partial class Night(int day) { [InCode] public bool Fog { get; set; } public int Day => day; }", "constructor")]
    [InlineData("[TransferCode(\"night\")] public abstract partial class Night { [InCode] public bool Fog { get; set; } }", "abstract")]
    [InlineData("public partial class Outer { [TransferCode(\"night\")] public partial class Night { [InCode] public bool Fog { get; set; } } }", "not nested")]
    public void A_class_that_cannot_have_codes_is_refused(string source, string problem)
    {
        var (id, _, message) = Assert.Single(GeneratorRun.OfCodes(source).Problems);
        Assert.Equal("LDR201", id);
        Assert.Contains(problem, message, StringComparison.Ordinal);
    }
}
