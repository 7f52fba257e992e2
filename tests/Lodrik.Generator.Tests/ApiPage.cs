using System.Text;
using System.Text.RegularExpressions;
using System.Xml.Linq;
using Microsoft.CodeAnalysis;

namespace Lodrik.Generator.Tests;

/// <summary>A page of the public interface: every type of a namespace with its members, as the compiler and their comments have them.</summary>
internal sealed partial class ApiPage(Compilation compilation, INamespaceSymbol space)
{
    private const int MostParameters = 90;

    private static readonly SymbolDisplayFormat Signature = new(
        genericsOptions: SymbolDisplayGenericsOptions.IncludeTypeParameters,
        memberOptions: SymbolDisplayMemberOptions.IncludeType | SymbolDisplayMemberOptions.IncludeParameters | SymbolDisplayMemberOptions.IncludeConstantValue | SymbolDisplayMemberOptions.IncludeRef,
        parameterOptions: SymbolDisplayParameterOptions.IncludeType | SymbolDisplayParameterOptions.IncludeName | SymbolDisplayParameterOptions.IncludeDefaultValue | SymbolDisplayParameterOptions.IncludeModifiers | SymbolDisplayParameterOptions.IncludeExtensionThis,
        propertyStyle: SymbolDisplayPropertyStyle.ShowReadWriteDescriptor,
        delegateStyle: SymbolDisplayDelegateStyle.NameAndSignature,
        miscellaneousOptions: SymbolDisplayMiscellaneousOptions.UseSpecialTypes | SymbolDisplayMiscellaneousOptions.IncludeNullableReferenceTypeModifier | SymbolDisplayMiscellaneousOptions.AllowDefaultLiteral);

    private static readonly SymbolDisplayFormat Heading = new(genericsOptions: SymbolDisplayGenericsOptions.IncludeTypeParameters, typeQualificationStyle: SymbolDisplayTypeQualificationStyle.NameAndContainingTypes);

    /// <summary>The types of a namespace that games see; the generated codec in a state type is not for them.</summary>
    public static List<INamedTypeSymbol> TypesOf(INamespaceSymbol space) =>
        [.. space.GetTypeMembers().SelectMany(WithNested).Where(type => IsVisible(type) && type.Name != "StateCodec").OrderBy(type => type.ToDisplayString(Heading), StringComparer.Ordinal)];

    /// <summary>What somebody who looks the type up reads first.</summary>
    public static string Summary(Compilation compilation, ISymbol symbol) => Text(Comment(symbol, compilation)?.Element("summary"));

    /// <summary>The codecs that generated code composes have nothing to say beyond what their contract does.</summary>
    public static bool IsPlumbing(INamedTypeSymbol type) => type is { TypeKind: TypeKind.Struct, Interfaces.Length: > 0 } && string.IsNullOrEmpty(type.GetDocumentationCommentXml());

    public string Write()
    {
        var page = new StringBuilder($"# {space.ToDisplayString()}\n\nThe public interface of the namespace, made from the assembly and its comments by a test, which also keeps it true.\n");
        var types = TypesOf(space).ToLookup(IsPlumbing);
        foreach (var type in types[false])
            Write(type, page);
        if (types[true].Any())
            page.Append($"\n## Composed by generated code\n\n{string.Join(", ", types[true].Select(type => $"`{type.ToDisplayString(Heading)}`"))}: one for each type that can be saved, or sort of collection.\n");
        return page.ToString();
    }

    /// <summary>The anchor of a type's heading, as it is made of its words.</summary>
    public static string Anchor(INamedTypeSymbol type) => NoLetter().Replace(type.ToDisplayString(Heading).ToLowerInvariant(), "").Replace(' ', '-');

    /// <summary>What stands in a type's table.</summary>
    public static List<ISymbol> MembersOf(INamedTypeSymbol type) => type.TypeKind == TypeKind.Delegate ? [] : [.. type.GetMembers().Where(IsShown)];

    private void Write(INamedTypeSymbol type, StringBuilder page)
    {
        page.Append($"\n## {type.ToDisplayString(Heading).Replace("<", "\\<", StringComparison.Ordinal)}\n\n*{Kind(type)}*{Above(type)}");
        if (Summary(compilation, type) is { Length: > 0 } summary)
            page.Append($" – {summary}");
        page.Append('\n');
        var members = MembersOf(type);
        if (members.Count == 0)
            return;
        page.Append("\n| | |\n|---|---|\n");
        foreach (var member in members)
            page.Append($"| {Code(Shown(member))} | {Cell(member)} |\n");
    }

    private string Cell(ISymbol member)
    {
        var comment = Comment(member, compilation);
        var text = new StringBuilder(Text(comment?.Element("summary")));
        var returns = Text(comment?.Element("returns"));
        if (returns.Length > 0)
            text.Append($" *Returns* {returns}");
        foreach (var parameter in comment?.Elements("param") ?? [])
        {
            if (Text(parameter) is { Length: > 0 } told)
                text.Append($"<br>`{parameter.Attribute("name")?.Value}`: {told}");
        }
        foreach (var error in comment?.Elements("exception") ?? [])
            text.Append($"<br>*Throws* {Reference(error)}: {Text(error)}");
        return text.ToString().Trim().Replace("|", "\\|", StringComparison.Ordinal);
    }

    private static string Shown(ISymbol member)
    {
        var shown = (member.IsStatic && member is not IFieldSymbol { HasConstantValue: true } && member.ContainingType.TypeKind != TypeKind.Enum && !member.ContainingType.IsStatic ? "static " : "") + member.ToDisplayString(Signature);
        if (member is IFieldSymbol { ContainingType.TypeKind: TypeKind.Enum })
            shown = member.Name;
        // A long list of parameters is told by their names.
        if (shown.Length > MostParameters && member is IMethodSymbol { Parameters.Length: > 1 } method)
            shown = $"{shown[..shown.IndexOf('(', StringComparison.Ordinal)]}({string.Join(", ", method.Parameters.Select(parameter => parameter.Name + (parameter.IsOptional ? "?" : "")))})";
        return shown;
    }

    private static string Code(string text) => $"`{text.Replace("|", "\\|", StringComparison.Ordinal)}`";

    private static string Kind(INamedTypeSymbol type) => type.TypeKind switch
    {
        TypeKind.Interface => "interface",
        TypeKind.Enum => "enum",
        TypeKind.Delegate => $"delegate `{type.DelegateInvokeMethod!.ReturnType.ToDisplayString(Signature)}({string.Join(", ", type.DelegateInvokeMethod.Parameters.Select(parameter => parameter.ToDisplayString(Signature)))})`",
        TypeKind.Struct => type.IsRecord ? "record struct" : type.IsRefLikeType ? "ref struct" : "struct",
        _ => $"{(type.IsStatic ? "static " : type.IsAbstract ? "abstract " : "")}{(type.IsRecord ? "record" : "class")}",
    };

    private static string Above(INamedTypeSymbol type) =>
        type.BaseType is { SpecialType: SpecialType.None } above && type.TypeKind == TypeKind.Class ? $", a `{above.ToDisplayString(Heading)}`" : "";

    private static IEnumerable<INamedTypeSymbol> WithNested(INamedTypeSymbol type) => type.GetTypeMembers().SelectMany(WithNested).Prepend(type);

    private static bool IsVisible(ISymbol symbol)
    {
        for (var at = symbol; at is not null and not INamespaceSymbol; at = at.ContainingSymbol)
        {
            if (at.DeclaredAccessibility is not (Accessibility.Public or Accessibility.Protected or Accessibility.ProtectedOrInternal))
                return false;
        }
        return true;
    }

    /// <summary>What the compiler adds to records, what every object has, and what only does as an interface says, is no news.</summary>
    private static bool IsShown(ISymbol member) => IsVisible(member) && (Implemented(member) is null || !string.IsNullOrEmpty(member.GetDocumentationCommentXml())) && !member.IsImplicitlyDeclared && member is not INamedTypeSymbol && member.Name is not ("Equals" or "GetHashCode" or "ToString" or "Deconstruct" or "GetEnumerator" or "PrintMembers" or "EqualityContract" or "<Clone>$") && member is
        IPropertySymbol or IEventSymbol or IFieldSymbol or IMethodSymbol { MethodKind: MethodKind.Ordinary or MethodKind.Conversion }
        or IMethodSymbol { MethodKind: MethodKind.Constructor, Parameters: not [] };

    private static XElement? Comment(ISymbol symbol, Compilation compilation)
    {
        var xml = symbol.GetDocumentationCommentXml();
        if (string.IsNullOrWhiteSpace(xml))
            return null;
        var comment = XElement.Parse(xml.StartsWith("<member", StringComparison.Ordinal) ? xml : $"<member>{xml}</member>");
        if (comment.Element("inheritdoc") is not { } inherited)
            return comment;
        var origin = inherited.Attribute("cref") is { } named ? DocumentationCommentId.GetFirstSymbolForDeclarationId(named.Value, compilation)
            : symbol is INamedTypeSymbol type ? type.Interfaces.FirstOrDefault() ?? type.BaseType
            : (symbol as IMethodSymbol)?.OverriddenMethod ?? (symbol as IPropertySymbol)?.OverriddenProperty ?? Implemented(symbol);
        var from = origin is null || SymbolEqualityComparer.Default.Equals(origin, symbol) ? null : Comment(origin, compilation);
        // What stands beside <inheritdoc/> comes first.
        foreach (var element in from?.Elements().Where(element => element.Name != "param" && comment.Element(element.Name) is null).ToList() ?? [])
            comment.Add(element);
        return comment;
    }

    private static ISymbol? Implemented(ISymbol symbol) => symbol.ContainingType.AllInterfaces.SelectMany(one => one.GetMembers(symbol.Name))
        .FirstOrDefault(member => SymbolEqualityComparer.Default.Equals(symbol.ContainingType.FindImplementationForInterfaceMember(member), symbol));

    private static string Text(XElement? element) => element is null ? "" : Blanks().Replace(string.Concat(element.Nodes().Select(Piece)), " ").Trim();

    private static string Piece(XNode node) => node switch
    {
        XText text => text.Value.Replace("<", "\\<", StringComparison.Ordinal).Replace("*", "\\*", StringComparison.Ordinal).Replace("_", "\\_", StringComparison.Ordinal),
        XElement { Name.LocalName: "see" or "seealso" } reference => Reference(reference),
        XElement { Name.LocalName: "paramref" or "typeparamref" } name => $"`{name.Attribute("name")?.Value}`",
        XElement { Name.LocalName: "c" or "code" } code => $"`{code.Value}`",
        XElement other => " " + Text(other),
        _ => "",
    };

    /// <summary>The name behind a reference, without namespaces and parameters.</summary>
    private static string Reference(XElement reference)
    {
        if (reference.Attribute("langword") is { } word)
            return $"`{word.Value}`";
        if (reference.Attribute("cref") is not { } target)
            return Text(reference);
        var name = Parameters().Replace(target.Value[2..], "");
        var parts = Arity().Replace(name, "").Split('.');
        return $"`{string.Join('.', parts.Skip(target.Value[0] == 'T' ? parts.Length - 1 : Math.Max(parts.Length - 2, 0)))}`".Replace("#ctor", "new", StringComparison.Ordinal);
    }

    [GeneratedRegex(@"\s+")]
    private static partial Regex Blanks();

    [GeneratedRegex(@"\(.*")]
    private static partial Regex Parameters();

    [GeneratedRegex("``?[0-9]+")]
    private static partial Regex Arity();

    [GeneratedRegex("[^a-z0-9 -]")]
    private static partial Regex NoLetter();
}
