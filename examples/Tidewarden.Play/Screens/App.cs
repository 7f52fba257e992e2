using System.Diagnostics;
using System.Runtime.InteropServices;
using Lodrik;
using Lodrik.Saves;

namespace Tidewarden.Play;

/// <summary>What is on the screen: it draws itself, and gets the keys.</summary>
public interface IPage
{
    void Draw(Frame frame);

    void Press(ConsoleKeyInfo key);

    /// <summary>Lets a step of time pass.</summary>
    void Pass()
    {
    }
}

/// <summary>The program: a loop of thirty frames a second on one thread, which owns everything that is played.</summary>
public sealed class App : IDisposable
{
    private readonly Stack<IPage> _pages = new();
    private readonly KeptFile<Settings> _settings;
    private volatile bool _isEnding;

    public App(string folder, SaveTerms? terms = null)
    {
        _settings = StateFile.Keep<Settings>(Path.Combine(folder, "settings.json"));
        Folder = folder;
        (Saves, Night) = Open(terms ?? Terms());
        _pages.Push(new TitlePage(this));
    }

    public string Folder { get; }

    public NightSaves Saves { get; private set; }

    public Night Night { get; private set; }

    public Settings Settings => _settings.State;

    /// <summary>The longest frame since the last save, in milliseconds.</summary>
    public double LongestFrame { get; private set; }

    /// <summary>For how long the game has run, in seconds.</summary>
    public float Seconds { get; private set; }

    public void Show(IPage page) => _pages.Push(page);

    public void Back() => _pages.Pop();

    /// <summary>Back to the title.</summary>
    public void Home()
    {
        while (_pages.Count > 1)
            _pages.Pop();
    }

    /// <summary>Goes on in the marsh, whatever is open.</summary>
    public void Play()
    {
        Home();
        Show(new NightPage(this));
        // The runtime compiles what makes a label now, and not in the frame of the first save.
        NightSaves.LabelOf(Night);
    }

    public void End() => _isEnding = true;

    /// <summary>Saves in another form and under another guard from now on.</summary>
    /// <returns>The earlier saves that are brought under the new guard, in the background.</returns>
    public Task ChangeTerms(SaveForm form, Guard guard)
    {
        Saves.Store.Form = Settings.Form = form;
        Settings.Guard = guard;
        return Saves.Change(guard);
    }

    /// <summary>Another keeper plays, with saves of their own.</summary>
    public void ChangeKeeper(string profile)
    {
        Settings.Profile = profile;
        Saves.Session.Quit();
        Saves.Dispose();
        (Saves, Night) = Open(Terms());
    }

    /// <summary>Runs until the player leaves, the window is closed, or a signal ends the program.</summary>
    public void Run()
    {
        using var keyboard = new Keyboard();
        using var screen = new Screen();
        using var interrupt = PosixSignalRegistration.Create(PosixSignal.SIGINT, Ended);
        using var terminate = PosixSignalRegistration.Create(PosixSignal.SIGTERM, Ended);
        using var hangUp = PosixSignalRegistration.Create(PosixSignal.SIGHUP, Ended);
        var (last, left) = (Stopwatch.GetTimestamp(), 0.0);
        while (!_isEnding && !screen.IsGone)
        {
            var started = Stopwatch.GetTimestamp();
            left = Math.Min(left + Stopwatch.GetElapsedTime(last, started).TotalSeconds, 0.25);
            last = started;
            foreach (var key in keyboard.Keys())
            {
                // Ctrl+L, as in any program of a terminal: whatever came over the line so far, the whole picture is drawn again.
                if (key.KeyChar == '\f')
                    screen.Redraw();
                else
                    _pages.Peek().Press(key);
            }
            for (; left >= Night.Step; left -= Night.Step)
            {
                Seconds += Night.Step;
                _pages.Peek().Pass();
            }
            var frame = Screen.NewFrame();
            if (frame.Width < Screen.LeastWidth || frame.Height < Screen.LeastHeight)
            {
                frame.Write(0, 0, "Tidewarden needs a window of");
                frame.Write(0, 1, $"{Screen.LeastWidth} × {Screen.LeastHeight}; this one has {frame.Width} × {frame.Height}.");
            }
            else
            {
                _pages.Peek().Draw(frame);
            }
            screen.Show(frame);
            var took = Stopwatch.GetElapsedTime(started);
            LongestFrame = Math.Max(LongestFrame, took.TotalMilliseconds);
            if (took.TotalSeconds < Night.Step)
                Thread.Sleep(TimeSpan.FromSeconds(Night.Step) - took);
        }
        Saves.Session.Quit();

        void Ended(PosixSignalContext context)
        {
            context.Cancel = true;
            _isEnding = true;
        }
    }

    public void Dispose()
    {
        Saves.Dispose();
        _settings.Dispose();
    }

    private SaveTerms Terms() => new(Folder, Settings.Form, Settings.Guard, SlotName.FromTitle(Settings.Profile));

    private (NightSaves Saves, Night Night) Open(SaveTerms terms)
    {
        Night? night = null;
        var saves = new NightSaves(terms, () => NightSaves.LabelOf(night!));
        saves.Store.Saved += (_, _) => LongestFrame = 0;
        night = new Night(saves);
        return (saves, night);
    }
}

/// <summary>What belongs to the machine and not to a night.</summary>
[StateType]
public sealed partial class Settings
{
    public string Profile { get; set; } = "first keeper";

    public SaveForm Form { get; set; }

    public Guard Guard { get; set; }

    /// <summary>Whether the line about the last save is shown.</summary>
    public bool ShowsSaving { get; set; }
}
