using Lodrik;

namespace Tidewarden.Play;

/// <summary>The code of the night that is played, and a line to type another one.</summary>
public sealed class CodePage(App app) : IPage
{
    private string _typed = "";
    private string _notice = "";

    public void Draw(Frame frame)
    {
        var middle = frame.Height / 2;
        frame.Centre(middle - 6, "Transfer code", Palette.Lamp);
        frame.Centre(middle - 3, Code() is { } code ? $"This night: {code}" : "Play in the marsh, and its code is here.", Code() is null ? Palette.Dim : Palette.Paper);
        frame.Centre(middle, "Type a code, and begin where it left off:");
        frame.Centre(middle + 2, $"{_typed}▁", Palette.Lamp);
        frame.Centre(middle + 5, _notice, Palette.Warden);
        frame.Centre(frame.Height - 2, "Enter takes   Esc back", Palette.Dim);
    }

    public void Press(ConsoleKeyInfo key)
    {
        if (key.Key == ConsoleKey.Escape)
            app.Back();
        else if (key.Key == ConsoleKey.Backspace)
            _typed = _typed.Length > 0 ? _typed[..^1] : "";
        else if (key.Key == ConsoleKey.Enter && _typed.Length > 0)
            Take();
        else if (!char.IsControl(key.KeyChar) && _typed.Length < 40)
            _typed += char.ToUpperInvariant(key.KeyChar);
    }

    private string? Code() =>
        app.Saves.Session.IsReady && app.Night.Scene.Name == Scene.Scenes.Marsh ? NightCode.Of(app.Night) : null;

    private void Take()
    {
        try
        {
            NightCode.Begin(app.Night, _typed);
            app.Play();
        }
        catch (SaveException problem)
        {
            _notice = problem.Message;
        }
    }
}
