using System.Numerics;

namespace Tidewarden.Play;

/// <summary>The scene as it is seen: drawn anew each time, from what there is.</summary>
public static class View
{
    /// <summary>Draws the scene into a part of the picture.</summary>
    public static void Draw(Frame frame, Night night, int left, int top, int width, int height, float seconds)
    {
        var down = Math.Max(1, Math.Min(height / Scene.Height, width / Scene.Width));
        var across = Math.Max(1, Math.Min(width / Scene.Width, 2 * down));
        left += (width - (across * Scene.Width)) / 2;
        top += (height - (down * Scene.Height)) / 2;
        var (scene, terrain) = (night.Scene, night.Terrain);
        // The water moves four times a second, so that little has to go over a slow line.
        seconds = MathF.Floor(seconds * 4) / 4;
        for (var y = 0; y < down * Scene.Height; y++)
        {
            for (var x = 0; x < across * Scene.Width; x++)
            {
                var at = new Vector2(((x + 0.5f) / across) - 0.5f, ((y + 0.5f) / down) - 0.5f);
                frame[left + x, top + y] = Ground(night, terrain, at, seconds);
            }
        }
        foreach (var sluice in scene.Sluices)
            Put(sluice.At, sluice.Setting switch { GateSetting.Open => "═╪═", GateSetting.Ajar => "─┼─", _ => "─╫─" }, Palette.Wood);
        foreach (var can in scene.OilCans)
            Put(can.At, "▪", Palette.Oil);
        foreach (var letter in scene.Letters)
            Put(letter.At, "≡", Palette.Paper);
        foreach (var heron in scene.Herons)
            Put(heron.At, "ɣ", Palette.Heron);
        foreach (var beacon in scene.Beacons)
            Put(beacon.At, beacon.Lit ? "▲" : "△", beacon.Lit ? Palette.Lamp : Palette.Dim);
        foreach (var punt in scene.Punts)
            Put(punt.At, "‹═›", Palette.Wood);
        foreach (var lantern in scene.Lanterns)
            Put(lantern.At + new Vector2(lantern.TiedTo is null ? 0 : 0.7f, 0), "*", lantern.Burnt < 1 ? Palette.Lamp : Palette.Dim);
        Put(night.Warden.Position, "@", Palette.Warden);

        void Put(Vector2 at, string signs, int colour)
        {
            var x = left + (int)((at.X + 0.5f) * across) - (signs.Length / 2);
            var y = top + (int)((at.Y + 0.5f) * down);
            for (var i = 0; i < signs.Length; i++)
            {
                if (x + i < left || x + i >= left + (across * Scene.Width) || y < top || y >= top + (down * Scene.Height))
                    continue;
                ref var cell = ref frame[x + i, y];
                cell = cell with { Sign = signs[i], Colour = colour };
            }
        }
    }

    /// <summary>The scene as a few lines of signs, which the list of saves shows.</summary>
    public static IEnumerable<string> Small(Night night)
    {
        var frame = new Frame(Scene.Width, Scene.Height);
        Draw(frame, night, 0, 0, Scene.Width, Scene.Height, 0);
        return Enumerable.Range(0, Scene.Height).Select(y => string.Concat(Enumerable.Range(0, Scene.Width).Select(x => frame[x, y].Sign)));
    }

    private static Cell Ground(Night night, Terrain terrain, Vector2 at, float seconds)
    {
        var (scene, tide) = (night.Scene, night.Season.Tide);
        var height = terrain.HeightAt(at);
        var isFlooded = terrain.IsFlooded(scene, tide, at);
        var ripple = MathF.Sin((at.X * 1.7f) + seconds) + MathF.Sin((at.Y * 2.3f) - (seconds * 0.7f) + (at.X * 0.6f));
        var ground = isFlooded
            ? Palette.Mix(height == 0 ? Palette.Deep : Palette.Shallow, 0x3A7C86, (ripple - 1) / 6)
            : height switch { 0 or 1 => Palette.Mud, 2 => Palette.Reed, _ => Palette.Bank };
        var sign = isFlooded ? ripple > 1.7f ? '~' : ' ' : Rough(at) switch { 0 => '"', 1 => ',', _ => ' ' };
        foreach (var beacon in scene.Beacons)
        {
            if (beacon.Lit)
                ground = Palette.Mix(ground, Palette.Lamp, 0.35f * (1 - (Vector2.Distance(beacon.At, at) / 3)));
        }
        foreach (var lantern in scene.Lanterns)
            ground = Palette.Mix(ground, Palette.Lamp, 0.25f * (1 - lantern.Burnt) * (1 - Vector2.Distance(lantern.At, at)));
        if (night.Fog.Scene == scene.Name)
            ground = Palette.Mix(ground, Palette.Fog, 0.85f - (Vector2.Distance(night.Fog.At, at) / 3.5f) + (ripple / 20));
        return new Cell(sign, Palette.Mix(ground, Palette.Paper, 0.25f), ground);
    }

    /// <summary>Something like tufts, the same each time.</summary>
    private static int Rough(Vector2 at) => (int)((MathF.Abs(MathF.Sin((at.X * 12.99f) + (at.Y * 78.23f))) * 43758.5f) % 9);
}
