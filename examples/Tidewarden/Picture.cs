using System.Numerics;
using StbImageWriteSharp;

namespace Tidewarden;

/// <summary>The scene from above as a small picture, which the slot list shows. A game with an engine would take a screenshot instead.</summary>
public static class Picture
{
    private const int Cell = 8;
    private const int Reach = 20;

    public static byte[] Of(Scene scene, Vector2 warden, Tide tide) => Draw(MarksOf(scene, warden), tide);

    /// <summary>
    /// The same for later: what is to be seen is noted now, on the game's thread, and drawn on whichever thread calls the result.
    /// </summary>
    public static Func<ReadOnlyMemory<byte>> Later(Scene scene, Vector2 warden, Tide tide)
    {
        var marks = MarksOf(scene, warden);
        return () => Draw(marks, tide);
    }

    private static List<Mark> MarksOf(Scene scene, Vector2 warden)
    {
        var marks = new List<Mark>();
        foreach (var sluice in scene.Sluices)
            marks.Add(new(sluice.At, 3, 7, sluice.Setting == GateSetting.Shut ? new(0.30f, 0.24f, 0.20f) : new(0.45f, 0.66f, 0.70f)));
        foreach (var can in scene.OilCans)
            marks.Add(new(can.At, 4, 4, new(0.70f, 0.52f, 0.28f)));
        foreach (var letter in scene.Letters)
            marks.Add(new(letter.At, 5, 3, new(0.90f, 0.88f, 0.80f)));
        foreach (var heron in scene.Herons)
            marks.Add(new(heron.At, 2, 5, new(0.78f, 0.81f, 0.84f)));
        foreach (var punt in scene.Punts)
            marks.Add(new(punt.At, 10, 4, new(0.52f, 0.38f, 0.24f)));
        foreach (var beacon in scene.Beacons)
        {
            marks.Add(new(beacon.At, 4, 8, new(0.24f, 0.22f, 0.22f)));
            if (beacon.Lit)
                marks.Add(new(beacon.At, 0, 0, new(1.0f, 0.84f, 0.42f), Reach));
        }
        foreach (var lantern in scene.Lanterns)
            marks.Add(new(lantern.At, 0, 0, new(0.95f, 0.55f, 0.25f), Reach / 2));
        marks.Add(new(warden, 4, 6, new(0.85f, 0.25f, 0.22f)));
        return marks;
    }

    private static byte[] Draw(List<Mark> marks, Tide tide)
    {
        var canvas = new Canvas(Scene.Width * Cell, Scene.Height * Cell);
        var water = tide switch { Tide.Low => 0.35f, Tide.Flood => 0.6f, Tide.High => 0.85f, _ => 0.55f };
        canvas.Fill((x, y) => Vector3.Lerp(new Vector3(0.36f, 0.40f, 0.27f), new Vector3(0.13f, 0.27f, 0.33f), Math.Clamp(water + Ripple(x, y), 0, 1)));
        foreach (var mark in marks)
        {
            if (mark.Glow > 0)
                canvas.Glow(mark.At * Cell, mark.Color, mark.Glow);
            else
                canvas.Box(mark.At * Cell, mark.Across, mark.Down, mark.Color);
        }
        return canvas.ToPng();
    }

    /// <summary>Something like reeds and ripples, the same in every picture.</summary>
    private static float Ripple(int x, int y) => (MathF.Sin(x * 0.21f) + MathF.Sin((y * 0.33f) + (x * 0.07f)) + MathF.Sin((x + y) * 0.11f)) / 9;

    /// <summary>Something to be seen: a box, or a glow about a place.</summary>
    private readonly record struct Mark(Vector2 At, int Across, int Down, Vector3 Color, int Glow = 0);

    private sealed class Canvas(int width, int height)
    {
        private readonly Vector3[] _pixels = new Vector3[width * height];

        public void Fill(Func<int, int, Vector3> color)
        {
            for (var i = 0; i < _pixels.Length; i++)
                _pixels[i] = color(i % width, i / width);
        }

        /// <summary>A filled rectangle about the middle of a cell.</summary>
        public void Box(Vector2 cell, int across, int down, Vector3 color)
        {
            var (left, top) = ((int)cell.X + ((Cell - across) / 2), (int)cell.Y + ((Cell - down) / 2));
            for (var y = Math.Max(top, 0); y < Math.Min(top + down, height); y++)
            {
                for (var x = Math.Max(left, 0); x < Math.Min(left + across, width); x++)
                    _pixels[(y * width) + x] = color;
            }
        }

        public void Glow(Vector2 cell, Vector3 color, int reach)
        {
            var middle = cell + new Vector2(Cell / 2f);
            for (var i = 0; i < _pixels.Length; i++)
            {
                var strength = 1 - (Vector2.Distance(middle, new Vector2(i % width, i / width)) / reach);
                if (strength > 0)
                    _pixels[i] = Vector3.Lerp(_pixels[i], color, strength * strength * 0.95f);
            }
        }

        public byte[] ToPng()
        {
            var bytes = new byte[_pixels.Length * 3];
            for (var i = 0; i < _pixels.Length; i++)
            {
                bytes[3 * i] = (byte)(_pixels[i].X * 255);
                bytes[(3 * i) + 1] = (byte)(_pixels[i].Y * 255);
                bytes[(3 * i) + 2] = (byte)(_pixels[i].Z * 255);
            }
            using var png = new MemoryStream();
            new ImageWriter().WritePng(bytes, width, height, ColorComponents.RedGreenBlue, png);
            return png.ToArray();
        }
    }
}
