using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>One [SaveAdapter] of an assembly.</summary>
/// <param name="Adapter">The adapter.</param>
/// <param name="Foreign">The type that it adapts; null if it is none.</param>
/// <param name="Saved">The type that is saved instead.</param>
/// <param name="Attribute">Where it is declared.</param>
internal sealed record AdapterDeclaration(INamedTypeSymbol Adapter, ITypeSymbol? Foreign, ITypeSymbol? Saved, SyntaxReference? Attribute)
{
    public bool Adapts(ITypeSymbol type) =>
        Foreign is not null && Saved is not null && SymbolEqualityComparer.Default.Equals(Foreign, type)
            && !SymbolEqualityComparer.Default.Equals(Saved, type);
}

/// <summary>Reads and checks the adapters of an assembly.</summary>
internal static class Adapters
{
    public static IReadOnlyList<AdapterDeclaration> Of(IAssemblySymbol assembly)
    {
        var adapters = new List<AdapterDeclaration>();
        foreach (var attribute in assembly.GetAttributes()
            .Where(one => one.AttributeClass?.ToDisplayString() == "Lodrik.State.SaveAdapterAttribute"))
        {
            if (attribute.ConstructorArguments.FirstOrDefault().Value is not INamedTypeSymbol adapter)
                continue;
            var contract = adapter.AllInterfaces.FirstOrDefault(one =>
                one.OriginalDefinition.ToDisplayString() == "Lodrik.State.ISaveAdapter<TForeign, TSaved>");
            adapters.Add(new AdapterDeclaration(
                adapter, contract?.TypeArguments[0], contract?.TypeArguments[1], attribute.ApplicationSyntaxReference));
        }
        return adapters;
    }

    public static EquatableList<DiagnosticModel> Problems(IAssemblySymbol assembly)
    {
        var adapters = Of(assembly);
        var codecs = TypeCodecs.Of(assembly);
        var problems = new List<DiagnosticModel>();
        foreach (var adapter in adapters)
        {
            if (adapter.Foreign is null || adapter.Saved is null)
                Add(adapter, "it does not implement ISaveAdapter<TForeign, TSaved>.");
            else if (!adapter.Adapter.IsValueType)
                Add(adapter, "it has to be a struct.");
            else if (SymbolEqualityComparer.Default.Equals(adapter.Foreign, adapter.Saved))
                Add(adapter, "it saves the type as itself.");
            else if (adapters.First(other => other.Adapts(adapter.Foreign)) != adapter)
                Add(adapter, $"'{adapter.Foreign.ToDisplayString()}' has an adapter already.");
            else if (adapters.Any(other => other.Adapts(adapter.Saved)))
                Add(adapter, $"'{adapter.Saved.ToDisplayString()}' is adapted itself; save it as a type that is not.");
            else if (codecs.Find(adapter.Saved, out var reason, out var remedy) is null)
                Add(adapter, $"{reason}. {remedy}");
        }
        return new EquatableList<DiagnosticModel>(problems);

        void Add(AdapterDeclaration adapter, string reason) => problems.Add(new DiagnosticModel(
            Diagnostics.BadAdapter.Id, LocationModel.Of(adapter.Attribute), new EquatableList<string>([adapter.Adapter.Name, reason])));
    }
}
