using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

/// <summary>Finds which constant texts an expression can be, through fields and the parameters of the game's own methods.</summary>
/// <param name="compilation">The game.</param>
/// <param name="cancellation">Cancels.</param>
internal sealed class PassedNames(Compilation compilation, CancellationToken cancellation)
{
    /// <summary>How many methods a name may be passed through.</summary>
    private const int MostMethods = 4;

    /// <summary>The texts; null if they cannot be known.</summary>
    public IReadOnlyCollection<string>? Of(ExpressionSyntax expression) => Of(expression, MostMethods);

    /// <summary>What a call gives to a parameter; null if it leaves it out.</summary>
    public static ExpressionSyntax? ArgumentFor(InvocationExpressionSyntax call, IParameterSymbol parameter)
    {
        var arguments = call.ArgumentList.Arguments;
        var named = arguments.FirstOrDefault(one => one.NameColon?.Name.Identifier.ValueText == parameter.Name);
        // Called as an extension, a method has its first argument before the dot.
        var at = parameter.Ordinal - (parameter.ContainingSymbol is IMethodSymbol { IsExtensionMethod: true }
            && call.ArgumentList.Arguments.Count < ((IMethodSymbol)parameter.ContainingSymbol).Parameters.Length ? 1 : 0);
        return (named ?? (at >= 0 && at < arguments.Count && arguments[at].NameColon is null ? arguments[at] : null))?.Expression;
    }

    private IReadOnlyCollection<string>? Of(ExpressionSyntax expression, int depth)
    {
        var model = compilation.GetSemanticModel(expression.SyntaxTree);
        if (model.GetConstantValue(expression, cancellation) is { HasValue: true, Value: string { Length: > 0 } text })
            return [text];
        return model.GetSymbolInfo(expression, cancellation).Symbol switch
        {
            IParameterSymbol { ContainingSymbol: IMethodSymbol method } parameter when depth > 0 => GivenTo(parameter, method, depth),
            IFieldSymbol { IsReadOnly: true } field when InitialOf(field) is { } initial => Of(initial, depth),
            _ => null,
        };
    }

    private ExpressionSyntax? InitialOf(IFieldSymbol field) => field.DeclaringSyntaxReferences
        .Select(reference => reference.GetSyntax(cancellation)).OfType<VariableDeclaratorSyntax>().FirstOrDefault()?.Initializer?.Value;

    /// <summary>What all calls of a method give to one of its parameters.</summary>
    private HashSet<string>? GivenTo(IParameterSymbol parameter, IMethodSymbol method, int depth)
    {
        var names = new HashSet<string>();
        foreach (var call in CallsOf(method))
        {
            if (ArgumentFor(call, parameter) is not { } argument || Of(argument, depth - 1) is not { } given)
                return null;
            names.UnionWith(given);
        }
        // Nobody here calls it; whoever may from outside is not known.
        return names.Count > 0 || method.DeclaredAccessibility != Accessibility.Public ? names : null;
    }

    private IEnumerable<InvocationExpressionSyntax> CallsOf(IMethodSymbol method)
    {
        foreach (var tree in compilation.SyntaxTrees)
        {
            var calls = tree.GetRoot(cancellation).DescendantNodes().OfType<InvocationExpressionSyntax>()
                .Where(call => NameOf(call) == method.Name);
            foreach (var call in calls)
            {
                var found = compilation.GetSemanticModel(tree).GetSymbolInfo(call, cancellation);
                var called = (found.Symbol ?? found.CandidateSymbols.FirstOrDefault()) as IMethodSymbol;
                if (SymbolEqualityComparer.Default.Equals((called?.ReducedFrom ?? called)?.OriginalDefinition, method.OriginalDefinition))
                    yield return call;
            }
        }
    }

    private static string? NameOf(InvocationExpressionSyntax call) => call.Expression switch
    {
        SimpleNameSyntax name => name.Identifier.ValueText,
        MemberAccessExpressionSyntax access => access.Name.Identifier.ValueText,
        _ => null,
    };
}
