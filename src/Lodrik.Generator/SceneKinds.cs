using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

/// <summary>
/// What the game says of its scenes: a part of a kind, a kind's former name, a scene's name, or a part of the game with a section of its
/// own.
/// </summary>
/// <param name="Group">The group of the shape that it belongs to.</param>
/// <param name="Owner">The kind, or the name.</param>
/// <param name="Name">The part's name; empty for what is not a part.</param>
/// <param name="Shape">The type in words, or the name of today.</param>
/// <param name="Described">Types that were met on the way.</param>
/// <param name="Problem">What is to be said of the place; null for nothing.</param>
internal sealed record BoundShape(
    string Group, string Owner, string Name, string Shape, EquatableList<string> Described, DiagnosticModel? Problem = null);

/// <summary>
/// Finds, where the game binds its scenes, which kinds there are and which parts they have. A name that is passed to a method of the game
/// is followed to the method's callers. One that cannot be known goes under <c>*</c>, and is warned about.
/// </summary>
internal static class SceneKinds
{
    private const string AnyKind = "*";

    private static readonly HashSet<string> Calls =
        ["Kind", "Table", "Column", "Part", "OptionalPart", "PartInto", "Placement", "Placement3D",
            "Active", "Name", "Reference", "ReferenceId", "ReferenceList", "FormerKind", "Register"];

    public static bool IsCandidate(SyntaxNode node) =>
        (node is InvocationExpressionSyntax { Expression: MemberAccessExpressionSyntax { Name.Identifier.ValueText: var name } }
            && Calls.Contains(name)) || SceneNames.IsCandidate(node);

    public static EquatableList<BoundShape> Read(GeneratorSyntaxContext context, CancellationToken cancellation) =>
        new(SceneNames.IsCandidate(context.Node)
            ? [.. SceneNames.Read(context, cancellation)]
            : [.. ReadAll(context, cancellation)]);

    private static IEnumerable<BoundShape> ReadAll(GeneratorSyntaxContext context, CancellationToken cancellation)
    {
        var call = (InvocationExpressionSyntax)context.Node;
        // Before the generated code is there, state types do not keep to what the calls ask of them, so that each call is a near miss.
        var found = context.SemanticModel.GetSymbolInfo(call, cancellation);
        if ((found.Symbol ?? NearMiss(found.CandidateSymbols)) is not IMethodSymbol method)
            return [];
        var shapes = new TypeShapes(TypeCodecs.Of(context.SemanticModel.Compilation.Assembly));
        var owner = method.ContainingType.OriginalDefinition.ToDisplayString();
        return owner switch
        {
            "Lodrik.Scenes.SceneBindings<TScene>" when method.Name is "Kind" or "Table" => ReadKind(context, call, cancellation),
            "Lodrik.Scenes.SceneBindings<TScene>" when method.Name == "FormerKind" && Constant(context, call, 0, cancellation) is { } former
                && Constant(context, call, 1, cancellation) is { } today =>
                [new BoundShape("formerKinds", former, "", today, new EquatableList<string>([]))],
            "Lodrik.Scenes.KindBinding<TScene, TEntity>" or "Lodrik.Scenes.TableBinding<TScene>" when ReadPart(context, call, method,
                shapes, cancellation) is { } part =>
                KindsAround(context, call, cancellation).Select(kind =>
                    new BoundShape("kinds", kind, part.Name, part.Shape, DescribedBy(shapes))),
            "Lodrik.GameSession<TSave, TScene>" when method is { Name: "Register", TypeArguments.Length: 1 }
                && Constant(context, call, 0, cancellation) is { } name =>
                [new BoundShape("subsystems", name, "", shapes.Of(method.TypeArguments[0]), DescribedBy(shapes))],
            _ => [],
        };
    }

    /// <summary>The method that is meant: one that takes plain values would have been found.</summary>
    private static ISymbol? NearMiss(System.Collections.Immutable.ImmutableArray<ISymbol> candidates) =>
        candidates.FirstOrDefault(one =>
            one is IMethodSymbol { TypeArguments: var arguments } && arguments.FirstOrDefault() is not (null or ITypeParameterSymbol))
            ?? candidates.FirstOrDefault(one => one is IMethodSymbol { TypeArguments.Length: > 0 }) ?? candidates.FirstOrDefault();

    private static IEnumerable<BoundShape> ReadKind(
        GeneratorSyntaxContext context, InvocationExpressionSyntax call, CancellationToken cancellation)
    {
        if (call.ArgumentList.Arguments.Count == 0)
            return [];
        var name = call.ArgumentList.Arguments[0].Expression;
        if (new PassedNames(context.SemanticModel.Compilation, cancellation).Of(name) is { } kinds)
            return kinds.Select(kind => new BoundShape("kinds", kind, "", "", new EquatableList<string>([])));
        var problem = new DiagnosticModel(Diagnostics.UnknownKind.Id, LocationModel.Of(name.GetReference()), new EquatableList<string>([]));
        return [new BoundShape("kinds", AnyKind, "", "", new EquatableList<string>([]), problem)];
    }

    /// <summary>The part of a shape's document that all of these make together; null if there is nothing.</summary>
    public static string? Write(IReadOnlyList<BoundShape> bound)
    {
        if (bound.Count == 0)
            return null;
        var groups = new List<string>();
        var kinds = bound.Where(one => one.Group == "kinds").GroupBy(one => one.Owner).OrderBy(kind => kind.Key, StringComparer.Ordinal)
            .Select(kind =>
            $"{TypeShapes.Quote(kind.Key)}: {{ {string.Join(", ", Entries(kind.Where(one => one.Name.Length > 0), one => one.Name))} }}")
                .ToList();
        if (kinds.Count > 0)
            groups.Add($"\"kinds\": {{ {string.Join(", ", kinds)} }}");
        foreach (var group in new[] { "formerKinds", "subsystems" })
        {
            var entries = Entries(bound.Where(one => one.Group == group), one => one.Owner).ToList();
            if (entries.Count > 0)
                groups.Add($"\"{group}\": {{ {string.Join(", ", entries)} }}");
        }
        var scenes = bound.Where(one => one.Group == "scenes").Select(one => one.Owner).Distinct()
            .OrderBy(name => name, StringComparer.Ordinal).Select(TypeShapes.Quote).ToList();
        if (scenes.Count > 0)
            groups.Add($"\"scenes\": [{string.Join(", ", scenes)}]");
        var types = bound.SelectMany(one => one.Described).Distinct().OrderBy(type => type, StringComparer.Ordinal).ToList();
        if (types.Count > 0)
            groups.Add($"\"types\": {{ {string.Join(", ", types)} }}");
        return $"{{ {string.Join(", ", groups)} }}";
    }

    private static IEnumerable<string> Entries(IEnumerable<BoundShape> shapes, Func<BoundShape, string> key) => shapes
        .GroupBy(key).OrderBy(one => one.Key, StringComparer.Ordinal)
        .Select(one => $"{TypeShapes.Quote(one.Key)}: {TypeShapes.Quote(one.First().Shape)}");

    private static EquatableList<string> DescribedBy(TypeShapes shapes) =>
        new([.. shapes.Described.Select(type => $"{TypeShapes.Quote(type.Key)}: {type.Value}")]);

    private static (string Name, string Shape)? ReadPart(GeneratorSyntaxContext context, InvocationExpressionSyntax call,
        IMethodSymbol method, TypeShapes shapes, CancellationToken cancellation)
    {
        switch (method.Name)
        {
            case "Part" or "Column" or "OptionalPart" or "PartInto" when Constant(context, call, 0, cancellation) is { } name:
                return (name, shapes.Of(method.TypeArguments.Length > 0
                    ? method.TypeArguments[0].WithNullableAnnotation(NullableAnnotation.NotAnnotated)
                    : ((INamedTypeSymbol)method.Parameters[1].Type).TypeArguments.Last()));
            case "Placement":
                return ("placement", "Lodrik.Placement2D");
            case "Placement3D":
                return ("placement", "Lodrik.Placement3D");
            case "Active":
                return ("active", "bool");
            case "Name":
                return ("name", "text?");
            case "Reference" when Constant(context, call, 0, cancellation) is { } name:
                return (name, "reference?");
            case "ReferenceId" when Constant(context, call, 0, cancellation) is { } name:
                return (name, "reference?");
            case "ReferenceList" when Constant(context, call, 0, cancellation) is { } name:
                return (name, "list<reference>");
            default:
                return null;
        }
    }

    /// <summary>The kinds in whose description a call is: of the call to <c>Kind</c> around it, or of a method that calls it.</summary>
    private static IReadOnlyCollection<string> KindsAround(GeneratorSyntaxContext context, SyntaxNode call, CancellationToken cancellation)
    {
        var passed = new PassedNames(context.SemanticModel.Compilation, cancellation);
        for (var node = call.Parent; node is not null; node = node.Parent)
        {
            if (node is not InvocationExpressionSyntax outer || !outer.ArgumentList.Span.Contains(call.Span))
                continue;
            var name = IsKind(outer, context.SemanticModel, cancellation, out var method) ? outer.ArgumentList.Arguments[0].Expression
                : method is not null && NameOfKindIn(context.SemanticModel.Compilation, method, cancellation) is { } parameter
                    ? PassedNames.ArgumentFor(outer, parameter)
                    : null;
            if (name is not null)
                return passed.Of(name) ?? [AnyKind];
        }
        return [AnyKind];
    }

    /// <summary>The parameter of the game's method that becomes the name of a kind; null if there is none.</summary>
    private static IParameterSymbol? NameOfKindIn(
        Compilation compilation, IMethodSymbol called, CancellationToken cancellation, int depth = 4)
    {
        var method = (called.ReducedFrom ?? called).OriginalDefinition;
        foreach (var body in method.DeclaringSyntaxReferences.Select(reference => reference.GetSyntax(cancellation)))
        {
            var model = compilation.GetSemanticModel(body.SyntaxTree);
            foreach (var call in body.DescendantNodes().OfType<InvocationExpressionSyntax>())
            {
                if (NameOfKind(call, model) is { } name
                    && model.GetSymbolInfo(name, cancellation).Symbol is IParameterSymbol parameter
                    && SymbolEqualityComparer.Default.Equals(parameter.ContainingSymbol, method))
                    return parameter;
            }
        }
        return null;

        ExpressionSyntax? NameOfKind(InvocationExpressionSyntax call, SemanticModel model)
        {
            if (IsKind(call, model, cancellation, out var inner))
                return call.ArgumentList.Arguments[0].Expression;
            return depth > 0 && inner is not null && NameOfKindIn(compilation, inner, cancellation, depth - 1) is { } parameter
                ? PassedNames.ArgumentFor(call, parameter)
                : null;
        }
    }

    private static bool IsKind(
        InvocationExpressionSyntax call, SemanticModel model, CancellationToken cancellation, out IMethodSymbol? method)
    {
        var found = model.GetSymbolInfo(call, cancellation);
        method = (found.Symbol ?? found.CandidateSymbols.FirstOrDefault()) as IMethodSymbol;
        return method is { Name: "Kind" or "Table", ContainingType.Name: "SceneBindings" } && call.ArgumentList.Arguments.Count > 0;
    }

    private static string? Constant(
        GeneratorSyntaxContext context, InvocationExpressionSyntax call, int argument, CancellationToken cancellation) =>
        call.ArgumentList.Arguments.Count > argument
        && context.SemanticModel.GetConstantValue(call.ArgumentList.Arguments[argument].Expression, cancellation)
            is { HasValue: true, Value: string { Length: > 0 } text } ? text : null;
}
