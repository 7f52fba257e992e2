using System.Diagnostics;
using System.Text;

namespace Lodrik.Cli.Tests;

/// <summary>
/// A program in a pseudo-terminal: keys go in, and what it draws is put together to the picture that somebody in front of it sees. It knows
/// the control sequences (ECMA-48) that the game sends: where to write, and what to clear; colours are passed over.
/// </summary>
internal sealed class PlayedTerminal : IDisposable
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(30);

    private readonly Process _process;
    private readonly string _number;
    private readonly char[][] _screen;
    private readonly Lock _gate = new();
    private readonly Task _reading;
    private readonly SemaphoreSlim _changed = new(0);
    private (int X, int Y) _at;

    public PlayedTerminal(int width, int height, string program, params string[] arguments)
    {
        _screen = [.. Enumerable.Range(0, height).Select(_ => Blank(width))];
        var command = string.Join(' ', ((string[])[Path.Combine(AppContext.BaseDirectory, program + ".dll"), .. arguments]).Select(word => $"'{word}'"));
        var number = Path.GetTempFileName();
        // Signals have to end it also if the tests themselves were started so that they ignore them, as a shell does in the background.
        var start = $"stty cols {width} rows {height}; echo $$ > '{number}'; exec env --default-signal=HUP,INT,QUIT,TERM dotnet {command}";
        _process = Process.Start(new ProcessStartInfo("script", ["-qfec", start, "/dev/null"])
        {
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            StandardOutputEncoding = Encoding.UTF8,
            Environment = { ["TERM"] = "xterm-256color" },
        })!;
        _reading = Task.Run(Read);
        _number = number;
    }

    /// <summary>What is on the screen, line by line.</summary>
    public string Screen
    {
        get
        {
            lock (_gate)
                return string.Join('\n', _screen.Select(line => new string(line).TrimEnd()));
        }
    }

    /// <summary>Presses keys: text as it is, and names of others in angle brackets.</summary>
    public void Press(params string[] keys)
    {
        foreach (var key in keys)
        {
            _process.StandardInput.Write(key switch
            {
                "<up>" => "\e[A",
                "<down>" => "\e[B",
                "<right>" => "\e[C",
                "<left>" => "\e[D",
                "<enter>" => "\r",
                "<escape>" => "\e",
                "<F2>" => "\eOQ",
                "<F4>" => "\eOS",
                "<F5>" => "\e[15~",
                "<F9>" => "\e[20~",
                _ => key,
            });
            _process.StandardInput.Flush();
        }
    }

    /// <summary>Waits until the screen shows a text.</summary>
    public async Task See(string text)
    {
        var (started, asked) = (Stopwatch.StartNew(), TimeSpan.Zero);
        while (!Screen.Contains(text, StringComparison.Ordinal))
        {
            if (started.Elapsed > Patience || _reading.IsCompleted)
                throw new InvalidOperationException($"\"{text}\" did not come up. The screen:\n{Screen}");
            // On a busy machine a part of a picture can get lost on the way through the pseudo-terminal: Ctrl+L asks for all of it again.
            if (started.Elapsed > asked + TimeSpan.FromSeconds(4))
            {
                asked = started.Elapsed;
                Press("\f");
            }
            await _changed.WaitAsync(TimeSpan.FromMilliseconds(200));
        }
    }

    /// <summary>Sends the program a signal.</summary>
    public async Task Signal(string name)
    {
        using var kill = Process.Start("kill", [$"-{name}", (await File.ReadAllTextAsync(_number)).Trim()]);
        await kill.WaitForExitAsync();
    }

    /// <summary>Closes the window: the terminal is gone, and the program hears of it, if at all, by a signal.</summary>
    public async Task Close()
    {
        var game = Process.GetProcessById(int.Parse(await File.ReadAllTextAsync(_number), System.Globalization.CultureInfo.InvariantCulture));
        _process.Kill();
        await game.WaitForExitAsync(new CancellationTokenSource(Patience).Token);
    }

    /// <summary>Waits until the program has ended.</summary>
    /// <returns>Its exit code.</returns>
    public async Task<int> End()
    {
        await _process.WaitForExitAsync(new CancellationTokenSource(Patience).Token);
        return _process.ExitCode;
    }

    public void Dispose()
    {
        if (!_process.HasExited)
            _process.Kill(entireProcessTree: true);
        _process.Dispose();
        File.Delete(_number);
    }

    private static char[] Blank(int width) => [.. Enumerable.Repeat(' ', width)];

    private void Read()
    {
        var buffer = new char[4096];
        var rest = "";
        for (int count; (count = _process.StandardOutput.Read(buffer)) > 0;)
        {
            lock (_gate)
                rest = Take(rest + new string(buffer, 0, count));
            _changed.Release();
        }
    }

    /// <summary>Takes what is whole, and gives the rest back.</summary>
    private string Take(string text)
    {
        for (var i = 0; i < text.Length; i++)
        {
            if (text[i] != '\e')
            {
                Put(text[i]);
                continue;
            }
            var end = i + 2;
            while (end < text.Length && !char.IsAsciiLetter(text[end]))
                end++;
            if (end >= text.Length)
                return text[i..];
            Control(text[(i + 2)..end], text[end]);
            i = end;
        }
        return "";
    }

    private void Put(char sign)
    {
        if (sign == '\n')
            _at = (_at.X, _at.Y + 1);
        else if (sign == '\r')
            _at = (0, _at.Y);
        else if (_at.Y < _screen.Length && _at.X < _screen[0].Length)
            _screen[_at.Y][_at.X++] = sign;
    }

    private void Control(string numbers, char what)
    {
        if (what == 'H')
        {
            var place = numbers.Split(';').Select(int.Parse).ToArray();
            _at = (place[1] - 1, place[0] - 1);
        }
        else if (what == 'J')
        {
            foreach (var line in _screen)
                Array.Fill(line, ' ');
        }
    }
}
