namespace Lodrik.Sessions;

/// <summary>Knows when an automatic save is due, by the time played: it has no timer of its own, and is asked with every tick.</summary>
internal sealed class AutosaveWatch(AutosavePolicy policy, PlayClock clock)
{
    private readonly List<Reason> _reasons = [];
    private TimeSpan? _last;
    private TimeSpan _counted;
    private AutosaveCause? _pending;
    private AutosaveCause? _made;

    /// <summary>Why no automatic save is made now, in the order in which the reasons were given.</summary>
    public IReadOnlyList<string> Reasons => [.. _reasons.Select(reason => reason.Words)];

    /// <summary>Automatic saves wait until this is disposed of.</summary>
    public IDisposable Hold(string reason)
    {
        var hold = new Reason(this, reason);
        _reasons.Add(hold);
        return hold;
    }

    /// <summary>A playthrough begins or goes on: what was due for another one is not due any more.</summary>
    public void Restart()
    {
        _last = null;
        _pending = null;
        _counted = clock.Played;
    }

    public void NoticeSceneChange()
    {
        if (policy.OnSceneChange)
            _pending ??= AutosaveCause.SceneChange;
    }

    /// <summary>The cause of a save that is due now; null if none is.</summary>
    public AutosaveCause? Due()
    {
        var played = clock.Played;
        if (policy.Interval is { } interval && played - _counted >= interval)
            _pending ??= AutosaveCause.Interval;
        if (_pending is null || _reasons.Count > 0 || (_last is { } last && played - last < policy.MinimumSpacing))
            return null;
        return _pending;
    }

    /// <summary>A save of any kind was made: nothing is due for a while.</summary>
    public void NoticeSave()
    {
        (_made, _pending) = (_pending, null);
        _last = _counted = clock.Played;
    }

    /// <summary>
    /// The automatic save that was made last has failed: it is due again, after the spacing and not after the whole interval.
    /// </summary>
    public void NoticeFailure() => _pending ??= _made ?? AutosaveCause.Interval;

    private sealed class Reason(AutosaveWatch watch, string words) : IDisposable
    {
        public string Words => words;

        public void Dispose() => watch._reasons.Remove(this);
    }
}
