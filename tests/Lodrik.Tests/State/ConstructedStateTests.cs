using Lodrik.State;

namespace Lodrik.Tests.Constructed;

/// <summary>What a constructor sets is saved, and the constructor is given it when the object is loaded.</summary>
public sealed class ConstructedStateTests
{
    private static readonly Roster Everything = new()
    {
        Mill = new Station("mill", 7) { Note = "wet" },
        Line = { new Station("weir", 1), new Station("pier", 2) { Note = "dry" } },
        Path = [new Bend(3, 4), new Bend(5, 6)],
        Corner = new Bend(8, 9),
        Keeper = new Keeper("Isolde", 12, ["oil", "wick"], [4, 5, 6]) { Luck = 3 },
        Coins = new Coins(5),
        Marks = { [2] = new Mark(6), [1] = new Mark(1) },
        Bell = new ShipBell("tide", 3) { Struck = 2 },
        Chest = new Chest("brass"),
    };

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void What_a_constructor_sets_is_loaded_and_so_is_what_it_computes(SaveForm form)
    {
        Check(StateFile.FromBytes<Roster>(StateFile.ToBytes(Everything, form)));
        Check(StateContent.Copy(Everything));
        var into = new Roster { Mill = new Station("other", 1), Keeper = new Keeper("Oswin", 1, [], []) };
        var mill = into.Mill;
        StateFile.ReadInto(StateFile.ToBytes(Everything, form), into);
        Assert.Same(mill, into.Mill);
        Assert.Equal(("mill", 7, "wet"), (into.Mill.Name, into.Mill.Floor, into.Mill.Note));
        Assert.True(StateContent.AreEqual(Everything, into));
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Binary)]
    public void Many_of_them_are_loaded_as_one_is(SaveForm form)
    {
        var many = new Roster { Line = [.. Enumerable.Range(1, 500).Select(i => new Station($"s{i}", i) { Note = i % 3 == 0 ? null : $"n{i}" })], Path = [.. Enumerable.Range(1, 500).Select(i => new Bend(i, -i))] };
        var loaded = StateFile.FromBytes<Roster>(StateFile.ToBytes(many, form));
        Assert.Equal(many.Line.Select(one => (one.Name, one.Floor, one.Note, one.Sign)), loaded.Line.Select(one => (one.Name, one.Floor, one.Note, one.Sign)));
        Assert.Equal(many.Path.Select(one => (one.X, one.Y, one.Sum)), loaded.Path.Select(one => (one.X, one.Y, one.Sum)));
    }

    [Fact]
    public void A_single_one_at_the_top_of_a_file_is_created_with_its_values()
    {
        var loaded = StateFile.FromBytes<Keeper>(StateFile.ToBytes(new Keeper("Isolde", 12, ["oil"], [1])));
        Assert.Equal(("Isolde", 12, "Isolde of 12", 1), (loaded.Name, loaded.Nights, loaded.Title, loaded.Made));
        Assert.Equal("Isolde of 12", StateContent.Copy(new Keeper("Isolde", 12, [], [])).Title);
    }

    [Fact]
    public void The_order_of_members_in_a_file_written_by_hand_does_not_matter()
    {
        var loaded = StateFile.FromText<Station>("""{ "note": "wet", "floor": 7, "name": "mill" }""");
        Assert.Equal(("mill", 7, "wet", "mill/7"), (loaded.Name, loaded.Floor, loaded.Note, loaded.Sign));
        Assert.Equal(("mill", 4, "mill/4"), (StateFile.FromText<Station>("""{ "name": "mill" }""") is { } one ? (one.Name, one.Floor, one.Sign) : default));
        Assert.Equal(("", 4), (StateFile.FromText<Station>("{}").Name, StateFile.FromText<Station>("{}").Floor));
    }

    [Fact]
    public void A_constructor_that_refuses_default_values_has_the_saved_ones_whatever_their_order()
    {
        const string Text = """{ "seen": ["Heron"], "later": 1, "oil": [1, 2], "note": "wet", "depths": { "North": 3 }, "name": "mill" }""";
        var loaded = StateFile.FromText<Warden>(Text);
        Assert.Equal(("mill", "wet", "of mill"), (loaded.Name, loaded.Note, loaded.Title));
        Assert.True(loaded.Seen.Contains("hEROn") && loaded.Depths["NORTH"] == 3, "They ignore case, as the constructor made them.");
        Assert.Equal([1, 2, 9], loaded.Oil);
        Assert.Equal("kept", loaded.Kept);
        Assert.Equal("1", loaded.Rest["later"].ToString());
        Assert.Equal("null leaves it", StateFile.FromText<Warden>("""{ "title2": null, "name": "mill" }""").Title2);
    }

    [Theory]
    [InlineData("""{ "seen": [], "oil": [1] }""", "A keeper has a name")]
    [InlineData("""{ "oil": [1, 2, 3, 4], "name": "mill" }""", "room for 3 items")]
    [InlineData("""{ "depths": { "a": 1, "A": 2 }, "name": "mill" }""", "\"A\" appears twice")]
    public void What_does_not_fit_into_the_object_that_comes_late_is_told(string text, string told) =>
        Assert.Contains(told, Assert.ThrowsAny<SaveException>(() => StateFile.FromText<Warden>(text)).Message, StringComparison.Ordinal);

    [Fact]
    public void A_member_that_was_changed_after_the_constructor_ran_is_loaded_as_it_was()
    {
        // The constructor makes it larger each time; what counts is what was saved.
        var chest = StateFile.FromBytes<Chest>(StateFile.ToBytes(new Chest("brass")));
        Assert.Equal("brass!", chest.Lock);
        var bell = StateFile.FromBytes<ShipBell>(StateFile.ToBytes(new ShipBell("tide", 3) { Struck = 2 }));
        Assert.Equal(("tide", 3, 2), (bell.Name, bell.Pitch, bell.Struck));
    }

    [Fact]
    public void Values_that_the_constructor_refuses_are_told_as_an_invalid_save()
    {
        var text = StateFile.ToText(new Keeper("Isolde", 12, [], [])).Replace("\"nights\": 12", "\"nights\": 0", StringComparison.Ordinal);
        var refused = Assert.ThrowsAny<SaveException>(() => StateFile.FromText<Keeper>(text));
        Assert.Contains("nights ('0') must be", refused.Message, StringComparison.Ordinal);
    }

    private static void Check(Roster loaded)
    {
        Assert.True(StateContent.AreEqual(Everything, loaded));
        Assert.Equal("mill/7 weir/1 pier/2", string.Join(' ', loaded.Line.Prepend(loaded.Mill!).Select(one => one.Sign)));
        Assert.Equal([7, 11, 17], loaded.Path.Append(loaded.Corner!.Value).Select(one => one.Sum));
        Assert.Equal(("Isolde of 12", 3, 1), (loaded.Keeper!.Title, loaded.Keeper.Luck, loaded.Keeper.Made));
        Assert.Equal((5, 6, 1), (loaded.Coins.Amount, loaded.Marks[2].Depth, loaded.Marks[1].Depth));
        Assert.Equal("oil wick 456", $"{string.Join(' ', loaded.Keeper.Satchel)} {string.Concat(loaded.Keeper.Pockets)}");
    }
}

[StateType]
public sealed partial class Roster
{
    public Station? Mill { get; set; }

    public List<Station> Line { get; set; } = [];

    public Bend[] Path { get; set; } = [];

    public Bend? Corner { get; set; }

    public Keeper? Keeper { get; set; }

    public Coins Coins { get; set; } = new(0);

    public Dictionary<int, Mark> Marks { get; } = [];

    public Bell? Bell { get; set; }

    public Chest? Chest { get; set; }
}

/// <summary>Something computed once, and a member beside those that the constructor sets.</summary>
[StateType]
public sealed partial class Station(string name, int floor = 4)
{
    private readonly string _sign = $"{name}/{floor}";

    public string Name { get; } = name;

    public int Floor { get; } = floor;

    public string? Note { get; set; }

    public string Sign => _sign;
}

/// <summary>A struct whose sum is computed once.</summary>
[StateType]
public readonly partial struct Bend
{
    private readonly int _sum;

    public Bend(int x, int y) => (X, Y, _sum) = (x, y, x + y);

    public int X { get; }

    public int Y { get; }

    public int Sum => _sum;
}

/// <summary>A constructor that refuses, that computes, and that copies what it is given.</summary>
[StateType]
public sealed partial class Keeper
{
    public Keeper(string name, int nights, IEnumerable<string> satchel, int[] pockets)
    {
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(nights);
        (Name, Nights, Pockets, Satchel) = (name, nights, pockets, [.. satchel]);
        Title = $"{name} of {nights}";
        Made++;
    }

    public string Name { get; }

    public int Nights { get; }

    public List<string> Satchel { get; }

    public int[] Pockets { get; }

    [NotSaved]
    public string Title { get; }

    [NotSaved]
    public int Made { get; }

    public int Luck { get; init; }
}

/// <summary>A constructor that accepts no default values, and makes members in ways of its own.</summary>
[StateType]
public sealed partial class Warden
{
    public Warden(string name)
    {
        if (name.Length == 0)
            throw new ArgumentException("A keeper has a name.");
        (Name, Title) = (name, "of " + name);
    }

    public string Name { get; }

    public string? Note { get; set; }

    public string Kept { get; set; } = "kept";

    public string Title2 { get; set; } = "null leaves it";

    public HashSet<string> Seen { get; } = new(StringComparer.OrdinalIgnoreCase);

    public Dictionary<string, int> Depths { get; } = new(StringComparer.OrdinalIgnoreCase);

    public int[] Oil { get; } = [9, 9, 9];

    [NotSaved]
    public string Title { get; }

    [KeepUnknown]
    public SaveMap Rest { get; } = [];
}

[StateType]
public sealed partial record Coins(int Amount);

[StateType]
public readonly partial record struct Mark(int Depth);

[StateType]
[SaveVariant("ship", typeof(ShipBell))]
public abstract partial class Bell(string name)
{
    public string Name { get; } = name;

    public int Struck { get; set; }
}

[StateType]
public sealed partial class ShipBell(string name, int pitch) : Bell(name)
{
    public int Pitch => _pitch;

    [Saved("pitch")]
    private readonly int _pitch = pitch;
}

[StateType]
public sealed partial class Chest(string @lock)
{
    public string Lock { get; } = @lock + "!";
}
