using System.Runtime.CompilerServices;
using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>A struct that the game does not own and whose public fields are saved.</summary>
/// <param name="Type">The struct.</param>
/// <param name="Attribute">Where it is named.</param>
internal sealed record SavedFieldsDeclaration(ITypeSymbol Type, SyntaxReference? Attribute);

/// <summary>Reads and checks the structs that an assembly names with [SaveFields].</summary>
internal static class SavedFields
{
    private const string BackingField = ">k__BackingField";

    private static readonly ConditionalWeakTable<IAssemblySymbol, IReadOnlyList<INamedTypeSymbol>> FoundOfNumbers = new();

    public static IReadOnlyList<SavedFieldsDeclaration> Of(IAssemblySymbol assembly)
    {
        var attributes = Attributes(assembly);
        var named = attributes.SelectMany(attribute => attribute.ConstructorArguments.SelectMany(argument => argument.Values)
            .Select(value => value.Value).OfType<ITypeSymbol>()
            .Select(type => new SavedFieldsDeclaration(type, attribute.ApplicationSyntaxReference))).ToList();
        var adapted = new HashSet<ITypeSymbol>(
            Adapters.Of(assembly).Select(one => one.Foreign).OfType<ITypeSymbol>().Concat(named.Select(one => one.Type)),
            SymbolEqualityComparer.Default);
        foreach (var attribute in attributes)
        {
            if (AssemblyOf(attribute) is not { } other)
                continue;
            // Two types of one assembly may be given.
            foreach (var type in FoundOfNumbers.GetValue(other, OfNumbers).Where(adapted.Add))
                named.Add(new SavedFieldsDeclaration(type, attribute.ApplicationSyntaxReference));
        }
        return named;
    }

    private static List<AttributeData> Attributes(IAssemblySymbol assembly) =>
        [.. assembly.GetAttributes().Where(one => one.AttributeClass?.ToDisplayString() == "Lodrik.State.SaveFieldsAttribute")];

    /// <summary>The assembly all of whose structs of numbers are saved.</summary>
    private static IAssemblySymbol? AssemblyOf(AttributeData attribute) =>
        (attribute.NamedArguments.FirstOrDefault(one => one.Key == "OfAssemblyOf").Value.Value as ITypeSymbol)?.ContainingAssembly;

    /// <summary>The public structs of an assembly that consist of numbers and truth values, or of such structs.</summary>
    private static IReadOnlyList<INamedTypeSymbol> OfNumbers(IAssemblySymbol assembly)
    {
        var found = new Dictionary<ITypeSymbol, bool>(SymbolEqualityComparer.Default);
        return [.. All(assembly.GlobalNamespace).Where(IsOfNumbers)];

        bool IsOfNumbers(INamedTypeSymbol type)
        {
            if (!found.TryGetValue(type, out var isOne))
            {
                // A struct cannot contain itself, so this ends.
                isOne = type is { TypeKind: TypeKind.Struct, IsRefLikeType: false, IsGenericType: false, SpecialType: SpecialType.None }
                    && !TypeCodecs.IsStateType(type) && !TypeCodecs.IsScalar(type) && Members(type) is { Count: > 0 } members
                    && members.All(member => IsNumber(member.Type) || (member.Type is INamedTypeSymbol inner
                        && SymbolEqualityComparer.Default.Equals(inner.ContainingAssembly, assembly) && IsOfNumbers(inner)));
                found[type] = isOne;
            }
            return isOne;
        }
    }

    private static bool IsNumber(ITypeSymbol type) => type.SpecialType is >= SpecialType.System_Boolean and <= SpecialType.System_Double;

    private static IEnumerable<INamedTypeSymbol> All(INamespaceOrTypeSymbol container) =>
        container.GetMembers().SelectMany(one => one switch
    {
        INamespaceSymbol inner => All(inner),
        INamedTypeSymbol { DeclaredAccessibility: Accessibility.Public } type => All(type).Prepend(type),
        _ => [],
    });

    /// <summary>The codec of such a struct. Each assembly that names it has one of its own.</summary>
    public static string CodecOf(ITypeSymbol type) => TypeCodecs.StateNamespace + CodecName(type);

    public static string CodecName(ITypeSymbol type) => "FieldsOf_" + string.Concat(
        type.ToDisplayString(SymbolDisplayFormat.CSharpErrorMessageFormat).Select(c => char.IsLetterOrDigit(c) ? c : '_'));

    /// <summary>
    /// What is saved of a struct: its public fields, and the properties that the compiler made a field for. Null if it has state that
    /// cannot be reached.
    /// </summary>
    public static IReadOnlyList<(ISymbol Symbol, ITypeSymbol Type)>? Members(ITypeSymbol type)
    {
        var members = new List<(ISymbol, ITypeSymbol)>();
        foreach (var field in type.GetMembers().OfType<IFieldSymbol>().Where(field => field is { IsStatic: false, IsConst: false }))
        {
            if (field.IsFixedSizeBuffer)
                return null;
            if (field.DeclaredAccessibility == Accessibility.Public)
                members.Add((field, field.Type));
            else if (PropertyOf(field) is { DeclaredAccessibility: Accessibility.Public, GetMethod: not null } property)
                members.Add((property, property.Type));
            else
                return null;
        }
        return members;
    }

    public static EquatableList<DiagnosticModel> Problems(IAssemblySymbol assembly)
    {
        var codecs = TypeCodecs.Of(assembly);
        var all = Of(assembly);
        var problems = new List<DiagnosticModel>();
        foreach (var one in all)
        {
            if (ProblemOf(one, all, codecs) is { } reason)
                problems.Add(new DiagnosticModel(
                    Diagnostics.BadFields.Id, LocationModel.Of(one.Attribute),
                    new EquatableList<string>([one.Type.ToDisplayString(), reason])));
        }
        foreach (var attribute in Attributes(assembly))
        {
            if (AssemblyOf(attribute) is { } other && FoundOfNumbers.GetValue(other, OfNumbers).Count == 0)
                problems.Add(new DiagnosticModel(
                    Diagnostics.BadFields.Id, LocationModel.Of(attribute.ApplicationSyntaxReference),
                    new EquatableList<string>([other.Name, "that assembly has no public struct that consists of public numbers."])));
        }
        return new EquatableList<DiagnosticModel>(problems);
    }

    private static string? ProblemOf(SavedFieldsDeclaration one, IReadOnlyList<SavedFieldsDeclaration> all, TypeCodecs codecs)
    {
        if (one.Type is not INamedTypeSymbol { TypeKind: TypeKind.Struct, IsRefLikeType: false } type)
            return "it is not a struct. Give the assembly a [SaveAdapter] for it.";
        if (type.IsGenericType)
            return "it is generic. Give the assembly a [SaveAdapter] for each of its forms that is saved.";
        if (TypeCodecs.IsStateType(type))
            return "it is a state type, which saves itself.";
        if (!ReferenceEquals(all.First(other => SymbolEqualityComparer.Default.Equals(other.Type, type)), one))
            return "it is named twice.";
        if (codecs.AdapterOf(type) is not null)
            return "it has an adapter already.";
        if (TypeCodecs.IsScalar(type))
            return "Lodrik saves it already.";
        if (Members(type) is not { } members)
            return "it has fields that are not public. Give the assembly a [SaveAdapter] for it.";
        if (members.Count == 0)
            return "it has no fields. Give the assembly a [SaveAdapter] for it.";
        foreach (var (symbol, memberType) in members)
        {
            if (codecs.Find(memberType, out var reason, out var remedy) is null)
                return $"its '{symbol.Name}' cannot be: {reason}. "
                    + (memberType.TypeKind == TypeKind.Struct ? "Name that struct as well, or give the assembly a [SaveAdapter] for it."
                        : remedy);
        }
        return null;
    }

    private static IPropertySymbol? PropertyOf(IFieldSymbol field) =>
        field.AssociatedSymbol as IPropertySymbol
        ?? (field.Name.StartsWith("<", StringComparison.Ordinal) && field.Name.EndsWith(BackingField, StringComparison.Ordinal)
            ? field.ContainingType.GetMembers(field.Name.Substring(1, field.Name.Length - 1 - BackingField.Length))
                .OfType<IPropertySymbol>().FirstOrDefault()
            : null);
}
