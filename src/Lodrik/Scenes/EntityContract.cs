using System.ComponentModel;
using Lodrik.State;

namespace Lodrik.Scenes;

// What generated code and the runtime ask of each other. All of it is static, so that the code of a kind is specialised and nothing is
// made for an entity.

/// <summary>A class of entities. Implemented by generated code.</summary>
/// <typeparam name="TSelf">The class.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityType<TSelf> : IDeclaredEntity, IDeclaredMembers<TSelf> where TSelf : class, IEntityType<TSelf>
{
    /// <summary>The kind's name in the save; empty if the objects say it.</summary>
    static abstract string Kind { get; }

    /// <summary>The names that the kind had before.</summary>
    static virtual IReadOnlyList<string> FormerKinds => [];

    /// <summary>Whether placed entities that are as the designer left them are left out of a record.</summary>
    static virtual bool OnlyIfChanged => false;

    /// <summary>Whether an object of the class can be created.</summary>
    static virtual bool CanCreate => true;

    /// <summary>The id; the default where the entity has none yet.</summary>
    static abstract EntityId IdOf(TSelf entity);

    /// <summary>Whether the object is destroyed, or about to be.</summary>
    static virtual bool IsGone(TSelf entity) => false;

    /// <summary>Creates an object.</summary>
    static virtual TSelf Create(in EntityCreation creation) =>
        throw new SceneException(SaveErrorCode.BadBinding, $"A {TSelf.Kind} cannot be created.");

    /// <summary>Whether an object removes itself from its scene.</summary>
    static virtual bool RemovesItself => false;

    /// <summary>Removes the object from its scene.</summary>
    static virtual void RemoveItself(TSelf entity)
    {
    }

    /// <summary>Whether the class has something to do once the scene is there.</summary>
    static virtual bool HasSettled => false;

    /// <summary>Does that.</summary>
    static virtual void Settle(TSelf entity, object scene)
    {
    }
}

/// <summary>Marks the objects of declared classes of entities.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IDeclaredEntity;

/// <summary>A class whose members are told of.</summary>
/// <typeparam name="TSelf">The class.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IDeclaredMembers<TSelf> where TSelf : class
{
    /// <summary>Names the parts and references, one after the other.</summary>
    static abstract void DescribeMembers(IEntityMembers<TSelf> members);
}

/// <summary>A class of components. Implemented by generated code.</summary>
/// <typeparam name="TSelf">The class.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IComponentType<TSelf> : IDeclaredMembers<TSelf> where TSelf : class, IComponentType<TSelf>
{
    /// <summary>Creates an object with its initial values.</summary>
    static abstract TSelf CreateComponent();
}

/// <summary>The components of an entity.</summary>
/// <typeparam name="TEntity">The class of the entity.</typeparam>
/// <typeparam name="TBase">The class of the components.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityComponents<TEntity, TBase> where TBase : class
{
    /// <summary>Gets them.</summary>
    static abstract ICollection<TBase>? Of(TEntity entity);
}

/// <summary>Is told of the members of a class of entities.</summary>
/// <typeparam name="TEntity">The class.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityMembers<TEntity> where TEntity : class
{
    /// <summary>A part.</summary>
    void Part<TPart, TRow>() where TPart : IEntityPart<TEntity, TRow> where TRow : struct, IStateType<TRow>;

    /// <summary>A reference to another entity.</summary>
    void Link<TLink, TTarget>() where TLink : IEntityLink<TEntity, TTarget> where TTarget : class;

    /// <summary>References to other entities.</summary>
    void Links<TLinks, TTarget>() where TLinks : IEntityLinks<TEntity, TTarget> where TTarget : class;

    /// <summary>A reference to an entity of any scene, by its id.</summary>
    void IdLink<TLink>() where TLink : IEntityIdLink<TEntity>;

    /// <summary>What an entity belongs to.</summary>
    void Parent<TParent>() where TParent : IEntityParent<TEntity>;

    /// <summary>Entities that belong to an entity, and are found in it.</summary>
    void Children<TChildren, TChild>() where TChildren : IEntityChildren<TEntity, TChild> where TChild : class;

    /// <summary>A list of components; it is told before them.</summary>
    void Components<TComponents, TBase>() where TComponents : IEntityComponents<TEntity, TBase> where TBase : class;

    /// <summary>A class of components that may be in a list.</summary>
    void Component<TComponents, TBase, TComponent>()
        where TComponents : IEntityComponents<TEntity, TBase> where TBase : class where TComponent
            : class, TBase, IComponentType<TComponent>;
}

/// <summary>A part: a row has its members, and is written and read in columns like any state type.</summary>
/// <typeparam name="TEntity">The class of the entity.</typeparam>
/// <typeparam name="TRow">The row.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityPart<TEntity, TRow> where TRow : struct, IStateType<TRow>
{
    /// <summary>The part's name in the save.</summary>
    static abstract string Name { get; }

    /// <summary>Whether a placed entity's part is left out of a record if it is as the designer left it.</summary>
    static virtual bool OnlyIfChanged => false;

    /// <summary>Whether a condition says which entities have their parts saved and loaded.</summary>
    static virtual bool IsSwitched => false;

    /// <summary>Whether an entity may be without the part: it is a component.</summary>
    static virtual bool IsOptional => false;

    /// <summary>Whether all members are known where the save has none of them: each begins with a constant.</summary>
    static virtual bool HasInitial => false;

    /// <summary>Whether there is anything that cannot be put into an object that is there.</summary>
    static virtual bool MayReplace => false;

    /// <summary>Whether this entity's part is saved and loaded.</summary>
    static virtual bool AppliesTo(TEntity entity) => true;

    /// <summary>Whether the entity has the part.</summary>
    static virtual bool Has(TEntity entity) => true;

    /// <summary>Takes the members into a row; what could be changed is copied.</summary>
    static abstract void Take(TEntity entity, ref TRow row);

    /// <summary>Whether the members are as the row says, without a copy.</summary>
    static abstract bool IsAs(TEntity entity, in TRow row);

    /// <summary>Gives the entity what the row has. Members that it lacks get the constant that they begin with, if there is one.</summary>
    static abstract void Put(TEntity entity, in TRow row);

    /// <summary>The entity is in the save without this part.</summary>
    static virtual void Clear(TEntity entity)
    {
    }

    /// <summary>Whether the row cannot be put into this object.</summary>
    static virtual bool MustReplace(TEntity entity, in TRow row) => false;
}

/// <summary>A reference to another entity.</summary>
/// <typeparam name="TEntity">The class of what refers.</typeparam>
/// <typeparam name="TTarget">The class of what is referred to.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityLink<TEntity, TTarget> where TTarget : class
{
    /// <summary>The reference's name in the save, among the parts.</summary>
    static abstract string Name { get; }

    /// <summary>Whether null stands for what a save says nothing of.</summary>
    static virtual bool HasInitial => false;

    /// <summary>Whether there is nothing to be put instead of a target that is not there.</summary>
    static virtual bool IsNeverNull => false;

    /// <summary>Gets what the entity refers to.</summary>
    static abstract TTarget? Take(TEntity entity);

    /// <summary>Makes the entity refer to another, or to none.</summary>
    static abstract void Put(TEntity entity, TTarget? target);
}

/// <summary>References to other entities, in their order.</summary>
/// <typeparam name="TEntity">The class of what refers.</typeparam>
/// <typeparam name="TTarget">The class of what is referred to.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityLinks<TEntity, TTarget> where TTarget : class
{
    /// <summary>The references' name in the save, among the parts.</summary>
    static abstract string Name { get; }

    /// <summary>Whether no reference stands for what a save says nothing of.</summary>
    static virtual bool HasInitial => false;

    /// <summary>Gets what the entity refers to.</summary>
    static abstract IEnumerable<TTarget>? Take(TEntity entity);

    /// <summary>Makes the entity refer to these.</summary>
    static abstract void Put(TEntity entity, IReadOnlyList<TTarget> targets);
}

/// <summary>A reference to an entity of any scene, by its id.</summary>
/// <typeparam name="TEntity">The class of what refers.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityIdLink<TEntity>
{
    /// <summary>The reference's name in the save, among the parts.</summary>
    static abstract string Name { get; }

    /// <summary>Gets the reference; null for none.</summary>
    static abstract EntityReference? Take(TEntity entity);

    /// <summary>Gives the entity the reference, or none.</summary>
    static abstract void Put(TEntity entity, EntityReference? reference);
}

/// <summary>What an entity belongs to.</summary>
/// <typeparam name="TEntity">The class of the entity.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityParent<TEntity>
{
    /// <summary>Gets what the entity belongs to; null for nothing.</summary>
    static abstract object? Take(TEntity entity);

    /// <summary>Makes the entity belong to another, or to nothing.</summary>
    static abstract void Put(TEntity entity, object? parent, object scene);
}

/// <summary>Entities that belong to an entity, and are found in it.</summary>
/// <typeparam name="TEntity">The class of what they belong to.</typeparam>
/// <typeparam name="TChild">Their class.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityChildren<TEntity, TChild> where TChild : class
{
    /// <summary>Gets those that are there.</summary>
    static abstract IEnumerable<TChild>? Of(TEntity entity);

    /// <summary>Adds one.</summary>
    static abstract void Add(TEntity entity, TChild child);

    /// <summary>Removes one, if it is there.</summary>
    static abstract void Remove(TEntity entity, TChild child);
}

/// <summary>Where the entities of a class are in a scene: what they are added to and removed from.</summary>
/// <typeparam name="TScene">The scene.</typeparam>
/// <typeparam name="TEntity">The class of the entities.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IEntityPlace<TScene, TEntity>
{
    /// <summary>Whether entities can be added and removed.</summary>
    static virtual bool CanSpawn => true;

    /// <summary>Creates an entity, and adds it to the scene.</summary>
    static abstract TEntity Spawn(TScene scene, in EntityCreation creation);

    /// <summary>Takes an entity out of the scene.</summary>
    static abstract void Remove(TScene scene, TEntity entity);
}
