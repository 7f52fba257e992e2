namespace Lodrik.Scenes;

/// <summary>
/// Marks a partial class as a scene that is saved without bindings. Its entities are found in its members, by the types of these: a
/// collection of entities, or a single one. What else it has is its own state, by the rules of state types.
/// </summary>
/// <remarks>
/// A member of the type <see cref="SpawnNumbers"/> gives spawned entities their numbers. A method
/// <c>static partial void Describe(SceneBindings&lt;TScene&gt; bindings)</c> adds what attributes cannot say.
/// </remarks>
/// <param name="names">
/// The names of the scenes of this class, where the game's code knows them. They are constants in a nested class <c>Scenes</c>, are all
/// that
/// a session takes, and are in the ledger. Without names, any name may be one.
/// </param>
[AttributeUsage(AttributeTargets.Class, Inherited = false)]
public sealed class SceneTypeAttribute(params string[] names) : Attribute
{
    /// <summary>The names of the scenes; empty if any name may be one.</summary>
    public IReadOnlyList<string> Names { get; } = names;
}

/// <summary>
/// Marks a partial class whose objects are entities of scenes. What an object has is saved straight from it: state by the rules of state
/// types, members of entity types as references. A base class without a kind of its own takes no name.
/// </summary>
/// <param name="kind">The kind's name in the save; null for a base class, whose derived classes are kinds.</param>
[AttributeUsage(AttributeTargets.Class, Inherited = false)]
public sealed class EntityTypeAttribute(string? kind = null) : Attribute
{
    /// <summary>The kind's name in the save; null for a base class.</summary>
    public string? Kind { get; } = kind;

    /// <summary>The names that the kind had in earlier releases.</summary>
    public string[] FormerKinds { get; set; } = [];

    /// <summary>Whether placed entities that are as the designer left them are left out of the save.</summary>
    public bool OnlyIfChanged { get; set; }

    /// <summary>
    /// The text member that says of which kind an object is, for a class whose objects are of as many kinds as a catalogue has names.
    /// </summary>
    public string? KindFrom { get; set; }

    /// <summary>The names of these kinds: a static member that gives texts, of this class or with the name of another before it.</summary>
    public string? KindsFrom { get; set; }
}

/// <summary>
/// Marks the member that distinguishes an entity: a <see cref="string"/> of what the designer placed, a <see cref="long"/> of what is
/// spawned, an <see cref="EntityId"/> where both may be. A member that is called <c>Id</c> is it without the attribute, where no other
/// member has it.
/// </summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class EntityIdAttribute : Attribute;

/// <summary>Marks the member that refers to what an entity belongs to. It is put before the entity's parts.</summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class ParentAttribute : Attribute;

/// <summary>
/// Marks a list of entities that belong to this one: they are entities of the scene, found here, spawned into it and removed from it.
/// </summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class ChildrenAttribute : Attribute;

/// <summary>
/// Puts a member into a part of that name. Members that say nothing are in the part <c>state</c>. At a class, it is the part of all members
/// that the class itself declares.
/// </summary>
/// <param name="name">The part's name in the save.</param>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field | AttributeTargets.Class, Inherited = false)]
public sealed class PartAttribute(string name) : Attribute
{
    /// <summary>The part's name in the save.</summary>
    public string Name { get; } = name;
}

/// <summary>Says of a part as a whole when it is saved.</summary>
/// <param name="name">The part's name in the save; <c>state</c> for that of the members that say nothing.</param>
[AttributeUsage(AttributeTargets.Class, AllowMultiple = true, Inherited = false)]
public sealed class PartRuleAttribute(string name) : Attribute
{
    /// <summary>The part's name in the save.</summary>
    public string Name { get; } = name;

    /// <summary>
    /// The member or method without parameters that says whether the part of an entity is saved and loaded at all; null means always.
    /// </summary>
    public string? When { get; set; }

    /// <summary>Whether a placed entity's part is saved only if it is not as the designer left it.</summary>
    public bool OnlyIfChanged { get; set; }
}

/// <summary>
/// Marks a list of component objects, of which an entity has one of each class at most. Each is a part of the entity under its own name,
/// and
/// stays the object that it is.
/// </summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class ComponentsAttribute : Attribute;

/// <summary>Marks a partial class whose objects are components of entities.</summary>
/// <param name="name">The name of the part that it is in the save.</param>
[AttributeUsage(AttributeTargets.Class, Inherited = false)]
public sealed class ComponentTypeAttribute(string name) : Attribute
{
    /// <summary>The name of the part that it is in the save.</summary>
    public string Name { get; } = name;
}

/// <summary>
/// Marks what a scene's entities are found in, where that is a method or a computed property, or where several members have entities of one
/// class: those are added to this member and removed from it.
/// </summary>
[AttributeUsage(AttributeTargets.Method | AttributeTargets.Property | AttributeTargets.Field)]
public sealed class EntitiesAttribute : Attribute;

/// <summary>
/// Marks the method that creates entities, instead of the constructor: a static one of their class, or one of the scene, which adds them
/// to it as well. It may take the id, the kind, the scene, the parent and, if it is of the class, saved members under their names. A
/// method of the scene that takes an entity and gives nothing adds what the constructor made.
/// </summary>
[AttributeUsage(AttributeTargets.Method)]
public sealed class SpawnsAttribute : Attribute;

/// <summary>
/// Marks the method that removes an entity: one of the scene that takes it, or one of its class without parameters. At a class, it names
/// such a method of a base class.
/// </summary>
/// <param name="method">The method of a base class, where it is at a class.</param>
[AttributeUsage(AttributeTargets.Method | AttributeTargets.Class, Inherited = false)]
public sealed class RemovesAttribute(string? method = null) : Attribute
{
    /// <summary>The method of a base class, where it is at a class.</summary>
    public string? Method { get; } = method;
}

/// <summary>Marks a class whose entities are always there: they are neither spawned nor removed.</summary>
[AttributeUsage(AttributeTargets.Class, Inherited = false)]
public sealed class PlacedAttribute : Attribute;

/// <summary>
/// Marks the method of an entity that is called once the whole scene is there, with all parts and references. It may take the scene.
/// </summary>
[AttributeUsage(AttributeTargets.Method)]
public sealed class SettledAttribute : Attribute;

/// <summary>Names members of a base class that is not the game's own, and says what they are.</summary>
/// <param name="members">The members.</param>
[AttributeUsage(AttributeTargets.Class, AllowMultiple = true, Inherited = false)]
public sealed class InheritedAttribute(params string[] members) : Attribute
{
    /// <summary>The members.</summary>
    public IReadOnlyList<string> Members { get; } = members;

    /// <summary>What they are: state, unless this says otherwise.</summary>
    public InheritedAs As { get; set; }

    /// <summary>The method or the member that puts a value, where that is not the member itself.</summary>
    public string? PutBy { get; set; }

    /// <summary>The part that they are in; null for <c>state</c>.</summary>
    public string? Part { get; set; }
}

/// <summary>What a member of a base class is that is not the game's own.</summary>
public enum InheritedAs
{
    /// <summary>State that is saved.</summary>
    State,

    /// <summary>What the entity belongs to; what belongs to no entity belongs to the scene, if that can be given.</summary>
    Parent,

    /// <summary>Whether the object has been destroyed or is about to be. It no longer counts as an entity.</summary>
    Gone,
}
