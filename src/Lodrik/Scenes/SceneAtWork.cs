using System.Diagnostics;
using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>One scene of a restoration: what it is, what it is going to be, and what it was before.</summary>
/// <param name="bindings">The game's kinds.</param>
/// <param name="of">The live scene.</param>
/// <param name="expected">How many entities the record has, as far as that is known.</param>
/// <param name="reading">What reads the record, in the background for a restoration in slices.</param>
internal sealed class SceneAtWork<TScene>(
    SceneBindings<TScene> bindings, OpenScene<TScene> of, int expected, Task<SceneRecord> reading)
    : IEntityLookup
{
    private static readonly TimeSpan Shortest = TimeSpan.FromMilliseconds(0.2);

    private readonly PooledList<Held> _remembered = new();
    private readonly Dictionary<string, LiveSet<TScene>> _neighbours = [];
    private readonly List<Action> _undo = [];
    private int _nextReference;

    /// <summary>Marks a reference to an object that was remembered: no scene has a name with a null character.</summary>
    private const string RememberedScene = "\0";

    public OpenScene<TScene> Of => of;

    public TScene Scene => of.Scene;

    public SceneRecord Record { get; private set; } = new();

    /// <summary>How many entities are going to be worked on, as far as that is known.</summary>
    public int ExpectedCount => expected + of.ExpectedCount;

    public RestorePlanner<TScene> Planner { get; private set; } = null!;

    /// <summary>What was in the scene before the first step, to be restored if anything fails.</summary>
    public SceneRecord Before { get; } = new(isTemporary: true);

    /// <summary>What restores parts that did not apply when the scene was remembered.</summary>
    public List<Action> Undo => _undo;

    /// <summary>
    /// What the entities belonged to, in the order of <see cref="Before"/>: objects, for kinds that do not name their parents.
    /// </summary>
    public PooledList<Held> Parents { get; } = new();

    /// <summary>The references that lead nowhere.</summary>
    public LostReferences Lost { get; } = new();

    /// <summary>The other scenes that are there, by name.</summary>
    public Func<EntityReference, (bool IsKnown, object? Object)>? FindInOthers { get; set; }

    /// <summary>Whether the record is still being read in the background.</summary>
    public bool IsReading => !reading.IsCompleted;

    /// <summary>Waits until the record has been read, or it has turned out that it cannot be.</summary>
    /// <param name="longest">How long it waits at most.</param>
    public void WaitUntilRead(TimeSpan longest) => Task.WaitAny([reading], (int)Math.Min(longest.TotalMilliseconds, int.MaxValue));

    /// <summary>
    /// Waits for the reading no longer than a frame can spare, and without giving the processor away, which might take longer. A game that
    /// counts its frames instead of looking at the clock gets on all the same.
    /// </summary>
    public void Glance()
    {
        var started = Stopwatch.GetTimestamp();
        while (IsReading && Stopwatch.GetElapsedTime(started) < Shortest)
            Thread.SpinWait(20);
    }

    /// <summary>Makes the plan, once the record has been read.</summary>
    /// <param name="plan">Gets what is decided.</param>
    public IEnumerable<int> Plan(RestorePlan plan)
    {
        Record = KeptEntities.BringForward(reading.GetAwaiter().GetResult(), bindings, of.Manifest);
        Planner = new RestorePlanner<TScene>(bindings, of, Record, plan);
        foreach (var step in Planner.Decide())
            yield return step;
    }

    public PutSource SourceOf(in RestoreTarget<TScene> target) =>
        new(Record, target.RecordIndex, of.Authored, target.AuthoredIndex);

    /// <summary>From here on the references of a target are asked for, one after the other.</summary>
    public void ExpectReferencesOf(int target) => _nextReference = Planner.FirstReferenceOf(target);

    /// <summary>The object of a reference while the scene is being restored.</summary>
    public object? Find(EntityReference reference) => reference.Scene is null
        ? Planner.ObjectOf(reference.Id)
        : FindInOthers?.Invoke(reference) is (true, var found) ? found : FindElsewhere(reference);

    /// <inheritdoc/>
    public object? FindNext(EntityReference reference)
    {
        var place = _nextReference++;
        return reference.Scene is null ? Planner.ObjectOf(reference.Id, place) : Find(reference);
    }

    /// <summary>The object of a reference that leads out of all scenes that are restored.</summary>
    public object? FindElsewhere(EntityReference reference) =>
        of.Neighbours?.Find(reference, _neighbours) ?? bindings.ResolveElsewhere?.Invoke(Scene, reference);

    /// <summary>The object that was remembered as a reference; null if it is another reference.</summary>
    public object? RememberedAs(EntityReference reference) =>
        reference.Scene == RememberedScene ? _remembered[(int)reference.Id.Number - 1].Object : null;

    /// <summary>Gives the room back to the pool, when the restoration is over and nothing can be rolled back any more.</summary>
    public void Release()
    {
        Planner.Release();
        Before.Release();
        Parents.Release();
        _remembered.Release();
    }

    public SceneKind<TScene>? KindNamed(string kind) => bindings.Find(kind);

    /// <summary>
    /// Remembers an object that is referred to in the scene that is being left. It need not be one that the scene knows, and which entity
    /// it is matters only if the scene is rolled back.
    /// </summary>
    public EntityReference? ReferenceTo(object entity)
    {
        _remembered.Add(new Held(entity));
        return new EntityReference(EntityId.Spawned(_remembered.Count), RememberedScene);
    }
}
