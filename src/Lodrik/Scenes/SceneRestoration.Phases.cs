using System.Diagnostics;

namespace Lodrik.Scenes;

// The phases of a restoration.
public sealed partial class SceneRestoration<TScene>
{
    // A wait may be longer than it should be by a tick of the system's clock: a frame that has less time than this does not wait.
    private static readonly TimeSpan Tick = TimeSpan.FromMilliseconds(16);

    /// <summary>
    /// The phases in their order, each for all scenes. They give a value when they may be left for a while: while the plan is made after a
    /// few steps, later when the time is over.
    /// </summary>
    private IEnumerable<(RestorePhase Phase, Func<SceneAtWork<TScene>, IEnumerable<int>> Steps)> Phases()
    {
        yield return (RestorePhase.Planning, WaitUntilRead);
        yield return (RestorePhase.Planning, scene => scene.Plan(_plan));
        yield return (RestorePhase.Planning, scene => scene.Planner.FindDangling(WillBeThere));
        _isPlanned = true;
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

    private IEnumerable<int> WaitUntilRead(SceneAtWork<TScene> scene)
    {
        while (scene.IsReading)
        {
            var left = _deadline == long.MaxValue
                ? Timeout.InfiniteTimeSpan
                : TimeSpan.FromSeconds((_deadline - _mark) / (double)Stopwatch.Frequency);
            if (left == Timeout.InfiniteTimeSpan || left > Tick)
                scene.WaitUntilRead(left);
            else
                scene.Glance();
            if (!scene.IsReading)
                break;
            _isWaiting = true;
            yield return 0;
        }
    }

    private IEnumerable<int> LowerCurtain(SceneAtWork<TScene> scene)
    {
        _bindings.LowerCurtain?.Invoke(scene.Scene);
        if (StepIsMade())
            yield return 0;
    }

    private IEnumerable<int> Remember(SceneAtWork<TScene> scene)
    {
        var count = scene.Planner.Live.Count;
        scene.Before.MakeRoom(count);
        scene.Parents.EnsureRoom(count);
        scene.Before.NextSpawn = _bindings.Numbers?.Invoke(scene.Scene).Upcoming ?? 0;
        var taking = new SceneTaking<TScene>(scene.Planner.Live, scene, scene.Before);
        taking.Declare(isWhole: true, refer: true);
        for (var index = 0; index < count; index++)
        {
            Remember(scene, taking, index);
            if (StepIsMade())
                yield return 0;
        }
    }

    private void Remember(SceneAtWork<TScene> scene, SceneTaking<TScene> taking, int index)
    {
        ref var entity = ref scene.Planner.Live.All[index];
        var objects = entity.Objects;
        Doing("remembering", entity.Id, objects);
        scene.Parents.Add(new Held(objects.Kind.HasParent && !objects.NamesParent ? objects.ParentAt(entity.Slot) : null));
        taking.TakeWhole(index, null, objects.NamesParent ? objects.ParentIdAt(entity.Slot) : null);
    }

    private IEnumerable<int> Remove(SceneAtWork<TScene> scene)
    {
        foreach (var live in scene.Planner.Orphans)
        {
            Doing("parenting", live.Id, live.Objects);
            live.Objects.PutParent(live.Slot, null, null);
            if (StepIsMade())
                yield return 0;
        }
        foreach (var live in scene.Planner.Removals)
        {
            Doing("removing", live.Id, live.Objects);
            live.Objects.Remove(live.Slot);
            if (StepIsMade())
                yield return 0;
        }
    }

    /// <summary>Does something to the targets, in their order.</summary>
    /// <param name="scene">The scene.</param>
    /// <param name="concerned">What has to be done to any of them; nothing is asked of the targets otherwise.</param>
    /// <param name="act">Gets the scene and the place in the order. False if there is nothing to do there.</param>
    private IEnumerable<int> ForEachTarget(SceneAtWork<TScene> scene, TargetWork concerned, Func<SceneAtWork<TScene>, int, bool> act)
    {
        if ((scene.Planner.Work & concerned) == 0)
            yield break;
        for (var place = 0; place < scene.Planner.Order.Count; place++)
        {
            if (act(scene, place) ? StepIsMade() : place % 64 == 0 && IsTimeOver)
                yield return 0;
        }
    }

    private IEnumerable<int> Spawn(SceneAtWork<TScene> scene)
    {
        // What the game spawns from within a callback must not get the number of one that is still to come.
        _bindings.Numbers?.Invoke(scene.Scene).ContinueFrom(Math.Max(scene.Record.NextSpawn, scene.Planner.LargestNumber + 1));
        return ForEachTarget(scene, TargetWork.Spawn, Spawn);
    }

    private bool Spawn(SceneAtWork<TScene> scene, int place)
    {
        ref var target = ref scene.Planner.InOrder(place, out _);
        if (!target.IsSpawned)
            return false;
        Doing("spawning", target.Id, target.Objects);
        var parent = target.Parent < 0 ? null : scene.Planner.ObjectOf(target.Parent);
        scene.Planner.Spawned(place, target.Objects.Spawn(target.Id, scene.SourceOf(target), parent));
        return true;
    }

    private IEnumerable<int> Check(SceneAtWork<TScene> scene) => new SpawnCheck<TScene>(_bindings, scene, _plan).Act();

    private IEnumerable<int> PutParents(SceneAtWork<TScene> scene) => ForEachTarget(scene, TargetWork.Parent, PutParent);

    private bool PutParent(SceneAtWork<TScene> scene, int place)
    {
        ref var target = ref scene.Planner.InOrder(place, out var slot);
        if (!target.Kind.HasParent || target.LeavesParent)
            return false;
        Doing("parenting", target.Id, target.Objects);
        var parent = target.Parent < 0 ? null : scene.Planner.ObjectOf(target.Parent);
        if (parent is null && target.ParentId is var lost && lost != default)
        {
            // It may be something that stays although it should not.
            parent = scene.Find(lost);
            if (parent is null && !target.Objects.NamesParent)
                scene.Lost.Add(target.Id, LostReferences.ParentName, 0, lost);
        }
        target.Objects.PutParent(slot, target.ParentId == default ? default(EntityId?) : target.ParentId, parent);
        return true;
    }

    private IEnumerable<int> PutParts(SceneAtWork<TScene> scene) => ForEachTarget(scene, TargetWork.Parts, PutParts);

    private bool PutParts(SceneAtWork<TScene> scene, int place)
    {
        ref var target = ref scene.Planner.InOrder(place, out var slot);
        Doing("restoring the parts of", target.Id, target.Objects);
        target.Objects.PutParts(slot, scene.SourceOf(target), scene.Undo);
        return true;
    }

    private IEnumerable<int> PutSpawnedParts(SceneAtWork<TScene> scene) => ForEachTarget(scene, TargetWork.Spawn, PutSpawnedParts);

    private bool PutSpawnedParts(SceneAtWork<TScene> scene, int place)
    {
        ref var target = ref scene.Planner.InOrder(place, out var slot);
        if (!target.IsSpawned)
            return false;
        Doing("restoring the parts of", target.Id, target.Objects);
        target.Objects.PutParts(slot, scene.SourceOf(target), null);
        return true;
    }

    private IEnumerable<int> PutReferences(SceneAtWork<TScene> scene) => ForEachTarget(scene, TargetWork.References, PutReferences);

    private bool PutReferences(SceneAtWork<TScene> scene, int place)
    {
        ref var target = ref scene.Planner.InOrder(place, out var slot);
        if (!target.Kind.HasReferences)
            return false;
        Doing("resolving the references of", target.Id, target.Objects);
        scene.ExpectReferencesOf(scene.Planner.Order[place]);
        target.Objects.PutReferences(slot, scene.SourceOf(target), scene, target.Id, scene.Lost);
        return true;
    }

    private IEnumerable<int> Wait(SceneAtWork<TScene> scene)
    {
        while (_framesLeft > 0)
        {
            _isWaiting = true;
            yield return 0;
        }
    }

    private bool Settle(SceneAtWork<TScene> scene, int place)
    {
        ref var target = ref scene.Planner.InOrder(place, out var slot);
        if (!target.Kind.HasSettled)
            return false;
        Doing("settling", target.Id, target.Objects);
        target.Objects.Settle(slot);
        return true;
    }

    private IEnumerable<int> Settle(SceneAtWork<TScene> scene)
    {
        foreach (var step in ForEachTarget(scene, TargetWork.Settle, Settle))
            yield return step;
        foreach (var other in scene.Planner.Others)
        {
            if (!other.Kind.HasSettled)
                continue;
            Doing("settling", other.Id, other.Objects);
            other.Objects.Settle(other.Slot);
            if (StepIsMade())
                yield return 0;
        }
        _doing = default;
        _bindings.SceneSettled?.Invoke(scene.Scene);
        if (StepIsMade())
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
}
