using System.Diagnostics;

namespace Lodrik.Scenes;

/// <summary>
/// A restoration that is under way: carried out in one go, or in slices of a frame's time. It is all or nothing: when it is cancelled,
/// or a callback of the game throws, everything is put back as it was before.
/// </summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <remarks>The game must not change the scene from the moment that this was made until it is done.</remarks>
public sealed class SceneRestoration<TScene>
{
    private readonly SceneBindings<TScene> _bindings;
    private readonly IReadOnlyList<SceneAtWork<TScene>> _scenes;
    private readonly TimeSpan[] _times = new TimeSpan[(int)RestorePhase.Done];
    private readonly IEnumerator<(RestorePhase Phase, Func<SceneAtWork<TScene>, IEnumerable<int>> Steps)> _phases;
    private IEnumerator<int>? _steps;
    private RestorePhase _phase;
    private RestorePlan? _plan;
    private (string? Doing, EntityId Id, KindObjects<TScene>? Objects) _doing;
    private int _done;
    private int _total;
    private int _framesLeft;
    private bool _isWaiting;
    private bool _isActing;
    private bool _isTouched;
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
    public RestorePlan Plan => _plan ?? throw new SceneException(
        SaveErrorCode.NotReady, "The plan of the restoration is not made yet.",
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
        SaveErrorCode.NotReady, _isAbandoned ? "The restoration was given up." : "The restoration is not done yet.",
        remedy: _isAbandoned ? null : "Call Step until it says so, or Finish.");

    /// <summary>Goes on for about so long: a single callback of the game is never interrupted.</summary>
    /// <param name="budget">The time; at least one step is made.</param>
    /// <returns>Whether the restoration is done.</returns>
    /// <exception cref="SceneException">
    /// The plan cannot be made. Or a callback of the game threw; its error is inside, and the scene is as it was before. Or a callback
    /// called this.
    /// </exception>
    /// <exception cref="SaveException">The content of the scene does not fit; the live scene is untouched.</exception>
    public bool Step(TimeSpan budget)
    {
        if (_isAbandoned)
            throw new SceneException(SaveErrorCode.NotReady, "The restoration was given up.");
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
                SaveErrorCode.NotReady, "The bindings wait for frames of the engine (SettleAfter), and none passes within one call.",
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
            _isWaiting = false;
            _framesLeft--;
        }
        var isSliced = budget != Timeout.InfiniteTimeSpan;
        var started = Stopwatch.GetTimestamp();
        var mark = started;
        while (_report is null && !_isWaiting)
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
            else if (isSliced && Stopwatch.GetElapsedTime(started) >= budget)
                break;
        }
        if (_report is null)
            _times[(int)_phase] += Stopwatch.GetElapsedTime(mark);
        return _report is not null;
    }

    private void RefuseWhileActing()
    {
        if (_isActing)
        {
            throw new SceneException(
                SaveErrorCode.NotReady, "A callback of the game tried to go on with the restoration that called it, or to end it.",
                remedy: "Call Step, Finish and Cancel outside of the callbacks of the bindings.");
        }
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
                _doing = default;
                _steps = _scenes.SelectMany(steps).GetEnumerator();
            }
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
                SaveErrorCode.SceneConflict, $"The game's own code failed {doing}: {exception.Message}",
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
            + $"({string.Join("; ", failures.Select(failure => failure.Message).Distinct().Take(3))}): begin the scene anew and restore it "
        + "again.";

    private void Complete()
    {
        foreach (var scene in _scenes)
            scene.Of.Kept.TakeOver(scene.Record, scene.Planner.PassedOver, scene.Of.Manifest.ContainsKey, scene.Lost);
        var planning = _times[(int)RestorePhase.Planning];
        _report = new RestoreReport(
            _plan!, planning, _times.Aggregate(TimeSpan.Zero, (all, one) => all + one) - planning,
            [.. _times.Select((time, phase) => new PhaseTime((RestorePhase)phase, time))]);
    }

    // Warnings may still come: what the spawn callbacks created beside.
    private RestorePlan MakePlan() => _scenes is [var only]
        ? new RestorePlan(only.Planner.Steps, only.Planner.Warnings)
        : new RestorePlan([.. _scenes.SelectMany(scene => scene.Planner.Steps)], [.. _scenes.SelectMany(scene => scene.Planner.Warnings)]);

    /// <summary>
    /// The phases in their order, each for all scenes. They give a value after every single step, when they may be left for a while.
    /// </summary>
    private IEnumerable<(RestorePhase Phase, Func<SceneAtWork<TScene>, IEnumerable<int>> Steps)> Phases()
    {
        yield return (RestorePhase.Planning, scene => scene.Plan());
        yield return (RestorePhase.Planning, scene => scene.Planner.FindDangling(WillBeThere));
        _plan = MakePlan();
        _total = _done + _scenes.Sum(CountSteps);
        _isCovered = true;
        yield return (RestorePhase.CurtainDown, LowerCurtain);
        yield return (RestorePhase.Remembering, Remember);
        _isTouched = true;
        yield return (RestorePhase.Removing, Remove);
        yield return (RestorePhase.Spawning, Spawn);
        yield return (RestorePhase.Checking, Check);
        yield return (RestorePhase.Parenting, PutParents);
        yield return (RestorePhase.Putting, PutParts);
        yield return (RestorePhase.Referring, PutReferences);
        if (_bindings.FramesToSettle > 0 && _scenes.Any(scene => scene.Planner.Spawns))
        {
            _framesLeft = _bindings.FramesToSettle;
            yield return (RestorePhase.Waiting, Wait);
            yield return (RestorePhase.Putting, PutSpawnedParts);
        }
        yield return (RestorePhase.Settling, Settle);
        yield return (RestorePhase.CurtainUp, RaiseCurtain);
    }

    private IEnumerable<int> LowerCurtain(SceneAtWork<TScene> scene)
    {
        _bindings.LowerCurtain?.Invoke(scene.Scene);
        yield return 0;
    }

    private IEnumerable<int> Remember(SceneAtWork<TScene> scene)
    {
        var live = scene.Planner.Live;
        scene.Before.MakeRoom(live.Count);
        scene.Before.NextSpawn = _bindings.Numbers?.Invoke(scene.Scene).Upcoming ?? 0;
        var taking = new SceneTaking<TScene>(live, scene, scene.Before);
        taking.Declare(isWhole: true);
        for (var index = 0; index < live.Count; index++)
        {
            var (id, objects, slot) = live.All[index];
            Doing("remembering", id, objects);
            scene.Parents.Add(objects.Kind.HasParent && !objects.NamesParent ? objects.ParentAt(slot) : null);
            taking.TakeWhole(index, null, objects.NamesParent ? objects.ParentIdAt(slot) : null);
            yield return 0;
        }
    }

    private IEnumerable<int> Remove(SceneAtWork<TScene> scene)
    {
        foreach (var live in scene.Planner.Orphans)
        {
            Doing("parenting", live.Id, live.Objects);
            live.Objects.PutParent(live.Slot, null, null);
            yield return 0;
        }
        foreach (var live in scene.Planner.Removals)
        {
            Doing("removing", live.Id, live.Objects);
            live.Objects.Remove(live.Slot);
            yield return 0;
        }
    }

    private IEnumerable<int> Spawn(SceneAtWork<TScene> scene)
    {
        // What the game spawns from within a callback must not get the number of one that is still to come.
        _bindings.Numbers?.Invoke(scene.Scene).ContinueFrom(Math.Max(scene.Record.NextSpawn, scene.Planner.LargestNumber + 1));
        foreach (var index in scene.Planner.Order)
        {
            var target = scene.Planner.Targets[index];
            if (!target.IsSpawned)
                continue;
            Doing("spawning", target.Id, target.Objects);
            scene.Planner.Targets[index].Slot = target.Objects.Spawn(target.Id);
            yield return 0;
        }
    }

    private IEnumerable<int> Check(SceneAtWork<TScene> scene)
    {
        var check = new SpawnCheck<TScene>(_bindings, scene);
        foreach (var step in check.Act())
            yield return step;
    }

    private IEnumerable<int> PutParents(SceneAtWork<TScene> scene)
    {
        foreach (var index in scene.Planner.Order)
        {
            var target = scene.Planner.Targets[index];
            if (!target.Kind.HasParent || target.LeavesParent)
                continue;
            Doing("parenting", target.Id, target.Objects);
            var parent = target.Parent < 0 ? null : scene.Planner.Targets[target.Parent] is { Slot: >= 0 } there
                ? there.Objects.ObjectAt(there.Slot)
                : null;
            if (parent is null && target.ParentId is var lost && lost != default)
            {
                // It may be something that stays although it should not.
                parent = scene.Find(lost);
                if (parent is null && !target.Objects.NamesParent)
                    scene.Lost.Add(target.Id, LostReferences.ParentName, 0, lost);
            }
            target.Objects.PutParent(target.Slot, target.ParentId == default ? default(EntityId?) : target.ParentId, parent);
            yield return 0;
        }
    }

    private IEnumerable<int> PutParts(SceneAtWork<TScene> scene) => PutParts(scene, spawnedOnly: false);

    private IEnumerable<int> PutSpawnedParts(SceneAtWork<TScene> scene) => PutParts(scene, spawnedOnly: true);

    private IEnumerable<int> PutParts(SceneAtWork<TScene> scene, bool spawnedOnly)
    {
        foreach (var index in scene.Planner.Order)
        {
            var target = scene.Planner.Targets[index];
            if (spawnedOnly && !target.IsSpawned)
                continue;
            Doing("putting the parts of", target.Id, target.Objects);
            target.Objects.PutParts(target.Slot, scene.SourceOf(target), spawnedOnly ? null : scene.Undo);
            yield return 0;
        }
    }

    private IEnumerable<int> PutReferences(SceneAtWork<TScene> scene)
    {
        foreach (var index in scene.Planner.Order)
        {
            var target = scene.Planner.Targets[index];
            if (!target.Kind.HasReferences)
                continue;
            Doing("resolving the references of", target.Id, target.Objects);
            scene.ExpectReferencesOf(index);
            target.Objects.PutReferences(target.Slot, scene.SourceOf(target), scene, target.Id, scene.Lost);
            yield return 0;
        }
    }

    private IEnumerable<int> Wait(SceneAtWork<TScene> scene)
    {
        while (_framesLeft > 0)
        {
            _isWaiting = true;
            yield return 0;
        }
    }

    private IEnumerable<int> Settle(SceneAtWork<TScene> scene)
    {
        foreach (var index in scene.Planner.Order)
        {
            var target = scene.Planner.Targets[index];
            if (!target.Kind.HasSettled)
                continue;
            Doing("settling", target.Id, target.Objects);
            target.Objects.Settle(target.Slot);
            yield return 0;
        }
        foreach (var other in scene.Planner.Others)
        {
            if (!other.Kind.HasSettled)
                continue;
            Doing("settling", other.Id, other.Objects);
            other.Objects.Settle(other.Slot);
            yield return 0;
        }
        _doing = default;
        _bindings.SceneSettled?.Invoke(scene.Scene);
        yield return 0;
    }

    private IEnumerable<int> RaiseCurtain(SceneAtWork<TScene> scene)
    {
        _bindings.RaiseCurtain?.Invoke(scene.Scene);
        yield break;
    }

    /// <summary>How many times something is done to an entity, in all phases.</summary>
    private static int CountSteps(SceneAtWork<TScene> scene)
    {
        var planner = scene.Planner;
        return 2 + planner.Live.Count + planner.Orphans.Count + planner.Removals.Count + planner.TargetSteps
            + planner.Others.Count(other => other.Kind.HasSettled);
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
