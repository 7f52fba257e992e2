namespace Tidewarden.Play;

/// <summary>One picture of the terminal: a sign and two colours for each place.</summary>
public sealed class Frame
{
    private readonly Cell[] _cells;

    public Frame(int width, int height)
    {
        (Width, Height) = (width, height);
        _cells = new Cell[width * height];
        Clear();
    }

    public int Width { get; }

    public int Height { get; }

    public ref Cell this[int x, int y] => ref _cells[(y * Width) + x];

    public void Clear() => Array.Fill(_cells, new Cell(' ', Palette.Paper, Palette.Night));

    /// <summary>Writes a line of text, as much of it as fits.</summary>
    public void Write(int x, int y, string text, int colour = Palette.Paper, int? ground = null)
    {
        for (var i = 0; i < text.Length; i++)
        {
            if (x + i < 0 || x + i >= Width || y < 0 || y >= Height)
                continue;
            ref var cell = ref this[x + i, y];
            cell = new Cell(text[i], colour, ground ?? cell.Ground);
        }
    }

    /// <summary>Writes a line of text in the middle, shortened if it does not fit.</summary>
    public void Centre(int y, string text, int colour = Palette.Paper)
    {
        text = Shorten(text, Width - 2);
        Write((Width - text.Length) / 2, y, text, colour);
    }

    /// <summary>The text with no more than so many characters.</summary>
    public static string Shorten(string text, int most) => text.Length <= most ? text : text[..(most - 1)] + "…";

    /// <summary>A box with a line around it.</summary>
    public void Box(int x, int y, int width, int height, string title = "")
    {
        for (var row = y; row < y + height; row++)
        {
            var isEdge = row == y || row == y + height - 1;
            var (left, fill, right) = row == y ? ('╭', '─', '╮') : isEdge ? ('╰', '─', '╯') : ('│', ' ', '│');
            Write(x, row, left + new string(fill, width - 2) + right, Palette.Dim, Palette.Night);
        }
        if (title.Length > 0)
            Write(x + 2, y, $" {title} ", Palette.Lamp);
    }
}

/// <summary>One place of the terminal.</summary>
/// <param name="Sign">The sign.</param>
/// <param name="Colour">Its colour, as 0xRRGGBB.</param>
/// <param name="Ground">The colour behind it.</param>
public record struct Cell(char Sign, int Colour, int Ground);

/// <summary>The colours of the game, as 0xRRGGBB.</summary>
public static class Palette
{
    public const int Night = 0x0B1418;
    public const int Paper = 0xD8DCD2;
    public const int Dim = 0x66757A;
    public const int Lamp = 0xFFC65C;
    public const int Warden = 0xFF7A5C;
    public const int Deep = 0x12303C;
    public const int Shallow = 0x1D4A55;
    public const int Mud = 0x4A4634;
    public const int Reed = 0x46562F;
    public const int Bank = 0x5C6B3A;
    public const int Wood = 0xA98257;
    public const int Heron = 0xB9C4CC;
    public const int Oil = 0xE09A45;
    public const int Fog = 0x8A979C;

    /// <summary>A colour on the way from one to another.</summary>
    public static int Mix(int from, int to, float share)
    {
        share = Math.Clamp(share, 0, 1);
        return (Part(16) << 16) | (Part(8) << 8) | Part(0);

        int Part(int shift) => (int)((((from >> shift) & 255) * (1 - share)) + (((to >> shift) & 255) * share));
    }
}
