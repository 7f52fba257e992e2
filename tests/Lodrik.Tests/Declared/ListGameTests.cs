using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Declared;

public sealed class ListGameTests
{
    private readonly Marsh _marsh = Marsh.AsDesigned();
    private readonly LiveScene<Marsh> _live;

    public ListGameTests() => _live = LiveScene.Begin(_marsh);

    public static TheoryData<SaveForm> Forms => [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    [Theory]
    [MemberData(nameof(Forms))]
    public void What_was_saved_comes_back(SaveForm form)
    {
        var lantern = new Lantern(_marsh.Numbers.Next())
        {
            At = new(4, 2),
            Colour = "red",
            Near = _marsh.OilCans[1],
            TiedTo = _marsh.Punts["punt"],
            Passed = { _marsh.Punts["punt"] },
        };
        _marsh.Lanterns.Add(lantern);
        _marsh.OilCans.RemoveAt(0);
        _marsh.Punts["punt"].Crew.Add("heron");
        _marsh.Fog = 0.9f;
        var record = Lodrik.Tests.Scenes.Shoal.Through(_live.Capture(), form);

        _marsh.OilCans.Clear();
        _marsh.Lanterns.Clear();
        _marsh.Lanterns.Add(new Lantern(_marsh.Numbers.Next()));
        _marsh.Punts["punt"].Crew.Clear();
        _marsh.Fog = 0;
        var punt = _marsh.Punts["punt"];
        _live.Restore(record);

        var can = Assert.Single(_marsh.OilCans);
        Assert.Equal(("oil-2", new Vector2(7, 3), 5f), (can.Name, can.At, can.Oil));
        var back = Assert.Single(_marsh.Lanterns);
        Assert.Equal((1, new Vector2(4, 2), "red"), (back.Number, back.At, back.Colour));
        Assert.Same(can, back.Near);
        Assert.Same(punt, back.TiedTo);
        Assert.Equal([punt], back.Passed);
        Assert.Equal(["keeper", "heron"], _marsh.Punts["punt"].Crew);
        Assert.Equal(0.9f, _marsh.Fog);
        Assert.Equal(3, _marsh.Numbers.Next());
    }

    [Fact]
    public void The_names_of_kinds_and_parts_are_constants()
    {
        Assert.Equal(("oilCan", "punt", "lantern"), (Marsh.Kinds.OilCan, Marsh.Kinds.Punt, Marsh.Kinds.Lantern));
        Assert.Equal(("state", "near", "passed"), (Lantern.Parts.State, Lantern.Parts.Near, Lantern.Parts.Passed));
    }

    [Fact]
    public void Scenes_of_one_class_are_played_on_many_threads() => Parallel.For(0, 400, new ParallelOptions { MaxDegreeOfParallelism = 8 }, run =>
    {
        var marsh = Marsh.AsDesigned();
        var live = LiveScene.Begin(marsh);
        for (var i = 0; i < 5; i++)
            marsh.Lanterns.Add(new Lantern(marsh.Numbers.Next()) { Near = marsh.OilCans[run % 2], Passed = { marsh.Punts["punt"] }, TiedTo = marsh.Punts["punt"] });
        var record = live.Capture();
        marsh.Lanterns.Clear();
        live.Restore(record);
        Assert.Equal(5, marsh.Lanterns.Count);
        Assert.All(marsh.Lanterns, lantern =>
        {
            Assert.Same(marsh.OilCans[run % 2], lantern.Near);
            Assert.Same(marsh.Punts["punt"], Assert.Single(lantern.Passed));
            Assert.Same(marsh.Punts["punt"], lantern.TiedTo);
        });
    });

    [Fact]
    public void What_the_game_put_under_another_key_is_removed_too()
    {
        var record = _live.Capture();
        _marsh.Punts["the new one"] = new Punt("skiff");
        _live.Restore(record);
        Assert.Equal(["punt"], _marsh.Punts.Keys);
    }
}
