using System.Text;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;
using Microsoft.CodeAnalysis.Text;

namespace Lodrik.Generator;

/// <summary>Writes, for every class marked [TransferCode], the layout of its codes.</summary>
[Generator(LanguageNames.CSharp)]
public sealed class TransferCodeGenerator : IIncrementalGenerator
{
    private const string TransferCodeAttribute = "Lodrik.Codes.TransferCodeAttribute";
    private const string InCodeAttribute = "Lodrik.Codes.InCodeAttribute";

    private static readonly HashSet<SpecialType> Integers =
    [
        SpecialType.System_SByte, SpecialType.System_Byte, SpecialType.System_Int16, SpecialType.System_UInt16, SpecialType.System_Int32,
        SpecialType.System_UInt32, SpecialType.System_Int64,
    ];

    /// <inheritdoc/>
    public void Initialize(IncrementalGeneratorInitializationContext context)
    {
        var layouts = context.SyntaxProvider.ForAttributeWithMetadataName(
            TransferCodeAttribute, static (node, _) => node is TypeDeclarationSyntax, Read);
        context.RegisterSourceOutput(layouts, static (context, layout) =>
        {
            foreach (var problem in layout.Problems)
                context.ReportDiagnostic(problem.ToDiagnostic());
            if (layout.Problems.Count == 0)
                context.AddSource(layout.HintName, SourceText.From(layout.Source, StateTypeGenerator.Utf8));
        });
    }

    private static CodeLayoutModel Read(GeneratorAttributeSyntaxContext context, CancellationToken cancellation)
    {
        var type = (INamedTypeSymbol)context.TargetSymbol;
        var (problems, fields) = (new List<DiagnosticModel>(), new StringBuilder());
        if (!type.DeclaringSyntaxReferences.All(one =>
            one.GetSyntax(cancellation) is TypeDeclarationSyntax declaration && declaration.Modifiers.Any(SyntaxKind.PartialKeyword))
            || type.ContainingType is not null || type.IsGenericType || type.IsAbstract || type.TypeKind != TypeKind.Class
                || !type.InstanceConstructors.Any(one => one.Parameters.Length == 0))
        {
            problems.Add(
                At(
                Diagnostics.BadTransferCode, type,
                [
                type.Name, "it has to be a partial class that is not nested, generic or abstract, with a constructor without "
                    + "parameters."]));
        }
        var members = type.GetMembers().Where(member => member.GetAttributes().Any(IsInCode)).ToList();
        if (members.Count == 0)
            problems.Add(At(Diagnostics.BadTransferCode, type, [type.Name, "none of its members is marked [InCode]."]));
        if (members.Select(member => member.Locations[0].SourceTree).Distinct().Count() > 1)
            problems.Add(At(Diagnostics.BadTransferCode, type,
                [type.Name, "its members are in several files, so the order of the fields would be left to chance."]));
        var since = 0;
        foreach (var member in members.OrderBy(member => member.Locations[0].SourceSpan.Start))
        {
            var attribute = member.GetAttributes().First(IsInCode);
            if (Named(attribute, "Since") is int later && later != since)
            {
                since = later;
                fields.Append($"\n            .Since({later}{(Named(attribute, "After") is string after ? $", {Text(after)}" : "")})");
            }
            if (Field(member, attribute) is { } field)
                fields.Append("\n            ").Append(field);
            else
                problems.Add(At(Diagnostics.BadCodeMember, member, [member.Name]));
        }
        var name = type.ToDisplayString();
        return new CodeLayoutModel($"{name}.Code.g.cs", problems.Count > 0 ? "" : Source(type, context.Attributes[0], fields),
            new EquatableList<DiagnosticModel>([.. problems]));
    }

    private static DiagnosticModel At(DiagnosticDescriptor problem, ISymbol symbol, string[] arguments) =>
        new(problem.Id, LocationModel.Of(symbol.DeclaringSyntaxReferences.FirstOrDefault()), new EquatableList<string>([.. arguments]));

    private static bool IsInCode(AttributeData attribute) => attribute.AttributeClass?.ToDisplayString() == InCodeAttribute;

    private static object? Named(AttributeData attribute, string name) =>
        attribute.NamedArguments.FirstOrDefault(one => one.Key == name).Value.Value;

    private static string Text(string text) => SymbolDisplay.FormatLiteral(text, quote: true);

    /// <summary>The call that declares a member's field; null if there is none for its type.</summary>
    private static string? Field(ISymbol member, AttributeData attribute)
    {
        var (type, isWritable) = member switch
        {
            IPropertySymbol { IsStatic: false, GetMethod: not null } property =>
                (property.Type, property.SetMethod is { IsInitOnly: false }),
            IFieldSymbol { IsStatic: false, IsReadOnly: var isReadOnly } field => (field.Type, !isReadOnly),
            _ => (null, false),
        };
        if (type is null)
            return null;
        var arguments = attribute.ConstructorArguments;
        var bounds = arguments.Length == 2 && arguments[0].Kind == TypedConstantKind.Primitive
            ? $"{arguments[0].Value}L, {arguments[1].Value}L"
            : null;
        var known = arguments.Length == 1 && arguments[0].Kind == TypedConstantKind.Array && arguments[0].Values.Length > 0
            ? $"[{string.Join(", ", arguments[0].Values.Select(one => Text((string?)one.Value ?? "")))}]"
            : null;
        var items = Named(attribute, "MostItems") as int? ?? 0;
        var key = Text(char.ToLowerInvariant(member.Name.TrimStart('_')[0]) + member.Name.TrimStart('_').Substring(1));
        var (get, target) = ($"state => state.{member.Name}", $"state.{member.Name}");
        var display = type.ToDisplayString(SymbolDisplayFormat.FullyQualifiedFormat);
        if (type is INamedTypeSymbol { IsGenericType: true, TypeArguments.Length: 1 } collection
            && collection.Name is "List" or "HashSet" or "SortedSet" or "ICollection" or "ISet" or "IList")
        {
            // Filled, not replaced: a collection that only its owner may set is as good.
            var item = ((INamedTypeSymbol)type).TypeArguments[0];
            var (itemName, isOrdered) = (item.ToDisplayString(SymbolDisplayFormat.FullyQualifiedFormat),
                collection.Name is "List" or "IList");
            string Fill(string value) => $"(state, values) => {{ {target}.Clear(); foreach (var value in values) {target}.Add({value}); }}";
            return (item.SpecialType, isOrdered && items > 0) switch
            {
                (SpecialType.System_String, false) when known is not null => $".Set({key}, {known}, {get}, {Fill("value")})",
                (SpecialType.System_String, true) when known is not null =>
                    $".Choices<string>({key}, {items}, {known}, state => [.. {target}], {Fill("value")})",
                (_, true) when Integers.Contains(item.SpecialType) && bounds is not null =>
                    $".Numbers({key}, {items}, {bounds}, state => [.. global::System.Linq.Enumerable.Select({target}, value => "
                        + $"(long)value)], {Fill($"({itemName})value")})",
                (_, true) when item.TypeKind == TypeKind.Enum =>
                    $".Choices<{itemName}>({key}, {items}, global::System.Enum.GetValues<{itemName}>(), state => [.. {target}], "
                        + $"{Fill("value")})",
                _ when item.ToDisplayString() == "Lodrik.Scenes.EntityId" && known is not null =>
                    $".Entities({key}, {known}, {get}, {Fill("value")})",
                _ => null,
            };
        }
        if (!isWritable || items > 0)
            return null;
        return type switch
        {
            { SpecialType: SpecialType.System_Boolean } => $".Flag({key}, {get}, (state, value) => {target} = value)",
            { SpecialType: SpecialType.System_String } when known is not null =>
                $".Choice<string>({key}, {known}, {get}, (state, value) => {target} = value)",
            { TypeKind: TypeKind.Enum } => $".Choice<{display}>({key}, {get}, (state, value) => {target} = value)",
            _ when Integers.Contains(type.SpecialType) && bounds is not null =>
                $".Number({key}, {bounds}, {get}, (state, value) => {target} = checked(({display})value))",
            _ => null,
        };
    }

    private static string Source(INamedTypeSymbol type, AttributeData attribute, StringBuilder fields)
    {
        var name = Text((string?)attribute.ConstructorArguments[0].Value ?? "");
        var options = string.Concat(new[] { "CheckCharacterCount", "Corrects", "GroupSize", "VariantCount" }
            .Select(option => (option, value: Named(attribute, option))).Where(one => one.value is not null)
                .Select(one => $" {one.option} = {one.value},"));
        var space = type.ContainingNamespace.IsGlobalNamespace ? "" : $"namespace {type.ContainingNamespace.ToDisplayString()};\n\n";
        return $$"""
            // <auto-generated>Made by Lodrik's generator from the members marked [InCode]; not to be edited.</auto-generated>
            #nullable enable

            {{space}}partial class {{type.Name}}
            {
                /// <summary>The layout of the transfer codes of <see cref="{{type.Name}}"/>.</summary>
                public static global::Lodrik.Codes.CodeLayout<{{type.Name}}> CodeLayout { get; } =
                    new global::Lodrik.Codes.CodeLayout<{{type.Name}}>(
                    {{name}},
                    {{Named(attribute, "Version") ?? 1}},
                    fields => fields{{fields}},
                    new global::Lodrik.Codes.CodeOptions {{{options}} },
                    oldest: {{Named(attribute, "Oldest") ?? 1}});
            }

            """.Replace("\r\n", "\n");
    }

    private sealed record CodeLayoutModel(string HintName, string Source, EquatableList<DiagnosticModel> Problems);
}
