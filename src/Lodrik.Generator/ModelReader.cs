using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>Reads a marked type and says what has to be generated for it, or what is wrong with it.</summary>
/// <param name="type">The type.</param>
/// <param name="codecs">What can be saved.</param>
/// <param name="cancellation">Cancels.</param>
/// <param name="source">The source that declares the type; null if nothing is generated.</param>
/// <param name="position">Where it declares it.</param>
internal sealed partial class ModelReader(
    INamedTypeSymbol type, TypeCodecs codecs, CancellationToken cancellation, SemanticModel? source = null, int position = 0)
{
    private const string FixedArrayCodec = TypeCodecs.StateNamespace + "FixedArrayCodec";

    private static readonly HashSet<string> ReservedSections = ["lodrik", "contents", "seal"];

    private readonly List<DiagnosticModel> _problems = [];
    private readonly List<ShapeMember> _shape = [];
    private readonly List<string> _refused = [];
    private readonly Dictionary<string, ISymbol> _symbols = [];
    private string? _unknownMember;
    private bool _isIncomplete;

    public StateModel Read()
    {
        var root = ReadRoot();
        CheckPartial();
        CheckKind();
        var members = ReadMembers(root is not null);
        var variants = ReadVariants();
        var unknownVariant = ReadUnknownVariant(variants);
        var isShared = ReadShared();
        var creation = ReadCreation(members, isShared, root is not null);
        (members, creation) = ValuesFirst(members, creation);
        return new StateModel(
            HintName(),
            Namespace,
            new EquatableList<string>(Containers()),
            Declaration(type),
            type.Name,
            TypeCodecs.Name(type),
            type.IsReferenceType,
            type.IsReferenceType && !type.IsSealed,
            new EquatableList<string>([.. SavedParameters().Select(one => one.Parameter.Name)]),
            HasStateTypeAbove(),
            creation,
            root,
            new EquatableList<MemberModel>(members),
            new EquatableList<VariantModel>(variants),
            _unknownMember,
            unknownVariant,
            isShared,
            ReadHooks(),
            type.IsGenericType || _isIncomplete || _problems.Count > 0 || IsOnlyBase(type) ? null : DescribeShape(root),
            new EquatableList<string>(FindShadowedNames(members)),
            new EquatableList<string>(_refused),
            CanBeExtended(type),
            IsOnlyBase(type),
            new EquatableList<DiagnosticModel>(_problems))
        {
            // A generic type would have to be named with its arguments.
            VariantNames = new EquatableList<string>(type.IsGenericType || type.GetMembers("Variants").Length > 0
                ? [] : [.. VariantsOf(type).Select(one => one.Name).Where(name => name.Length > 0)]),
        };
    }

    /// <summary>The digest of the shape of a root's saves; null if no code can be generated into the root.</summary>
    public DigestModel? ReadDigest()
    {
        if (!CanBeExtended(type))
            return null;
        ReadMembers(isRoot: true);
        return new DigestModel(
            HintName().Replace(".State.", ".Shape."), Namespace, new EquatableList<string>([.. Containers(), Declaration(type)]),
            new ShapeDigest(codecs).Of(type, _shape));
    }

    /// <summary>The type parameters that a save has values of.</summary>
    private IReadOnlyList<(ITypeParameterSymbol Parameter, ITypeSymbol Argument)> SavedParameters() => GenericTypes.Saved(type, codecs);

    /// <summary>Whether nothing can be saved as this type: it only has members for those that derive from it.</summary>
    public static bool IsOnlyBase(INamedTypeSymbol type) => type.IsAbstract && !VariantsOf(type.OriginalDefinition).Any();

    private string Namespace => type.ContainingNamespace.IsGlobalNamespace ? "" : type.ContainingNamespace.ToDisplayString();

    private List<string> Containers()
    {
        var containers = new List<string>();
        for (var outer = type.ContainingType; outer is not null; outer = outer.ContainingType)
            containers.Insert(0, Declaration(outer));
        return containers;
    }

    private List<string> FindShadowedNames(List<MemberModel> members) => source is null
        ? []
        : ShortNames.Shadowed(members.SelectMany(member => new[] { member.Codec, member.TypeName }), type, source, position);

    /// <summary>The saved members of a type that is generic, with its arguments.</summary>
    public static IEnumerable<ShapeMember> ShapeMembers(
        INamedTypeSymbol type, TypeCodecs codecs)
    {
        var reader = new ModelReader(type, codecs, CancellationToken.None);
        reader.ReadMembers(isRoot: false);
        return reader._shape;
    }

    /// <summary>The types of the members that are saved, whether or not they can be.</summary>
    public static IEnumerable<ITypeSymbol> SavedTypes(INamedTypeSymbol type, TypeCodecs codecs)
    {
        var reader = new ModelReader(type, codecs, CancellationToken.None);
        foreach (var owner in reader.Owners())
        {
            foreach (var symbol in owner.GetMembers())
            {
                if (reader.Choose(symbol, owner) is { } chosen)
                    yield return chosen.Type;
            }
        }
    }

    public static IEnumerable<(string Name, INamedTypeSymbol Type)> VariantsOf(INamedTypeSymbol type) => type.GetAttributes()
        .Where(one => one.AttributeClass?.ToDisplayString() == "Lodrik.SaveVariantAttribute")
        .Select(one => (one.ConstructorArguments[0].Value as string ?? "", one.ConstructorArguments[1].Value as INamedTypeSymbol))
        .Where(one => one.Item2 is not null)
        .Select(one => (one.Item1, one.Item2!));

    public static bool KeepsUnknown(INamedTypeSymbol type) =>
        Above(type).Prepend(type).SelectMany(one => one.GetMembers())
            .Any(member => Attribute(member, "Lodrik.State.KeepUnknownAttribute") is not null);

    /// <summary>The document that says for ledgers what a save has of the type.</summary>
    private string DescribeShape(RootModel? root)
    {
        var shapes = new TypeShapes(codecs);
        var own = shapes.Describe(type, _shape);
        var types = shapes.Described.Select(described => $"{TypeShapes.Quote(described.Key)}: {described.Value}")
            .Prepend($"{TypeShapes.Quote(TypeShapes.NameOf(type))}: {own}");
        var game = root is null
            ? ""
            : $"\"game\": {TypeShapes.Quote(root.Game)}, \"version\": {root.Version}, \"root\": "
                + $"{TypeShapes.Quote(TypeShapes.NameOf(type))}, ";
        return $"{{ {game}\"types\": {{ {string.Join(", ", types)} }} }}";
    }

    private RootModel? ReadRoot()
    {
        var attribute = Attribute(type, "Lodrik.SaveFileAttribute");
        if (attribute is null)
            return null;
        var game = attribute.ConstructorArguments.FirstOrDefault().Value as string ?? "";
        var version = attribute.NamedArguments.FirstOrDefault(argument => argument.Key == "Version").Value.Value as int? ?? 1;
        if (game.Length == 0 || game.Any(c => !(c < 128 && (char.IsLetterOrDigit(c) || c is '.' or '-' or '_'))))
            Problem(Diagnostics.BadRoot, type, type.Name, $"the game's id \"{game}\" has to be made of letters, digits, '.', '-' and '_'.");
        if (version < 1)
            Problem(Diagnostics.BadRoot, type, type.Name, "its version has to be 1 or more.");
        if (Attribute(type, "Lodrik.StateTypeAttribute") is not null)
            Problem(Diagnostics.BadRoot, type, type.Name, "it carries [StateType] as well. [SaveFile] alone is enough.");
        if (type.IsGenericType)
            Problem(Diagnostics.BadRoot, type, type.Name, "it is generic.");
        if (type.GetMembers("Sections").Any(member => !member.IsImplicitlyDeclared))
            Problem(Diagnostics.BadRoot, type,
                type.Name, "it has a member named Sections, which is what the names of its sections are generated into.");
        return new RootModel(game, version);
    }

    private bool ReadShared()
    {
        if (!TypeCodecs.IsShared(type))
            return false;
        if (!type.IsReferenceType)
            Problem(Diagnostics.BadShared, type, type.Name, "it is a struct, which is copied on every use. Make it a class.");
        else if (type.TypeKind == TypeKind.Interface)
            Problem(Diagnostics.BadShared, type, type.Name, "it is an interface. Use an abstract class.");
        else if (Above(type).FirstOrDefault(TypeCodecs.IsStateType) is { } above)
            Problem(Diagnostics.BadShared, type, type.Name, $"its base '{above.Name}' is a state type. Mark that one as shared.");
        return true;
    }

    private Hooks ReadHooks()
    {
        var hooks = Hooks.None;
        foreach (var implemented in type.AllInterfaces)
        {
            hooks |= implemented.ToDisplayString() switch
            {
                "Lodrik.State.IBeforeSaving" => Hooks.BeforeSaving,
                "Lodrik.State.IAfterLoading" => Hooks.AfterLoading,
                "Lodrik.State.IValidatedState" => Hooks.Validated,
                _ => Hooks.None,
            };
        }
        return hooks;
    }

    private bool HasStateTypeAbove() => Above(type).Any(TypeCodecs.IsStateType);

    private static IEnumerable<INamedTypeSymbol> Above(INamedTypeSymbol symbol)
    {
        for (var above = symbol.BaseType; above is not null; above = above.BaseType)
            yield return above;
    }

    private string HintName()
    {
        var name = type.ToDisplayString(SymbolDisplayFormat.CSharpErrorMessageFormat);
        return string.Concat(name.Select(c => char.IsLetterOrDigit(c) || c == '.' ? c : '_')) + ".State.g.cs";
    }

    private static string Declaration(INamedTypeSymbol symbol)
    {
        var keyword = symbol switch
        {
            { IsRecord: true, IsValueType: true } => "record struct",
            { IsRecord: true } => "record",
            { IsValueType: true } => "struct",
            { TypeKind: TypeKind.Interface } => "interface",
            _ => "class",
        };
        return $"partial {keyword} {symbol.ToDisplayString(SymbolDisplayFormat.MinimallyQualifiedFormat)}";
    }

    /// <summary>A member's name as keys are written: without the underscore of a field, with a small first letter.</summary>
    public static string CamelCase(string name)
    {
        var plain = name.TrimStart('_');
        if (plain.Length == 0)
            return name;
        // A leading run of capitals is one word (HP, UIScale): all of it but the next word's initial becomes small.
        var run = 0;
        while (run < plain.Length && char.IsUpper(plain[run]))
            run++;
        var small = run <= 1 || run == plain.Length ? run : run - 1;
        return plain.Substring(0, small).ToLowerInvariant() + plain.Substring(small);
    }

    private static AttributeData? Attribute(ISymbol symbol, string name) =>
        symbol.GetAttributes().FirstOrDefault(attribute => attribute.AttributeClass?.ToDisplayString() == name);

    private void Problem(DiagnosticDescriptor descriptor, ISymbol symbol, params string[] arguments)
    {
        if (IsReportedByBase(symbol))
            _isIncomplete = true;
        else
            // A member of another assembly's type has no place in this one's sources.
            _problems.Add(new DiagnosticModel(
                descriptor.Id, LocationModel.Of(symbol) ?? LocationModel.Of(type), new EquatableList<string>(arguments)));
    }

    /// <summary>
    /// Whether a member belongs to a base that is a state type and reports it. What it is only with this type's arguments, nobody else
    /// reports.
    /// </summary>
    private bool IsReportedByBase(ISymbol symbol)
    {
        if (symbol is not (IPropertySymbol or IFieldSymbol) || symbol.ContainingType is not { } owner
            || SymbolEqualityComparer.Default.Equals(owner, type) || !TypeCodecs.IsStateType(owner)
            || !symbol.Locations.Any(location => location.IsInSource))
            return false;
        return SymbolEqualityComparer.Default.Equals(TypeOf(symbol), TypeOf(symbol.OriginalDefinition));

        static ITypeSymbol? TypeOf(ISymbol member) => (member as IPropertySymbol)?.Type ?? (member as IFieldSymbol)?.Type;
    }
}
