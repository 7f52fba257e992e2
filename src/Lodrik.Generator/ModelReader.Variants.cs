using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

// The variants of a base type.
internal sealed partial class ModelReader
{
    private List<VariantModel> ReadVariants()
    {
        var variants = new List<VariantModel>();
        foreach (var attribute in type.GetAttributes().Where(one => one.AttributeClass?.ToDisplayString() == "Lodrik.SaveVariantAttribute"))
        {
            var name = attribute.ConstructorArguments[0].Value as string ?? "";
            if (attribute.ConstructorArguments[1].Value is not INamedTypeSymbol variant)
                continue;
            var isSelf = SymbolEqualityComparer.Default.Equals(variant, type);
            if (name.Length == 0)
                Problem(Diagnostics.BadVariant, type, name, type.Name, "it has no name.");
            else if (!isSelf && !IsAbove(variant))
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"'{variant.Name}' is not derived from it.");
            else if (!TypeCodecs.IsStateType(variant))
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"'{variant.Name}' is not a state type. Mark it with [StateType].");
            else if (variant.IsAbstract || variant.IsUnboundGenericType)
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"there are no objects of '{variant.Name}' itself.");
            else if (variants.Any(other => other.Name == name))
                Problem(Diagnostics.BadVariant, type, name, type.Name, "there are two of this name.");
            else if (variants.Any(other => other.TypeName == TypeCodecs.Name(variant)))
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"'{variant.Name}' has a name already.");
            else if (TypeCodecs.IsShared(type) && GenericTypes.Saved(variant, codecs).Count > 0)
                Problem(Diagnostics.BadVariant, type, name, type.Name,
                    $"'{variant.Name}' is generic, and the type is shared. Derive a state type from it that is not generic.");
            else if (isSelf)
                variants.Add(new VariantModel(name, TypeCodecs.Name(variant), "", IsSelf: true, variant.IsValueType));
            else if (codecs.Find(variant, out var reason, out var remedy) is { } codec)
                variants.Add(new VariantModel(name, TypeCodecs.Name(variant), codec, IsSelf: false, variant.IsValueType));
            else if (reason.Length > 0)
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"{reason}. {remedy}");
            else
                _isIncomplete = true;
        }
        return variants;
    }

    private string? ReadUnknownVariant(List<VariantModel> variants)
    {
        if (Attribute(type, "Lodrik.State.UnknownVariantAttribute")?.ConstructorArguments[0].Value is not INamedTypeSymbol unknown)
            return null;
        if (variants.Count == 0)
            Problem(Diagnostics.BadVariant, type, unknown.Name, type.Name, "the type has no variants at all.");
        else if (!IsAbove(unknown))
            Problem(Diagnostics.BadVariant, type, unknown.Name, type.Name, $"'{unknown.Name}' is not derived from it.");
        else if (unknown.IsAbstract || !unknown.AllInterfaces.Any(one => one.ToDisplayString() == "Lodrik.State.IUnknownVariant")
            || !unknown.InstanceConstructors.Any(one =>
                one.Parameters.Length == 0 && one.DeclaredAccessibility is Accessibility.Public or Accessibility.Internal))
            Problem(Diagnostics.BadVariant, type, unknown.Name, type.Name,
                $"'{unknown.Name}' has to implement IUnknownVariant and to have a constructor without parameters.");
        else
            return TypeCodecs.Name(unknown);
        return null;
    }

    /// <summary>Whether a type is derived from this one, or implements it.</summary>
    private bool IsAbove(INamedTypeSymbol derived) =>
        Above(derived).Concat(derived.AllInterfaces).Any(above => SymbolEqualityComparer.Default.Equals(above, type));
}
