using System.Diagnostics;

namespace Lodrik.Scenes;

/// <summary>
/// A restoration that is under way: carried out in one go, or in slices of a frame's time. It is all or nothing: when it is cancelled,
/// or a callback of the game throws, everything is put back as it was before.
/// </summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <remarks>The game must not change the scene from the moment that this was made until it is done.</remarks>
public sealed class SceneRestoration<TScene> : IEntityLookup
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly TScene _scene;
    private readonly SceneRecord _record;
    private readonly SceneRecord _authored;
    private readonly KeptState _kept;
    private readonly RestorePlanner<TScene> _planner;
    private readonly SceneRecord _before = new();
    private readonly Dictionary<(EntityId Id, string Name), IReadOnlyList<(int Place, EntityReference Reference)>> _unresolved = [];
    private readonly TimeSpan[] _times = new TimeSpan[(int)RestorePhase.Done];
    private readonly TimeSpan _planning;
    private readonly IEnumerator<(RestorePhase Phase, Func<IEnumerable<int>> Steps)> _phases;
    private readonly int _total;
    private IEnumerator<int>? _steps;
    private RestorePhase _phase;
    private (string? Doing, EntityId Id, string Kind) _doing;
    private int _done;
    private bool _isTouched;
    private bool _isAbandoned;
    private RestoreReport? _report;

    internal SceneRestoration(
        SceneBindings<TScene> bindings, TScene scene, SceneRecord record, SceneRecord authored, KeptState kept,
        Func<LiveSet<TScene>> lookAround, Func<LiveSet<TScene>, SceneRecord, RestorePlanner<TScene>> plan)
    {
        (_bindings, _scene, _record, _authored, _kept) = (bindings, scene, record, authored, kept);
        var started = Stopwatch.GetTimestamp();
        _planner = plan(lookAround(), record);
        _planning = Stopwatch.GetElapsedTime(started);
        _total = CountSteps();
        _phases = Phases().GetEnumerator();
    }

    /// <summary>What is being done.</summary>
    public RestorePlan Plan => _planner.Plan;

    /// <summary>How far it has got.</summary>
    public RestoreProgress Progress => new(IsDone ? RestorePhase.Done : _phase, IsDone ? _total : _done, _total);

    /// <summary>Whether it is over: done, cancelled or failed.</summary>
    public bool IsDone => _report is not null || _isAbandoned;

    /// <summary>Whether the scene is what it was before or what it was to become; false where putting it back failed as well.</summary>
    internal bool IsSceneWhole { get; private set; } = true;

    /// <summary>What was done.</summary>
    /// <exception cref="SceneException">It is not done yet, or was given up.</exception>
    public RestoreReport Report => _report ?? throw new SceneException(
        SaveErrorCode.NotReady, _isAbandoned ? "The restoration was given up." : "The restoration is not done yet.",
        remedy: _isAbandoned ? null : "Call Step until it says so, or Finish.");

    /// <summary>Goes on for about so long: a single callback of the game is never interrupted.</summary>
    /// <param name="budget">The time; at least one step is made.</param>
    /// <returns>Whether the restoration is done.</returns>
    /// <exception cref="SceneException">A callback of the game threw; its error is inside. The scene is as it was before.</exception>
    public bool Step(TimeSpan budget)
    {
        if (_isAbandoned)
            throw new SceneException(SaveErrorCode.NotReady, "The restoration was given up.");
        var started = Stopwatch.GetTimestamp();
        var mark = started;
        while (_report is null)
        {
            var phase = _phase;
            var goesOn = Advance();
            if (phase != _phase || !goesOn)
            {
                var now = Stopwatch.GetTimestamp();
                _times[(int)phase] += Stopwatch.GetElapsedTime(mark, now);
                mark = now;
            }
            if (!goesOn)
                Complete();
            else if (budget != Timeout.InfiniteTimeSpan && Stopwatch.GetElapsedTime(started) >= budget)
                break;
        }
        if (_report is null)
            _times[(int)_phase] += Stopwatch.GetElapsedTime(mark);
        return _report is not null;
    }

    /// <summary>Does all that is left, and gives the report.</summary>
    /// <exception cref="SceneException">A callback of the game threw; its error is inside. The scene is as it was before.</exception>
    public RestoreReport Finish()
    {
        Step(Timeout.InfiniteTimeSpan);
        return Report;
    }

    /// <summary>Gives the restoration up, and puts the scene back as it was before. Nothing happens where it is over already.</summary>
    /// <exception cref="SceneException">Not everything could be put back, as callbacks of the game threw.</exception>
    public void Cancel()
    {
        if (IsDone)
            return;
        _isAbandoned = true;
        var failures = RollBack();
        if (failures.Count > 0)
            throw new SceneException(SaveErrorCode.SceneConflict, "The restoration was cancelled, and not everything could be put back.",
                remedy: Unmended(failures), innerException: failures[0]);
    }

    private bool Advance()
    {
        try
        {
            while (_steps?.MoveNext() != true)
            {
                if (!_phases.MoveNext())
                    return false;
                (_phase, var steps) = _phases.Current;
                _steps = steps().GetEnumerator();
            }
            return true;
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            _isAbandoned = true;
            var doing = _doing.Doing is { } name ? $"while {name} the {_doing.Kind} {_doing.Id}" : $"in the phase {_phase}";
            var failures = RollBack();
            throw new SceneException(
                SaveErrorCode.SceneConflict,
                $"The game's own code failed {doing}: {exception.Message}",
                remedy: failures.Count == 0 ? "The scene is as it was before." : Unmended(failures),
                innerException: exception);
        }
    }

    private static string Unmended(List<Exception> failures) =>
        "Not everything could be put back as it was "
            + $"({string.Join("; ", failures.Select(failure => failure.Message).Distinct().Take(3))}): begin the scene anew and restore it "
        + "again.";

    private void Complete()
    {
        _kept.Take(Plan, _record, _unresolved);
        _report = new RestoreReport(
            Plan, _planning, _times.Aggregate(TimeSpan.Zero, (all, one) => all + one),
            [.. _times.Select((time, phase) => new PhaseTime((RestorePhase)phase, time))]);
    }

    /// <summary>The phases in their order. Each gives a value after every single step, where it may be left for a while.</summary>
    private IEnumerable<(RestorePhase Phase, Func<IEnumerable<int>> Steps)> Phases() =>
    [
        (RestorePhase.CurtainDown, LowerCurtain),
        (RestorePhase.Remembering, Remember),
        (RestorePhase.Removing, Remove),
        (RestorePhase.Spawning, Spawn),
        (RestorePhase.Parenting, PutParents),
        (RestorePhase.Putting, PutParts),
        (RestorePhase.Referring, PutReferences),
        (RestorePhase.Settling, Settle),
        (RestorePhase.CurtainUp, RaiseCurtain),
    ];

    private IEnumerable<int> LowerCurtain()
    {
        _bindings.LowerCurtain?.Invoke(_scene);
        yield return 0;
    }

    private IEnumerable<int> Remember()
    {
        _before.MakeRoom(_planner.Live.Count);
        _before.NextSpawn = _bindings.Numbers?.Invoke(_scene).Upcoming ?? 0;
        foreach (var live in _planner.Live.All)
        {
            Doing("remembering", live.Id, live.Kind.Kind);
            SceneTaking.TakeWhole(live, _planner.Live, _before);
            yield return 0;
        }
    }

    private IEnumerable<int> Remove()
    {
        _isTouched = true;
        foreach (var live in _planner.Live.All)
        {
            if (!LosesParent(live))
                continue;
            Doing("parenting", live.Id, live.Kind.Kind);
            live.Kind.PutParent(live.Object, null);
        }
        foreach (var live in _planner.Removals)
        {
            Doing("removing", live.Id, live.Kind.Kind);
            live.Kind.Remove(_scene, live.Object);
            yield return 0;
        }
    }

    /// <summary>
    /// Whether an entity stays and its parent goes. In some games what goes takes along what belongs to it: what stays is let go of first.
    /// </summary>
    private bool LosesParent(LiveEntity<TScene> live) =>
        live.Parent is not null && !_planner.IsRemoved(live.Id) && _planner.Live.ParentOf(live) is { } parent && _planner.IsRemoved(parent);

    private IEnumerable<int> Spawn()
    {
        foreach (var target in _planner.Order)
        {
            if (!target.IsSpawned)
                continue;
            Doing("spawning", target.Id, target.Kind.Kind);
            target.Object = target.Kind.Spawn(_scene, target.Id);
            yield return 0;
        }
    }

    private IEnumerable<int> PutParents()
    {
        foreach (var target in _planner.Order)
        {
            if (!target.Kind.HasParent)
                continue;
            Doing("parenting", target.Id, target.Kind.Kind);
            target.Kind.PutParent(target.Object!, target.Parent?.Object);
            if (target.Saved.Parent is { } lost && target.Parent is null)
                _unresolved[(target.Id, KeptState.ParentName)] = [(0, lost)];
            yield return 0;
        }
    }

    private IEnumerable<int> PutParts()
    {
        foreach (var target in _planner.Order)
        {
            Doing("putting the parts of", target.Id, target.Kind.Kind);
            target.Kind.PutParts(target.Object!, _record, target.RecordIndex, _authored, target.AuthoredIndex);
            yield return 0;
        }
        if (_record.NextSpawn > 0)
            _bindings.Numbers?.Invoke(_scene).ContinueFrom(_record.NextSpawn);
    }

    private IEnumerable<int> PutReferences()
    {
        foreach (var target in _planner.Order)
        {
            if (!target.Kind.HasReferences)
                continue;
            Doing("resolving the references of", target.Id, target.Kind.Kind);
            var (from, index) = target.RecordIndex >= 0 ? (_record, target.RecordIndex) : (_authored, target.AuthoredIndex);
            target.Kind.PutReferences(target.Object!, from, index, this);
            foreach (var (name, lost) in target.Kind.FindLost(from, index, this))
                _unresolved[(target.Id, name)] = lost;
            yield return 0;
        }
    }

    private IEnumerable<int> Settle()
    {
        foreach (var target in _planner.Order)
        {
            if (!target.Kind.HasSettled)
                continue;
            Doing("settling", target.Id, target.Kind.Kind);
            target.Kind.Settle(_scene, target.Object!);
            yield return 0;
        }
        foreach (var other in _planner.Others)
        {
            if (!other.Kind.HasSettled)
                continue;
            Doing("settling", other.Id, other.Kind.Kind);
            other.Kind.Settle(_scene, other.Object);
            yield return 0;
        }
        _doing = default;
        _bindings.SceneSettled?.Invoke(_scene);
        yield return 0;
    }

    private IEnumerable<int> RaiseCurtain()
    {
        _bindings.RaiseCurtain?.Invoke(_scene);
        yield break;
    }

    /// <summary>How many times something is done to an entity, in all phases.</summary>
    private int CountSteps() => _planner.Live.Count
        + _planner.Live.All.Count(LosesParent)
        + _planner.Removals.Count
        + _planner.Order.Sum(target =>
            1 + One(target.IsSpawned) + One(target.Kind.HasParent) + One(target.Kind.HasReferences) + One(target.Kind.HasSettled))
        + _planner.Others.Count(other => other.Kind.HasSettled);

    private static int One(bool isDone) => isDone ? 1 : 0;

    private void Doing(string doing, EntityId id, string kind)
    {
        _doing = (doing, id, kind);
        _done++;
    }

    /// <summary>Rolls the scene back to what it was before the first step, as far as the game's own code lets it.</summary>
    private List<Exception> RollBack()
    {
        var failures = new List<Exception>();
        if (_isTouched)
        {
            var rollBack = new SceneRollBack<TScene>(_bindings, _scene, _before, failures);
            rollBack.Act(wasSettling: _phase >= RestorePhase.Settling);
            IsSceneWhole = rollBack.IsWhole;
        }
        SceneRollBack<TScene>.Try(failures, () => _bindings.RaiseCurtain?.Invoke(_scene));
        return failures;
    }

    object? IEntityLookup.Find(EntityReference reference) => reference.Scene is not null
        ? _bindings.ResolveElsewhere?.Invoke(reference)
        : _planner.Find(reference.Id) is { } target
            ? target.Object
            : _planner.IsRemoved(reference.Id)
            ? null
            : _planner.Live.Find(reference.Id)?.Object;

    EntityReference? IEntityLookup.ReferenceTo(object entity) => throw new NotSupportedException("A restoration takes no references.");
}
