using System.Security.Cryptography;
using System.Text;
using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>
/// The digest of what a save has: of the root's members, and of all types that they lead to, in the words of ledgers. Two games with one
/// digest have the same saves.
/// </summary>
internal sealed class ShapeDigest(TypeCodecs codecs)
{
    /// <summary>How many bytes of the digest (SHA-256, FIPS 180-4) a save carries.</summary>
    private const int ByteCount = 8;

    private readonly SortedDictionary<string, string> _described = new(StringComparer.Ordinal);
    private readonly HashSet<ITypeSymbol> _visited = new(SymbolEqualityComparer.Default);

    public string Of(INamedTypeSymbol root, IEnumerable<ShapeMember> members)
    {
        var all = members.ToList();
        Describe(root, all);
        var text = string.Join("\n", _described.Select(type => $"{type.Key} {type.Value}"));
        using var digest = SHA256.Create();
        return string.Concat(digest.ComputeHash(Encoding.UTF8.GetBytes(text)).Take(ByteCount).Select(one => one.ToString("x2")));
    }

    private void Describe(INamedTypeSymbol type, List<ShapeMember> members)
    {
        var shapes = new TypeShapes(codecs);
        _described[TypeShapes.NameOf(type)] = shapes.Describe(type, members);
        foreach (var described in shapes.Described)
            _described[described.Key] = described.Value;
        foreach (var member in members)
            Visit(member.Type);
        foreach (var (_, variant) in ModelReader.VariantsOf(type))
            Visit(variant);
    }

    private void Visit(ITypeSymbol type)
    {
        if (!_visited.Add(type))
            return;
        if (codecs.AdapterOf(type) is { } adapter)
        {
            Visit(adapter.Saved!);
            return;
        }
        switch (type)
        {
            case IArrayTypeSymbol array:
                Visit(array.ElementType);
                break;
            case INamedTypeSymbol named:
                foreach (var argument in named.TypeArguments)
                    Visit(argument);
                if (TypeCodecs.IsStateType(named))
                    Describe(named, [.. ModelReader.ShapeMembers(named, codecs)]);
                break;
        }
    }
}
