using Lodrik.Scenes;
using Tidewarden;

namespace Lodrik.Tests.Scenes;

/// <summary>A scene of which only a little is known: the rest is as the designer left it.</summary>
public sealed class SketchTests
{
    [Fact]
    public void What_a_sketch_says_is_so_and_the_rest_as_authored()
    {
        var scene = Scene.Author("marsh");
        var live = LiveScene.Begin(scene);
        var sketch = live.Sketch(sketch => sketch
            .Gone("oil-1", "letter-2", "oil-1")
            .Set("beacon-2", Beacon.Parts.Flame, "lit", true)
            .Set("beacon-2", Beacon.Parts.Flame, "oil", 4)
            .Set("sluice-1", Sluice.Parts.Gate, "setting", "Open")
            .Part("punt", Punt.Parts.Place, new Somewhere(new(9, 9))));
        // The scene has been played meanwhile: nothing of that stays.
        scene.Beacons[0].Lit = true;
        scene.Herons.RemoveAt(0);
        scene.OilCans.Clear();
        live.Restore(sketch);
        Assert.Equal(["beacon-2"], scene.Beacons.Where(beacon => beacon.Lit).Select(beacon => beacon.Name));
        Assert.Equal(4, scene.Beacons[1].Oil);
        var authored = Scene.Author("marsh");
        Assert.Equal(authored.OilCans.Select(can => can.Name).Except(["oil-1"]).Order(), scene.OilCans.Select(can => can.Name).Order());
        Assert.Equal(authored.Letters.Select(letter => letter.Name).Except(["letter-2"]).Order(), scene.Letters.Select(letter => letter.Name).Order());
        Assert.Equal(authored.Herons.Count, scene.Herons.Count);
        Assert.Equal((GateSetting.Open, new System.Numerics.Vector2(9, 9)), (scene.Sluices[0].Setting, scene.Punts[0].At));
    }

    [Fact]
    public void A_sketch_speaks_of_what_the_designer_placed_only()
    {
        var live = LiveScene.Begin(Scene.Author("marsh"));
        Assert.Contains("has no placed entity oil-99", Assert.Throws<SceneException>(() => live.Sketch(sketch => sketch.Gone("oil-99"))).Message, StringComparison.Ordinal);
        Assert.Throws<SceneException>(() => live.Sketch(sketch => sketch.Set("beacon-99", "flame", "lit", true)));
        Assert.Contains("Did you mean \"flame\"?", Assert.Throws<SceneException>(
            () => live.Sketch(sketch => sketch.Set("beacon-1", "flames", "lit", true))).Message, StringComparison.Ordinal);
        Assert.Contains("no member \"light\"", Assert.Throws<SceneException>(
            () => live.Sketch(sketch => sketch.Set("beacon-1", "flame", "light", true))).Message, StringComparison.Ordinal);
        // Nothing said is the scene as authored.
        var scene = Scene.Author("marsh");
        var untouched = LiveScene.Begin(scene);
        scene.Beacons[0].Lit = true;
        untouched.Restore(untouched.Sketch(_ => { }));
        Assert.DoesNotContain(scene.Beacons, beacon => beacon.Lit);
    }
}

/// <summary>A part that says a place.</summary>
[StateType]
internal partial record struct Somewhere(System.Numerics.Vector2 At);
