using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

/// <summary>
/// What the game's bindings say of its scenes: a part of a kind, a kind's former name, or a part of the game with a section of its own.
/// </summary>
/// <param name="Group">The group of the shape that it belongs to.</param>
/// <param name="Owner">The kind, or the name.</param>
/// <param name="Name">The part's name; empty for what is no part.</param>
/// <param name="Shape">The type in words, or the name of today.</param>
/// <param name="Described">Types that were met on the way.</param>
internal sealed record BoundShape(string Group, string Owner, string Name, string Shape, EquatableList<string> Described);

/// <summary>
/// Finds, where the game binds its scenes, which kinds there are and which parts they have. Names that are no constants cannot be known,
/// and go under <c>*</c>.
/// </summary>
internal static class SceneKinds
{
    private const string AnyKind = "*";

    private static readonly HashSet<string> Calls =
        ["Kind", "Part", "OptionalPart", "PartInto", "Placement", "Placement3D",
            "Active", "Name", "Reference", "ReferenceId", "ReferenceList", "FormerKind", "Register"];

    public static bool IsCandidate(SyntaxNode node) =>
        node is InvocationExpressionSyntax { Expression: MemberAccessExpressionSyntax { Name.Identifier.ValueText: var name } }
            && Calls.Contains(name);

    public static BoundShape? Read(GeneratorSyntaxContext context, CancellationToken cancellation)
    {
        var call = (InvocationExpressionSyntax)context.Node;
        // Before the generated code is there, state types do not keep to what the calls ask of them, so that each call is a near miss.
        var found = context.SemanticModel.GetSymbolInfo(call, cancellation);
        if ((found.Symbol ?? found.CandidateSymbols.FirstOrDefault()) is not IMethodSymbol method)
            return null;
        var shapes = new TypeShapes(new TypeCodecs(Adapters.Of(context.SemanticModel.Compilation.Assembly)));
        var owner = method.ContainingType.OriginalDefinition.ToDisplayString();
        return owner switch
        {
            "Lodrik.Scenes.SceneBindings<TScene>" when method.Name == "Kind" =>
                new BoundShape("kinds", Constant(context, call, 0, cancellation) ?? AnyKind, "", "", new EquatableList<string>([])),
            "Lodrik.Scenes.SceneBindings<TScene>" when method.Name == "FormerKind" && Constant(context, call, 0, cancellation) is { } former
                && Constant(context, call, 1, cancellation) is { } today =>
                new BoundShape("formerKinds", former, "", today, new EquatableList<string>([])),
            "Lodrik.Scenes.KindBinding<TScene, TEntity>" when ReadPart(context, call, method, shapes, cancellation) is { } part =>
                new BoundShape("kinds", KindAround(context, call, cancellation), part.Name, part.Shape, DescribedBy(shapes)),
            "Lodrik.GameSession<TSave, TScene>" when method is { Name: "Register", TypeArguments.Length: 1 }
                && Constant(context, call, 0, cancellation) is { } name =>
                new BoundShape("subsystems", name, "", shapes.Of(method.TypeArguments[0]), DescribedBy(shapes)),
            _ => null,
        };
    }

    /// <summary>The part of a shape's document that all of these make together; null where there is nothing.</summary>
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
            case "Part" or "OptionalPart" or "PartInto" when Constant(context, call, 0, cancellation) is { } name:
                return (name, shapes.Of(method.TypeArguments[0].WithNullableAnnotation(NullableAnnotation.NotAnnotated)));
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

    /// <summary>The kind in whose description a call stands.</summary>
    private static string KindAround(GeneratorSyntaxContext context, SyntaxNode call, CancellationToken cancellation)
    {
        for (var node = call.Parent; node is not null; node = node.Parent)
        {
            if (node is InvocationExpressionSyntax { Expression: MemberAccessExpressionSyntax { Name.Identifier.ValueText: "Kind" } } outer
                && node != call && outer.ArgumentList.Span.Contains(call.Span))
                return Constant(context, outer, 0, cancellation) ?? AnyKind;
        }
        return AnyKind;
    }

    private static string? Constant(
        GeneratorSyntaxContext context, InvocationExpressionSyntax call, int argument, CancellationToken cancellation) =>
        call.ArgumentList.Arguments.Count > argument
        && context.SemanticModel.GetConstantValue(call.ArgumentList.Arguments[argument].Expression, cancellation)
            is { HasValue: true, Value: string { Length: > 0 } text } ? text : null;
}
