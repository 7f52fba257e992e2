using Lodrik.Migrations;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

/// <summary>
/// Which texts the migration steps of a game have in them. The compiler does not run a step, so a change counts as dealt with where a step
/// of its version names it; whether it does so rightly is for the compatibility test, which runs it.
/// </summary>
internal sealed class StepWords
{
    /// <summary>How many methods of the game are followed into one another.</summary>
    private const int MostMethods = 4;

    private readonly Compilation _compilation;
    private readonly CancellationToken _cancellation;
    private readonly Dictionary<int, HashSet<string>> _words = [];
    private readonly HashSet<int> _unseen = [];

    public StepWords(Compilation compilation, CancellationToken cancellation)
    {
        (_compilation, _cancellation) = (compilation, cancellation);
        foreach (var tree in compilation.SyntaxTrees)
        {
            SemanticModel? model = null;
            foreach (var call in tree.GetRoot(cancellation).DescendantNodes().OfType<InvocationExpressionSyntax>())
            {
                if (call.Expression is MemberAccessExpressionSyntax { Name.Identifier.ValueText: "From" }
                    && call.ArgumentList.Arguments.Count == 2)
                    Read(call, model ??= compilation.GetSemanticModel(tree));
            }
        }
    }

    /// <summary>Whether a step between two versions names a change, or has code of its own that may do anything.</summary>
    public bool Name(ShapeChange change, int from, int to) => Enumerable.Range(from, to - from)
        .Any(version => _unseen.Contains(version)
            || (_words.TryGetValue(version, out var words) && words.Any(word => Names(word, change))));

    private static bool Names(string word, ShapeChange change)
    {
        if (change.Element is ShapeElement.Kind or ShapeElement.EnumValue or ShapeElement.Variant && word == change.Name)
            return true;
        // A path in a step may begin at the section, or at whatever the step goes through.
        return word.Length > 0 && (word == change.Path || change.Path.StartsWith(word + "/", StringComparison.Ordinal)
            || (change.Element is ShapeElement.Member or ShapeElement.Part or ShapeElement.Subsystem
                && word.Split('/').Contains(change.Name))
            || (word[0] == '/' && change.Path.EndsWith(word, StringComparison.Ordinal)));
    }

    private void Read(InvocationExpressionSyntax call, SemanticModel model)
    {
        if (model.GetSymbolInfo(call, _cancellation).Symbol is not IMethodSymbol { ContainingType.Name: "MigrationChain" }
            || model.GetConstantValue(call.ArgumentList.Arguments[0].Expression, _cancellation).Value is not int version)
            return;
        if (!_words.TryGetValue(version, out var words))
            _words.Add(version, words = []);
        Read(call.ArgumentList.Arguments[1], model, words, version, MostMethods);
    }

    private void Read(SyntaxNode node, SemanticModel model, HashSet<string> words, int version, int depth)
    {
        foreach (var part in node.DescendantNodes().OfType<ExpressionSyntax>())
        {
            if (model.GetConstantValue(part, _cancellation).Value is string word)
                words.Add(word);
            else if (part is SimpleNameSyntax && model.GetSymbolInfo(part, _cancellation).Symbol is IMethodSymbol method)
                Follow(method, words, version, depth);
        }
    }

    private void Follow(IMethodSymbol method, HashSet<string> words, int version, int depth)
    {
        if (method is { Name: "Run", ContainingType.Name: "MigrationStep" })
            _unseen.Add(version);
        if (depth == 0)
            return;
        foreach (var body in method.DeclaringSyntaxReferences.Select(reference => reference.GetSyntax(_cancellation)))
            Read(body, _compilation.GetSemanticModel(body.SyntaxTree), words, version, depth - 1);
    }
}
