using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

/// <summary>
/// Finds types of the game that are given to Lodrik to be saved and are not marked. The compiler's own error speaks of an interface that
/// nobody writes by hand; this one names the attribute.
/// </summary>
internal static class UnmarkedTypes
{
    /// <summary>The library's calls and types that take a state type. A call of another name is not looked at.</summary>
    private static readonly HashSet<string> Names =
    [
        "Write", "WriteAsync", "WritePlain", "ToBytes", "ToText", "ToPlainText", "Read", "ReadAsync", "ReadInto", "ReadIntoAsync",
        "ReadTextInto", "ReadOrNew", "FromBytes", "FromText", "Import", "Copy", "CopyInto", "AreEqual", "Changes", "Settings", "Put", "Get",
        "Register", "Part", "OptionalPart", "PartInto", "WithSection", "Of", "SaveStore", "GameSession",
            "SettingsFile", "CompatibilityCheck",
    ];

    public static bool IsCandidate(SyntaxNode node) => node switch
    {
        InvocationExpressionSyntax { Expression: MemberAccessExpressionSyntax { Name.Identifier.ValueText: var name } } =>
            Names.Contains(name),
        GenericNameSyntax
        {
            Identifier.ValueText: var name,
            Parent: not MemberAccessExpressionSyntax { Parent: InvocationExpressionSyntax }
        } =>
            Names.Contains(name),
        GenericNameSyntax { Identifier.ValueText: var name, Parent: MemberAccessExpressionSyntax access } generic =>
            access.Expression == generic && Names.Contains(name),
        _ => false,
    };

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
            if (TakesState(parameter) && argument is INamedTypeSymbol { TypeKind: TypeKind.Class or TypeKind.Struct } type
                && !IsMarked(type)
                && type.Locations.Any(location => location.IsInSource))
                problems.Add(new DiagnosticModel(
                    Diagnostics.NotMarked.Id, LocationModel.Of(context.Node.GetReference()),
                    new EquatableList<string>([type.Name])));
        }
        return new EquatableList<DiagnosticModel>(problems);
    }

    private static bool IsOurs(ISymbol symbol) => symbol.ContainingAssembly?.Name.StartsWith("Lodrik", StringComparison.Ordinal) == true;

    private static bool TakesState(ITypeParameterSymbol parameter) => parameter.ConstraintTypes.Any(type =>
        type.OriginalDefinition.ToDisplayString() is "Lodrik.State.IStateRoot<TSelf>" or "Lodrik.State.IStateType<TSelf>");

    private static bool IsMarked(INamedTypeSymbol type) => TypeCodecs.IsStateType(type) || type.OriginalDefinition.GetAttributes()
        .Any(attribute => attribute.AttributeClass?.ToDisplayString() == "Lodrik.SaveFileAttribute")
        || type.AllInterfaces.Any(one => one.OriginalDefinition.ToDisplayString() == "Lodrik.State.IStateRoot<TSelf>");
}
