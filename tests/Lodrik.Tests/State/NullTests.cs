
namespace Lodrik.Tests.State;

/// <summary>Null never reaches a member that cannot hold it, wherever it comes from.</summary>
public sealed class NullTests
{
    private static readonly Lenient Nothing = new() { Rest = null };

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void Null_from_a_version_that_allowed_it_leaves_the_initial_value(SaveForm form)
    {
        var bytes = StateFile.ToBytes(new LenientList { All = [Nothing], One = Nothing }, form);
        var loaded = StateFile.FromBytes<StrictList>(bytes);
        foreach (var one in loaded.All.Prepend(loaded.One))
        {
            Assert.Equal(("Isolde", "", "oil", 0, "mill"), (one.Name, one.Title, string.Join(' ', one.Items), one.Seen.Count, one.Home.Name));
            Assert.Equal(("kept", null), (one.Fixed, one.Rest));
        }
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Binary)]
    public void Of_many_the_ones_that_are_null_and_no_others(SaveForm form)
    {
        var old = new LenientList { All = [.. Enumerable.Range(0, 300).Select(i => new Lenient { Name = i % 2 == 0 ? null : $"n{i}", Title = i % 3 == 0 ? null : $"t{i}" })] };
        var loaded = StateFile.FromBytes<StrictList>(StateFile.ToBytes(old, form));
        Assert.Equal(old.All.Select(one => (one.Name ?? "Isolde", one.Title ?? "")), loaded.All.Select(one => (one.Name, one.Title)));
    }

    [Fact]
    public void What_was_never_given_a_value_is_saved_and_stays_so()
    {
        var loaded = StateFile.FromBytes<Unset>(StateFile.ToBytes(new Unset()));
        Assert.Null(loaded.Hero);
    }
}

[StateType]
public sealed partial class LenientList
{
    public Lenient One { get; set; } = new();

    public List<Lenient> All { get; set; } = [];
}

[StateType]
public sealed partial class Lenient
{
    public string? Name { get; set; }

    public string? Title { get; set; }

    public List<string>? Items { get; set; }

    public HashSet<int>? Seen { get; set; }

    public LenientHome? Home { get; set; }

    public string? Fixed { get; set; }

    public string? Rest { get; set; } = "rest";
}

[StateType]
public sealed partial class LenientHome
{
    public string? Name { get; set; }
}

[StateType]
public sealed partial class StrictList
{
    public Strict One { get; set; } = new("");

    public List<Strict> All { get; set; } = [];
}

[StateType]
public sealed partial class Strict(string title)
{
    public string Name { get; set; } = "Isolde";

    public string Title { get; } = title;

    public List<string> Items { get; } = ["oil"];

    public HashSet<int> Seen { get; set; } = [];

    public StrictHome Home { get; init; } = new() { Name = "mill" };

    public readonly string Fixed = "kept";

    public string? Rest { get; set; } = "rest";
}

[StateType]
public sealed partial class StrictHome
{
    public string Name { get; set; } = "";
}

[StateType]
public sealed partial class Unset
{
    public Strict Hero { get; set; } = null!;
}
