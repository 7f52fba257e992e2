namespace Lodrik;

/// <summary>
/// Marks a partial class, struct or record whose members are saved. The mapping code is generated: public properties with a
/// setter, public fields, and private members that carry <see cref="SavedAttribute"/>.
/// </summary>
[AttributeUsage(AttributeTargets.Class | AttributeTargets.Struct, Inherited = false)]
public sealed class StateTypeAttribute : Attribute
{
    /// <summary>
    /// Whether one object of this class may stand in several places of a section, and lead back to itself: after loading it is one object
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
}

/// <summary>Leaves a member out of the save.</summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class NotSavedAttribute : Attribute;

/// <summary>
/// Marks a member of the type <see cref="State.SaveMap"/> that takes the members of the save that the type does not know, and writes them
/// back: an older version of the game then loses nothing of what a newer one saved.
/// </summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class KeepUnknownAttribute : Attribute;

/// <summary>
/// Names a derived type that may stand where this base type is declared. The name goes into the save, so the class can be renamed
/// and moved. A base type whose own objects are saved as well names itself.
/// </summary>
/// <param name="name">The variant's name in the save.</param>
/// <param name="type">The derived type: a state type too.</param>
[AttributeUsage(AttributeTargets.Class, AllowMultiple = true, Inherited = false)]
public sealed class SaveVariantAttribute(string name, Type type) : Attribute
{
    /// <summary>The variant's name in the save.</summary>
    public string Name { get; } = name;

    /// <summary>The derived type.</summary>
    public Type Type { get; } = type;
}

/// <summary>
/// Names the class that stands for variants which the game does not know, such as those of a newer release: it keeps what was saved, and
/// writes it back. Without it an unknown variant is an error.
/// </summary>
/// <param name="type">A class derived from this base type that implements <see cref="IUnknownVariant"/>.</param>
[AttributeUsage(AttributeTargets.Class, Inherited = false)]
public sealed class UnknownVariantAttribute(Type type) : Attribute
{
    /// <summary>The class.</summary>
    public Type Type { get; } = type;
}

/// <summary>Stands for an object of a variant that the game does not know.</summary>
public interface IUnknownVariant
{
    /// <summary>The variant's name in the save.</summary>
    string VariantName { get; set; }

    /// <summary>What was saved of the object.</summary>
    State.SaveValue VariantContent { get; set; }
}

/// <summary>A name that an enum value had in earlier releases: saves that have it still load. Saved is the value's name of today.</summary>
/// <param name="names">The earlier names.</param>
[AttributeUsage(AttributeTargets.Field)]
public sealed class FormerNameAttribute(params string[] names) : Attribute
{
    /// <summary>The earlier names.</summary>
    public IReadOnlyList<string> Names { get; } = names;
}

/// <summary>
/// Says for a whole assembly how a type that the game does not own is saved, such as an engine's vector. Declared once per type.
/// </summary>
/// <param name="adapter">A struct that implements <see cref="ISaveAdapter{TForeign, TSaved}"/>.</param>
[AttributeUsage(AttributeTargets.Assembly, AllowMultiple = true)]
public sealed class SaveAdapterAttribute(Type adapter) : Attribute
{
    /// <summary>The adapter.</summary>
    public Type Adapter { get; } = adapter;
}

/// <summary>How a type that the game does not own is saved: as another that can be. Implemented by a struct without fields.</summary>
/// <typeparam name="TForeign">The type that the game does not own.</typeparam>
/// <typeparam name="TSaved">Any type that can be saved.</typeparam>
public interface ISaveAdapter<TForeign, TSaved>
{
    /// <summary>What is saved of a value.</summary>
    static abstract TSaved ToSaved(TForeign value);

    /// <summary>The value that was saved so.</summary>
    static abstract TForeign FromSaved(TSaved saved);
}
