using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

/// <summary>
/// Finds types of the game that are given to Lodrik to be saved and are not marked. The compiler's own error speaks of an interface that
/// nobody writes by hand; this one names the attribute.
/// </summary>
internal static class UnmarkedTypes
{
    /// <summary>The classes whose methods take a state type.</summary>
    private static readonly HashSet<string> Classes = ["StateFile", "StateContent", "SaveCompatibility"];

    /// <summary>Generic types of the library.</summary>
    private static readonly HashSet<string> Types = ["SaveStore", "GameSession", "SettingsFile", "CompatibilityCheck"];

    /// <summary>Methods of its objects, by names that hardly anything else has.</summary>
    private static readonly HashSet<string> Methods = ["Register", "Part", "OptionalPart", "PartInto", "WithSection", "Settings"];

    /// <summary>
    /// Whether a node may be one of the library's. A game has many calls, and each that is let through here costs something at every key
    /// that is typed.
    /// </summary>
    public static bool IsCandidate(SyntaxNode node) => node switch
    {
        InvocationExpressionSyntax { Expression: MemberAccessExpressionSyntax access } call => IsCandidate(access, call.ArgumentList),
        GenericNameSyntax { Identifier.ValueText: var name } => Types.Contains(name),
        _ => false,
    };

    private static bool IsCandidate(MemberAccessExpressionSyntax access, ArgumentListSyntax arguments)
    {
        var name = access.Name.Identifier.ValueText;
        var owner = access.Expression switch
        {
            IdentifierNameSyntax identifier => identifier.Identifier.ValueText,
            MemberAccessExpressionSyntax outer => outer.Name.Identifier.ValueText,
            _ => "",
        };
        return Classes.Contains(owner) || Methods.Contains(name)
            || (name == "Put" && arguments.Arguments.Count == 2)
            || (name is "Get" or "Import" or "ReadOrNew" && access.Name is GenericNameSyntax);
    }

    public static EquatableList<DiagnosticModel> Read(GeneratorSyntaxContext context, CancellationToken cancellation)
    {
        var found = context.SemanticModel.GetSymbolInfo(context.Node, cancellation);
        var problems = new List<DiagnosticModel>();
        // The generated code is not there yet, so each call is a near miss.
        var (parameters, arguments) = (found.Symbol ?? found.CandidateSymbols.FirstOrDefault()) switch
        {
            IMethodSymbol method when IsOurs(method) => (method.OriginalDefinition.TypeParameters, method.TypeArguments),
            INamedTypeSymbol type when IsOurs(type) => (type.OriginalDefinition.TypeParameters, type.TypeArguments),
            _ => ([], []),
        };
        foreach (var (parameter, argument) in parameters.Zip(arguments, (parameter, argument) => (parameter, argument)))
        {
            if (!TakesState(parameter)
                || argument is not INamedTypeSymbol { TypeKind: TypeKind.Class or TypeKind.Struct or TypeKind.Interface } type)
                continue;
            if (!IsMarked(type) && type.Locations.Any(location => location.IsInSource))
                Add(Diagnostics.NotMarked, type.Name);
            else if (TypeCodecs.IsStateType(type) && ModelReader.IsOnlyBase(type))
                Add(Diagnostics.OnlyBase, type.Name);
            else if (TypeCodecs.IsStateType(type)
                && GenericTypes.Saved(type, TypeCodecs.Of(context.SemanticModel.Compilation.Assembly)).Count > 0)
                Add(Diagnostics.NotAlone, type.ToDisplayString(SymbolDisplayFormat.MinimallyQualifiedFormat));
        }
        return new EquatableList<DiagnosticModel>(problems);

        void Add(DiagnosticDescriptor what, string name) => problems.Add(new DiagnosticModel(
            what.Id, LocationModel.Of(context.Node.GetReference()), new EquatableList<string>([name])));
    }

    private static bool IsOurs(ISymbol symbol) => symbol.ContainingAssembly?.Name.StartsWith("Lodrik", StringComparison.Ordinal) == true;

    private static bool TakesState(ITypeParameterSymbol parameter) => parameter.ConstraintTypes.Any(type =>
        type.OriginalDefinition.ToDisplayString() is "Lodrik.State.IStateRoot<TSelf>" or "Lodrik.State.IStateType<TSelf>");

    private static bool IsMarked(INamedTypeSymbol type) => TypeCodecs.IsStateType(type) || type.OriginalDefinition.GetAttributes()
        .Any(attribute => attribute.AttributeClass?.ToDisplayString() == "Lodrik.SaveFileAttribute")
        || type.AllInterfaces.Any(one => one.OriginalDefinition.ToDisplayString() == "Lodrik.State.IStateRoot<TSelf>");
}
