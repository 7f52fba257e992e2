namespace Lodrik;

/// <summary>Counts the time that a playthrough has been played, over all sessions. Pauses do not count.</summary>
/// <param name="time">What tells the time; null for the system's.</param>
public sealed class PlayClock(TimeProvider? time = null)
{
    private readonly TimeProvider _time = time ?? TimeProvider.System;
    private readonly HashSet<Pausing> _pauses = [];
    private TimeSpan _before;
    private long _since;
    private bool _isRunning;

    /// <summary>The time played.</summary>
    public TimeSpan Played => _before + (_isRunning && _pauses.Count == 0 ? Elapsed : TimeSpan.Zero);

    /// <summary>The time since it was last stopped. A game's own clock may be set back, and time that was played stays played.</summary>
    private TimeSpan Elapsed => _time.GetElapsedTime(_since) is var elapsed && elapsed > TimeSpan.Zero ? elapsed : TimeSpan.Zero;

    /// <summary>Whether the time stands still.</summary>
    public bool IsPaused => !_isRunning || _pauses.Count > 0;

    /// <summary>Goes on counting from what a save says.</summary>
    public void StartFrom(TimeSpan played)
    {
        _before = played < TimeSpan.Zero ? TimeSpan.Zero : played;
        _since = _time.GetTimestamp();
        _isRunning = true;
    }

    /// <summary>Lets the time stand still: outside the game.</summary>
    public void Stop()
    {
        _before = Played;
        _isRunning = false;
    }

    /// <summary>Lets the time stand still until the pause is disposed of. Several pauses may overlap.</summary>
    public IDisposable Pause()
    {
        _before = Played;
        var pause = new Pausing(this);
        _pauses.Add(pause);
        return pause;
    }

    private sealed class Pausing(PlayClock clock) : IDisposable
    {
        public void Dispose()
        {
            if (clock._pauses.Remove(this) && clock._pauses.Count == 0)
                clock._since = clock._time.GetTimestamp();
        }
    }
}
