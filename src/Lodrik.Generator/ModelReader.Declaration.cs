using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

// What the source of the type says, beyond what its symbols do.
internal sealed partial class ModelReader
{
    private void CheckPartial()
    {
        for (var current = type; current is not null; current = current.ContainingType)
        {
            var isPartial = current.DeclaringSyntaxReferences
                .Select(reference => reference.GetSyntax(cancellation))
                .OfType<TypeDeclarationSyntax>()
                .Any(syntax => syntax.Modifiers.Any(SyntaxKind.PartialKeyword));
            if (!isPartial)
                Problem(Diagnostics.NotPartial, current, current.Name,
                    SymbolEqualityComparer.Default.Equals(current, type) ? "it" : $"'{type.Name}'");
        }
    }

    private void CheckKind()
    {
        if (type.IsRefLikeType)
            Problem(Diagnostics.BadType, type, type.Name,
                "it is a ref struct, which cannot be kept in an object. Make it an ordinary struct.");
        else if (IsFileLocal(type))
            Problem(Diagnostics.BadType, type, type.Name,
                "it is local to its file, and the code that saves it is generated into another one. Make it internal.");
        else if (GenericTypes.Parameters(type).FirstOrDefault(one => GenericTypes.IsReserved(one.Name)) is { } reserved)
            Problem(Diagnostics.BadType, type, type.Name,
                $"generated code uses the name of its type parameter '{reserved.Name}'. Rename it.");
    }

    /// <summary>Whether code can be generated into a type; if not, that is reported at the type itself.</summary>
    public static bool CanBeExtended(INamedTypeSymbol type) =>
        !IsFileLocal(type) && !type.IsRefLikeType && IsPartial(type)
            && !GenericTypes.Parameters(type).Any(one => GenericTypes.IsReserved(one.Name));

    private static bool IsFileLocal(INamedTypeSymbol type) => type.IsFileLocal || (type.ContainingType is { } outer && IsFileLocal(outer));

    private static bool IsPartial(INamedTypeSymbol type) => type.DeclaringSyntaxReferences.IsEmpty
        || (type.DeclaringSyntaxReferences.Select(reference => reference.GetSyntax()).OfType<TypeDeclarationSyntax>()
            .Any(syntax => syntax.Modifiers.Any(SyntaxKind.PartialKeyword)) && (type.ContainingType is not { } outer || IsPartial(outer)));

    /// <summary>The length of an array that stays the one it is, as far as its initial value says; 0 for one that is not known.</summary>
    private int LengthOf(ISymbol symbol)
    {
        var value = symbol.DeclaringSyntaxReferences.Select(reference => reference.GetSyntax(cancellation)).Select(syntax => syntax switch
        {
            PropertyDeclarationSyntax property => property.Initializer?.Value,
            VariableDeclaratorSyntax field => field.Initializer?.Value,
            _ => null,
        }).FirstOrDefault(initial => initial is not null);
        return value switch
        {
            ArrayCreationExpressionSyntax { Initializer: { } items } => items.Expressions.Count,
            ArrayCreationExpressionSyntax made => ConstantOf(made.Type.RankSpecifiers[0].Sizes[0]),
            ImplicitArrayCreationExpressionSyntax made => made.Initializer.Expressions.Count,
            CollectionExpressionSyntax made when made.Elements.All(one => one is ExpressionElementSyntax) => made.Elements.Count,
            _ => 0,
        };
    }

    /// <summary>
    /// Whether a comparer that ignores case is named where the member gets its value: in its declaration, or in a constructor of its type.
    /// </summary>
    private bool IgnoresCase(ISymbol symbol)
    {
        var assigned = symbol.ContainingType.InstanceConstructors.SelectMany(constructor => constructor.DeclaringSyntaxReferences)
            .SelectMany(reference => reference.GetSyntax(cancellation).DescendantNodes()).OfType<AssignmentExpressionSyntax>()
            .Where(assignment => assignment.Left.DescendantNodesAndSelf().OfType<IdentifierNameSyntax>().LastOrDefault()?
                .Identifier.ValueText == symbol.Name)
            .Select(assignment => (SyntaxNode)assignment.Right);
        return symbol.DeclaringSyntaxReferences.Select(reference => reference.GetSyntax(cancellation)).Concat(assigned)
            .SelectMany(node => node.DescendantNodesAndSelf()).OfType<MemberAccessExpressionSyntax>()
            .Any(access => access.Name.Identifier.ValueText.EndsWith("IgnoreCase", StringComparison.Ordinal)
                && access.Expression is IdentifierNameSyntax { Identifier.ValueText: nameof(StringComparer) }
                    or MemberAccessExpressionSyntax { Name.Identifier.ValueText: nameof(StringComparer) });
    }

    /// <summary>Whether an accessor was written, and not made by the compiler.</summary>
    private bool HasBody(IMethodSymbol accessor) =>
        accessor.DeclaringSyntaxReferences.Select(reference => reference.GetSyntax(cancellation))
        .OfType<AccessorDeclarationSyntax>().Any(syntax => syntax.Body is not null || syntax.ExpressionBody is not null);

    private int ConstantOf(ExpressionSyntax size) =>
        source?.Compilation.GetSemanticModel(size.SyntaxTree).GetConstantValue(size, cancellation).Value as int? ?? 0;
}
