using System.Numerics;
using Lodrik.Scenes;
using Lodrik.Testing;

namespace Lodrik.Tests.Scenes;

/// <summary>A check in a game's own tests finds bindings that lose something.</summary>
public sealed class SceneCheckTests
{
    private static Shoal Played()
    {
        var shoal = Shoal.Of("a", "b");
        Play(shoal);
        return shoal;
    }

    private static void Play(Shoal shoal)
    {
        (shoal["a"].At, shoal["a"].Oil, shoal["a"].Leads, shoal["a"].TiedTo) = (new Vector2(1, 2), 3, shoal["b"], shoal["b"]);
        var spawned = shoal.Spawn();
        (spawned.At, spawned.Oil, spawned.Cargo) = (new Vector2(3, 4), 5, 6);
    }

    private static SceneBindings<Shoal> Bindings(Action<Float, OilLeft> putOil, Action<Float, Float?>? putLeads = null, Action<Float, Float?>? putParent = null) =>
        Shoal.Bindings(kind =>
        {
            kind.Part("oil", one => new OilLeft(one.Oil), putOil)
                .Reference("leads", one => one.Leads, putLeads ?? ((one, target) => one.Leads = target))
                .Parent(one => one.TiedTo, putParent ?? ((one, parent) => one.TiedTo = parent));
            Shoal.HasCargo(kind);
        });

    [Fact]
    public void Bindings_that_lose_nothing_pass_and_leave_the_scene_as_it_was()
    {
        var shoal = Played();
        var before = shoal.Print();
        Bindings((one, oil) => one.Oil = oil.Amount).Check(shoal);
        Assert.Equal(before, shoal.Print());
        Bindings((one, oil) => one.Oil = oil.Amount).Check(() => Shoal.Of("a", "b"), Play);
        Shoal.Bindings(Shoal.HasCargo, onlyIfChanged: true).Check(() => Shoal.Of("a", "b"), Play);
    }

    [Fact]
    public void A_setter_that_does_nothing_or_something_else_is_named()
    {
        var problem = Assert.Throws<SceneCheckException>(() => Bindings((_, _) => { }).Check(Played()));
        Assert.Equal(["float a: its \"oil\" was {\"amount\":3}, and is {\"amount\":0}", "float #1: its \"oil\" was {\"amount\":5}, and is {\"amount\":0}"], problem.Problems);
        Assert.StartsWith("The scene was restored after everything had been removed, and it is not what was captured:", problem.Message, StringComparison.Ordinal);

        problem = Assert.Throws<SceneCheckException>(() => Bindings((one, oil) => (one.Oil, one.At) = (oil.Amount, default)).Check(Played()));
        Assert.Contains("float a: its \"place\" was", problem.Message, StringComparison.Ordinal);
        Assert.Contains("restored in place", problem.Message, StringComparison.Ordinal);

        problem = Assert.Throws<SceneCheckException>(() => Bindings((one, oil) => one.Oil = oil.Amount, (_, _) => { }, (_, _) => { }).Check(Played()));
        Assert.Equal(["float a: its parent was \"b\", and is nothing", "float a: its \"leads\" was \"b\", and is nothing"], problem.Problems);
    }

    [Fact]
    public void A_setter_of_something_that_is_always_there_is_found_in_a_scene_that_was_built_anew()
    {
        var bindings = new SceneBindings<Shoal>().Kind("float", shoal => shoal.All, kind => kind.Id(one => one.Id).Part("oil", one => new OilLeft(one.Oil), (_, _) => { }));
        bindings.Check(Shoal.Of("a"));
        var problem = Assert.Throws<SceneCheckException>(() => bindings.Check(() => Shoal.Of("a"), shoal => shoal["a"].Oil = 4));
        Assert.Equal("float a: its \"oil\" was {\"amount\":4}, and is {\"amount\":0}", Assert.Single(problem.Problems));
    }

    [Fact]
    public void A_setter_that_empties_the_level_is_named()
    {
        Shoal shoal = null!;
        var problem = Assert.Throws<SceneCheckException>(() => Bindings((_, _) => shoal.All.Clear()).Check(shoal = Played()));
        Assert.Equal(["float a is not there", "float b is not there", "float #1 is not there", "a is gone", "b is gone"], problem.Problems);
    }
}
