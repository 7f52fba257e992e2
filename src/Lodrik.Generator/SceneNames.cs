using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

/// <summary>
/// Finds the names of scenes that the game's code has. A game may as well read them from its data: then <c>*</c> says that there are
/// others.
/// </summary>
internal static class SceneNames
{
    /// <summary>What stands for names that are not in the code.</summary>
    private const string Others = "*";

    private const string Place = "ScenePlace";

    /// <summary>The methods that are given a scene's name, and as which argument.</summary>
    private static readonly Dictionary<string, int> Calls = new() { ["CaptureTo"] = 1, ["RestoreFrom"] = 1, ["Put"] = 0, ["Get"] = 0 };

    public static bool IsCandidate(SyntaxNode node) => node switch
    {
        InvocationExpressionSyntax { Expression: MemberAccessExpressionSyntax { Name.Identifier.ValueText: var name } } call =>
            Calls.TryGetValue(name, out var at) && call.ArgumentList.Arguments.Count > at,
        ObjectCreationExpressionSyntax { Type: var type } => type.ToString().EndsWith(Place, StringComparison.Ordinal),
        ImplicitObjectCreationExpressionSyntax { ArgumentList.Arguments: { Count: 1 or 2 } arguments } =>
            !arguments[0].Expression.IsKind(SyntaxKind.NumericLiteralExpression),
        AssignmentExpressionSyntax
        {
            Left: IdentifierNameSyntax { Identifier.ValueText: "Scene" or "Scenes" or "FormerScenes" },
            Parent: InitializerExpressionSyntax
        } => true,
        _ => false,
    };

    public static IEnumerable<BoundShape> Read(GeneratorSyntaxContext context, CancellationToken cancellation)
    {
        // The library has no scenes of its own: it hands on the names that it is given.
        if (IsOurs(context.SemanticModel.Compilation.Assembly))
            return [];
        var passed = new PassedNames(context.SemanticModel.Compilation, cancellation);
        return NamesIn(context.Node, context.SemanticModel, cancellation)
            .SelectMany(name => (name is null ? null : passed.Of(name)) ?? [Others])
            .Select(one => new BoundShape("scenes", one, "", "", new EquatableList<string>([])));
    }

    /// <summary>The expressions that are names of scenes; null for one that cannot be seen.</summary>
    private static IEnumerable<ExpressionSyntax?> NamesIn(SyntaxNode node, SemanticModel model, CancellationToken cancellation)
    {
        if (node is AssignmentExpressionSyntax assignment
            && assignment.Left is IdentifierNameSyntax { Identifier.ValueText: "Scenes" or "FormerScenes" })
        {
            return model.GetSymbolInfo(assignment.Left, cancellation).Symbol is { ContainingType.Name: "SessionOptions" } member
                && IsOurs(member)
                ? ItemsOf(Written(assignment.Right, model, cancellation))
                : [];
        }
        return NameIn(node, model, cancellation) is { } name ? [name] : [];
    }

    /// <summary>What a field or a property is that always has its initial value; any other expression itself.</summary>
    private static ExpressionSyntax Written(ExpressionSyntax expression, SemanticModel model, CancellationToken cancellation)
    {
        var symbol = model.GetSymbolInfo(expression, cancellation).Symbol;
        if (symbol is not (IFieldSymbol { IsReadOnly: true } or IPropertySymbol { SetMethod: null }))
            return expression;
        return symbol.DeclaringSyntaxReferences.Select(reference => reference.GetSyntax(cancellation)).Select(syntax => syntax switch
        {
            VariableDeclaratorSyntax field => field.Initializer?.Value,
            PropertyDeclarationSyntax property => property.Initializer?.Value ?? property.ExpressionBody?.Expression,
            _ => null,
        }).FirstOrDefault(value => value is not null) ?? expression;
    }

    /// <summary>The items of a collection that is written out, and the keys of a map.</summary>
    private static IEnumerable<ExpressionSyntax?> ItemsOf(ExpressionSyntax collection) => collection switch
    {
        CollectionExpressionSyntax list => list.Elements.Select(item => (item as ExpressionElementSyntax)?.Expression),
        ImplicitArrayCreationExpressionSyntax array => array.Initializer.Expressions,
        ArrayCreationExpressionSyntax { Initializer: { } items } => items.Expressions,
        BaseObjectCreationExpressionSyntax { Initializer: { } items } => items.Expressions.Select(item => item switch
        {
            AssignmentExpressionSyntax { Left: ImplicitElementAccessSyntax { ArgumentList.Arguments: { Count: 1 } keys } } =>
                keys[0].Expression,
            InitializerExpressionSyntax pair => pair.Expressions[0],
            _ => item,
        }),
        _ => [null],
    };

    private static ExpressionSyntax? NameIn(SyntaxNode node, SemanticModel model, CancellationToken cancellation)
    {
        switch (node)
        {
            case InvocationExpressionSyntax call:
                var found = model.GetSymbolInfo(call, cancellation);
                return (found.Symbol ?? found.CandidateSymbols.FirstOrDefault()) is IMethodSymbol
                { ContainingType.Name: "SceneArchive" or "LiveScene", Parameters: var parameters } method && IsOurs(method)
                    && parameters.FirstOrDefault(one => one.Name == "name") is { } parameter
                    ? PassedNames.ArgumentFor(call, parameter)
                    : null;
            case BaseObjectCreationExpressionSyntax { ArgumentList.Arguments: { Count: > 0 } arguments }
                when model.GetTypeInfo(node, cancellation).Type is { Name: Place } type && IsOurs(type):
                return (arguments.FirstOrDefault(one => one.NameColon?.Name.Identifier.ValueText == "Scene") ?? arguments[0]).Expression;
            case AssignmentExpressionSyntax assignment
                when model.GetSymbolInfo(assignment.Left, cancellation).Symbol is { ContainingType.Name: Place } member && IsOurs(member):
                return assignment.Right;
            default:
                return null;
        }
    }

    private static bool IsOurs(ISymbol symbol) => (symbol as IAssemblySymbol ?? symbol.ContainingAssembly)?.Name == "Lodrik";
}
