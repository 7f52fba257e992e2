using System.Collections.Concurrent;
using System.ComponentModel;
using System.Diagnostics;
using System.Text;
using Microsoft.Win32.SafeHandles;

namespace Tidewarden.Play;

/// <summary>
/// The keys that are pressed, each at once and without its sign on the screen. The platform's own console goes back to whole lines and to
/// showing what is typed between two questions for a key, which a game that draws all the time cannot have.
/// </summary>
public sealed class Keyboard : IDisposable
{
    private const string Escape = "\e";

    private static readonly Dictionary<string, ConsoleKey> Sequences = new()
    {
        ["[A"] = ConsoleKey.UpArrow,
        ["[B"] = ConsoleKey.DownArrow,
        ["[C"] = ConsoleKey.RightArrow,
        ["[D"] = ConsoleKey.LeftArrow,
        ["OA"] = ConsoleKey.UpArrow,
        ["OB"] = ConsoleKey.DownArrow,
        ["OC"] = ConsoleKey.RightArrow,
        ["OD"] = ConsoleKey.LeftArrow,
        ["OP"] = ConsoleKey.F1,
        ["OQ"] = ConsoleKey.F2,
        ["OR"] = ConsoleKey.F3,
        ["OS"] = ConsoleKey.F4,
        ["[11~"] = ConsoleKey.F1,
        ["[12~"] = ConsoleKey.F2,
        ["[13~"] = ConsoleKey.F3,
        ["[14~"] = ConsoleKey.F4,
        ["[[A"] = ConsoleKey.F1,
        ["[[B"] = ConsoleKey.F2,
        ["[[C"] = ConsoleKey.F3,
        ["[[D"] = ConsoleKey.F4,
        ["[[E"] = ConsoleKey.F5,
        ["[15~"] = ConsoleKey.F5,
        ["[20~"] = ConsoleKey.F9,
    };

    private readonly ConcurrentQueue<ConsoleKeyInfo> _keys = new();
    private readonly string _before;
    private volatile bool _isClosed;

    /// <exception cref="InvalidOperationException">The terminal cannot be set.</exception>
    public Keyboard()
    {
        _before = Set("-g");
        // A read gives what there is after a tenth of a second at the latest; that tells a lone Escape from a longer sequence.
        Set("-icanon", "-echo", "min", "0", "time", "1");
        new Thread(Read) { IsBackground = true, Name = "keyboard" }.Start();
    }

    /// <summary>The keys that were pressed since this was asked for last.</summary>
    public IEnumerable<ConsoleKeyInfo> Keys()
    {
        while (_keys.TryDequeue(out var key))
            yield return key;
    }

    public void Dispose()
    {
        _isClosed = true;
        try
        {
            Set(_before);
        }
        catch (InvalidOperationException)
        {
            // The terminal is gone.
        }
    }

    /// <summary>Takes the keys out of what was read.</summary>
    /// <param name="text">What was read.</param>
    /// <param name="isAll">Whether nothing more came for a while.</param>
    /// <param name="keys">Gets the keys.</param>
    /// <returns>The beginning of a sequence that is not whole yet.</returns>
    public static string Take(string text, bool isAll, ICollection<ConsoleKeyInfo> keys)
    {
        for (var i = 0; i < text.Length; i++)
        {
            if (text[i] != Escape[0])
            {
                keys.Add(KeyOf(text[i]));
                continue;
            }
            var length = LengthOf(text.AsSpan(i + 1));
            if (length < 0 && !isAll)
                return text[i..];
            if (length <= 0)
                keys.Add(new ConsoleKeyInfo(Escape[0], ConsoleKey.Escape, false, false, false));
            else if (Sequences.TryGetValue(text.Substring(i + 1, length), out var key))
                keys.Add(new ConsoleKeyInfo('\0', key, false, false, false));
            i += Math.Max(length, 0);
        }
        return "";
    }

    /// <summary>How long the sequence after an Escape is (ECMA-48); 0 if it is none, and -1 if more of it has to come.</summary>
    private static int LengthOf(ReadOnlySpan<char> text)
    {
        if (text.IsEmpty)
            return -1;
        if (text[0] is not ('[' or 'O'))
            return 0;
        // The console of Linux sends [[A to [[E for the first five function keys.
        var start = text.Length > 1 && text[1] == '[' ? 2 : 1;
        for (var i = start; i < text.Length; i++)
        {
            if (text[i] is >= '@' and <= '~')
                return i + 1;
        }
        return -1;
    }

    private static ConsoleKeyInfo KeyOf(char sign) => new(
        sign,
        sign switch
        {
            '\r' or '\n' => ConsoleKey.Enter,
            '\b' or '\u007f' => ConsoleKey.Backspace,
            ' ' => ConsoleKey.Spacebar,
            >= 'a' and <= 'z' => ConsoleKey.A + (sign - 'a'),
            >= 'A' and <= 'Z' => ConsoleKey.A + (sign - 'A'),
            _ => ConsoleKey.None,
        },
        shift: char.IsAsciiLetterUpper(sign), alt: false, control: false);

    private void Read()
    {
        using var input = new FileStream(new SafeFileHandle(0, ownsHandle: false), FileAccess.Read, bufferSize: 0);
        var (bytes, chars, decoder, rest) = (new byte[256], new char[256], Encoding.UTF8.GetDecoder(), "");
        var keys = new List<ConsoleKeyInfo>();
        try
        {
            while (!_isClosed)
            {
                var count = input.Read(bytes);
                rest = Take(rest + new string(chars, 0, decoder.GetChars(bytes, 0, count, chars, 0)), isAll: count == 0, keys);
                keys.ForEach(_keys.Enqueue);
                keys.Clear();
            }
        }
        catch (IOException)
        {
            // The terminal is gone; a signal says so to the game.
        }
    }

    /// <summary>Sets the terminal by the system's own command (POSIX stty).</summary>
    private static string Set(params string[] words)
    {
        try
        {
            using var stty = Process.Start(new ProcessStartInfo("stty", words) { RedirectStandardOutput = true, RedirectStandardError = true })!;
            var said = stty.StandardOutput.ReadToEnd().Trim();
            stty.WaitForExit();
            return stty.ExitCode == 0 ? said : throw new InvalidOperationException($"The terminal cannot be set: {stty.StandardError.ReadToEnd()}");
        }
        catch (Win32Exception problem)
        {
            throw new InvalidOperationException($"The terminal cannot be set: {problem.Message}", problem);
        }
    }
}
