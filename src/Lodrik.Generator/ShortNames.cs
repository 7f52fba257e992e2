using System.Text.RegularExpressions;
using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>
/// Writes generated code with <c>using</c> directives and short names, as a person would. A name that means something else where the type
/// is declared stays fully qualified, so that no name of the game's can break the code.
/// </summary>
internal static class ShortNames
{
    /// <summary>The namespaces of which names are shortened, those first that begin with another.</summary>
    private static readonly string[] Namespaces =
    [
        "Lodrik.State", "Lodrik", "System.CodeDom.Compiler",
            "System.Collections.Generic", "System.ComponentModel", "System.Diagnostics.CodeAnalysis",
        "System.Diagnostics", "System.Numerics", "System.Runtime.CompilerServices",
    ];

    /// <summary>The names that generated code uses whatever the members are.</summary>
    private static readonly string[] Always =
    [
        .. Of(
            "Lodrik.State", "CompareContext", "CopyContext", "IRowReader", "IRowWriter",
                "ISharedCodec", "IStateCodec", "IStateReader", "IStateRoot", "IStateType", "IStateWriter",
            "KeyTable", "RowMember", "RowShape", "SeenKeys", "SharedObjects", "StateContent", "StateRoot", "StateShape", "StateTypes"),
        .. Of("System.CodeDom.Compiler", "GeneratedCode"),
        .. Of("System.ComponentModel", "EditorBrowsable", "EditorBrowsableState"),
        .. Of("System.Diagnostics", "DebuggerNonUserCode"),
        .. Of("System.Diagnostics.CodeAnalysis", "ExcludeFromCodeCoverage"),
        .. Of("System.Runtime.CompilerServices", "UnsafeAccessor", "UnsafeAccessorKind"),
    ];

    private static readonly Regex Qualified = new(
        $@"global::(?:({string.Join("|", Namespaces.Select(Regex.Escape))})\.(?!(?:CodeAnalysis|State)\.)"
        + @"|(System)\.(?=(?:ReadOnlySpan|Span|Guid|TimeSpan|DateTime|DateTimeOffset)\b))(\w+)",
        RegexOptions.Compiled | RegexOptions.CultureInvariant);

    /// <summary>The names that mean something else at a place in the game's source.</summary>
    /// <param name="texts">Codecs and types that the generated code names.</param>
    /// <param name="type">The type that it is generated for.</param>
    /// <param name="source">The source that declares the type.</param>
    /// <param name="position">Where it declares it.</param>
    public static List<string> Shadowed(IEnumerable<string> texts, INamedTypeSymbol type, SemanticModel source, int position)
    {
        var names = Always.Concat(texts).SelectMany(text => Qualified.Matches(text).Cast<Match>())
            .Select(Split)
            .Distinct()
            .ToList();
        var imported = names.Select(one => one.Namespace).Distinct().Select(name => Find(source.Compilation.GlobalNamespace, name))
            .OfType<INamespaceSymbol>().ToList();
        return
        [
            .. IsMember(type, type.Name) ? new[] { type.Name } : [],
            .. names.Where(one =>
                IsMember(type, one.Name) || IsOtherType(one.Namespace, one.Name) || IsOtherType(one.Namespace, one.Name + "Attribute"))
                .Select(one => one.Name).Distinct().OrderBy(name => name, StringComparer.Ordinal),
        ];

        bool IsOtherType(string inNamespace, string name) =>
            source.LookupNamespacesAndTypes(position, null, name)
                .Any(symbol => symbol is INamespaceSymbol || symbol.ContainingNamespace?.ToDisplayString() != inNamespace)
            || imported.Any(one => one.ToDisplayString() != inNamespace
                && one.GetTypeMembers(name).Any(found => found.DeclaredAccessibility == Accessibility.Public));
    }

    /// <summary>Shortens the names in generated code, and says which namespaces it has to use for that.</summary>
    public static string Shorten(string source, IReadOnlyCollection<string> shadowed, out IReadOnlyCollection<string> namespaces)
    {
        var used = new SortedSet<string>(StringComparer.Ordinal);
        var shortened = Qualified.Replace(source, match =>
        {
            var (inNamespace, name) = Split(match);
            if (shadowed.Contains(name))
                return match.Value;
            used.Add(inNamespace);
            return name;
        });
        namespaces = used;
        return shortened;
    }

    /// <summary>Writes the name of the type that the code is in without what is around it.</summary>
    public static string ShortenOwn(string source, string typeName) =>
        Regex.Replace(source, Regex.Escape(typeName) + @"(?![\w<])", typeName.Substring(OwnName(typeName)), RegexOptions.CultureInvariant);

    /// <summary>Where the type's own name begins: after the last dot before its arguments.</summary>
    private static int OwnName(string typeName)
    {
        var arguments = typeName.IndexOf('<');
        var end = arguments < 0 ? typeName.Length : arguments;
        var dot = typeName.LastIndexOf('.', end - 1);
        return dot < 0 ? "global::".Length : dot + 1;
    }

    private static (string Namespace, string Name) Split(Match match) =>
        (match.Groups[1].Value + match.Groups[2].Value, match.Groups[3].Value);

    private static IEnumerable<string> Of(string inNamespace, params string[] names) =>
        names.Select(name => $"global::{inNamespace}.{name}");

    private static INamespaceSymbol? Find(INamespaceSymbol root, string name)
    {
        var found = root;
        foreach (var step in name.Split('.'))
        {
            found = found.GetNamespaceMembers().FirstOrDefault(one => one.Name == step);
            if (found is null)
                return null;
        }
        return found;
    }

    private static bool IsMember(INamedTypeSymbol type, string name)
    {
        for (var outer = type; outer is not null; outer = outer.ContainingType)
        {
            for (var one = outer; one is not null; one = one.BaseType)
            {
                if (one.GetMembers(name).Length > 0)
                    return true;
            }
            if (outer.TypeParameters.Any(parameter => parameter.Name == name))
                return true;
        }
        return false;
    }
}
