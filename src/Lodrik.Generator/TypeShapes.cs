using System.Text;
using Lodrik.State;
using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>A saved member, as ledgers describe it.</summary>
/// <param name="Key">Its key in the save.</param>
/// <param name="Name">Its name in C#.</param>
/// <param name="Type">Its type.</param>
/// <param name="IsRequired">Whether a save has to have it.</param>
/// <param name="Length">How many items an array of fixed length has; 0 for anything else.</param>
/// <param name="IgnoresCase">Whether it is a set or a map of texts that ignores their case.</param>
/// <param name="FormerKeys">The keys that it had before.</param>
internal sealed record ShapeMember(
    string Key, string Name, ITypeSymbol Type, bool IsRequired, int Length, bool IgnoresCase, IReadOnlyList<string> FormerKeys);

/// <summary>
/// Says what a save has for a type, in the words of ledgers, whichever of the C# types with the same saved form it is. Types of the game
/// that are met on the way are described where nobody else would: enums, and generic types with their arguments.
/// </summary>
internal sealed class TypeShapes(TypeCodecs codecs)
{
    /// <summary>Groups of sections, which are not values and have words all the same.</summary>
    private static readonly Dictionary<string, string> Groups = new()
    {
        ["Lodrik.SceneArchive"] = "scenes",
        ["Lodrik.SessionArchive"] = "session",
    };

    /// <summary>What the names of collections end with that are more than a list, or less.</summary>
    private static readonly (string Ending, string Word)[] Collections =
        [("SortedSet", "sortedset"), ("Set", "set"), ("Queue", "queue"), ("Stack", "stack")];

    private readonly SortedDictionary<string, string> _described = new(StringComparer.Ordinal);

    /// <summary>The enums and the generic types that were met, each with its description.</summary>
    public IReadOnlyDictionary<string, string> Described => _described;

    /// <summary>The type in words; <c>any</c> for one that is not known.</summary>
    public string Of(ITypeSymbol type)
    {
        if (codecs.AdapterOf(type) is { } adapter)
        {
            // Of a name in a catalogue, the ledger says in which.
            return adapter.Adapter.OriginalDefinition.ToDisplayString() == "Lodrik.State.CatalogueAdapter<T, TSource>"
                ? $"entry<{NameOf(adapter.Adapter.TypeArguments[1])}>"
                : Of(adapter.Saved!);
        }
        var word = WithoutNull(type);
        return type.NullableAnnotation == NullableAnnotation.Annotated && type.IsReferenceType ? word + "?" : word;
    }

    /// <summary>Describes members that are saved together and are no type of their own.</summary>
    public void Add(string name, IEnumerable<ShapeMember> members)
    {
        var parts = members.OrderBy(member => member.Key, StringComparer.Ordinal).ToList();
        _described[name] = "{ \"members\": { " + string.Join(", ", parts.Select(member => $"{Quote(member.Key)}: {Quote(Of(member))}"))
            + " }"
            + Written("named", parts.Where(member => ModelReader.CamelCase(member.Name) != member.Key)
                .Select(member => (member.Key, ModelReader.CamelCase(member.Name))))
            + Written("formerKeys", parts.SelectMany(member => member.FormerKeys.Select(former => (former, member.Key))))
            + ", \"struct\": true }";

        static string Written(string group, IEnumerable<(string Key, string Value)> entries)
        {
            var all = entries.OrderBy(entry => entry.Key, StringComparer.Ordinal).Select(entry =>
                $"{Quote(entry.Key)}: {Quote(entry.Value)}").ToList();
            return all.Count == 0 ? "" : $", \"{group}\": {{ {string.Join(", ", all)} }}";
        }
    }

    /// <summary>Describes a type that stands for itself in the shape: its entry among the types.</summary>
    public string Describe(INamedTypeSymbol type, IEnumerable<ShapeMember> members)
    {
        var parts = new List<string>();
        var all = members.ToList();
        Add("members", all.Select(member => (member.Key, Of(member))));
        Add("named", all.Where(member => ModelReader.CamelCase(member.Name) != member.Key)
            .Select(member => (member.Key, ModelReader.CamelCase(member.Name))));
        Add("formerKeys", all.SelectMany(member => member.FormerKeys.Select(former => (former, member.Key))));
        if (all.Any(member => member.IsRequired))
            parts.Add($"\"required\": [{string.Join(", ", all.Where(member => member.IsRequired).Select(member => Quote(member.Key)))}]");
        Add("variants", ModelReader.VariantsOf(type).Select(variant => (variant.Name, NameOf(variant.Type))));
        if (type.IsValueType)
            parts.Add("\"struct\": true");
        if (TypeCodecs.IsShared(type))
            parts.Add("\"shared\": true");
        if (ModelReader.KeepsUnknown(type))
            parts.Add("\"keepsUnknown\": true");
        return $"{{ {string.Join(", ", parts)} }}";

        void Add(string name, IEnumerable<(string Key, string Value)> entries)
        {
            var written = entries.OrderBy(entry => entry.Key, StringComparer.Ordinal)
                .Select(entry => $"{Quote(entry.Key)}: {Quote(entry.Value)}").ToList();
            if (written.Count > 0 || name == "members")
                parts.Add($"\"{name}\": {{ {string.Join(", ", written)} }}");
        }
    }

    private string Of(ShapeMember member)
    {
        var word = Of(member.Type);
        if (member.Length > 0)
            return $"{word}*{member.Length}";
        var text = word.IndexOf("<text", StringComparison.Ordinal);
        return member.IgnoresCase && text > 0 && text == word.IndexOf('<')
            ? word.Insert(text + "<text".Length, $" {Migrations.ShapeExpression.Caseless}")
            : word;
    }

    /// <summary>A type's name in the shape: its full one, as C# writes it.</summary>
    public static string NameOf(ITypeSymbol type) =>
        type.WithNullableAnnotation(NullableAnnotation.NotAnnotated).ToDisplayString(SymbolDisplayFormat.CSharpErrorMessageFormat);

    /// <summary>A text as JSON has it.</summary>
    public static string Quote(string text)
    {
        var quoted = new StringBuilder("\"");
        foreach (var c in text)
        {
            if (c is '"' or '\\')
                quoted.Append('\\').Append(c);
            else if (c < ' ' || c > '~')
                quoted.Append($"\\u{(int)c:x4}");
            else
                quoted.Append(c);
        }
        return quoted.Append('"').ToString();
    }

    private string WithoutNull(ITypeSymbol type)
    {
        var name = TypeCodecs.Plain(type);
        if (ScalarTypes.Named(name) is { } scalar)
            return scalar.Word;
        if (Groups.TryGetValue(name, out var group))
            return group;
        if (codecs.SavesFields(type))
            return DescribeFields((INamedTypeSymbol)type);
        switch (type)
        {
            case IArrayTypeSymbol { Rank: 1 } array:
                return $"list<{Of(array.ElementType)}>";
            case IArrayTypeSymbol { Rank: 2 or 3, ElementType.SpecialType: SpecialType.System_Byte } array:
                return $"grid{array.Rank}<uint8>";
            case IArrayTypeSymbol { Rank: 2 or 3 } array:
                return $"grid{array.Rank}<{Of(array.ElementType)}>";
            case INamedTypeSymbol { IsTupleType: true } tuple:
                return $"tuple<{string.Join(", ", tuple.TupleElements.Select(Of))}>";
            case INamedTypeSymbol { TypeKind: TypeKind.Enum } named:
                return DescribeEnum(named);
            case INamedTypeSymbol { OriginalDefinition.SpecialType: SpecialType.System_Nullable_T } nullable:
                return Of(nullable.TypeArguments[0]) + "?";
            case INamedTypeSymbol named when TypeCodecs.IsStateType(named):
                return DescribeGeneric(named);
            case INamedTypeSymbol { Name: "KeyValuePair", TypeArguments.Length: 2 } pair:
                return $"tuple<{Of(pair.TypeArguments[0])}, {Of(pair.TypeArguments[1])}>";
            case INamedTypeSymbol { TypeArguments.Length: 2 } map:
                var word = map.Name == "OrderedDictionary" ? "orderedmap" : "map";
                return $"{word}<{Of(map.TypeArguments[0])}, {Of(map.TypeArguments[1])}>";
            case INamedTypeSymbol { TypeArguments.Length: 1 } list:
                return $"{Collections.FirstOrDefault(word => list.Name.EndsWith(word.Ending, StringComparison.Ordinal)).Word ?? "list"}"
                    + $"<{Of(list.TypeArguments[0])}>";
            case INamedTypeSymbol named when named.AllInterfaces.Any(one => one.ToDisplayString() == "Lodrik.State.ISectionGroup"):
                return "group";
            default:
                return "any";
        }
    }

    private string Of(IFieldSymbol element) =>
        Of(element.Type) + (element.IsExplicitlyNamedTupleElement ? $" {ModelReader.CamelCase(element.Name)}" : "");

    private string DescribeEnum(INamedTypeSymbol type)
    {
        var name = NameOf(type);
        if (_described.ContainsKey(name))
            return name;
        var fields = type.GetMembers().OfType<IFieldSymbol>().Where(field => field.IsConst).ToList();
        var former = fields.SelectMany(field => field.GetAttributes())
            .Where(attribute => attribute.AttributeClass?.ToDisplayString() == "Lodrik.State.FormerNameAttribute")
            .SelectMany(attribute => attribute.ConstructorArguments[0].Values.Select(value => value.Value as string ?? ""))
            .ToList();
        var formerly = former.Count == 0 ? "" : $", \"formerValues\": [{string.Join(", ", former.Select(Quote))}]";
        var flags = type.GetAttributes().Any(attribute => attribute.AttributeClass?.ToDisplayString() == "System.FlagsAttribute")
            ? ", \"flags\": true"
            : "";
        _described[name] = $"{{ \"values\": [{string.Join(", ", fields.Select(field => Quote(field.Name)))}]{formerly}{flags} }}";
        return name;
    }

    /// <summary>A struct that the game does not own is described by each assembly that saves its fields.</summary>
    private string DescribeFields(INamedTypeSymbol type)
    {
        var name = NameOf(type);
        if (!_described.ContainsKey(name))
        {
            _described[name] = "";
            _described[name] = Describe(type, (SavedFields.Members(type) ?? []).Select(member => new ShapeMember(
                ModelReader.CamelCase(member.Symbol.Name), member.Symbol.Name, member.Type, IsRequired: false, 0, IgnoresCase: false, [])));
        }
        return name;
    }

    /// <summary>
    /// A generic type says nothing of itself that would hold for all arguments; it is described where the arguments are known.
    /// </summary>
    private string DescribeGeneric(INamedTypeSymbol type)
    {
        var name = NameOf(type);
        if (type.IsGenericType && !_described.ContainsKey(name))
        {
            // Before its members are looked at: it may lead back to itself.
            _described[name] = "";
            _described[name] = Describe(type, ModelReader.ShapeMembers(type, codecs));
        }
        return name;
    }
}
