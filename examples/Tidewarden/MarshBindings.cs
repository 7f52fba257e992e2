using Lodrik.Scenes;
using Lodrik.State;
using Tidewarden;

[assembly: SaveAdapter(typeof(CatalogueAdapter<Glass, Glasses>))]

namespace Tidewarden;

/// <summary>Says once what the objects of a scene are, so that scenes can be captured and put back.</summary>
public static class MarshBindings
{
    public static SceneBindings<Scene> Create() => new SceneBindings<Scene>()
        .SpawnNumbers(scene => scene.Numbers)
        .CurtainDown(scene => scene.IsCovered = true)
        .CurtainUp(scene => scene.IsCovered = false)
        .Kind("beacon", scene => scene.Beacons, beacon => beacon
            .Id(one => one.Name)
            .Part("flame", one => new Flame(one.Lit, one.Oil), (one, flame) => (one.Lit, one.Oil) = (flame.Lit, flame.Oil)))
        .Kind("sluice", scene => scene.Sluices, sluice => sluice
            .Id(one => one.Name)
            .Part("gate", one => new Gate(one.Setting), (one, gate) => one.Setting = gate.Setting))
        .Kind("oilCan", scene => scene.OilCans, can => can
            .Id(one => one.Name)
            .Part("place", one => new Place(one.At), (one, place) => one.At = place.At)
            .Spawn((scene, id) => Add(scene.OilCans, new OilCan(id.ToString(), default)))
            .Remove((scene, one) => scene.OilCans.Remove(one)))
        .Kind("letter", scene => scene.Letters, letter => letter
            .Id(one => one.Name)
            .Part("place", one => new Place(one.At), (one, place) => one.At = place.At)
            .Spawn((scene, id) => Add(scene.Letters, new Letter(id.ToString(), default)))
            .Remove((scene, one) => scene.Letters.Remove(one)))
        // There are many herons, and few of them stir: only those are saved.
        .Kind("heron", scene => scene.Herons, heron => heron
            .Id(one => one.Name)
            .OnlyIfChanged()
            .Part("place", one => new Place(one.At), (one, place) => one.At = place.At)
            .Part("mood", one => new Mood(one.Wary, one.FishCaught), (one, mood) => (one.Wary, one.FishCaught) = (mood.Wary, mood.FishCaught))
            .Spawn((scene, id) => Add(scene.Herons, new Heron(id.ToString(), default)))
            .Remove((scene, one) => scene.Herons.Remove(one)))
        .Kind("punt", scene => scene.Punts, punt => punt
            .Id(one => one.Name)
            .Part("place", one => new Place(one.At), (one, place) => one.At = place.At))
        .Kind("driftLantern", scene => scene.Lanterns, lantern => lantern
            .Id(one => one.Number)
            .Parent(one => one.TiedTo, (one, punt) => one.TiedTo = punt)
            .Part("place", one => new Place(one.At), (one, place) => one.At = place.At)
            .Part("candle", one => new Candle(one.Burnt, one.Glass), (one, candle) => (one.Burnt, one.Glass) = (candle.Burnt, candle.Glass))
            .Reference("guides", one => one.Guides, (one, beacon) => one.Guides = beacon)
            .Spawn((scene, id) => Add(scene.Lanterns, new DriftLantern(id.Number)))
            .Remove((scene, one) => scene.Lanterns.Remove(one)));

    private static T Add<T>(List<T> list, T item)
    {
        list.Add(item);
        return item;
    }
}
