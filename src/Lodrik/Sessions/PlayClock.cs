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
    public TimeSpan Played
    {
        get
        {
            if (IsPaused)
                return _before;
            // A game's own clock may be set back. What was counted until then stays, and counting goes on from there.
            var now = _time.GetTimestamp();
            if (_time.GetElapsedTime(_since, now) is var elapsed && elapsed > TimeSpan.Zero)
                _before += elapsed;
            _since = now;
            return _before;
        }
    }

    /// <summary>Whether the time stops.</summary>
    public bool IsPaused => !_isRunning || _pauses.Count > 0;

    /// <summary>Goes on counting from what a save says.</summary>
    public void StartFrom(TimeSpan played)
    {
        _before = played < TimeSpan.Zero ? TimeSpan.Zero : played;
        _since = _time.GetTimestamp();
        _isRunning = true;
    }

    /// <summary>What is counted now, to go back to.</summary>
    internal Reading Read() => new(Played, _isRunning);

    /// <summary>Goes back to what was counted at a moment.</summary>
    internal void GoBack(Reading reading)
    {
        StartFrom(reading.Played);
        _isRunning = reading.IsRunning;
    }

    /// <summary>What the clock had counted at a moment.</summary>
    /// <param name="Played">The time played.</param>
    /// <param name="IsRunning">Whether a game was played at all.</param>
    internal readonly record struct Reading(TimeSpan Played, bool IsRunning);

    /// <summary>Lets the time stop: outside the game.</summary>
    public void Stop()
    {
        _before = Played;
        _isRunning = false;
    }

    /// <summary>Lets the time stop until the pause is disposed of. Several pauses may overlap.</summary>
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
