using Lodrik.State;
using Lodrik.Tests.Formats;
using Lodrik.Tests.State;

[assembly: SaveFields(typeof(SavedFieldsTests.Spot), typeof(SavedFieldsTests.Tint), typeof(SavedFieldsTests.Placing), typeof(SavedFieldsTests.Fixed))]
[assembly: SaveFields(typeof(SavedFieldsTests.Mark))]

namespace Lodrik.Tests.State;

/// <summary>Structs as an engine has them, without a mark of ours: their fields are saved.</summary>
public sealed class SavedFieldsTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory, MemberData(nameof(Forms))]
    public void Structs_that_the_game_does_not_own_are_saved_by_their_fields(SaveForm form)
    {
        var saved = new Craft
        {
            At = new Placing { Position = new Spot { X = 1.5f, Y = -2 }, Turn = 90, Side = Side.Port },
            Path = { new Spot { X = 1 }, new Spot { Y = 2 } },
            Paint = new Tint { R = 255, A = 128 },
            Home = new Fixed(3, 4),
            Maybe = new Mark { Note = "here", Depth = 2 },
            Boxed = new Bin<Spot>(new Spot { X = 7 }),
        };
        var loaded = StateFile.FromBytes<Craft>(StateFile.ToBytes(saved, form));
        Assert.Equal(saved.At, loaded.At);
        Assert.Equal(saved.Path, loaded.Path);
        Assert.Equal(saved.Paint, loaded.Paint);
        Assert.Equal(saved.Home, loaded.Home);
        Assert.Equal(saved.Maybe, loaded.Maybe);
        Assert.Equal(7, loaded.Boxed.Content.X);
        Assert.True(StateContent.AreEqual(saved, loaded));
        Assert.True(StateContent.AreEqual(saved, StateContent.Copy(saved)));
        Assert.Null(StateFile.FromBytes<Craft>(StateFile.ToBytes(new Craft(), form)).Maybe);
    }

    [Fact]
    public void What_is_saved_is_a_map_of_the_fields() => Assert.Contains(
        "\"at\": {\n    \"position\": {\n      \"x\": 1.0,\n      \"y\": 2.0\n    },\n    \"turn\": 0.0,\n    \"side\": \"Port\"\n  }",
        StateFile.ToPlainText(new Craft { At = new Placing { Position = new Spot { X = 1, Y = 2 } } }),
        StringComparison.Ordinal);

    [Fact]
    public void A_problem_in_a_field_has_its_path()
    {
        var problem = Assert.ThrowsAny<SaveException>(() => StateFile.FromText<Craft>("{ \"at\": { \"position\": { \"x\": \"far\" } } }"));
        Assert.Equal("/at/position/x", problem.Location.Path);
    }

    public struct Spot
    {
        public float X;
        public float Y;

        public float Length
        {
            readonly get => MathF.Sqrt((X * X) + (Y * Y));
            set => X = value;
        }
    }

    public struct Tint
    {
        public byte R, G, B, A;
    }

    public struct Placing
    {
        public Spot Position;
        public double Turn;
        public Side Side;
    }

    public enum Side
    {
        Port,
        Starboard,
    }

    public readonly struct Fixed(int x, int y)
    {
        public readonly int X = x;
        public int Y { get; } = y;
    }

    public record struct Mark
    {
        public string? Note { get; set; }
        public int Depth { get; init; }
    }
}

[StateType]
public partial class Craft
{
    public SavedFieldsTests.Placing At { get; set; }
    public List<SavedFieldsTests.Spot> Path { get; } = [];
    public SavedFieldsTests.Tint Paint;
    public SavedFieldsTests.Fixed Home { get; set; }
    public SavedFieldsTests.Mark? Maybe { get; set; }
    public Bin<SavedFieldsTests.Spot> Boxed { get; set; } = new(default);
}
