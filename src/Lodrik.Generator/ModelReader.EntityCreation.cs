using System.Globalization;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

// How entities and components are created, and what their members begin with.
internal sealed partial class ModelReader
{
    /// <summary>How an object is created; null, with what is in the way, where it cannot be.</summary>
    private CreateModel? ReadEntityCreation(List<PartModel> parts, out string reason)
    {
        reason = "";
        if (_sort == DeclaredSort.Entity && type.GetMembers().OfType<IMethodSymbol>()
            .FirstOrDefault(one => one.IsStatic && Attribute(one, Scenes + "SpawnsAttribute") is not null) is { } factory)
        {
            if (Arguments(factory, parts, out var rows, out _, out reason) is { } arguments)
                return new CreateModel($"{TypeCodecs.Name(type)}.{Escaped(factory.Name)}({arguments})", new EquatableList<int>(rows));
            reason = $"its method '{factory.Name}' asks for {reason}";
            return null;
        }
        if (_sort == DeclaredSort.Component)
        {
            if (type.InstanceConstructors.Any(one => one.Parameters.All(parameter => parameter.HasExplicitDefaultValue)))
                return new CreateModel($"new {TypeCodecs.Name(type)}(){RequiredInitializer([])}", new EquatableList<int>([]));
            Problem(Diagnostics.BadEntity, type, type.Name,
                "it is a component, and has no constructor without parameters. Add one; it may be private.");
            return null;
        }
        string? first = null;
        foreach (var constructor in type.InstanceConstructors.Where(one => one.Parameters.Length != 1
            || !SymbolEqualityComparer.Default.Equals(one.Parameters[0].Type, type)).OrderByDescending(one => one.Parameters.Length))
        {
            if (Arguments(constructor, parts, out var rows, out var taken, out var problem) is not { } arguments)
            {
                first ??= $"its constructor asks for {problem}";
                continue;
            }
            if (Initializer(constructor, parts, rows, taken, out problem) is { } initializer)
                return new CreateModel($"new {TypeCodecs.Name(type)}({arguments}){initializer}",
                    new EquatableList<int>([.. rows.Distinct()]));
            first ??= problem;
        }
        reason = first ?? "it has no constructor";
        return null;
    }

    /// <summary>The arguments of a constructor or a method; null, with the parameter that nothing is known for.</summary>
    private string? Arguments(IMethodSymbol method, List<PartModel> parts, out List<int> rows, out HashSet<string> taken,
        out string problem)
    {
        (rows, taken, problem) = ([], [], "");
        var arguments = new List<string>();
        foreach (var parameter in method.Parameters)
        {
            if (Argument(parameter, parts, rows, taken) is { } argument)
                arguments.Add($"{Escaped(parameter.Name)}: {argument}");
            else if (!parameter.HasExplicitDefaultValue)
            {
                problem = $"'{TypeCodecs.Plain(parameter.Type)} {parameter.Name}', which is neither its id, its scene, its parent nor a "
                    + "saved member";
                return null;
            }
        }
        return string.Join(", ", arguments);
    }

    private string? Argument(IParameterSymbol parameter, List<PartModel> parts, List<int> rows, HashSet<string> taken)
    {
        var name = Plain(parameter.Type);
        if (_id is not null && (IsNamed(_id.Name, parameter) || IsNamed("id", parameter))
            && (name == Plain(TypeOf(_id)!) || name == Scenes + "EntityId"))
        {
            taken.Add(_id.Name);
            return name switch { "string" => "creation.Name", "long" => "creation.Number", _ => "creation.Id" };
        }
        if (name == Scenes + "EntityId")
        {
            if (_id is not null)
                taken.Add(_id.Name);
            return "creation.Id";
        }
        if (Attribute(parameter.Type.OriginalDefinition, SceneTypeAttribute) is not null)
            return $"({TypeCodecs.Name(parameter.Type)})creation.Scene";
        if (IsEntityType(parameter.Type))
            return $"creation.Parent as {TypeCodecs.Name(parameter.Type)}";
        if (name == "string" && IsNamed("kind", parameter) && !_saved.Exists(one => IsNamed(one.Member.Member.Name, parameter)))
            return "creation.Kind";
        for (var part = 0; part < parts.Count; part++)
        {
            for (var i = 0; i < parts[part].Members.Count; i++)
            {
                var member = parts[part].Members[i].Member;
                if (!IsNamed(member.Name, parameter) || _shape.Find(one => one.Name == member.Name) is not { } shape
                    || !(SymbolEqualityComparer.Default.Equals(shape.Type, parameter.Type)
                        || source?.Compilation.ClassifyCommonConversion(shape.Type, parameter.Type) is { Exists: true, IsImplicit: true }))
                    continue;
                rows.Add(part);
                taken.Add(member.Name);
                return $"{StateTypeSource.Has($"row{part}", i)} ? {Taken(parts[part].Members[i], part)} : {Argument(parameter)}";
            }
        }
        return null;
    }

    /// <summary>What is read of a member, as a copy that belongs to the new object.</summary>
    private static string Taken(SavedMember member, int part) => member.IsPlain
        ? $"row{part}.{Escaped(member.Member.Name)}"
        : $"global::Lodrik.State.StateTypes.Copy<{member.Member.TypeName}, {member.RowCodec}>(row{part}.{Escaped(member.Member.Name)}, "
            + "default, null)";

    private string RequiredInitializer(HashSet<string> taken)
    {
        var all = RequiredMembers().Where(name => !taken.Contains(name)).Select(name => $"{Escaped(name)} = default").ToList();
        return all.Count == 0 ? "" : $" {{ {string.Join(", ", all)} }}";
    }

    /// <summary>What is set in the same expression: the id, and members that cannot be set later.</summary>
    private string? Initializer(IMethodSymbol constructor, List<PartModel> parts, List<int> rows, HashSet<string> taken, out string problem)
    {
        problem = "";
        var all = new List<string>();
        if (_id is not null && !taken.Contains(_id.Name))
        {
            if (_id is IPropertySymbol { SetMethod: null } or IFieldSymbol { IsReadOnly: true })
            {
                problem = $"its id '{_id.Name}' has no setter, and its constructor does not take it";
                return null;
            }
            taken.Add(_id.Name);
            all.Add($"{Escaped(_id.Name)} = "
                + (Plain(TypeOf(_id)!) switch { "string" => "creation.Name", "long" => "creation.Number", _ => "creation.Id" }));
        }
        var setsRequired = constructor.GetAttributes().Any(one =>
            one.AttributeClass?.ToDisplayString() == "System.Diagnostics.CodeAnalysis.SetsRequiredMembersAttribute");
        for (var part = 0; part < parts.Count; part++)
        {
            for (var i = 0; i < parts[part].Members.Count; i++)
            {
                var member = parts[part].Members[i];
                if (taken.Contains(member.Member.Name))
                    continue;
                var isRequired = member.Member.IsRequired && !setsRequired;
                if (!member.IsFixed && !isRequired)
                    continue;
                if (member.IsFixed && _symbols[member.Member.Name] is IPropertySymbol { SetMethod: null } or IFieldSymbol)
                {
                    problem = $"'{member.Member.Name}' has no setter, and its constructor does not take it. Give it a setter, or mark it "
                        + "with [NotSaved]";
                    return null;
                }
                rows.Add(part);
                taken.Add(member.Member.Name);
                all.Add($"{Escaped(member.Member.Name)} = {Taken(member, part)}");
            }
        }
        if (!setsRequired)
            all.AddRange(RequiredMembers().Where(name => !taken.Contains(name)).Select(name => $"{Escaped(name)} = default"));
        return all.Count == 0 ? "" : $" {{ {string.Join(", ", all)} }}";
    }

    /// <summary>The constant that a member of a new object has, as source; null if it is none.</summary>
    private string? InitialOf(ISymbol symbol, ITypeSymbol memberType)
    {
        if (IsElsewhere(symbol) || IsAssignedByConstructor(symbol)
            || symbol is IPropertySymbol { IsRequired: true } or IFieldSymbol { IsRequired: true })
            return null;
        var value = symbol.DeclaringSyntaxReferences.Select(reference => reference.GetSyntax(cancellation)).Select(syntax => syntax switch
        {
            PropertyDeclarationSyntax property => property.Initializer?.Value,
            VariableDeclaratorSyntax field => field.Initializer?.Value,
            _ => null,
        }).FirstOrDefault(one => one is not null);
        // A property that computes what it gives begins with whatever that is.
        if (symbol is IPropertySymbol own && !IsAutomatic(own))
            return null;
        var name = TypeCodecs.Name(memberType);
        if (value is null)
            return IsNeverNull(memberType) ? null : memberType.IsReferenceType ? "null" : $"default({name})";
        if (value is PostfixUnaryExpressionSyntax { RawKind: (int)SyntaxKind.SuppressNullableWarningExpression } forgiven)
            value = forgiven.Operand;
        switch (value)
        {
            case CollectionExpressionSyntax { Elements.Count: 0 }:
            case BaseObjectCreationExpressionSyntax { ArgumentList: null or { Arguments.Count: 0 }, Initializer: null }:
                return memberType switch
                {
                    IArrayTypeSymbol { Rank: 1 } array => $"global::System.Array.Empty<{TypeCodecs.Name(array.ElementType)}>()",
                    // Anything else than a collection is what its own constructor makes of it.
                    INamedTypeSymbol { TypeKind: TypeKind.Class, IsAbstract: false } named when ItemOf(named) is not null =>
                        $"new {name}()",
                    _ => null,
                };
        }
        var model = source?.Compilation.GetSemanticModel(value.SyntaxTree);
        if (model?.GetConstantValue(value, cancellation) is not { HasValue: true } constant)
            return null;
        return constant.Value switch
        {
            null => memberType.IsReferenceType || CanBeNull(memberType) ? "null" : $"default({name})",
            _ when memberType is INamedTypeSymbol { OriginalDefinition.SpecialType: SpecialType.System_Nullable_T } nullable =>
                $"({name}){Literal(constant.Value, nullable.TypeArguments[0])}",
            _ => Literal(constant.Value, memberType),
        };
    }

    private static string Literal(object value, ITypeSymbol type) => value switch
    {
        string or char => SymbolDisplay.FormatPrimitive(value, quoteStrings: true, useHexadecimalNumbers: false),
        bool flag => flag ? "true" : "false",
        float.NaN => "float.NaN",
        double.NaN => "double.NaN",
        float number when float.IsInfinity(number) => number > 0 ? "float.PositiveInfinity" : "float.NegativeInfinity",
        double number when double.IsInfinity(number) => number > 0 ? "double.PositiveInfinity" : "double.NegativeInfinity",
        float number => number.ToString("R", CultureInfo.InvariantCulture) + "F",
        double number => number.ToString("R", CultureInfo.InvariantCulture) + "D",
        decimal number => number.ToString(CultureInfo.InvariantCulture) + "M",
        _ => $"({TypeCodecs.Name(type)})({SymbolDisplay.FormatPrimitive(value, quoteStrings: true, useHexadecimalNumbers: false)})",
    };

    private bool IsAssignedByConstructor(ISymbol symbol)
    {
        foreach (var owner in Above(type).Prepend(type))
        {
            if (owner.SpecialType == SpecialType.System_Object)
                break;
            foreach (var reference in owner.InstanceConstructors.SelectMany(one => one.DeclaringSyntaxReferences))
            {
                // A primary constructor is the declaration of the type itself, and has no body.
                if (reference.GetSyntax(cancellation) is ConstructorDeclarationSyntax constructor && constructor.DescendantNodes()
                    .OfType<AssignmentExpressionSyntax>()
                    .SelectMany(one => one.Left.DescendantNodesAndSelf()).OfType<IdentifierNameSyntax>()
                    .Any(one => one.Identifier.ValueText == symbol.Name))
                    return true;
            }
            // Nobody sees what a constructor of another assembly does to the members that it declares, but it knows none of these.
        }
        return false;
    }
}
