namespace Lodrik;

/// <summary>
/// Marks a partial class, struct or record whose members are saved. The mapping code is generated: for public properties
/// that are not computed, public fields, and private members that carry <see cref="SavedAttribute"/>.
/// </summary>
[AttributeUsage(AttributeTargets.Class | AttributeTargets.Struct | AttributeTargets.Interface, Inherited = false)]
public sealed class StateTypeAttribute : Attribute
{
    /// <summary>
    /// Whether one object of this class may be in several places of a section, and lead back to itself: after loading it is one object
    /// again. Each of its objects has to have no constructor parameters. What is not shared is written wherever it stands.
    /// </summary>
    public bool Shared { get; set; }
}

/// <summary>
/// Marks the root of a game's saves. Each of its saved members becomes a section of the file, which can be read and checked
/// without the others. A root is a state type as well.
/// </summary>
/// <param name="game">The game's id, kept in every save; a save of another game is refused.</param>
[AttributeUsage(AttributeTargets.Class, Inherited = false)]
public sealed class SaveFileAttribute(string game) : Attribute
{
    /// <summary>The game's id: letters, digits, dot, dash and underscore.</summary>
    public string Game { get; } = game;

    /// <summary>The save version: raised when a change of the state types needs a migration step. From 1.</summary>
    public int Version { get; set; } = 1;
}

/// <summary>Saves a member that would not be saved by itself (a private one), or fixes the key it is saved under.</summary>
/// <param name="key">The key in the save; null takes the member's name in camel case.</param>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class SavedAttribute(string? key = null) : Attribute
{
    /// <summary>The key in the save, or null for the member's name in camel case.</summary>
    public string? Key { get; } = key;

    /// <summary>
    /// The order in which members are written and set: lower numbers first. Members with the same number follow the order of declaration,
    /// base types first. Setters with a body run in this order, whatever the order in the file.
    /// </summary>
    public int Order { get; set; }
}

/// <summary>Leaves a member out of the save; at a class that is derived from one of entities, its objects are not entities.</summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field | AttributeTargets.Class, Inherited = false)]
public sealed class NotSavedAttribute : Attribute;

/// <summary>
/// Names a derived type that may be used where this base type is declared. The name goes into the save, so the class can be renamed
/// and moved. A base type whose own objects are saved as well names itself.
/// </summary>
/// <param name="name">The variant's name in the save.</param>
/// <param name="type">The derived type: a state type too.</param>
[AttributeUsage(AttributeTargets.Class | AttributeTargets.Interface, AllowMultiple = true, Inherited = false)]
public sealed class SaveVariantAttribute(string name, Type type) : Attribute
{
    /// <summary>The variant's name in the save.</summary>
    public string Name { get; } = name;

    /// <summary>The derived type.</summary>
    public Type Type { get; } = type;
}
