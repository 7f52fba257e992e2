using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>
/// State types with type parameters: of which parameters a save has values, and whether the types that a closed one leads to come to an
/// end.
/// </summary>
internal static class GenericTypes
{
    /// <summary>What the codec of a type parameter begins with, in the codec of a state type that has values of it.</summary>
    public const string CodecPrefix = "CodecOf";

    /// <summary>How often a type may lead back to itself with a deeper argument before it counts as one that never ends.</summary>
    private const int MostGrowth = 4;

    /// <summary>The codec that stands for a type parameter.</summary>
    public static string CodecOf(ITypeParameterSymbol parameter) => CodecPrefix + parameter.Name;

    /// <summary>Whether the generated code could not tell a type parameter from one of its own.</summary>
    public static bool IsReserved(string name) =>
        name is "TWriter" or "TReader" or "TRows" or "TSections" || name.StartsWith(CodecPrefix, StringComparison.Ordinal);

    /// <summary>A type's parameters, and those of the types around it, from the outside in.</summary>
    public static IEnumerable<ITypeParameterSymbol> Parameters(INamedTypeSymbol type) => type.ContainingType is { } outer
        ? Parameters(outer).Concat(type.OriginalDefinition.TypeParameters)
        : type.OriginalDefinition.TypeParameters;

    /// <summary>What these parameters are.</summary>
    public static IEnumerable<ITypeSymbol> Arguments(INamedTypeSymbol type) =>
        type.ContainingType is { } outer ? Arguments(outer).Concat(type.TypeArguments) : type.TypeArguments;

    /// <summary>
    /// The parameters that a save has values of, each with its argument. The codec of a state type takes a codec for each.
    /// </summary>
    public static IReadOnlyList<(ITypeParameterSymbol Parameter, ITypeSymbol Argument)> Saved(INamedTypeSymbol type, TypeCodecs codecs)
    {
        var definition = type.OriginalDefinition;
        var all = Parameters(type).Zip(Arguments(type), (parameter, argument) => (parameter, argument));
        // Of a type from another assembly, its codec says it.
        if (definition.DeclaringSyntaxReferences.IsEmpty)
        {
            var taken = definition.GetTypeMembers(TypeCodecs.CodecName).SelectMany(codec => codec.TypeParameters).Select(one => one.Name);
            return [.. all.Where(one => taken.Contains(CodecOf(one.parameter)))];
        }
        return [.. all.Where(one => IsSaved(definition, one.parameter, []))];

        bool IsSaved(INamedTypeSymbol owner, ITypeParameterSymbol parameter, HashSet<(string, string)> visited) =>
            visited.Add((TypeCodecs.Name(owner), parameter.Name))
            && ModelReader.SavedTypes(owner, codecs).Any(member => Has(member, parameter, visited));

        bool Has(ITypeSymbol inType, ITypeParameterSymbol parameter, HashSet<(string, string)> visited) => inType switch
        {
            ITypeParameterSymbol => SymbolEqualityComparer.Default.Equals(inType, parameter),
            _ when codecs.AdapterOf(inType) is not null => false,
            IArrayTypeSymbol array => Has(array.ElementType, parameter, visited),
            INamedTypeSymbol named when TypeCodecs.IsStateType(named) => Parameters(named).Zip(Arguments(named), (one, argument) =>
                Has(argument, parameter, visited) && IsSaved(named.OriginalDefinition, one, visited)).Contains(true),
            INamedTypeSymbol named => named.TypeArguments.Any(argument => Has(argument, parameter, visited)),
            _ => false,
        };
    }

    /// <summary>
    /// Whether a type leads to itself with a deeper argument, and that one to a yet deeper one: there is no end to the types that a save of
    /// it may have, so nothing can be generated for all of them.
    /// </summary>
    public static bool IsEndless(INamedTypeSymbol type, TypeCodecs codecs)
    {
        var path = new List<INamedTypeSymbol>();
        var visited = new HashSet<ITypeSymbol>(SymbolEqualityComparer.Default);
        return Grows(type);

        bool Grows(ITypeSymbol one)
        {
            if (one is IArrayTypeSymbol array)
                return Grows(array.ElementType);
            if (one is not INamedTypeSymbol named)
                return false;
            if (!TypeCodecs.IsStateType(named))
                return named.TypeArguments.Any(Grows);
            if (!visited.Add(named))
                return false;
            var depth = Depth(named);
            var smaller = path.Where(other => SymbolEqualityComparer.Default.Equals(other.OriginalDefinition, named.OriginalDefinition))
                .Select(Depth).Where(other => other < depth).Distinct().Count();
            if (smaller >= MostGrowth)
                return true;
            path.Add(named);
            var grows = named.TypeArguments.Any(Grows) || ModelReader.SavedTypes(named, codecs).Any(Grows);
            path.RemoveAt(path.Count - 1);
            return grows;
        }
    }

    /// <summary>Whether a type has a type parameter in it.</summary>
    public static bool IsOpen(ITypeSymbol type) => type switch
    {
        ITypeParameterSymbol => true,
        IArrayTypeSymbol array => IsOpen(array.ElementType),
        INamedTypeSymbol named => Arguments(named).Any(IsOpen),
        _ => false,
    };

    private static int Depth(ITypeSymbol type) => type switch
    {
        IArrayTypeSymbol array => 1 + Depth(array.ElementType),
        INamedTypeSymbol named => 1 + Arguments(named).Select(Depth).DefaultIfEmpty(0).Max(),
        _ => 0,
    };
}
