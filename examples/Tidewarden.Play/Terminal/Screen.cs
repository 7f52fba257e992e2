using System.Globalization;
using System.Text;

namespace Tidewarden.Play;

/// <summary>The terminal while the game has it: its own picture, no cursor, and only what changed is written.</summary>
public sealed class Screen : IDisposable
{
    public const int LeastWidth = 80;
    public const int LeastHeight = 24;

    private readonly Stream _output = Console.OpenStandardOutput();
    private readonly StringBuilder _text = new();
    private Frame? _shown;

    public Screen() => Send("\e[?1049h\e[?25l\e[2J");

    /// <summary>Whether there is a terminal to play in.</summary>
    public static bool IsThere => !Console.IsInputRedirected && !Console.IsOutputRedirected;

    /// <summary>Whether the terminal has gone away.</summary>
    public bool IsGone { get; private set; }

    /// <summary>An empty picture of the size that the terminal has now.</summary>
    public static Frame NewFrame() => new(Math.Clamp(Console.WindowWidth, 1, 400), Math.Clamp(Console.WindowHeight, 1, 200));

    public void Show(Frame frame)
    {
        var isNew = _shown is null || _shown.Width != frame.Width || _shown.Height != frame.Height;
        if (isNew)
            _text.Append("\e[2J");
        var (colour, ground) = (-1, -1);
        for (var y = 0; y < frame.Height; y++)
        {
            var isThere = false;
            for (var x = 0; x < frame.Width; x++)
            {
                var cell = frame[x, y];
                if (!isNew && _shown![x, y] == cell)
                {
                    isThere = false;
                    continue;
                }
                if (!isThere)
                    _text.Append(CultureInfo.InvariantCulture, $"\e[{y + 1};{x + 1}H");
                if (cell.Colour != colour)
                    Append(38, colour = cell.Colour);
                if (cell.Ground != ground)
                    Append(48, ground = cell.Ground);
                _text.Append(cell.Sign);
                isThere = true;
            }
        }
        _shown = frame;
        if (_text.Length > 0)
            Send(_text.ToString());
        _text.Clear();
    }

    /// <summary>Draws everything with the next picture, and not only what changed.</summary>
    public void Redraw() => _shown = null;

    public void Dispose()
    {
        Send("\e[0m\e[?25h\e[?1049l");
        _output.Dispose();
    }

    private void Append(int what, int colour) =>
        _text.Append(CultureInfo.InvariantCulture, $"\e[{what};2;{(colour >> 16) & 255};{(colour >> 8) & 255};{colour & 255}m");

    private void Send(string text)
    {
        try
        {
            _output.Write(Encoding.UTF8.GetBytes(text));
            _output.Flush();
        }
        catch (IOException)
        {
            // The window was closed: the game ends as on any other day.
            IsGone = true;
        }
    }
}
