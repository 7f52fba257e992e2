using System.Diagnostics;
using Lodrik.Scenes;

namespace Lodrik;

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
    private readonly IEnumerator<RestorePhase> _steps;
    private readonly int _inAll;
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
        _inAll = _planner.Live.Count + _planner.Removals.Count + (3 * _planner.Order.Count);
        _steps = Act().GetEnumerator();
    }

    /// <summary>What is being done.</summary>
    public RestorePlan Plan => _planner.Plan;

    /// <summary>How far it has got.</summary>
    public RestoreProgress Progress => new(IsDone ? RestorePhase.Done : _phase, IsDone ? _inAll : Math.Min(_done, _inAll), _inAll);

    /// <summary>Whether it is over: done, cancelled or failed.</summary>
    public bool IsDone => _report is not null || _isAbandoned;

    /// <summary>Whether the scene is what it was before or what it was to become; false where putting it back failed as well.</summary>
    internal bool IsSceneWhole { get; private set; } = true;

    /// <summary>What was done.</summary>
    /// <exception cref="SceneException">It is not done yet, or was given up.</exception>
    public RestoreReport Report => _report ?? throw new SceneException(
        SaveErrorCode.NotReady, _isAbandoned ? "The restoration was given up." : "The restoration is not done yet.", remedy: _isAbandoned ? null : "Call Step until it says so, or Finish.");

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
        var failures = PutBack();
        if (failures.Count > 0)
            throw new SceneException(SaveErrorCode.SceneConflict, "The restoration was cancelled, and not everything could be put back.", remedy: Unmended(failures), innerException: failures[0]);
    }

    private bool Advance()
    {
        try
        {
            return _steps.MoveNext();
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            _isAbandoned = true;
            var doing = _doing.Doing is { } name ? $"while {name} the {_doing.Kind} {_doing.Id}" : $"in the phase {_phase}";
            var failures = PutBack();
            throw new SceneException(
                SaveErrorCode.SceneConflict,
                $"The game's own code failed {doing}: {exception.Message}",
                remedy: failures.Count == 0 ? "The scene is as it was before." : Unmended(failures),
                innerException: exception);
        }
    }

    private static string Unmended(List<Exception> failures) =>
        $"Not everything could be put back as it was ({string.Join("; ", failures.Select(failure => failure.Message).Distinct().Take(3))}): begin the scene anew and restore it again.";

    private void Complete()
    {
        _kept.Take(Plan, _record, _unresolved);
        _report = new RestoreReport(
            Plan, _planning, _times.Aggregate(TimeSpan.Zero, (all, one) => all + one), [.. _times.Select((time, phase) => ((RestorePhase)phase, time))]);
    }

    /// <summary>The phases in their order; after each single step it may be left for a while.</summary>
    private IEnumerable<RestorePhase> Act()
    {
        _phase = RestorePhase.CurtainDown;
        _bindings.LowerCurtain?.Invoke(_scene);
        yield return _phase;

        _phase = RestorePhase.Remembering;
        _before.MakeRoom(_planner.Live.Count);
        _before.NextSpawn = _bindings.Numbers?.Invoke(_scene).Upcoming ?? 0;
        foreach (var live in _planner.Live.All)
        {
            Doing("remembering", live.Id, live.Kind.Kind);
            SceneTaking.TakeWhole(live, _planner.Live, _before);
            yield return _phase;
        }

        _phase = RestorePhase.Removing;
        _isTouched = true;
        foreach (var live in _planner.Live.All)
        {
            // In some games what goes takes along what belongs to it: what stays is let go of first.
            if (live.Parent is null || _planner.IsRemoved(live.Id) || _planner.Live.ParentOf(live) is not { } parent || !_planner.IsRemoved(parent))
                continue;
            Doing("parenting", live.Id, live.Kind.Kind);
            live.Kind.PutParent(live.Object, null);
        }
        foreach (var live in _planner.Removals)
        {
            Doing("removing", live.Id, live.Kind.Kind);
            live.Kind.Remove(_scene, live.Object);
            yield return _phase;
        }

        _phase = RestorePhase.Spawning;
        foreach (var target in _planner.Order)
        {
            if (!target.IsSpawned)
                continue;
            Doing("spawning", target.Id, target.Kind.Kind);
            target.Object = target.Kind.Spawn(_scene, target.Id);
            yield return _phase;
        }

        _phase = RestorePhase.Parenting;
        foreach (var target in _planner.Order)
        {
            if (!target.Kind.HasParent)
                continue;
            Doing("parenting", target.Id, target.Kind.Kind);
            target.Kind.PutParent(target.Object!, target.Parent?.Object);
            if (target.Saved.Parent is { } lost && target.Parent is null)
                _unresolved[(target.Id, KeptState.ParentName)] = [(0, lost)];
            yield return _phase;
        }

        _phase = RestorePhase.Putting;
        foreach (var target in _planner.Order)
        {
            Doing("putting the parts of", target.Id, target.Kind.Kind);
            target.Kind.PutParts(target.Object!, _record, target.RecordIndex, _authored, target.AuthoredIndex);
            yield return _phase;
        }
        if (_record.NextSpawn > 0)
            _bindings.Numbers?.Invoke(_scene).ContinueFrom(_record.NextSpawn);

        _phase = RestorePhase.Referring;
        foreach (var target in _planner.Order)
        {
            if (!target.Kind.HasReferences)
                continue;
            Doing("resolving the references of", target.Id, target.Kind.Kind);
            var (from, index) = target.RecordIndex >= 0 ? (_record, target.RecordIndex) : (_authored, target.AuthoredIndex);
            target.Kind.PutReferences(target.Object!, from, index, this);
            foreach (var (name, lost) in target.Kind.FindLost(from, index, this))
                _unresolved[(target.Id, name)] = lost;
            yield return _phase;
        }

        _phase = RestorePhase.Settling;
        var there = _planner.Order.Where(target => target.Kind.HasSettled).Select(target => (target.Id, target.Kind, Object: target.Object!))
            .Concat(_planner.Others.Where(other => other.Kind.HasSettled).Select(other => (other.Id, other.Kind, other.Object)));
        foreach (var (id, kind, live) in there)
        {
            Doing("settling", id, kind.Kind);
            kind.Settle(_scene, live);
            yield return _phase;
        }
        _doing = default;
        _bindings.SceneSettled?.Invoke(_scene);
        yield return _phase;

        _phase = RestorePhase.CurtainUp;
        _bindings.RaiseCurtain?.Invoke(_scene);
    }

    private void Doing(string doing, EntityId id, string kind)
    {
        _doing = (doing, id, kind);
        _done++;
    }

    /// <summary>Puts the scene back as it was before the first step, as far as the game's own code lets it.</summary>
    private List<Exception> PutBack()
    {
        var failures = new List<Exception>();
        if (_isTouched)
        {
            var puttingBack = new PuttingBack<TScene>(_bindings, _scene, _before, failures);
            puttingBack.Act(wasSettling: _phase >= RestorePhase.Settling);
            IsSceneWhole = puttingBack.IsWhole;
        }
        PuttingBack<TScene>.Try(failures, () => _bindings.RaiseCurtain?.Invoke(_scene));
        return failures;
    }

    object? IEntityLookup.Find(EntityReference reference) => reference.Scene is not null
        ? _bindings.ResolveElsewhere?.Invoke(reference)
        : _planner.Find(reference.Id) is { } target ? target.Object : _planner.IsRemoved(reference.Id) ? null : _planner.Live.Find(reference.Id)?.Object;

    EntityReference? IEntityLookup.ReferenceTo(object entity) => throw new NotSupportedException("A restoration takes no references.");
}
