using StbImageWriteSharp;

namespace SaveScreen;

/// <summary>The marsh at dusk, with the beacons that are lit. A game with an engine would take a screenshot instead.</summary>
internal static class MarshPicture
{
    private const int Width = 160;
    private const int Height = 90;

    public static byte[] Of(Keeper keeper)
    {
        var pixels = new byte[Width * Height * 3];
        for (var y = 0; y < Height; y++)
        {
            for (var x = 0; x < Width; x++)
                Color(keeper, x, y).CopyTo(pixels.AsSpan(((y * Width) + x) * 3));
        }
        using var stream = new MemoryStream();
        new ImageWriter().WritePng(pixels, Width, Height, ColorComponents.RedGreenBlue, stream);
        return stream.ToArray();
    }

    private static byte[] Color(Keeper keeper, int x, int y)
    {
        const int Horizon = 48;
        // The later in the night, the darker the sky.
        var dusk = Math.Clamp(1 - (keeper.Played.TotalMinutes / 60), 0.15, 1);
        var reeds = Horizon + (6 * Math.Sin(x * 0.09)) + (3 * Math.Sin(x * 0.31));
        double[] color = y < Horizon
            ? [40 + (150 * dusk * y / Horizon), 48 + (70 * dusk * y / Horizon), 78 + (30 * dusk)]
            : y < reeds + 6 ? [28, 38, 30] : [22 + (30 * dusk), 52 + (30 * dusk) + (4 * Math.Sin((y * 1.3) + (x * 0.08))), 66 + (22 * dusk)];
        var light = 0.0;
        foreach (var beacon in keeper.BeaconsLit)
        {
            // Each beacon has its place by its name, and the water under it shines.
            var at = 14 + (beacon.Aggregate(17, (sum, letter) => ((sum * 31) + letter) & 0xFFFF) % (Width - 28));
            if (Math.Abs(x - at) <= 1 && y is > 38 and < 52)
                return [34, 30, 30];
            light = Math.Max(light, 1 - (Math.Sqrt(Math.Pow(x - at, 2) + Math.Pow((y - 36) * 1.2, 2)) / 20));
            if (y > Horizon && Math.Abs(x - at) < 2)
                light = Math.Max(light, 0.35);
        }
        (color[0], color[1], color[2]) = (color[0] + (215 * light), color[1] + (165 * light), color[2] + (70 * light));
        return [.. color.Select(part => (byte)Math.Clamp(part, 0, 255))];
    }
}
