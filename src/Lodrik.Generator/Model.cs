using System.Collections;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.Text;

namespace Lodrik.Generator;

// What the generator knows of a state type, as plain values: two equal models give the same code, so an edit that changes
// nothing here costs nothing after it.

/// <summary>A state type, or what is wrong with it.</summary>
internal sealed record StateModel(
    string HintName,
    string Namespace,
    EquatableList<string> Containers,
    string Declaration,
    string Name,
    string TypeName,
    bool IsReferenceType,
    bool ChecksType,
    EquatableList<string> SavedParameters,
    bool HidesCodec,
    CreationModel Creation,
    RootModel? Root,
    EquatableList<MemberModel> Members,
    EquatableList<VariantModel> Variants,
    string? UnknownMember,
    string? UnknownVariant,
    bool IsShared,
    Hooks Hooks,
    string? Shape,
    EquatableList<string> ShadowedNames,
    EquatableList<string> RefusedMembers,
    bool CanBeExtended,
    bool IsOnlyBase,
    EquatableList<DiagnosticModel> Problems)
{
    /// <summary>
    /// Whether it is made by the generator, with its members as fields, and knows which of them it has: what was read, or all that were
    /// taken from an object.
    /// </summary>
    public bool HasPresence { get; init; }

    /// <summary>The names of its variants for which there are constants, those with a mistake included.</summary>
    public EquatableList<string> VariantNames { get; init; } = new([]);
}

/// <summary>How a new object is made.</summary>
/// <param name="TypeName">Its type.</param>
/// <param name="Parameters">What its constructor takes.</param>
/// <param name="Initializer">What follows the constructor, for members that are required.</param>
/// <param name="TakesValues">Whether the constructor has to be given the values that were saved.</param>
internal sealed record CreationModel(string TypeName, EquatableList<ParameterModel> Parameters, string Initializer, bool TakesValues)
{
    /// <summary>There are no objects of the type itself.</summary>
    public static CreationModel None(string typeName) => new(typeName, new EquatableList<ParameterModel>([]), "", false) { IsNone = true };

    public bool IsNone { get; init; }

    /// <summary>The expression for an object with its members at their initial values.</summary>
    public string Initial => IsNone ? $"default({TypeName})" : With(parameter => parameter.Default);

    /// <summary>The expression for an object whose constructor is given these values.</summary>
    public string With(Func<ParameterModel, string> value) =>
        $"new {TypeName}({string.Join(", ", Parameters.Select(one => $"{ModelReader.Escaped(one.Name)}: {value(one)}"))}){Initializer}";
}

/// <summary>A parameter of a constructor.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Default">The value that it has where nothing was saved.</param>
/// <param name="Member">The number of the saved member that has its value; -1 for none.</param>
internal sealed record ParameterModel(string Name, string Default, int Member);

/// <summary>What makes a state type the root of a game's saves.</summary>
internal sealed record RootModel(string Game, int Version);

/// <summary>
/// The digest of the shape of a root's saves. It changes with every type that they have, and is a piece of source of its own so that the
/// root's code does not.
/// </summary>
internal sealed record DigestModel(string HintName, string Namespace, EquatableList<string> Declarations, string Digest);

/// <summary>A type that may be used where a base type is declared.</summary>
internal sealed record VariantModel(string Name, string TypeName, string Codec, bool IsSelf, bool IsStruct);

/// <summary>What a state type does of its own around saving and loading.</summary>
[Flags]
internal enum Hooks
{
    None = 0,
    BeforeSaving = 1,
    AfterLoading = 2,
    Validated = 4,
}

/// <summary>How a member is reached and saved.</summary>
/// <param name="Name">The member's name in C#.</param>
/// <param name="Key">Its key in the save.</param>
/// <param name="TypeName">Its type, fully qualified.</param>
/// <param name="Codec">The codec of its values, fully qualified; empty for a group of sections.</param>
/// <param name="Setting">How a value that was read gets into the object.</param>
/// <param name="Owner">The type that declares it, where that has to be named.</param>
/// <param name="IsRequired">Whether a save has to have it.</param>
/// <param name="IsNeverNull">Whether its type says that it is never null.</param>
/// <param name="HasOwnSetter">Whether its setter does something of its own, so that it matters when it runs.</param>
/// <param name="Order">When it is written and set.</param>
/// <param name="Access">What the accessor that sets it is called through.</param>
/// <param name="HasPrivateSetter">Whether derived types need an accessor, though this one does not.</param>
/// <param name="FormerKeys">The keys that it had before.</param>
/// <param name="IsHidden">Whether a derived type in another assembly does not see it.</param>
internal sealed record MemberModel(
    string Name, string Key, string TypeName, string Codec, Setting Setting, string Owner, bool IsRequired, bool IsNeverNull = false,
    bool HasOwnSetter = false, int Order = 0, string Access = MemberModel.OwnAccess, bool HasPrivateSetter = false,
    EquatableList<string>? FormerKeys = null, bool IsHidden = false)
{
    /// <summary>The class with a type's accessors.</summary>
    public const string AccessName = "StateAccess";

    /// <summary>What the accessors of the type itself are called through.</summary>
    public const string OwnAccess = AccessName + ".";
}

internal enum Setting
{
    /// <summary>A plain assignment.</summary>
    Assign,

    /// <summary>The setter is init-only or private to a base type, and is called through an accessor.</summary>
    Setter,

    /// <summary>There is no setter; the compiler's field behind the property is set through an accessor.</summary>
    BackingField,

    /// <summary>A field: read into directly.</summary>
    Field,

    /// <summary>A field that only a constructor may set: read into through an accessor.</summary>
    ReadOnlyField,
}

internal sealed record DiagnosticModel(string Id, LocationModel? Location, EquatableList<string> Arguments)
{
    public Diagnostic ToDiagnostic() =>
        Diagnostic.Create(Diagnostics.ById(Id), Location?.ToLocation(), Arguments.ToArray<object>());
}

internal sealed record LocationModel(string Path, TextSpan Span, LinePositionSpan Lines)
{
    public Location ToLocation() => Location.Create(Path, Span, Lines);

    public static LocationModel? Of(SyntaxReference? syntax)
    {
        if (syntax is null)
            return null;
        var location = Location.Create(syntax.SyntaxTree, syntax.Span);
        return new LocationModel(syntax.SyntaxTree.FilePath, syntax.Span, location.GetLineSpan().Span);
    }

    public static LocationModel? Of(ISymbol symbol)
    {
        var location = symbol.Locations.FirstOrDefault(location => location.IsInSource);
        return location is null ? null : new LocationModel(location.SourceTree!.FilePath, location.SourceSpan, location.GetLineSpan().Span);
    }
}

/// <summary>A list that is equal to another with equal items, as the generator's caching needs it.</summary>
internal sealed class EquatableList<T>(IReadOnlyList<T> items) : IReadOnlyList<T>, IEquatable<EquatableList<T>>
{
    public int Count => items.Count;

    public T this[int index] => items[index];

    public bool Equals(EquatableList<T>? other) => other is not null && this.SequenceEqual(other);

    public override bool Equals(object? obj) => Equals(obj as EquatableList<T>);

    public override int GetHashCode() => items.Aggregate(17, (hash, item) => unchecked(hash * 31 + (item?.GetHashCode() ?? 0)));

    public IEnumerator<T> GetEnumerator() => items.GetEnumerator();

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();
}
