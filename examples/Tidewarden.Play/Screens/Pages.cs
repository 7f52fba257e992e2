using Lodrik;
using Lodrik.Screens;

namespace Tidewarden.Play;

/// <summary>A list of things to choose from.</summary>
public abstract class MenuPage(App app, string title) : IPage
{
    private int _at = -1;

    protected App App => app;

    /// <summary>What went wrong, or what is to be known.</summary>
    protected string Notice { get; set; } = "";

    protected abstract IReadOnlyList<(string Text, Action? Act)> Entries { get; }

    public virtual void Draw(Frame frame)
    {
        frame.Centre((frame.Height / 2) - 9, title, Palette.Lamp);
        var entries = Entries;
        if (_at < 0)
            _at = Math.Max(0, entries.ToList().FindIndex(entry => entry.Act is not null));
        for (var i = 0; i < entries.Count; i++)
        {
            var colour = entries[i].Act is null ? Palette.Dim : i == _at ? Palette.Lamp : Palette.Paper;
            frame.Centre((frame.Height / 2) - 5 + (2 * i), i == _at ? $"› {entries[i].Text} ‹" : entries[i].Text, colour);
        }
        frame.Centre(frame.Height - 4, Notice, Palette.Warden);
        frame.Centre(frame.Height - 2, "↑ ↓ choose   Enter takes   Esc back", Palette.Dim);
    }

    public virtual void Press(ConsoleKeyInfo key)
    {
        var entries = Entries;
        _at = Math.Max(_at, 0);
        switch (key.Key)
        {
            case ConsoleKey.UpArrow:
                _at = (_at + entries.Count - 1) % entries.Count;
                break;
            case ConsoleKey.DownArrow:
                _at = (_at + 1) % entries.Count;
                break;
            case ConsoleKey.Enter when entries[_at].Act is { } act:
                Try(act);
                break;
            case ConsoleKey.Escape:
                Leave();
                break;
        }
    }

    protected virtual void Leave() => app.Back();

    protected void Try(Action act)
    {
        try
        {
            Notice = "";
            act();
        }
        catch (SaveException problem)
        {
            Notice = problem.Message;
        }
    }
}

/// <summary>The first thing that one sees.</summary>
public sealed class TitlePage(App app) : MenuPage(app, "T I D E W A R D E N")
{
    protected override IReadOnlyList<(string, Action?)> Entries =>
    [
        ("Continue", App.Saves.Store.List().Count > 0 ? () => Begin(() => App.Saves.Session.Continue()) : null),
        ("New night", () => Begin(App.Night.Begin)),
        ("Load", () => App.Show(new SavesPage(App))),
        ("Transfer code", () => App.Show(new CodePage(App))),
        ("Settings", () => App.Show(new SettingsPage(App))),
        ("Quit", App.End),
    ];

    public override void Draw(Frame frame)
    {
        Shore(frame);
        base.Draw(frame);
    }

    protected override void Leave() => App.End();

    /// <summary>The marsh at night, with a beacon on either side.</summary>
    private void Shore(Frame frame)
    {
        var seconds = MathF.Floor(App.Seconds * 4) / 4;
        for (var y = frame.Height / 3; y < frame.Height; y++)
        {
            for (var x = 0; x < frame.Width; x++)
            {
                var depth = (y - (frame.Height / 3f)) / frame.Height;
                var ripple = MathF.Sin((x * 0.35f) + (y * 1.9f) + seconds) + MathF.Sin((x * 0.12f) - (y * 0.8f) + (seconds * 0.6f));
                var ground = Palette.Mix(Palette.Night, Palette.Shallow, depth + (ripple / 12));
                foreach (var beacon in (float[])[0.14f * frame.Width, 0.86f * frame.Width])
                    ground = Palette.Mix(ground, Palette.Lamp, 0.3f - (MathF.Abs(x - beacon) / 40) - depth);
                frame[x, y] = new Cell(ripple > 1.6f ? '~' : ' ', Palette.Mix(ground, Palette.Paper, 0.3f), ground);
            }
        }
        frame.Write((int)(0.14f * frame.Width), (frame.Height / 3) - 1, "▲", Palette.Lamp);
        frame.Write((int)(0.86f * frame.Width), (frame.Height / 3) - 1, "▲", Palette.Lamp);
    }

    private void Begin(Action act)
    {
        act();
        App.Play();
    }
}

/// <summary>Who plays, and how the nights are saved.</summary>
public sealed class SettingsPage(App app) : MenuPage(app, "Settings")
{
    private static readonly string[] Profiles = ["first keeper", "second keeper"];
    private Task _change = Task.CompletedTask;

    protected override IReadOnlyList<(string, Action?)> Entries =>
    [
        ($"Keeper: {App.Settings.Profile}", () => App.ChangeKeeper(Profiles[(Array.IndexOf(Profiles, App.Settings.Profile) + 1) % 2])),
        ($"Form of the saves: {App.Settings.Form.ToString().ToLowerInvariant()}", () => _change = App.ChangeTerms((SaveForm)(((int)App.Settings.Form + 1) % 3), App.Settings.Guard)),
        ($"Saves are {App.Settings.Guard.InWords()}", () => _change = App.ChangeTerms(App.Settings.Form, (Guard)(((int)App.Settings.Guard + 1) % 3))),
        (App.Settings.ShowsSaving ? "The last save is shown while playing" : "The last save is not shown", () => App.Settings.ShowsSaving = !App.Settings.ShowsSaving),
    ];

    public override void Draw(Frame frame)
    {
        if (_change.Exception?.InnerException is { } problem)
            Notice = problem.Message;
        base.Draw(frame);
    }
}

/// <summary>The night itself.</summary>
public sealed class NightPage(App app) : IPage
{
    private string _notice = "";
    private float _noticed;
    private Task? _change;
    private SaveReceipt? _shown = app.Saves.Last;

    public void Draw(Frame frame)
    {
        var (night, season) = (app.Night, app.Night.Season);
        frame.Write(1, 0, $"{night.Scene.Name}, day {season.Day}, {night.Hour}", Palette.Lamp);
        var tide = season.Tide switch { Tide.Low => "low tide", Tide.High => "high tide", Tide.Flood => "tide rising", _ => "tide falling" };
        var turned = Math.Clamp((int)(season.SinceTurn.TotalHours * 2), 0, 6);
        frame.Write(26, 0, $"{tide} {new string('█', turned)}{new string('░', 6 - turned)}");
        var right = $"oil {night.Warden.Oil}   letters {night.Warden.Satchel.Count(item => item.What.StartsWith("letter", StringComparison.Ordinal))}   strength {night.Warden.Stamina:0}";
        frame.Write(frame.Width - right.Length - 1, 0, right);
        View.Draw(frame, night, 0, 1, frame.Width, frame.Height - 5, app.Seconds);
        frame.Centre(frame.Height - 4, night.Message);
        if (app.Seconds < _noticed)
            frame.Centre(frame.Height - 3, _notice, Palette.Lamp);
        else if (app.Settings.ShowsSaving)
            frame.Centre(frame.Height - 3, app.Saves.Last is { } last ? Told(last) : "Nothing has been saved yet.", Palette.Dim);
        frame.Centre(frame.Height - 2, "arrows go  space act  l lantern  t tied  F5 save  F9 load  s saves  Esc menu", Palette.Dim);
    }

    public void Press(ConsoleKeyInfo key)
    {
        var night = app.Night;
        try
        {
            switch (key.Key)
            {
                case ConsoleKey.LeftArrow:
                    night.Go(new(-1, 0));
                    break;
                case ConsoleKey.RightArrow:
                    night.Go(new(1, 0));
                    break;
                case ConsoleKey.UpArrow:
                    night.Go(new(0, -1));
                    break;
                case ConsoleKey.DownArrow:
                    night.Go(new(0, 1));
                    break;
                case ConsoleKey.Spacebar or ConsoleKey.Enter:
                    night.Act();
                    break;
                case ConsoleKey.L:
                    night.SetOut(tied: false);
                    break;
                case ConsoleKey.T:
                    night.SetOut(tied: true);
                    break;
                case ConsoleKey.F2:
                    Change((SaveForm)(((int)app.Settings.Form + 1) % 3), app.Settings.Guard);
                    break;
                case ConsoleKey.F3:
                    Change(app.Settings.Form, app.Settings.Guard == Guard.Sealed ? Guard.None : Guard.Sealed);
                    break;
                case ConsoleKey.F4:
                    Change(app.Settings.Form, app.Settings.Guard == Guard.Encrypted ? Guard.None : Guard.Encrypted);
                    break;
                case ConsoleKey.F5:
                    // The frame does not wait: what became of it is told by an event.
                    _ = night.Session.QuickSaveAsync();
                    Note("Saving …");
                    break;
                case ConsoleKey.F9:
                    night.Session.QuickLoad();
                    Note("Back to the last quick save.");
                    break;
                case ConsoleKey.S:
                    app.Show(new SavesPage(app));
                    break;
                case ConsoleKey.P:
                    app.Settings.ShowsSaving = !app.Settings.ShowsSaving;
                    break;
                case ConsoleKey.Escape:
                    app.Saves.Session.Quit();
                    app.Home();
                    break;
            }
        }
        catch (SaveException problem)
        {
            Note(problem.Message);
        }
    }

    public void Pass()
    {
        app.Night.Pass();
        app.Night.Session.Tick();
        if (app.Saves.Last is { } last && last != _shown)
        {
            Note($"Saved: {last.Slot}.");
            _shown = last;
        }
        if (_change is { IsCompleted: true })
        {
            Note(_change.Exception?.InnerException?.Message ?? $"Saves are {app.Settings.InWords()} from now on.");
            _change = null;
        }
    }

    /// <summary>What the last save was, and what it cost.</summary>
    private string Told(SaveReceipt save)
    {
        return string.Create(
            System.Globalization.CultureInfo.InvariantCulture,
            $"{app.Settings.InWords()} · {save.ByteCount / 1000.0:0.0} KB · frame {save.Times.OnThread.TotalMilliseconds:0.0} ms, "
                + $"background {(save.Times.Encoding + save.Times.Writing).TotalMilliseconds:0.0} · longest frame {app.LongestFrame:0} ms");
    }

    private void Change(SaveForm form, Guard guard) => _change = app.ChangeTerms(form, guard);

    private void Note(string text) => (_notice, _noticed) = (text, app.Seconds + 3);
}

/// <summary>The saves, with what each shows, and what can be done with it.</summary>
public sealed class SavesPage : IPage
{
    private readonly App _app;
    private readonly SaveScreen _screen;
    private string? _typed;
    private string _notice = "";

    public SavesPage(App app)
    {
        (_app, _screen) = (app, app.Saves.Session.Screen());
        if (_screen.Rows is [var newest, ..])
            _screen.Select(newest);
    }

    public void Draw(Frame frame)
    {
        var (left, width) = ((frame.Width - 78) / 2, 78);
        frame.Box(left, 1, width, frame.Height - 4, "Saves");
        var at = _screen.Selected is { } chosen ? _screen.Rows.ToList().IndexOf(chosen) : 0;
        var first = Math.Max(0, at - (frame.Height - 9));
        for (var i = first; i < _screen.Rows.Count && i - first < frame.Height - 8; i++)
        {
            var row = _screen.Rows[i];
            var isChosen = row == _screen.Selected;
            frame.Write(left + 2, 3 + i - first, $"{(isChosen ? "›" : " ")} {Frame.Shorten(row.Caption, 28)}", isChosen ? Palette.Lamp : row.Trouble.Length > 0 ? Palette.Warden : Palette.Paper);
            frame.Write(left + 34, 3 + i - first, row.Saved?.ToLocalTime().ToString("HH:mm:ss", System.Globalization.CultureInfo.InvariantCulture) ?? "", Palette.Dim);
        }
        if (_screen.Rows.Count == 0)
            frame.Write(left + 4, 3, "There are no saves yet.", Palette.Dim);
        if (_screen.Selected is { IsEmpty: false } selected)
        {
            var y = 3;
            foreach (var line in _app.Saves.ViewOf(selected.Slot))
                frame.Write(left + 50, y++, line, Palette.Paper, Palette.Deep);
            frame.Write(left + 50, ++y, Frame.Shorten(selected.Title, 26), Palette.Lamp);
            foreach (var (name, value) in selected.Summary)
                frame.Write(left + 50, ++y, Frame.Shorten($"{name} {value}", 26), Palette.Dim);
            frame.Write(left + 50, y + 1, Frame.Shorten(selected.Trouble, 26), Palette.Warden);
        }
        if (_screen.Question is { } question)
            frame.Write(left + 2, frame.Height - 5, Frame.Shorten($"{question.Text} y / n", width - 4), Palette.Warden);
        else if (_typed is not null)
            frame.Write(left + 2, frame.Height - 5, $"Name: {_typed}▁", Palette.Lamp);
        else
            frame.Write(left + 2, frame.Height - 5, Frame.Shorten(_notice, width - 4), Palette.Warden);
        frame.Centre(frame.Height - 2, "↑ ↓ choose  Enter load  n new save  o save over  d delete  u undo  Esc back", Palette.Dim);
    }

    public void Press(ConsoleKeyInfo key)
    {
        if (_screen.Question is not null)
        {
            if (key.Key is ConsoleKey.Y or ConsoleKey.N or ConsoleKey.Escape)
                Told(_screen.Answer(key.Key == ConsoleKey.Y));
        }
        else if (_typed is not null)
        {
            Type(key);
        }
        else
        {
            Choose(key);
        }
    }

    private void Choose(ConsoleKeyInfo key)
    {
        var rows = _screen.Rows.ToList();
        var at = _screen.Selected is { } chosen ? rows.IndexOf(chosen) : -1;
        switch (key.Key)
        {
            case ConsoleKey.UpArrow when at > 0:
                _screen.Select(rows[at - 1]);
                break;
            case ConsoleKey.DownArrow when at + 1 < rows.Count:
                _screen.Select(rows[at + 1]);
                break;
            case ConsoleKey.Enter:
                Do(ScreenAction.Load);
                break;
            case ConsoleKey.N when _screen.Can(ScreenAction.SaveAs) is { Refusal: ScreenRefusal.NothingTyped or ScreenRefusal.None }:
                _typed = "";
                break;
            case ConsoleKey.O:
                Do(ScreenAction.Save);
                break;
            case ConsoleKey.D:
                Do(ScreenAction.Delete);
                break;
            case ConsoleKey.U:
                Do(ScreenAction.Undo);
                break;
            case ConsoleKey.Escape:
                _app.Back();
                break;
        }
    }

    private void Type(ConsoleKeyInfo key)
    {
        if (key.Key == ConsoleKey.Escape)
            _typed = null;
        else if (key.Key == ConsoleKey.Backspace)
            _typed = _typed!.Length > 0 ? _typed[..^1] : "";
        else if (key.Key == ConsoleKey.Enter)
        {
            var name = _typed!;
            _typed = null;
            Do(ScreenAction.SaveAs, name);
        }
        else if (!char.IsControl(key.KeyChar) && _typed!.Length < 40)
            _typed += key.KeyChar;
    }

    private void Do(ScreenAction action, string text = "") => Told(_screen.Press(action, text));

    private void Told(ScreenOutcome outcome)
    {
        _notice = outcome.Message;
        if (outcome is { IsDone: true, Action: ScreenAction.Load })
            _app.Play();
    }
}

/// <summary>Words for what is in the settings.</summary>
public static class Words
{
    public static string InWords(this Settings settings) =>
        $"{settings.Form.ToString().ToLowerInvariant()}{(settings.Guard == Guard.None ? "" : $", {settings.Guard.InWords()}")}";

    public static string InWords(this Guard guard) =>
        guard switch { Guard.Sealed => "sealed", Guard.Encrypted => "encrypted", _ => "not sealed" };
}
