using System.Text;
using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>
/// Says what a save has for a type, in the words of ledgers, whichever of the C# types with the same saved form it is. Types of the game
/// that are met on the way are described where nobody else would: enums, and generic types with their arguments.
/// </summary>
internal sealed class TypeShapes(TypeCodecs codecs)
{
    private static readonly Dictionary<string, string> Exact = new()
    {
        ["System.Numerics.BigInteger"] = "integer",
        ["System.Half"] = "half",
        ["System.Int128"] = "int128",
        ["System.UInt128"] = "uint128",
        ["System.Guid"] = "guid",
        ["System.DateTime"] = "datetime",
        ["System.DateTimeOffset"] = "datetimeoffset",
        ["System.DateOnly"] = "date",
        ["System.TimeOnly"] = "time",
        ["System.TimeSpan"] = "timespan",
        ["System.Uri"] = "uri",
        ["System.Version"] = "version",
        ["System.Numerics.Vector2"] = "single*2",
        ["System.Numerics.Vector3"] = "single*3",
        ["System.Numerics.Vector4"] = "single*4",
        ["System.Numerics.Quaternion"] = "single*4",
        ["System.Numerics.Plane"] = "single*4",
        ["System.Numerics.Matrix3x2"] = "single*6",
        ["System.Numerics.Matrix4x4"] = "single*16",
        ["System.Drawing.Color"] = "color",
        ["System.Drawing.Point"] = "int32*2",
        ["System.Drawing.PointF"] = "single*2",
        ["System.Drawing.Size"] = "int32*2",
        ["System.Drawing.SizeF"] = "single*2",
        ["System.Drawing.Rectangle"] = "int32*4",
        ["System.Drawing.RectangleF"] = "single*4",
        ["Lodrik.State.SaveValue"] = "any",
        ["Lodrik.Scenes.EntityId"] = "entity",
        ["Lodrik.Scenes.EntityReference"] = "reference",
        ["Lodrik.SceneArchive"] = "scenes",
        ["Lodrik.SessionArchive"] = "session",
        ["System.Memory<byte>"] = "bytes",
        ["System.ReadOnlyMemory<byte>"] = "bytes",
    };

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

    /// <summary>Describes a type that stands for itself in the shape: its entry among the types.</summary>
    public string Describe(INamedTypeSymbol type, IEnumerable<(string Key, string Name, ITypeSymbol Type, bool IsRequired)> members)
    {
        var parts = new List<string>();
        var all = members.ToList();
        Add("members", all.Select(member => (member.Key, Of(member.Type))));
        Add("named", all.Where(member => ModelReader.CamelCase(member.Name) != member.Key)
            .Select(member => (member.Key, ModelReader.CamelCase(member.Name))));
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
        switch (type.SpecialType)
        {
            case SpecialType.System_Boolean: return "bool";
            case SpecialType.System_Char: return "char";
            case SpecialType.System_String: return "text";
            case SpecialType.System_Single: return "single";
            case SpecialType.System_Double: return "double";
            case SpecialType.System_Decimal: return "decimal";
            case SpecialType.System_SByte: return "int8";
            case SpecialType.System_Byte: return "uint8";
            case SpecialType.System_Int16: return "int16";
            case SpecialType.System_UInt16: return "uint16";
            case SpecialType.System_Int32: return "int32";
            case SpecialType.System_UInt32: return "uint32";
            case SpecialType.System_Int64: return "int64";
            case SpecialType.System_UInt64: return "uint64";
        }
        if (Exact.TryGetValue(type.WithNullableAnnotation(NullableAnnotation.NotAnnotated).ToDisplayString(), out var exact))
            return exact;
        switch (type)
        {
            case IArrayTypeSymbol { Rank: 1, ElementType.SpecialType: SpecialType.System_Byte }:
                return "bytes";
            case IArrayTypeSymbol { Rank: 1 } array:
                return $"list<{Of(array.ElementType)}>";
            case IArrayTypeSymbol { Rank: 2 or 3, ElementType.SpecialType: SpecialType.System_Byte } array:
                return $"grid{array.Rank}<uint8>";
            case IArrayTypeSymbol { Rank: 2 or 3 } array:
                return $"grid{array.Rank}<{Of(array.ElementType)}>";
            case INamedTypeSymbol { IsTupleType: true } tuple:
                return $"tuple<{string.Join(", ", tuple.TupleElements.Select(element => Of(element.Type)))}>";
            case INamedTypeSymbol { TypeKind: TypeKind.Enum } named:
                return DescribeEnum(named);
            case INamedTypeSymbol { OriginalDefinition.SpecialType: SpecialType.System_Nullable_T } nullable:
                return Of(nullable.TypeArguments[0]) + "?";
            case INamedTypeSymbol named when TypeCodecs.IsStateType(named):
                return DescribeGeneric(named);
            case INamedTypeSymbol { Name: "KeyValuePair", TypeArguments.Length: 2 } pair:
                return $"tuple<{Of(pair.TypeArguments[0])}, {Of(pair.TypeArguments[1])}>";
            case INamedTypeSymbol { TypeArguments.Length: 2 } map:
                return $"map<{Of(map.TypeArguments[0])}, {Of(map.TypeArguments[1])}>";
            case INamedTypeSymbol { TypeArguments.Length: 1 } list:
                return $"list<{Of(list.TypeArguments[0])}>";
            case INamedTypeSymbol group when group.AllInterfaces.Any(one => one.ToDisplayString() == "Lodrik.State.ISectionGroup"):
                return "group";
            default:
                return "any";
        }
    }

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
        _described[name] = $"{{ \"values\": [{string.Join(", ", fields.Select(field => Quote(field.Name)))}]{formerly} }}";
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
