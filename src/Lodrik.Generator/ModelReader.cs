using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>Reads a marked type and says what has to be generated for it, or what is wrong with it.</summary>
/// <param name="type">The type.</param>
/// <param name="codecs">What can be saved.</param>
/// <param name="cancellation">Gives up.</param>
/// <param name="source">The source that declares the type; null where nothing is generated.</param>
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
            new EquatableList<DiagnosticModel>(_problems));
    }

    /// <summary>The digest of the shape of a root's saves; null where no code can be generated into the root.</summary>
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

    private List<MemberModel> ReadMembers(bool isRoot)
    {
        var members = new List<MemberModel>();
        var byKey = new Dictionary<string, string>();
        foreach (var owner in Owners())
        {
            CheckHidden(owner);
            foreach (var symbol in owner.GetMembers())
            {
                cancellation.ThrowIfCancellationRequested();
                if (ReadMember(symbol, owner, isRoot) is not { } member)
                    continue;
                if (members.Exists(other => other.Name == member.Name))
                {
                    // An override is the same member. One that hides another has a value of its own, which nobody would save.
                    if (!symbol.IsOverride)
                        Problem(Diagnostics.BadMember, symbol, symbol.Name,
                            "it hides a member of a base type that is saved under this name. Rename it, or mark one of them with "
                                + "[NotSaved].");
                    continue;
                }
                if (byKey.TryGetValue(member.Key, out var other))
                    Problem(Diagnostics.DoubleKey, symbol, other, member.Name, member.Key);
                else if (isRoot && ReservedSections.Contains(member.Key))
                    Problem(Diagnostics.BadRoot, symbol, type.Name,
                        $"\"{member.Key}\" is a word of the file itself. Give '{member.Name}' another key with [Saved(\"…\")].");
                else if (isRoot && member.Key.Contains('/'))
                    Problem(Diagnostics.BadRoot, symbol, type.Name,
                        $"the section name \"{member.Key}\" has a slash, which only groups of sections have.");
                else
                    byKey.Add(member.Key, member.Name);
                members.Add(member);
                _symbols[member.Name] = symbol;
                _shape.Add(new ShapeMember(
                    member.Key, symbol.Name, symbol is IPropertySymbol property ? property.Type : ((IFieldSymbol)symbol).Type,
                    member.IsRequired,
                    member.Codec.StartsWith(FixedArrayCodec, StringComparison.Ordinal) ? LengthOf(symbol) : 0, IgnoresCase(symbol),
                    member.FormerKeys is { } former ? former : []));
            }
        }
        CheckFormerKeys(members, byKey, isRoot);
        return [.. members.OrderBy(member => member.Order)];
    }

    /// <summary>What is saved under a key has to be one member.</summary>
    private void CheckFormerKeys(List<MemberModel> members, Dictionary<string, string> byKey, bool isRoot)
    {
        var taken = new HashSet<string>();
        foreach (var member in members)
        {
            foreach (var former in member.FormerKeys ?? new EquatableList<string>([]))
            {
                var symbol = _symbols[member.Name];
                if (isRoot)
                    Problem(Diagnostics.BadMember, symbol, member.Name,
                        "it is a section of the save, which has no former names. Rename the section with a migration step.");
                else if (byKey.TryGetValue(former, out var other))
                    Problem(Diagnostics.BadMember, symbol, member.Name, $"its former name \"{former}\" is the key of '{other}'.");
                else if (!taken.Add(former))
                    Problem(Diagnostics.BadMember, symbol, member.Name, $"its former name \"{former}\" is given twice.");
                else
                    continue;
                break;
            }
        }
    }

    /// <summary>The types whose members an object has, those of the base types first. An interface has none of its own.</summary>
    private Stack<INamedTypeSymbol> Owners()
    {
        var chain = new Stack<INamedTypeSymbol>();
        for (var current = type; current is { SpecialType: SpecialType.None, TypeKind: not TypeKind.Interface }
            && current.Name != "ValueType";
            current = current.BaseType)
            chain.Push(current);
        return chain;
    }

    private void ReadUnknownMember(ISymbol symbol)
    {
        var memberType = (symbol as IPropertySymbol)?.Type ?? (symbol as IFieldSymbol)?.Type;
        if (memberType?.ToDisplayString() != "Lodrik.State.SaveMap" || (symbol as IPropertySymbol)?.GetMethod is null
            && symbol is IPropertySymbol)
            Problem(Diagnostics.BadMember, symbol, symbol.Name, "it is to keep unknown members, and is no SaveMap that can be read.");
        else if (_unknownMember is not null)
            Problem(Diagnostics.BadMember, symbol, symbol.Name, $"'{_unknownMember}' keeps the unknown members already.");
        else if (Attribute(type, "Lodrik.SaveFileAttribute") is not null)
            Problem(Diagnostics.BadMember, symbol, symbol.Name, "a save root has sections, whose unknown ones are not kept.");
        else
            _unknownMember = symbol.Name;
    }

    private List<VariantModel> ReadVariants()
    {
        var variants = new List<VariantModel>();
        foreach (var attribute in type.GetAttributes().Where(one => one.AttributeClass?.ToDisplayString() == "Lodrik.SaveVariantAttribute"))
        {
            var name = attribute.ConstructorArguments[0].Value as string ?? "";
            if (attribute.ConstructorArguments[1].Value is not INamedTypeSymbol variant)
                continue;
            var isSelf = SymbolEqualityComparer.Default.Equals(variant, type);
            if (name.Length == 0)
                Problem(Diagnostics.BadVariant, type, name, type.Name, "it has no name.");
            else if (!isSelf && !IsAbove(variant))
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"'{variant.Name}' is not derived from it.");
            else if (!TypeCodecs.IsStateType(variant))
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"'{variant.Name}' is no state type. Mark it with [StateType].");
            else if (variant.IsAbstract || variant.IsUnboundGenericType)
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"there are no objects of '{variant.Name}' itself.");
            else if (variants.Any(other => other.Name == name))
                Problem(Diagnostics.BadVariant, type, name, type.Name, "there are two of this name.");
            else if (variants.Any(other => other.TypeName == TypeCodecs.Name(variant)))
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"'{variant.Name}' has a name already.");
            else if (TypeCodecs.IsShared(type) && GenericTypes.Saved(variant, codecs).Count > 0)
                Problem(Diagnostics.BadVariant, type, name, type.Name,
                    $"'{variant.Name}' is generic, and the type is shared. Derive a state type from it that is not generic.");
            else if (isSelf)
                variants.Add(new VariantModel(name, TypeCodecs.Name(variant), "", IsSelf: true, variant.IsValueType));
            else if (codecs.Find(variant, out var reason, out var remedy) is { } codec)
                variants.Add(new VariantModel(name, TypeCodecs.Name(variant), codec, IsSelf: false, variant.IsValueType));
            else if (reason.Length > 0)
                Problem(Diagnostics.BadVariant, type, name, type.Name, $"{reason}. {remedy}");
            else
                _isIncomplete = true;
        }
        return variants;
    }

    private string? ReadUnknownVariant(List<VariantModel> variants)
    {
        if (Attribute(type, "Lodrik.State.UnknownVariantAttribute")?.ConstructorArguments[0].Value is not INamedTypeSymbol unknown)
            return null;
        if (variants.Count == 0)
            Problem(Diagnostics.BadVariant, type, unknown.Name, type.Name, "the type has no variants at all.");
        else if (!IsAbove(unknown))
            Problem(Diagnostics.BadVariant, type, unknown.Name, type.Name, $"'{unknown.Name}' is not derived from it.");
        else if (unknown.IsAbstract || !unknown.AllInterfaces.Any(one => one.ToDisplayString() == "Lodrik.State.IUnknownVariant")
            || !unknown.InstanceConstructors.Any(one =>
                one.Parameters.Length == 0 && one.DeclaredAccessibility is Accessibility.Public or Accessibility.Internal))
            Problem(Diagnostics.BadVariant, type, unknown.Name, type.Name,
                $"'{unknown.Name}' has to implement IUnknownVariant and to have a constructor without parameters.");
        else
            return TypeCodecs.Name(unknown);
        return null;
    }

    private bool ReadShared()
    {
        if (!TypeCodecs.IsShared(type))
            return false;
        if (!type.IsReferenceType)
            Problem(Diagnostics.BadShared, type, type.Name, "it is a struct, which is copied wherever it stands. Make it a class.");
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

    /// <summary>Whether a type is derived from this one, or implements it.</summary>
    private bool IsAbove(INamedTypeSymbol derived) =>
        Above(derived).Concat(derived.AllInterfaces).Any(above => SymbolEqualityComparer.Default.Equals(above, type));

    /// <summary>A member that is saved, with its type and how it is set; null for one that is not.</summary>
    private (ITypeSymbol Type, Setting Setting, AttributeData? Saved)? Choose(ISymbol symbol, INamedTypeSymbol owner)
    {
        if (symbol.IsImplicitlyDeclared || Attribute(symbol, "Lodrik.NotSavedAttribute") is not null)
            return null;
        if (symbol.IsStatic)
        {
            if (Attribute(symbol, "Lodrik.SavedAttribute") is not null)
                Problem(Diagnostics.BadMember, symbol, symbol.Name, "it is static, and belongs to no object.");
            return null;
        }
        if (Attribute(symbol, "Lodrik.State.KeepUnknownAttribute") is not null)
        {
            ReadUnknownMember(symbol);
            return null;
        }
        var saved = Attribute(symbol, "Lodrik.SavedAttribute");
        ITypeSymbol memberType;
        Setting setting;
        switch (symbol)
        {
            case IPropertySymbol { IsIndexer: false } property:
                memberType = property.Type;
                if (!ChooseSetting(property, saved is not null, out setting))
                    return null;
                break;
            case IFieldSymbol { IsConst: false } field:
                memberType = field.Type;
                setting = field.IsReadOnly ? Setting.ReadOnlyField : Setting.Field;
                if (saved is null && field.DeclaredAccessibility != Accessibility.Public)
                    return null;
                break;
            default:
                return null;
        }
        var isBase = !SymbolEqualityComparer.Default.Equals(owner, type);
        if (isBase && symbol.DeclaredAccessibility == Accessibility.Private)
        {
            if (saved is not null)
                Problem(Diagnostics.BadMember, type, $"{owner.Name}.{symbol.Name}",
                    $"it is private to a base of '{type.Name}'. Make it protected.");
            return null;
        }
        if (isBase && symbol is IPropertySymbol { SetMethod.DeclaredAccessibility: Accessibility.Private })
            setting = Setting.Setter;
        // A setter that cannot be seen from another assembly is called by the accessor that is there.
        if (setting == Setting.BackingField && isBase && IsElsewhere(owner)
            && AccessOf(owner)?.GetMembers("Set" + symbol.Name).IsEmpty == false)
            setting = Setting.Setter;
        return (memberType, setting, saved);
    }

    private MemberModel? ReadMember(ISymbol symbol, INamedTypeSymbol owner, bool isRoot)
    {
        if (Choose(symbol, owner) is not var (memberType, setting, saved))
            return null;
        var isBase = !SymbolEqualityComparer.Default.Equals(owner, type);
        var key = saved?.ConstructorArguments.FirstOrDefault().Value as string ?? CamelCase(symbol.Name);
        if (isRoot && memberType.AllInterfaces.Any(one => one.ToDisplayString() == "Lodrik.State.ISectionGroup"))
            return new MemberModel(symbol.Name, key, TypeCodecs.Name(memberType), "", setting, TypeCodecs.Name(owner), IsRequired: false);
        var codec = codecs.Find(memberType, out var reason, out var remedy);
        if (codec is null)
        {
            // Without a reason it is the member's type that is refused, and was reported there.
            if (reason.Length > 0)
                Problem(Diagnostics.CannotBeSaved, symbol, isBase ? $"{owner.Name}.{symbol.Name}" : symbol.Name, reason, remedy);
            else
                _isIncomplete = true;
            _refused.Add(symbol.Name);
            return null;
        }
        var access = MemberModel.OwnAccess;
        if (isBase && setting is Setting.Setter or Setting.BackingField or Setting.ReadOnlyField)
        {
            if (TypeCodecs.IsStateType(owner))
                access = $"{TypeCodecs.Name(owner)}.{MemberModel.OwnAccess}";
            else if (owner.IsGenericType || type.IsGenericType)
            {
                Problem(Diagnostics.BadMember, symbol, $"{owner.Name}.{symbol.Name}",
                    $"it cannot be set from '{type.Name}', because one of the two types is generic. Mark '{owner.Name}' with [StateType], "
                        + "or give the member a setter that derived types may call.");
                _refused.Add(symbol.Name);
                return null;
            }
        }
        if (setting is Setting.BackingField or Setting.ReadOnlyField && memberType is IArrayTypeSymbol { Rank: 1 } array)
            codec = $"{FixedArrayCodec}<{TypeCodecs.Name(array.ElementType)}, {codec}>";
        return new MemberModel(symbol.Name, key, TypeCodecs.Name(memberType), codec, setting, TypeCodecs.Name(owner),
            symbol is IPropertySymbol { IsRequired: true } or IFieldSymbol { IsRequired: true },
            memberType is { IsReferenceType: true, NullableAnnotation: NullableAnnotation.NotAnnotated }
                or ITypeParameterSymbol { HasNotNullConstraint: true, IsValueType: false,
                    NullableAnnotation: not NullableAnnotation.Annotated },
            symbol is IPropertySymbol { SetMethod: { } ownSetter } && HasBody(ownSetter),
            saved?.NamedArguments.FirstOrDefault(argument => argument.Key == "Order").Value.Value as int? ?? 0,
            access, symbol is IPropertySymbol { SetMethod: { } setter } && IsHidden(setter), FormerKeysOf(symbol, key), IsHidden(symbol));
    }

    /// <summary>The keys that a member had before: as they are given, and as a member of that name is saved.</summary>
    private static EquatableList<string>? FormerKeysOf(ISymbol symbol, string key) =>
        Attribute(symbol, "Lodrik.State.FormerNameAttribute")?.ConstructorArguments.FirstOrDefault()
            is { Kind: TypedConstantKind.Array } names
            ? new EquatableList<string>([.. names.Values.Select(name => name.Value as string ?? "")
                .SelectMany(name => new[] { name, CamelCase(name) }).Where(name => name.Length > 0 && name != key).Distinct()])
            : null;

    /// <summary>Whether a property is saved, and how it is set.</summary>
    private bool ChooseSetting(IPropertySymbol property, bool asked, out Setting setting)
    {
        setting = Setting.Assign;
        var isAutomatic = IsAutomatic(property);
        if (property.ExplicitInterfaceImplementations.Length > 0)
        {
            if (asked || isAutomatic)
                Problem(Diagnostics.BadMember, property, property.Name,
                    "it implements an interface explicitly, and can be reached through that alone. Make it a property of the type, or mark "
                        + "it with [NotSaved].");
            return false;
        }
        var isPublic = property.DeclaredAccessibility == Accessibility.Public;
        if (property.GetMethod is null || property.IsAbstract || !(isPublic || asked))
        {
            if (asked)
                Problem(Diagnostics.BadMember, property, property.Name, "it has no getter of its own.");
            return false;
        }
        if (property.SetMethod is { } setter)
        {
            setting = setter.IsInitOnly ? Setting.Setter : Setting.Assign;
            return true;
        }
        // Without a setter: what has a field behind it is state; anything else is computed.
        setting = Setting.BackingField;
        if (isAutomatic)
            return true;
        if (asked)
            Problem(Diagnostics.BadMember, property, property.Name, "it is computed and cannot be set.");
        return false;
    }

    /// <summary>
    /// Whether the compiler made a field for a property. Of another assembly's types there are no private members to be seen, but the
    /// getter is marked.
    /// </summary>
    private static bool IsAutomatic(IPropertySymbol property) => IsElsewhere(property)
        ? property.GetMethod is { } getter && Attribute(getter, "System.Runtime.CompilerServices.CompilerGeneratedAttribute") is not null
        : property.ContainingType.GetMembers().OfType<IFieldSymbol>()
            .Any(field => SymbolEqualityComparer.Default.Equals(field.AssociatedSymbol, property));

    /// <summary>Whether a derived type in another assembly does not see a member.</summary>
    private static bool IsHidden(ISymbol symbol) =>
        symbol.DeclaredAccessibility is Accessibility.Private or Accessibility.Internal or Accessibility.ProtectedAndInternal;

    /// <summary>Whether something is declared in another assembly.</summary>
    private static bool IsElsewhere(ISymbol symbol) => symbol.OriginalDefinition.DeclaringSyntaxReferences.IsEmpty;

    /// <summary>The class with the accessors of a state type.</summary>
    private static INamedTypeSymbol? AccessOf(INamedTypeSymbol owner) =>
        owner.OriginalDefinition.GetTypeMembers(MemberModel.AccessName).FirstOrDefault();

    /// <summary>Reports what a base of another assembly saves and this one cannot reach.</summary>
    private void CheckHidden(INamedTypeSymbol owner)
    {
        if (SymbolEqualityComparer.Default.Equals(owner, type) || !IsElsewhere(owner)
            || AccessOf(owner)?.GetMembers(StateTypeSource.HiddenName).FirstOrDefault()
                is not IFieldSymbol { ConstantValue: string hidden })
            return;
        foreach (var name in hidden.Split(' '))
            Problem(Diagnostics.BadMember, type, $"{owner.Name}.{name}",
                $"it is saved by a base of '{type.Name}' in another assembly, and is not public or protected. Make it protected.");
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
