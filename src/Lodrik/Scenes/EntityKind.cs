using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>A kind of entity, whatever the type of its objects: what a plan has to know of it.</summary>
internal abstract class SceneKind<TScene>(string name)
{
    /// <summary>Its name in the save.</summary>
    public string Name => name;

    /// <summary>Whether entities of this kind can be spawned and removed; otherwise they are always there.</summary>
    public abstract bool CanSpawn { get; }

    /// <summary>Whether placed entities that are as the designer left them are left out of a record.</summary>
    public abstract bool OmitsUnchanged { get; }

    public abstract bool HasParent { get; }

    public abstract bool HasSettled { get; }

    /// <summary>Whether there may be something saved that cannot be put into an object that is there.</summary>
    public virtual bool MayReplace => false;

    /// <summary>Its parts, then its references, in the order in which they were declared.</summary>
    public abstract IReadOnlyList<EntityMember> Members { get; }

    /// <summary>How many of the members are parts; those after them are references.</summary>
    public abstract int PartCount { get; }

    public bool HasReferences => Members.Count > PartCount;

    /// <summary>The columns of its members in a record.</summary>
    public KindColumns In(SceneRecord record) => record.Bound(this, static (record, kind) => new KindColumns(
        [.. kind.Members.Select(member => record.Column(kind.Name, member.Name, member.MakeColumn))],
        [.. kind.Members.Select(member => record.Knows(kind.Name, member.Name))]));

    /// <summary>A container for the objects of this kind in a scene.</summary>
    public abstract KindObjects<TScene> Gather(TScene scene);

    /// <summary>An empty column for a part or a reference; null for a name that the kind does not have.</summary>
    public PartColumn? MakeColumn(string member)
    {
        foreach (var one in Members)
        {
            if (one.Name == member)
                return one.MakeColumn();
        }
        return null;
    }
}

/// <summary>A part of a kind, or a reference.</summary>
internal abstract class EntityMember(string name)
{
    /// <summary>Its name in the save, among the parts.</summary>
    public string Name => name;

    /// <summary>Whether a placed entity's part is left out of a record if it is as the designer left it.</summary>
    public virtual bool OnlyIfChanged => false;

    /// <summary>Whether single entities may be without the part: a condition says which.</summary>
    public virtual bool IsSwitched => false;

    /// <summary>Whether it is known what the entity has where a save says nothing of it.</summary>
    public virtual bool HasInitial => false;

    public abstract PartColumn MakeColumn();
}

/// <summary>
/// What the runtime asks of a kind: how its entities are distinguished, created and removed, and what they consist of. Bindings answer with
/// the game's getters and setters. Everything is asked about one typed object, so nothing is made for an entity on the way.
/// </summary>
internal abstract class EntityKind<TScene, TEntity>(string name) : SceneKind<TScene>(name) where TEntity : notnull
{
    public abstract IReadOnlyList<EntityPart<TScene, TEntity>> Parts { get; }

    public abstract IReadOnlyList<EntityLink<TScene, TEntity>> Links { get; }

    /// <summary>Whether an entity names its parent by id; otherwise it has the object itself.</summary>
    public abstract bool NamesParent { get; }

    /// <summary>The id; the default where the entity has none yet.</summary>
    public abstract EntityId IdOf(TScene scene, TEntity entity);

    public abstract object? ParentOf(TScene scene, TEntity entity);

    public abstract EntityId? ParentIdOf(TScene scene, TEntity entity);

    /// <summary>Makes an entity belong to another.</summary>
    /// <param name="scene">The scene.</param>
    /// <param name="entity">The entity.</param>
    /// <param name="id">What it belongs to, whether or not that is there; null for nothing.</param>
    /// <param name="parent">The object of that, if it is there.</param>
    public abstract void PutParent(TScene scene, TEntity entity, EntityId? id, object? parent);

    /// <summary>Whether entities may be found in what they belong to, rather than in the scene.</summary>
    public virtual bool IsFoundInParent => false;

    public abstract TEntity Spawn(TScene scene, in EntityCreation creation);

    /// <summary>Takes an entity out of the scene.</summary>
    /// <param name="scene">The scene.</param>
    /// <param name="entity">The entity.</param>
    /// <param name="parent">What it was found in; null for the scene.</param>
    public abstract void Remove(TScene scene, TEntity entity, object? parent);

    /// <summary>Takes an entity that is found in what it belongs to from there to another.</summary>
    public virtual void MoveTo(TEntity entity, object? from, object? to)
    {
    }

    public abstract void Settle(TScene scene, TEntity entity);
}

/// <summary>A part: it goes from the live object into a row of its column, and from there back into an object.</summary>
internal abstract class EntityPart<TScene, TEntity>(string name) : EntityMember(name)
{
    /// <summary>Whether this entity's part is saved and loaded at all.</summary>
    public virtual bool AppliesTo(TScene scene, TEntity entity) => true;

    /// <summary>Adds the entity's part to a column: its value, or that it has none if a record could not tell otherwise.</summary>
    /// <param name="scene">The scene.</param>
    /// <param name="entity">The entity, which the part applies to.</param>
    /// <param name="column">The column, made by this part.</param>
    /// <param name="index">The entity's place in the record.</param>
    /// <param name="authored">The authored scene's column, if what is as authored may be left out; otherwise null.</param>
    /// <param name="authoredIndex">The entity's place in the authored scene.</param>
    public abstract void Take(
        TScene scene, TEntity entity, PartColumn column, int index, PartColumn? authored, int authoredIndex);

    /// <summary>Gives the entity a copy of the value that the column has for it.</summary>
    public abstract void Put(TScene scene, TEntity entity, PartColumn column, int index);

    /// <summary>The save says nothing of this part: the entity gets what each begins with.</summary>
    public virtual void PutInitial(TScene scene, TEntity entity)
    {
    }

    /// <summary>The entity is in the save without this part.</summary>
    public abstract void Clear(TScene scene, TEntity entity);

    /// <summary>Whether there may be something in the part that cannot be put into an object that is there.</summary>
    public virtual bool MayReplace => false;

    /// <summary>Whether what the column has for the entity cannot be put into this object.</summary>
    public virtual bool MustReplace(TScene scene, TEntity entity, PartColumn column, int index) => false;
}

/// <summary>A reference, whatever the type of what refers.</summary>
internal interface ILink
{
    /// <summary>Whether there is at most one.</summary>
    bool IsSingle { get; }
}

/// <summary>A reference to another entity, or a list of them.</summary>
internal abstract class EntityLink<TScene, TEntity>(string name) : EntityMember(name), ILink
{
    /// <inheritdoc/>
    public abstract bool IsSingle { get; }

    /// <summary>Whether the object has the reference itself, whether or not what it leads to is there.</summary>
    public abstract bool KeepsReferences { get; }

    /// <summary>Gets what the entity refers to.</summary>
    public abstract void Take(TScene scene, TEntity entity, TakenReferences taken);

    /// <summary>Makes the entity refer to these: none, one or several.</summary>
    /// <param name="scene">The scene.</param>
    /// <param name="entity">The entity.</param>
    /// <param name="references">The references.</param>
    /// <param name="targets">The object of each; null if it is not there.</param>
    public abstract void Put(
        TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets);
}

/// <summary>Says which entity an object is, and which object an entity is.</summary>
internal interface IEntityLookup
{
    /// <summary>The reference to an object; null if no scene knows it.</summary>
    EntityReference? ReferenceTo(object entity);

    /// <summary>The object of a reference; null if it is not there.</summary>
    object? Find(EntityReference reference);

    /// <summary>
    /// The object of a reference that a record has, when all those of an entity are asked for in their order; null if it is not there.
    /// </summary>
    object? FindNext(EntityReference reference) => Find(reference);
}

/// <summary>What an entity refers to, while it is being captured. One is used for all entities.</summary>
internal sealed class TakenReferences(IEntityLookup lookup)
{
    private readonly List<EntityReference> _known = [];
    private readonly List<(int Place, object Target)> _unknown = [];

    /// <summary>The references to entities, in their order.</summary>
    public List<EntityReference> Known => _known;

    /// <summary>The objects that no scene knows, each with its place among the references.</summary>
    public List<(int Place, object Target)> Unknown => _unknown;

    public void Clear()
    {
        _known.Clear();
        _unknown.Clear();
    }

    public void Add(EntityReference reference) => _known.Add(reference);

    public void Add(object target)
    {
        if (lookup.ReferenceTo(target) is { } reference)
            _known.Add(reference);
        else
            _unknown.Add((_known.Count + _unknown.Count, target));
    }
}

/// <summary>Where the parts of an entity come from when they are put.</summary>
/// <param name="Record">The record.</param>
/// <param name="Index">The entity's place in it; -1 if the record does not mention it.</param>
/// <param name="Authored">The scene as the designer left it.</param>
/// <param name="AuthoredIndex">The entity's place in that; -1 if it was not placed.</param>
internal readonly record struct PutSource(SceneRecord Record, int Index, SceneRecord Authored, int AuthoredIndex);

/// <summary>The objects of one kind that are in a scene, each under the number of its place: its slot.</summary>
internal abstract class KindObjects<TScene>(SceneKind<TScene> kind)
{
    public SceneKind<TScene> Kind => kind;

    /// <summary>The number of the kind among those of the scene.</summary>
    public int Number { get; set; }

    /// <summary>The part or reference that the game's code was asked about last, for the message if that fails.</summary>
    public string? Asked { get; protected set; }

    public abstract int Count { get; }

    public abstract object ObjectAt(int slot);

    public abstract object? ParentAt(int slot);

    /// <summary>The parent of an entity that names it by id.</summary>
    public abstract EntityId? ParentIdAt(int slot);

    /// <summary>Whether entities of this kind name their parents by id.</summary>
    public abstract bool NamesParent { get; }

    /// <summary>Adds the parts of an entity to the record's last entity.</summary>
    /// <param name="slot">The entity.</param>
    /// <param name="record">The record.</param>
    /// <param name="authored">The authored scene, against which parts may be left out; null to take everything.</param>
    /// <param name="authoredIndex">The entity's place in the authored scene.</param>
    public abstract void TakeParts(int slot, SceneRecord record, SceneRecord? authored, int authoredIndex);

    /// <summary>Gets what an entity refers to by one of its references.</summary>
    public abstract void TakeReferences(int slot, int link, TakenReferences taken);

    /// <summary>Puts the parts of an entity.</summary>
    /// <param name="slot">The entity.</param>
    /// <param name="source">Where they come from.</param>
    /// <param name="undo">Gets what puts a part back that did not apply when the scene was remembered; null if nobody needs it.</param>
    public abstract void PutParts(int slot, in PutSource source, List<Action>? undo);

    /// <summary>Makes an entity refer to what is saved; what leads nowhere is added to the lost ones.</summary>
    public abstract void PutReferences(int slot, in PutSource source, IEntityLookup lookup, EntityId id, LostReferences? lost);

    /// <summary>Creates an entity and gives its slot.</summary>
    /// <param name="id">Its id.</param>
    /// <param name="source">Where its parts come from.</param>
    /// <param name="parent">What it is going to belong to, if that is there.</param>
    public abstract int Spawn(EntityId id, in PutSource source, object? parent);

    /// <summary>Whether an object that is there cannot become what is saved, and has to be created again.</summary>
    public abstract bool MustReplace(int slot, in PutSource source);

    public abstract void Remove(int slot);

    public abstract void PutParent(int slot, EntityId? id, object? parent);

    public abstract void Settle(int slot);

    /// <summary>Gives the room back to the pool, when nobody needs the objects any more.</summary>
    public abstract void Release();
}

/// <summary>References that led nowhere when they were put, each with its place among those of its name.</summary>
internal sealed class LostReferences
{
    private static readonly List<(int Place, EntityReference Reference)> None = [];

    private readonly Dictionary<(EntityId Id, string Name), List<(int Place, EntityReference Reference)>> _all = [];

    /// <summary>The name of the parent among the references: no part has an empty name.</summary>
    public const string ParentName = "";

    public void Add(EntityId id, string name, int place, EntityReference reference)
    {
        if (!_all.TryGetValue((id, name), out var lost))
            _all.Add((id, name), lost = []);
        lost.Add((place, reference));
    }

    public IReadOnlyList<(int Place, EntityReference Reference)> Of(EntityId id, string name) =>
        _all.Count > 0 && _all.TryGetValue((id, name), out var lost) ? lost : None;

    /// <summary>Something else was put in its place since.</summary>
    public void Forget(EntityId id, string name) => _all.Remove((id, name));
}
