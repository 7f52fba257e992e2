
namespace Lodrik.State;

/// <summary>
/// Marks a member of the type <see cref="SaveMap"/> that takes the members of the save that the type does not know, and writes them
/// back: an older version of the game then loses nothing of what a newer one saved.
/// </summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class KeepUnknownAttribute : Attribute;

/// <summary>
/// Names the class that stands for variants which the game does not know, such as those of a newer release: it keeps what was saved, and
/// writes it back. Without it an unknown variant is an error.
/// </summary>
/// <param name="type">A class derived from this base type that implements <see cref="IUnknownVariant"/>.</param>
[AttributeUsage(AttributeTargets.Class | AttributeTargets.Interface, Inherited = false)]
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
    SaveValue VariantContent { get; set; }
}

/// <summary>
/// A name that a value of an enum, or a member of a state type, had in earlier releases: saves that have it still load. What is saved has
/// the name of today.
/// </summary>
/// <param name="names">The earlier names. Those of a member may be given as in C# or as they are in the save.</param>
[AttributeUsage(AttributeTargets.Field | AttributeTargets.Property)]
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

/// <summary>
/// Names structs that the game does not own and whose public fields are saved, such as an engine's vectors and colors. Each is saved as a
/// map of its fields, under their names in camel case. A type whose state is not public takes a <see cref="SaveAdapterAttribute"/>.
/// </summary>
/// <param name="structs">The structs. One that is a field of another has to be named as well.</param>
[AttributeUsage(AttributeTargets.Assembly, AllowMultiple = true)]
public sealed class SaveFieldsAttribute(params Type[] structs) : Attribute
{
    /// <summary>The structs.</summary>
    public IReadOnlyList<Type> Structs { get; } = structs;

    /// <summary>
    /// Any type of an assembly, such as an engine's: all of that assembly's public structs are meant that consist of public numbers and
    /// truth values, or of such structs. Null for those only that are named.
    /// </summary>
    public Type? OfAssemblyOf { get; set; }
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
