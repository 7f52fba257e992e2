using System.Collections.Concurrent;

namespace Lodrik.Tests.Formats;

/// <summary>The game's own code gets in the way while many objects are written or read at once.</summary>
public sealed class RowTroubleTests : IDisposable
{
    private const int Count = 3_000;
    private readonly RoundSave _save = new() { Rounds = [.. Enumerable.Range(0, Count).Select(Round.Of)] };

    public static TheoryData<SaveForm> Forms => [SaveForm.Binary, SaveForm.Json, SaveForm.Xml];

    public void Dispose() => Round.Trouble = null;

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_getter_that_saves_something_else_does_not_disturb(SaveForm form)
    {
        var other = new RoundSave { Rounds = [.. Enumerable.Range(5_000, 1_500).Select(Round.Of)] };
        Round.Trouble = (number, _) =>
        {
            if (number is 3 or 1_027 or 2_999)
                AssertSame(other, StateFile.FromBytes<RoundSave>(StateFile.ToBytes(other, form)));
        };
        var bytes = StateFile.ToBytes(_save, form);
        Round.Trouble = null;
        AssertSame(_save, StateFile.FromBytes<RoundSave>(bytes));
    }

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_setter_that_loads_something_else_does_not_disturb(SaveForm form)
    {
        var bytes = StateFile.ToBytes(_save, form);
        Round.Trouble = (number, isSet) =>
        {
            if (isSet && number is 5 or 1_500)
            {
                var mine = Round.Trouble;
                Round.Trouble = null;
                AssertSame(_save, StateFile.FromBytes<RoundSave>(bytes));
                Round.Trouble = mine;
            }
        };
        AssertSame(_save, StateFile.FromBytes<RoundSave>(bytes));
    }

    [Theory]
    [MemberData(nameof(Forms))]
    public void After_a_getter_that_threw_the_next_save_is_right(SaveForm form)
    {
        foreach (var at in (int[])[0, 1_023, 1_024, 2_500])
        {
            Round.Trouble = (number, isSet) => Assert.False(!isSet && number == at, "A getter that throws");
            Assert.ThrowsAny<Exception>(() => StateFile.ToBytes(_save, form));
            Round.Trouble = null;
            AssertSame(_save, StateFile.FromBytes<RoundSave>(StateFile.ToBytes(_save, form)));
        }
    }

    [Theory]
    [MemberData(nameof(Forms))]
    public void After_a_setter_that_threw_the_next_load_is_right(SaveForm form)
    {
        var bytes = StateFile.ToBytes(_save, form);
        foreach (var at in (int[])[0, 1_023, 1_024, 2_500])
        {
            Round.Trouble = (number, isSet) =>
            {
                if (isSet && number == at)
                    throw new InvalidOperationException("This round cannot be rowed.");
            };
            var problem = Assert.ThrowsAny<SaveException>(() => StateFile.FromBytes<RoundSave>(bytes));
            Assert.Contains("This round cannot be rowed.", problem.Message, StringComparison.Ordinal);
            Round.Trouble = null;
            AssertSame(_save, StateFile.FromBytes<RoundSave>(bytes));
        }
    }

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_list_that_changes_while_it_is_saved_is_never_saved_wrong(SaveForm form)
    {
        // A getter of what is in the list of one round changes the list of another one.
        foreach (var (by, at) in ((int, int)[])[(1, 1), (3, 250), (3, 190), (3, 1_000), (1_027, 1_255), (2_999, 2)])
        {
            var save = new RoundSave { Rounds = [.. Enumerable.Range(0, Count).Select(Round.Of)] };
            Stop.Trouble = number =>
            {
                if (number == by * 10)
                    save.Rounds[at].Stops.Add(new Stop { Number = -1 });
            };
            byte[]? bytes = null;
            var problem = Record.Exception(() => bytes = StateFile.ToBytes(save, form));
            Stop.Trouble = null;
            if (problem is not null)
            {
                Assert.Equal(SaveErrorCode.ChangedMeanwhile, Assert.IsType<UnsavableStateException>(problem).Code);
                continue;
            }
            var read = StateFile.FromBytes<RoundSave>(bytes!);
            for (var i = 0; i < Count; i++)
            {
                Assert.Equal(i, read.Rounds[i].Number);
                Assert.Equal(Round.Of(i).Stops, read.Rounds[i].Stops.Where(stop => stop.Number >= 0));
            }
        }
    }

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_dictionary_that_grows_while_it_is_saved_is_never_saved_wrong(SaveForm form)
    {
        foreach (var count in (int[])[3, 7, 20, 400, 2_000])
        {
            var save = new RoundSave();
            for (var i = 0; i < count; i++)
                save.Marks[$"mark {i}"] = new Stop { Number = i };
            Stop.Trouble = number => save.Marks[$"mark {number}, again"] = new Stop { Number = -1 };
            byte[]? bytes = null;
            var problem = Record.Exception(() => bytes = StateFile.ToBytes(save, form));
            Stop.Trouble = null;
            // What is added may come where the dictionary was gone through already.
            if (problem is null)
            {
                Assert.InRange(StateFile.FromBytes<RoundSave>(bytes!).Marks.Count, count, (2 * count) + 1);
                continue;
            }
            var refused = Assert.IsType<UnsavableStateException>(problem);
            Assert.Equal(SaveErrorCode.ChangedMeanwhile, refused.Code);
            Assert.Equal("marks", refused.Location.Section);
            Assert.NotEmpty(StateFile.FromBytes<RoundSave>(StateFile.ToBytes(save, form)).Marks);
        }
    }

    private static void AssertSame(RoundSave expected, RoundSave actual) => Assert.Equal(Texts(expected), Texts(actual));

    private static List<string> Texts(RoundSave save) =>
        [.. save.Rounds.Select(round => $"{round.Name} {round.Number} {string.Join(',', round.Stops)} {string.Join(',', round.Tides)}")];
}

[SaveFile("rounds", Version = 1)]
public sealed partial class RoundSave
{
    public List<Round> Rounds { get; set; } = [];

    public ConcurrentDictionary<string, Stop> Marks { get; set; } = new();
}

/// <summary>A round of the keeper, with properties that do more than they should.</summary>
[StateType]
public sealed partial class Round
{
    private int _number;

    /// <summary>Told the number, and whether it is set.</summary>
    [ThreadStatic]
    private static Action<int, bool>? _trouble;

    public static Action<int, bool>? Trouble
    {
        get => _trouble;
        set => _trouble = value;
    }

    public string Name { get; set; } = "";

    public int Number
    {
        get
        {
            Trouble?.Invoke(_number, false);
            return _number;
        }
        set
        {
            Trouble?.Invoke(value, true);
            _number = value;
        }
    }

    public List<Stop> Stops { get; set; } = [];

    public List<int> Tides { get; set; } = [];

    public static Round Of(int number) => new()
    {
        Name = $"round {number % 40}",
        Number = number,
        Stops = [.. Enumerable.Range(0, number % 4).Select(i => new Stop { Number = (number * 10) + i, Beacon = $"beacon {i}" })],
        Tides = [.. Enumerable.Range(0, number % 3)],
    };
}

/// <summary>A stop of a round.</summary>
[StateType]
public sealed partial record Stop
{
    private int _number;

    [ThreadStatic]
    private static Action<int>? _trouble;

    public static Action<int>? Trouble
    {
        get => _trouble;
        set => _trouble = value;
    }

    public int Number
    {
        get
        {
            Trouble?.Invoke(_number);
            return _number;
        }
        set => _number = value;
    }

    public string Beacon { get; set; } = "";
}
