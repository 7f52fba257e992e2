using System.Diagnostics;

namespace Lodrik.Scenes;

/// <summary>
/// A restoration that is under way: carried out in one go, or in slices of a frame's time. It is all or nothing: when it is cancelled,
/// or a callback of the game throws, everything is restored as it was before.
/// </summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <remarks>The game must not change the scene from the moment that this was made until it is done.</remarks>
public sealed partial class SceneRestoration<TScene>
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly IReadOnlyList<SceneAtWork<TScene>> _scenes;
    private readonly TimeSpan[] _times = new TimeSpan[(int)RestorePhase.Done];
    private readonly IEnumerator<(RestorePhase Phase, Func<SceneAtWork<TScene>, IEnumerable<int>> Steps)> _phases;
    private IEnumerator<int>? _steps;
    private RestorePhase _phase;
    private readonly RestorePlan _plan = new();
    private (string? Doing, EntityId Id, KindObjects<TScene>? Objects) _doing;
    private int _done;
    private int _total;
    private long _deadline;
    private long _mark;
    private int _framesLeft;
    private bool _isWaiting;
    private bool _isActing;
    private bool _isTouched;
    private bool _isPlanned;
    private bool _isCovered;
    private bool _isAbandoned;
    private RestoreReport? _report;

    internal SceneRestoration(SceneBindings<TScene> bindings, IReadOnlyList<SceneAtWork<TScene>> scenes)
    {
        (_bindings, _scenes) = (bindings, scenes);
        _total = 1 + (16 * scenes.Sum(scene => scene.ExpectedCount));
        _phases = Phases().GetEnumerator();
        foreach (var scene in scenes)
            scene.FindInOthers = FindInOthers;
    }

    /// <summary>What is being done.</summary>
    /// <exception cref="SceneException">The plan is not made yet: the first steps make it.</exception>
    public RestorePlan Plan => _isPlanned ? _plan : throw new SceneException(
        SaveErrorCode.NotReady, "The restoration has no plan yet.",
        remedy: "Call Step until Progress has left the phase Planning.");

    /// <summary>How far it has got.</summary>
    public RestoreProgress Progress => new(IsDone ? RestorePhase.Done : _phase, IsDone ? _total : Math.Min(_done, _total), _total);

    /// <summary>Whether it is over: done, cancelled or failed.</summary>
    public bool IsDone => _report is not null || _isAbandoned;

    /// <summary>Whether the scene is still being worked on: a restoration that was given up rolls it back first.</summary>
    internal bool IsAtWork => !IsDone || _isActing;

    /// <summary>Whether the scene is what it was before or what it was to become; false if rolling it back failed as well.</summary>
    internal bool IsSceneWhole { get; private set; } = true;

    /// <summary>What was done.</summary>
    /// <exception cref="SceneException">It is not done yet, or was given up.</exception>
    public RestoreReport Report => _report ?? throw new SceneException(
        SaveErrorCode.NotReady, _isAbandoned ? "The restoration was abandoned." : "The restoration is not done yet.",
        remedy: _isAbandoned ? null : "Call Step until it is done, or Finish.");

    /// <summary>Goes on for about so long: a single callback of the game is never interrupted.</summary>
    /// <param name="budget">
    /// The time; at least one step is made, unless the save is still being read in the background. A call with less than 16 ms does
    /// not wait for that.
    /// </param>
    /// <returns>Whether the restoration is done.</returns>
    /// <exception cref="SceneException">
    /// The plan cannot be made. Or a callback of the game threw; its error is inside, and the scene is as it was before. Or a callback
    /// called this.
    /// </exception>
    /// <exception cref="SaveException">The content of the scene does not fit; the live scene is untouched.</exception>
    public bool Step(TimeSpan budget)
    {
        if (_isAbandoned)
            throw new SceneException(SaveErrorCode.NotReady, "The restoration was abandoned.");
        RefuseWhileActing();
        _isActing = true;
        try
        {
            return Act(budget);
        }
        finally
        {
            _isActing = false;
        }
    }

    /// <summary>Does all that is left, and gives the report.</summary>
    /// <exception cref="SceneException">
    /// A callback of the game threw; its error is inside, and the scene is as it was before. Or a callback called this, or the bindings
    /// wait for frames (<see cref="SceneBindings{TScene}.SettleAfter"/>), which pass only between the steps.
    /// </exception>
    public RestoreReport Finish()
    {
        if (_bindings.FramesToSettle > 0 && !IsDone)
        {
            throw new SceneException(
                SaveErrorCode.NotReady, "The bindings wait for engine frames (SettleAfter), which cannot pass within one call.",
                remedy: "Begin the restoration with BeginRestore, and call Step once in each frame; in a session, set RestoreBudget.");
        }
        Step(Timeout.InfiniteTimeSpan);
        return Report;
    }

    /// <summary>Gives the restoration up, and rolls the scene back to what it was before. Nothing happens if it is over already.</summary>
    /// <exception cref="SceneException">
    /// Not everything could be rolled back, as callbacks of the game threw. Or a callback called this.
    /// </exception>
    public void Cancel()
    {
        RefuseWhileActing();
        if (IsDone)
            return;
        _isAbandoned = _isActing = true;
        try
        {
            var failures = RollBack();
            if (failures.Count > 0)
            {
                throw new SceneException(
                    SaveErrorCode.SceneConflict, "The restoration was cancelled, and not everything could be rolled back.",
                    remedy: Unmended(failures), innerException: failures[0]);
            }
        }
        finally
        {
            _isActing = false;
        }
    }

    private bool Act(TimeSpan budget)
    {
        if (_isWaiting)
        {
            // A frame has passed since.
            _isWaiting = false;
            _framesLeft--;
        }
        _mark = Stopwatch.GetTimestamp();
        _deadline = budget == Timeout.InfiniteTimeSpan
            ? long.MaxValue
            : _mark + (long)Math.Min(budget.TotalSeconds * Stopwatch.Frequency, long.MaxValue / 2);
        do
        {
            if (!Advance())
                Complete();
        }
        while (_report is null && !_isWaiting && !IsTimeOver);
        if (_report is null)
            NoteTime();
        return _report is not null;
    }

    /// <summary>Adds the time since this was called last to that of the phase.</summary>
    private void NoteTime()
    {
        var now = Stopwatch.GetTimestamp();
        _times[(int)_phase] += Stopwatch.GetElapsedTime(_mark, now);
        _mark = now;
    }

    private bool IsTimeOver => _deadline != long.MaxValue && Stopwatch.GetTimestamp() >= _deadline;

    /// <summary>Counts something that was done to an entity. True if the time is over, so that the scene is left for now.</summary>
    private bool StepIsMade()
    {
        _done++;
        return IsTimeOver;
    }

    private void RefuseWhileActing()
    {
        if (_isActing)
        {
            throw new SceneException(
                SaveErrorCode.NotReady, "A callback tried to continue or end the restoration that called it.",
                remedy: "Call Step, Finish and Cancel outside of the callbacks of the bindings.");
        }
    }

    private bool Advance()
    {
        try
        {
            while (_steps?.MoveNext() != true)
            {
                NoteTime();
                if (!_phases.MoveNext())
                    return false;
                (_phase, var steps) = _phases.Current;
                _doing = default;
                _steps = _scenes.SelectMany(steps).GetEnumerator();
            }
            if (_phase == RestorePhase.Planning && !_isWaiting)
                _done++;
            return true;
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            _isAbandoned = true;
            if (_phase == RestorePhase.Planning && exception is SaveException)
                throw;
            var doing = Doing();
            var failures = RollBack();
            throw new SceneException(
                SaveErrorCode.SceneConflict, $"The game's code failed {doing}: {exception.Message}",
                remedy: failures.Count == 0 ? "The scene is as it was before." : Unmended(failures),
                innerException: exception);
        }
    }

    private string Doing() => _doing is not ({ } name, var id, { } objects)
        ? $"in the phase {_phase}"
        : objects.Asked is { } asked
        ? $"while {name} the {objects.Kind.Name} {id} ({asked})"
        : $"while {name} the {objects.Kind.Name} {id}";

    private static string Unmended(List<Exception> failures) =>
        "Not everything could be rolled back "
            + $"({string.Join("; ", failures.Select(failure => failure.Message).Distinct().Take(3))}): build the "
            + "scene again and restore it.";

    private void Complete()
    {
        foreach (var scene in _scenes)
            scene.Of.Kept.TakeOver(scene.Record, scene.Planner.PassedOver, scene.Of.Manifest.ContainsKey, scene.Lost);
        var planning = _times[(int)RestorePhase.Planning];
        _report = new RestoreReport(
            _plan, planning, _times.Aggregate(TimeSpan.Zero, (all, one) => all + one) - planning,
            [.. _times.Select((time, phase) => new PhaseTime((RestorePhase)phase, time))]);
        // A game that has asked for slices has its next frame to draw.
        if (_deadline == long.MaxValue)
            Release();
        else
            ThreadPool.UnsafeQueueUserWorkItem(static restoration => restoration.Release(), this, preferLocal: false);
    }

    private void Release()
    {
        foreach (var scene in _scenes)
            scene.Release();
    }

    private void Doing(string doing, EntityId id, KindObjects<TScene> objects) => _doing = (doing, id, objects);

    private bool? WillBeThere(EntityReference reference) =>
        _scenes.FirstOrDefault(scene => scene.Of.Name == reference.Scene)?.Planner.WillBeThere(reference.Id);

    private (bool IsKnown, object? Object) FindInOthers(EntityReference reference)
    {
        foreach (var scene in _scenes)
        {
            if (scene.Of.Name == reference.Scene)
                return (true, scene.Planner.ObjectOf(reference.Id));
        }
        return (false, null);
    }

    /// <summary>Rolls the scenes back to what they were before the first step, as far as the game's own code lets them.</summary>
    private List<Exception> RollBack()
    {
        var failures = new List<Exception>();
        if (_isTouched)
        {
            var rollBack = new SceneRollBack<TScene>(_bindings, _scenes, failures);
            rollBack.Act(wasSettling: _phase >= RestorePhase.Settling);
            IsSceneWhole = rollBack.IsWhole;
        }
        if (_isCovered)
        {
            foreach (var scene in _scenes)
                SceneRollBack<TScene>.Try(failures, () => _bindings.RaiseCurtain?.Invoke(scene.Scene));
        }
        return failures;
    }
}
