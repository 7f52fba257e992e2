using System.Collections.Concurrent;
using System.Collections.Frozen;
using System.Collections.Immutable;
using Lodrik.State;

namespace Lodrik.Tests.State;

/// <summary>Sets and maps that compare in a way of their own still do so in copies, and after loading where the member says so.</summary>
public sealed class ComparerTests
{
    private static readonly StringComparer NoCase = StringComparer.OrdinalIgnoreCase;

    [Fact]
    public void A_copy_compares_as_the_original_does()
    {
        var copy = StateContent.Copy(new Names
        {
            Deep = [new HashSet<string>(NoCase) { "Ab" }],
            DeepSorted = [new SortedSet<string>(NoCase) { "Ab" }],
            Maps =
            {
                ["x"] = new Dictionary<string, int>(NoCase) { ["Ab"] = 1 },
            },
            Sorted = [new SortedDictionary<string, int>(NoCase) { ["Ab"] = 1 }],
            SortedLists = [new SortedList<string, int>(NoCase) { ["Ab"] = 1 }],
            Ordered = [new OrderedDictionary<string, int>(NoCase) { ["Ab"] = 1 }],
            Parallel = [new ConcurrentDictionary<string, int>(NoCase) { ["Ab"] = 1 }],
            Fixed = { "Ab" },
            Frozen = new[] { "Ab" }.ToFrozenSet(NoCase),
            FrozenMap = new Dictionary<string, int> { ["Ab"] = 1 }.ToFrozenDictionary(NoCase),
            Immutable = ImmutableHashSet.Create(NoCase, "Ab"),
            ByInterface = new SortedSet<string>(NoCase) { "Ab" },
        });
        Check(copy);
        Assert.True(copy.Deep[0].Contains("aB") && copy.DeepSorted[0].Contains("aB") && copy.Maps["x"].ContainsKey("aB"));
        Assert.True(copy.Sorted[0].ContainsKey("aB") && copy.SortedLists[0].ContainsKey("aB") && copy.Ordered[0].ContainsKey("aB") && copy.Parallel[0].ContainsKey("aB"));
        Assert.IsType<SortedSet<string>>(copy.ByInterface);
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Binary)]
    public void What_a_member_says_of_comparing_holds_after_loading(SaveForm form) => Check(StateFile.FromBytes<Names>(StateFile.ToBytes(
        new Names { Fixed = { "Ab" }, Frozen = new[] { "Ab" }.ToFrozenSet(), FrozenMap = new Dictionary<string, int> { ["Ab"] = 1 }.ToFrozenDictionary(), Immutable = ["Ab"], ByInterface = new HashSet<string> { "Ab" } },
        form)));

    private static void Check(Names names) => Assert.Equal(
        (true, true, true, true, true),
        (names.Fixed.Contains("aB"), names.Frozen.Contains("aB"), names.FrozenMap.ContainsKey("aB"), names.Immutable.Contains("aB"), names.ByInterface.Contains("aB")));
}

[StateType]
public sealed partial class Names
{
    private static readonly StringComparer NoCase = StringComparer.OrdinalIgnoreCase;

    public List<HashSet<string>> Deep { get; set; } = [];

    public List<SortedSet<string>> DeepSorted { get; set; } = [];

    public Dictionary<string, Dictionary<string, int>> Maps { get; } = [];

    public List<SortedDictionary<string, int>> Sorted { get; set; } = [];

    public List<SortedList<string, int>> SortedLists { get; set; } = [];

    public List<OrderedDictionary<string, int>> Ordered { get; set; } = [];

    public List<ConcurrentDictionary<string, int>> Parallel { get; set; } = [];

    public HashSet<string> Fixed { get; } = new(NoCase);

    public FrozenSet<string> Frozen { get; set; } = FrozenSet.ToFrozenSet(Array.Empty<string>(), NoCase);

    public FrozenDictionary<string, int> FrozenMap { get; set; } = new Dictionary<string, int> { ["x"] = 0 }.ToFrozenDictionary(NoCase);

    public ImmutableHashSet<string> Immutable { get; set; } = ImmutableHashSet.Create<string>(NoCase);

    public ISet<string> ByInterface { get; set; } = new SortedSet<string>(NoCase);
}
