using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// Says what the objects of one kind are: how to get an id, which parts there are and how to take and put each, how to spawn and
/// how to remove. The objects need no base class; they may be objects, or small values that name a place in a world of arrays.
/// </summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <typeparam name="TEntity">The game's own object.</typeparam>
/// <remarks>All of it goes by getters and setters, so that an object's state may as well sit on another object of an engine.</remarks>
public sealed partial class KindBinding<TScene, TEntity> where TEntity : notnull
{
    private readonly string _kind;
    private readonly List<EntityPart<TScene, TEntity>> _parts = [];
    private readonly List<EntityLink<TScene, TEntity>> _links = [];

    internal KindBinding(string kind) => _kind = kind;

    internal IReadOnlyList<EntityPart<TScene, TEntity>> Parts => _parts;

    internal IReadOnlyList<EntityLink<TScene, TEntity>> Links => _links;

    internal Func<TScene, TEntity, EntityId>? TakeId { get; private set; }

    internal Func<TEntity, bool>? IsAlive { get; private set; }

    internal Func<TScene, TEntity, object?>? TakeParent { get; private set; }

    internal Func<TScene, TEntity, EntityId?>? TakeParentId { get; private set; }

    internal Action<TScene, TEntity, EntityId?, object?>? PutParentOf { get; private set; }

    internal Func<TScene, EntityId, string, TEntity>? SpawnEntity { get; private set; }

    internal Action<TScene, TEntity>? RemoveEntity { get; private set; }

    internal Action<TScene, TEntity>? EntitySettled { get; private set; }

    /// <summary>Whether placed entities of this kind are left out of a save that have nothing to say.</summary>
    internal bool OmitsUnchanged { get; private set; }

    /// <summary>How to get an object's id: the authored name of a placed one, the number of a spawned one.</summary>
    /// <remarks>
    /// The default (<c>default(EntityId)</c>) says that the object has no id yet. Such an object cannot be saved; an engine that gives ids
    /// a frame late says with <see cref="Alive"/> that it is not there before.
    /// </remarks>
    public KindBinding<TScene, TEntity> Id(Func<TEntity, EntityId> take)
    {
        ArgumentNullException.ThrowIfNull(take);
        TakeId = (_, entity) => take(entity);
        return this;
    }

    /// <summary>How to get an object's id, where the scene knows it.</summary>
    internal void Id(Func<TScene, TEntity, EntityId> take) => TakeId = take;

    /// <summary>A part that an object may have or not, by the scene.</summary>
    internal void OptionalPart<TPart>(
        string name, Func<TScene, TEntity, bool> has, Func<TScene, TEntity, TPart?> take, Action<TScene, TEntity, TPart> put,
        Action<TScene, TEntity> clear) where TPart : IStateType<TPart>
    {
        CheckMember(name, take, put);
        _parts.Add(new StatePart<TScene, TEntity, TPart>(name, take, put, clear, when: null, onlyIfChanged: false, has));
    }

    /// <summary>
    /// Which of the objects are in the scene: engines keep a destroyed object in their lists until the end of the frame, and a new one may
    /// have no id before its first. All of them, if this is not said.
    /// </summary>
    public KindBinding<TScene, TEntity> Alive(Func<TEntity, bool> isAlive)
    {
        ArgumentNullException.ThrowIfNull(isAlive);
        IsAlive = isAlive;
        return this;
    }

    /// <summary>A piece of an object's state.</summary>
    /// <param name="name">The part's name in the save.</param>
    /// <param name="take">Gets the part of an object; null leaves it out for this one. It is copied.</param>
    /// <param name="put">Gives an object a part that was saved, as its own copy.</param>
    /// <param name="clear">What to do to an object that is in the save without this part; null does nothing.</param>
    /// <param name="when">
    /// Whether this part of an object is saved and loaded at all; null means always. What is switched off is left alone. A part with a
    /// condition is put after those without one, so that the condition can ask for what they bring.
    /// </param>
    /// <param name="onlyIfChanged">Whether a placed object's part is saved only if it is not as the designer left it.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
#pragma warning disable RS0027 // The overloads differ in how many arguments their functions take, so none hides another.
    public KindBinding<TScene, TEntity> Part<TPart>(
#pragma warning restore RS0027
        string name, Func<TEntity, TPart?> take, Action<TEntity, TPart> put, Action<TEntity>? clear = null,
        Func<TEntity, bool>? when = null, bool onlyIfChanged = false)
        where TPart : IStateType<TPart>
    {
        CheckMember(name, take, put);
        _parts.Add(new StatePart<TScene, TEntity, TPart>(
            name, (_, entity) => take(entity), (_, entity, part) => put(entity, part),
            clear is null ? null : (_, entity) => clear(entity), when is null ? null : (_, entity) => when(entity), onlyIfChanged));
        return this;
    }

    /// <summary>A piece of an object's state whose getter and setter need the scene.</summary>
    /// <inheritdoc cref="Part{TPart}(string, Func{TEntity, TPart}, Action{TEntity, TPart}, Action{TEntity}, Func{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part<TPart>(
        string name, Func<TScene, TEntity, TPart?> take, Action<TScene, TEntity, TPart> put)
        where TPart : IStateType<TPart> => Part(name, take, put, clear: null, when: null, onlyIfChanged: false);

    /// <summary>A piece of an object's state whose getter and setter need the scene, and which an object may be without.</summary>
    /// <inheritdoc cref="Part{TPart}(string, Func{TEntity, TPart}, Action{TEntity, TPart}, Action{TEntity}, Func{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part<TPart>(
        string name, Func<TScene, TEntity, TPart?> take, Action<TScene, TEntity, TPart> put, Action<TScene, TEntity>? clear,
        Func<TScene, TEntity, bool>? when, bool onlyIfChanged)
        where TPart : IStateType<TPart>
    {
        CheckMember(name, take, put);
        _parts.Add(new StatePart<TScene, TEntity, TPart>(name, take, put, clear, when, onlyIfChanged));
        return this;
    }

    /// <summary>
    /// A piece of an object's state that an object may have or not, such as a component: what is there after loading is what was there at
    /// the save.
    /// </summary>
    /// <param name="name">The part's name in the save.</param>
    /// <param name="take">Gets the part of an object; null if it has none.</param>
    /// <param name="put">Gives an object the part, or takes it away if that is null.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public KindBinding<TScene, TEntity> OptionalPart<TPart>(string name, Func<TEntity, TPart?> take, Action<TEntity, TPart?> put)
        where TPart : struct, IStateType<TPart>
    {
        CheckMember(name, take, put);
        _parts.Add(new StatePart<TScene, TEntity, TPart>(
            name, (_, entity) => take(entity).GetValueOrDefault(), (_, entity, part) => put(entity, part),
            (_, entity) => put(entity, null), when: null, onlyIfChanged: false, has: (_, entity) => take(entity).HasValue));
        return this;
    }

    /// <summary>A piece of an object's state that is an object itself, and stays the one it is: what was saved is read into it.</summary>
    /// <param name="name">The part's name in the save.</param>
    /// <param name="get">Gets the part of an object.</param>
    /// <param name="when">Whether this part of an object is saved and loaded at all; null means always.</param>
    /// <param name="onlyIfChanged">Whether a placed object's part is saved only if it is not as the designer left it.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public KindBinding<TScene, TEntity> PartInto<TPart>(
        string name, Func<TEntity, TPart> get, Func<TEntity, bool>? when = null, bool onlyIfChanged = false)
        where TPart : class, IStateType<TPart>
    {
        CheckMember(name, get, get);
        _parts.Add(new StatePart<TScene, TEntity, TPart>(
            name, (_, entity) => get(entity), (_, entity, part) => StateContent.CopyInto(part, get(entity)), null,
            when is null ? null : (_, entity) => when(entity), onlyIfChanged));
        return this;
    }

    /// <summary>Where an object is in two dimensions: the part "placement".</summary>
    /// <inheritdoc cref="Part{TPart}(string, Func{TEntity, TPart}, Action{TEntity, TPart}, Action{TEntity}, Func{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Placement(
        Func<TEntity, Placement2D> take, Action<TEntity, Placement2D> put, Func<TEntity, bool>? when = null, bool onlyIfChanged = false) =>
        Part("placement", take, put, null, when, onlyIfChanged);

    /// <summary>Where an object is in three dimensions: the part "placement".</summary>
    /// <inheritdoc cref="Part{TPart}(string, Func{TEntity, TPart}, Action{TEntity, TPart}, Action{TEntity}, Func{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Placement3D(
        Func<TEntity, Placement3D> take, Action<TEntity, Placement3D> put, Func<TEntity, bool>? when = null, bool onlyIfChanged = false) =>
        Part("placement", take, put, null, when, onlyIfChanged);

    /// <summary>Whether an object is active: the part "active".</summary>
    /// <inheritdoc cref="Part{TPart}(string, Func{TEntity, TPart}, Action{TEntity, TPart}, Action{TEntity}, Func{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Active(Func<TEntity, bool> take, Action<TEntity, bool> put, bool onlyIfChanged = false)
    {
        CheckMember("active", take, put);
        _parts.Add(new ScalarPart<TScene, TEntity, bool, BoolCodec>(
            "active", (_, entity) => take(entity), (_, entity, isActive) => put(entity, isActive), onlyIfChanged));
        return this;
    }

    /// <summary>What an object is called, where the player or the game may rename it: the part "name".</summary>
    /// <inheritdoc cref="Part{TPart}(string, Func{TEntity, TPart}, Action{TEntity, TPart}, Action{TEntity}, Func{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Name(Func<TEntity, string?> take, Action<TEntity, string> put, bool onlyIfChanged = false)
    {
        CheckMember("name", take, put);
        _parts.Add(new ScalarPart<TScene, TEntity, string?, TextCodec>(
            "name", (_, entity) => take(entity), (_, entity, name) => put(entity, name ?? ""), onlyIfChanged));
        return this;
    }

    /// <summary>Another object that an object refers to. It is saved as an id, and put once all objects are there.</summary>
    /// <param name="name">The reference's name in the save, among the parts.</param>
    /// <param name="take">Gets the object, which has to be in this scene or known elsewhere; null for none.</param>
    /// <param name="put">Makes an object refer to another, or to none if that is null.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public KindBinding<TScene, TEntity> Reference<TTarget>(
        string name, Func<TEntity, TTarget?> take, Action<TEntity, TTarget?> put) where TTarget : class
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        return Reference<TTarget>(name, (_, entity) => take(entity), (_, entity, target) => put(entity, target));
    }

    /// <summary>Another object that an object refers to, whose getter and setter need the scene.</summary>
    /// <inheritdoc cref="Reference{TTarget}(string, Func{TEntity, TTarget}, Action{TEntity, TTarget})"/>
    public KindBinding<TScene, TEntity> Reference<TTarget>(
        string name, Func<TScene, TEntity, TTarget?> take, Action<TScene, TEntity, TTarget?> put) where TTarget : class
    {
        CheckMember(name, take, put);
        _links.Add(new ObjectReference<TScene, TEntity, TTarget>(name, take, put));
        return this;
    }

    /// <summary>Another entity that an object refers to by its id, in games that go by ids, or an entity of another scene.</summary>
    /// <param name="name">The reference's name in the save, among the parts.</param>
    /// <param name="take">Gets what is referred to; null for none.</param>
    /// <param name="put">
    /// Makes an object refer to another: by its reference, and by its object (the one that its kind's binding knows) if that is there.
    /// </param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public KindBinding<TScene, TEntity> ReferenceId(
        string name, Func<TEntity, EntityReference?> take, Action<TEntity, EntityReference?, object?> put)
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        return ReferenceId(name, (_, entity) => take(entity), (_, entity, reference, target) => put(entity, reference, target));
    }

    /// <summary>Another entity that an object refers to by its id, whose getter and setter need the scene.</summary>
    /// <inheritdoc cref="ReferenceId(string, Func{TEntity, EntityReference?}, Action{TEntity, EntityReference?, object})"/>
    public KindBinding<TScene, TEntity> ReferenceId(
        string name, Func<TScene, TEntity, EntityReference?> take, Action<TScene, TEntity, EntityReference?, object?> put)
    {
        CheckMember(name, take, put);
        _links.Add(new IdReference<TScene, TEntity>(name, take, put));
        return this;
    }

    /// <summary>The objects that an object refers to, in their order.</summary>
    /// <param name="name">The references' name in the save, among the parts.</param>
    /// <param name="take">Gets the objects, which have to be in this scene or known elsewhere.</param>
    /// <param name="put">Gives an object those that it refers to, without those that are not there.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
    public KindBinding<TScene, TEntity> ReferenceList<TTarget>(
        string name, Func<TEntity, IEnumerable<TTarget>> take, Action<TEntity, IReadOnlyList<TTarget>> put)
        where TTarget : class
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        return ReferenceList<TTarget>(name, (_, entity) => take(entity), (_, entity, targets) => put(entity, targets));
    }

    /// <summary>The objects that an object refers to, in their order, whose getter and setter need the scene.</summary>
    /// <inheritdoc cref="ReferenceList{TTarget}(string, Func{TEntity, IEnumerable{TTarget}}, Action{TEntity, IReadOnlyList{TTarget}})"/>
    public KindBinding<TScene, TEntity> ReferenceList<TTarget>(
        string name, Func<TScene, TEntity, IEnumerable<TTarget>> take, Action<TScene, TEntity, IReadOnlyList<TTarget>> put)
        where TTarget : class
    {
        CheckMember(name, take, put);
        _links.Add(new ObjectReferences<TScene, TEntity, TTarget>(name, take, put));
        return this;
    }

    /// <summary>What an object belongs to, in games whose objects know each other.</summary>
    /// <param name="take">
    /// Gets the object that this one belongs to, which has to be in the scene as well; null if it belongs to none.
    /// </param>
    /// <param name="put">Makes an object belong to another, or to none if that is null. It runs before the parts are put.</param>
    public KindBinding<TScene, TEntity> Parent<TParent>(Func<TEntity, TParent?> take, Action<TEntity, TParent?> put) where TParent : class
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        return Parent<TParent>((_, entity) => take(entity), (_, entity, parent) => put(entity, parent));
    }

    /// <summary>
    /// What an object belongs to, if its setter needs the scene: in an engine in which what belongs to nothing belongs to the level.
    /// </summary>
    /// <inheritdoc cref="Parent{TParent}(Func{TEntity, TParent}, Action{TEntity, TParent})"/>
    public KindBinding<TScene, TEntity> Parent<TParent>(
        Func<TScene, TEntity, TParent?> take, Action<TScene, TEntity, TParent?> put) where TParent : class
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        (TakeParent, TakeParentId) = (take, null);
        PutParentOf = (scene, entity, _, parent) => put(scene, entity, parent as TParent);
        return this;
    }

    /// <summary>What an object belongs to, in games that go by ids.</summary>
    /// <param name="take">Gets the id of the entity that an object belongs to; null if it belongs to none.</param>
    /// <param name="put">
    /// Makes an object belong to another: by its id, and by its object (the one that its kind's binding knows) if that is there. Both are
    /// null if it belongs to none.
    /// </param>
    public KindBinding<TScene, TEntity> ParentId(Func<TEntity, EntityId?> take, Action<TEntity, EntityId?, object?> put)
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        return ParentId((_, entity) => take(entity), (_, entity, id, parent) => put(entity, id, parent));
    }

    /// <summary>What an object belongs to, in games that go by ids, if the setter needs the scene.</summary>
    /// <inheritdoc cref="ParentId(Func{TEntity, EntityId?}, Action{TEntity, EntityId?, object})"/>
    public KindBinding<TScene, TEntity> ParentId(
        Func<TScene, TEntity, EntityId?> take, Action<TScene, TEntity, EntityId?, object?> put)
    {
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        (TakeParent, TakeParentId, PutParentOf) = (null, take, put);
        return this;
    }

    /// <summary>How to create an object of this kind under an id: one that was spawned, or a placed one that has to come back.</summary>
    public KindBinding<TScene, TEntity> Spawn(Func<TScene, EntityId, TEntity> spawn)
    {
        ArgumentNullException.ThrowIfNull(spawn);
        return Spawn((scene, id, _) => spawn(scene, id));
    }

    /// <summary>How to create an object of a kind under an id, if one description covers several kinds.</summary>
    public KindBinding<TScene, TEntity> Spawn(Func<TScene, EntityId, string, TEntity> spawn)
    {
        ArgumentNullException.ThrowIfNull(spawn);
        SpawnEntity = spawn;
        return this;
    }

    /// <summary>
    /// How to take an object out of the scene. It has to be gone from the kind's objects at once; if an engine destroys it at the end of
    /// the frame, <see cref="Alive"/> has to say that it is not there any more.
    /// </summary>
    public KindBinding<TScene, TEntity> Remove(Action<TScene, TEntity> remove)
    {
        ArgumentNullException.ThrowIfNull(remove);
        RemoveEntity = remove;
        return this;
    }

    /// <summary>What to do for an object once the whole scene is there, with all its parts and references.</summary>
    public KindBinding<TScene, TEntity> Settled(Action<TScene, TEntity> settled)
    {
        ArgumentNullException.ThrowIfNull(settled);
        EntitySettled = settled;
        return this;
    }

    /// <summary>
    /// Leaves placed objects out of the save that are as the designer left them: their parts are saved only if changed, and the object
    /// itself only if something of it is. What the save does not mention is restored as it was authored.
    /// </summary>
    public KindBinding<TScene, TEntity> OnlyIfChanged()
    {
        OmitsUnchanged = true;
        return this;
    }

    internal void Check()
    {
        if (TakeId is null)
            throw new SceneException(
                SaveErrorCode.BadBinding, $"The kind \"{_kind}\" does not say how to get an object's id.", remedy: "Call Id.");
        if (SpawnEntity is null != RemoveEntity is null)
        {
            throw new SceneException(
                SaveErrorCode.BadBinding,
                $"The kind \"{_kind}\" says how to {(SpawnEntity is null ? "remove" : "spawn")} an object but not how to "
                    + $"{(SpawnEntity is null ? "spawn" : "remove")} one.",
                remedy: "Restoring a scene needs both; leave both out for objects that are always there.");
        }
        OmitsUnchanged |= _parts.Count > 0 && _links.Count == 0 && _parts.TrueForAll(part => part.OnlyIfChanged);
    }

    private void CheckMember(string name, Delegate take, Delegate put)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        ArgumentNullException.ThrowIfNull(take);
        ArgumentNullException.ThrowIfNull(put);
        if (_parts.Exists(part => part.Name == name) || _links.Exists(link => link.Name == name))
            throw new SceneException(SaveErrorCode.BadBinding, $"The kind \"{_kind}\" has two parts named \"{name}\".");
    }
}
