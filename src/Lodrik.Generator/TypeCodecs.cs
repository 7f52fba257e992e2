using Lodrik.State;
using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>Finds the codec of a type: the one place that knows what can be saved.</summary>
/// <param name="adapters">The adapters that the assembly declares.</param>
/// <param name="fields">The structs whose fields it saves.</param>
internal sealed class TypeCodecs(IReadOnlyList<AdapterDeclaration> adapters, IReadOnlyList<SavedFieldsDeclaration> fields)
{
    public static TypeCodecs Of(IAssemblySymbol assembly) => new(Adapters.Of(assembly), SavedFields.Of(assembly));

    public const string StateNamespace = "global::Lodrik.State.";

    /// <summary>The struct that the generator adds to each state type.</summary>
    public const string CodecName = "StateCodec";

    private static readonly HashSet<string> AddableCollections =
    [
        "System.Collections.Generic.HashSet<T>",
        "System.Collections.Generic.SortedSet<T>",
        "System.Collections.Generic.LinkedList<T>",
        "System.Collections.ObjectModel.ObservableCollection<T>",
        "System.Collections.ObjectModel.Collection<T>",
    ];

    private static readonly HashSet<string> Dictionaries =
    [
        "System.Collections.Generic.Dictionary<TKey, TValue>",
        "System.Collections.Generic.SortedDictionary<TKey, TValue>",
        "System.Collections.Generic.SortedList<TKey, TValue>",
        "System.Collections.Generic.OrderedDictionary<TKey, TValue>",
        "System.Collections.Concurrent.ConcurrentDictionary<TKey, TValue>",
    ];

    /// <summary>
    /// What is made of a list, and by which builder; with the type itself as the builder's first argument for an interface.
    /// </summary>
    private static readonly Dictionary<string, (string Build, bool IsInterface)> Built = new()
    {
        ["System.Collections.Generic.IEnumerable<T>"] = ("InterfaceListBuild", true),
        ["System.Collections.Generic.IReadOnlyCollection<T>"] = ("InterfaceListBuild", true),
        ["System.Collections.Generic.IReadOnlyList<T>"] = ("InterfaceListBuild", true),
        ["System.Collections.Generic.ICollection<T>"] = ("InterfaceListBuild", true),
        ["System.Collections.Generic.IList<T>"] = ("InterfaceListBuild", true),
        ["System.Collections.Generic.ISet<T>"] = ("InterfaceSetBuild", true),
        ["System.Collections.Generic.IReadOnlySet<T>"] = ("InterfaceSetBuild", true),
        ["System.Collections.Immutable.ImmutableArray<T>"] = ("ImmutableArrayBuild", false),
        ["System.Collections.Immutable.ImmutableList<T>"] = ("ImmutableListBuild", false),
        ["System.Collections.Immutable.ImmutableHashSet<T>"] = ("ImmutableHashSetBuild", false),
        ["System.Collections.Immutable.ImmutableSortedSet<T>"] = ("ImmutableSortedSetBuild", false),
        ["System.Collections.Immutable.ImmutableQueue<T>"] = ("ImmutableQueueBuild", false),
        ["System.Collections.Immutable.ImmutableStack<T>"] = ("ImmutableStackBuild", false),
        ["System.Collections.Frozen.FrozenSet<T>"] = ("FrozenSetBuild", false),
    };

    /// <summary>The same for maps.</summary>
    private static readonly Dictionary<string, (string Build, bool IsInterface)> BuiltMaps = new()
    {
        ["System.Collections.Generic.IDictionary<TKey, TValue>"] = ("InterfaceMapBuild", true),
        ["System.Collections.Generic.IReadOnlyDictionary<TKey, TValue>"] = ("InterfaceMapBuild", true),
        ["System.Collections.Immutable.ImmutableDictionary<TKey, TValue>"] = ("ImmutableDictionaryBuild", false),
        ["System.Collections.Immutable.ImmutableSortedDictionary<TKey, TValue>"] = ("ImmutableSortedDictionaryBuild", false),
        ["System.Collections.Frozen.FrozenDictionary<TKey, TValue>"] = ("FrozenDictionaryBuild", false),
    };

    /// <summary>Finds the codec, fully qualified; null, with the reason and the way out, where there is none.</summary>
    public string? Find(ITypeSymbol type, out string reason, out string remedy)
    {
        reason = "";
        remedy = "";
        // What the game says of a type goes before what is known of it here.
        if (adapters.FirstOrDefault(adapter => adapter.Adapts(type)) is { } adapter)
        {
            var saved = Find(adapter.Saved!, out reason, out remedy);
            return saved is null
                ? null
                : $"{StateNamespace}AdapterCodec<{Name(type)}, {Name(adapter.Saved!)}, {saved}, {Name(adapter.Adapter)}>";
        }
        if (Scalar(type) is { } scalar)
            return StateNamespace + scalar;
        if (SavesFields(type))
            return SavedFields.CodecOf(type);
        switch (type)
        {
            case ITypeParameterSymbol { TypeParameterKind: TypeParameterKind.Type } parameter:
                return GenericTypes.CodecOf(parameter);
            case IArrayTypeSymbol { Rank: 1, ElementType: ITypeParameterSymbol } array:
                return Of("OpenArrayCodec", array.ElementType, out reason, out remedy);
            case IArrayTypeSymbol { Rank: 1 } array:
                return IsNumber(array.ElementType)
                    ? $"{StateNamespace}NumberArrayCodec<{Name(array.ElementType)}>"
                    : Of("ArrayCodec", array.ElementType, out reason, out remedy);
            case IArrayTypeSymbol { Rank: 2 or 3 } array:
                var items = array.ElementType.SpecialType == SpecialType.System_Byte ? StateNamespace + "BytesCodec"
                    : IsNumber(array.ElementType) ? $"{StateNamespace}NumberArrayCodec<{Name(array.ElementType)}>"
                    : array.ElementType is ITypeParameterSymbol ? Of("OpenArrayCodec", array.ElementType, out reason, out remedy)
                    : Of("ArrayCodec", array.ElementType, out reason, out remedy);
                return items is null ? null : $"{StateNamespace}Array{array.Rank}Codec<{Name(array.ElementType)}, {items}>";
            case INamedTypeSymbol { IsTupleType: true, TupleElements.Length: <= 7 } tuple:
                return All("TupleCodec", tuple.TupleElements.Select(element => element.Type).ToList(), out reason, out remedy);
            case INamedTypeSymbol named when IsStateType(named):
                return StateCodec(named, out reason, out remedy);
            case INamedTypeSymbol { OriginalDefinition.SpecialType: SpecialType.System_Nullable_T } nullable:
                return Of("NullableCodec", nullable.TypeArguments[0], out reason, out remedy);
            case INamedTypeSymbol { IsGenericType: true } generic:
                return Collection(generic, out reason, out remedy);
            default:
                Explain(type, out reason, out remedy);
                return null;
        }
    }

    /// <summary>The adapter of a type that the game does not own; null if the type is saved as itself.</summary>
    public AdapterDeclaration? AdapterOf(ITypeSymbol type) => adapters.FirstOrDefault(adapter => adapter.Adapts(type));

    /// <summary>Whether the type is a struct that the game does not own, and whose fields are saved.</summary>
    public bool SavesFields(ITypeSymbol type) => fields.Any(one => SymbolEqualityComparer.Default.Equals(one.Type, type));

    public static bool IsScalar(ITypeSymbol type) => Scalar(type) is not null;

    /// <summary>A type's full name; without nullable annotations of references, which generated code does not speak of.</summary>
    public static string Name(ITypeSymbol type) => type.ToDisplayString(SymbolDisplayFormat.FullyQualifiedFormat);

    public static bool IsStateType(ITypeSymbol type) => type.OriginalDefinition.GetAttributes().Any(attribute =>
        attribute.AttributeClass?.ToDisplayString() == "Lodrik.StateTypeAttribute");

    public static bool IsShared(ITypeSymbol type) => type.OriginalDefinition.GetAttributes().Any(attribute =>
        attribute.AttributeClass?.ToDisplayString() == "Lodrik.StateTypeAttribute"
        && attribute.NamedArguments.Any(argument => argument is { Key: "Shared", Value.Value: true }));

    /// <summary>The codec of a value that is one in a save.</summary>
    private static string? Scalar(ITypeSymbol type) =>
        type.TypeKind == TypeKind.Enum ? $"EnumCodec<{Name(type)}>" : ScalarTypes.Named(Plain(type))?.Codec;

    /// <summary>The codec of a state type, given those of the type arguments that it has values of.</summary>
    private string? StateCodec(INamedTypeSymbol type, out string reason, out string remedy)
    {
        reason = remedy = "";
        if (!ModelReader.CanBeExtended(type))
            return null;
        if (ModelReader.IsOnlyBase(type))
        {
            reason = $"'{Plain(type)}' is {(type.TypeKind == TypeKind.Interface ? "an interface" : "abstract")}, and names nothing that "
                + "can be saved in its place";
            remedy = $"Name the types on it with [SaveVariant(\"…\", typeof(…))], or declare the member with the concrete type.";
            return null;
        }
        if (!type.IsGenericType)
            return $"{Name(type)}.{CodecName}";
        if (GenericTypes.IsEndless(type, this))
        {
            // If the argument is known, the member that makes it grow has been reported.
            if (GenericTypes.IsOpen(type))
            {
                reason = $"'{Plain(type)}' contains itself with an ever larger type argument, so its types never end";
                remedy = "Give it the type parameter itself as its argument, or leave the member out with [NotSaved].";
            }
            return null;
        }
        var inner = new List<string>();
        foreach (var (_, argument) in GenericTypes.Saved(type, this))
        {
            if (Find(argument, out reason, out remedy) is not { } codec)
                return null;
            inner.Add(codec);
        }
        return $"{Name(type)}.{CodecName}{(inner.Count == 0 ? "" : $"<{string.Join(", ", inner)}>")}";
    }

    private string? Collection(INamedTypeSymbol generic, out string reason, out string remedy)
    {
        var definition = generic.OriginalDefinition.ToDisplayString();
        var first = generic.TypeArguments[0];
        if (definition == "System.Collections.Generic.List<T>")
        {
            reason = remedy = "";
            return IsNumber(first)
                ? $"{StateNamespace}NumberListCodec<{Name(first)}>"
                : Of("ListCodec", first, out reason, out remedy);
        }
        if (definition == "System.Collections.Generic.Queue<T>")
            return Of("QueueCodec", first, out reason, out remedy);
        if (definition == "System.Collections.Generic.Stack<T>")
            return Of("StackCodec", first, out reason, out remedy);
        if (definition == "Lodrik.State.SaveLog<T>")
            return Of("SaveLogCodec", first, out reason, out remedy);
        if (AddableCollections.Contains(definition))
        {
            var item = Find(first, out reason, out remedy);
            return item is null ? null : $"{StateNamespace}CollectionCodec<{Name(generic)}, {Name(first)}, {item}>";
        }
        if (Built.TryGetValue(definition, out var built))
        {
            var item = Find(first, out reason, out remedy);
            var build = $"{StateNamespace}{built.Build}<{(built.IsInterface ? Name(generic) + ", " : "")}{Name(first)}>";
            return item is null ? null : $"{StateNamespace}BuiltCodec<{Name(generic)}, {Name(first)}, {item}, {build}>";
        }
        if (definition == "System.Collections.Generic.KeyValuePair<TKey, TValue>")
            return All("PairCodec", generic.TypeArguments, out reason, out remedy);
        var isBuiltMap = BuiltMaps.TryGetValue(definition, out var builtMap);
        if (isBuiltMap || Dictionaries.Contains(definition))
        {
            var second = generic.TypeArguments[1];
            var value = Find(second, out reason, out remedy);
            if (value is null)
                return null;
            if (Key(first) is not { } key)
            {
                reason = $"'{Plain(first)}' has no text form that could be a key";
                remedy = "Use a string, a number, an enum, a Guid or a date as the key, give the assembly a [SaveAdapter] that saves the "
                    + "type as one of these, or save a list of pairs.";
                return null;
            }
            var arguments = $"{Name(generic)}, {Name(first)}, {Name(second)}, {StateNamespace}{key}, {value}";
            return isBuiltMap
                ? $"{StateNamespace}BuiltMapCodec<{arguments}, "
                    + $"{StateNamespace}{builtMap.Build}<{(builtMap.IsInterface ? Name(generic) + ", " : "")}{Name(first)}, "
                + $"{Name(second)}>>"
                : $"{StateNamespace}DictionaryCodec<{arguments}>";
        }
        Explain(generic, out reason, out remedy);
        return null;
    }

    /// <summary>A codec of several types: the types, then the codec of each.</summary>
    private string? All(string codec, IReadOnlyList<ITypeSymbol> types, out string reason, out string remedy)
    {
        reason = remedy = "";
        var codecs = new List<string>();
        foreach (var type in types)
        {
            if (Find(type, out reason, out remedy) is not { } found)
                return null;
            codecs.Add(found);
        }
        return $"{StateNamespace}{codec}<{string.Join(", ", types.Select(Name).Concat(codecs))}>";
    }

    private string? Key(ITypeSymbol type)
    {
        if (AdapterOf(type) is { } adapter)
            return Key(adapter.Saved!) is { } saved
                ? $"AdapterKey<{Name(type)}, {Name(adapter.Saved!)}, {StateNamespace}{saved}, {Name(adapter.Adapter)}>"
                : null;
        return type.TypeKind == TypeKind.Enum ? $"EnumKey<{Name(type)}>" : ScalarTypes.Named(Plain(type))?.Key;
    }

    /// <summary>A number of fixed size, whose arrays are saved as one block. Bytes are not: an array of them is bytes.</summary>
    private static bool IsNumber(ITypeSymbol type) => ScalarTypes.Named(Plain(type)) is { IsNumber: true };

    private string? Of(string codec, ITypeSymbol item, out string reason, out string remedy)
    {
        var inner = Find(item, out reason, out remedy);
        return inner is null ? null : $"{StateNamespace}{codec}<{Name(item)}, {inner}>";
    }

    private static void Explain(ITypeSymbol type, out string reason, out string remedy)
    {
        reason = $"Lodrik does not know how to save the type '{Plain(type)}'";
        remedy = type switch
        {
            { TypeKind: TypeKind.Delegate } => "Code cannot be saved; save what is needed to choose it again.",
            { TypeKind: TypeKind.Interface, Locations: var places } when places.Any(place => place.IsInSource) =>
                $"Mark '{Plain(type)}' with [StateType] and name the types that implement it with [SaveVariant], declare the member with "
                    + "the concrete type, or leave it out with [NotSaved].",
            { TypeKind: TypeKind.Interface or TypeKind.TypeParameter } =>
                "Declare the member with the concrete type, or leave it out with [NotSaved].",
            _ when type.GetAttributes().Any(attribute => attribute.AttributeClass?.Name == "SaveFileAttribute") =>
                "A save root can be only at the top. Put what is shared into a [StateType].",
            { SpecialType: SpecialType.System_Object } => "Declare the member with its real type, or as SaveValue for free-form data.",
            { Locations: var locations } when locations.Any(location => location.IsInSource) =>
                $"Mark '{Plain(type)}' with [StateType], or leave the member out with [NotSaved].",
            { TypeKind: TypeKind.Struct } when SavedFields.Members(type) is { Count: > 0 }
                && type is INamedTypeSymbol { IsGenericType: false } =>
                $"Save its public fields with [assembly: SaveFields(typeof({type.Name}))], give the assembly a [SaveAdapter] for it, or "
                    + "leave the member out with [NotSaved].",
            _ => "Give the assembly a [SaveAdapter] for it, or leave the member out with [NotSaved].",
        };
    }

    /// <summary>A type's name as the table of scalar types has it.</summary>
    public static string Plain(ITypeSymbol type) =>
        type.WithNullableAnnotation(NullableAnnotation.NotAnnotated).ToDisplayString();
}
