using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

// Classes of entities and of components, and the state of scenes.
internal sealed partial class ModelReader
{
    public const string Scenes = "Lodrik.Scenes.";
    public const string EntityTypeAttribute = Scenes + "EntityTypeAttribute";
    public const string ComponentTypeAttribute = Scenes + "ComponentTypeAttribute";
    public const string SceneTypeAttribute = Scenes + "SceneTypeAttribute";
    public const string PartAttribute = Scenes + "PartAttribute";

    /// <summary>The name of the part of members that say nothing.</summary>
    private const string StatePart = "state";

    /// <summary>The class that the generated code of an entity is in.</summary>
    public const string CodeName = "EntityCode";

    private readonly List<(string Part, SavedMember Member)> _saved = [];
    private readonly List<LinkModel> _links = [];
    private readonly List<CollectionModel> _collections = [];
    private readonly List<ScenePlace> _places = [];
    private readonly HashSet<string> _structs = [];
    private ISymbol? _id;
    private ISymbol? _numbers;
    private string? _gone;
    private DeclaredSort _sort;

    public static bool IsEntityType(ITypeSymbol type) => type is INamedTypeSymbol { TypeKind: TypeKind.Class } named
        && Attribute(named.OriginalDefinition, EntityTypeAttribute) is not null;

    /// <summary>The class of entities that says, of each object, of which kind it is; null for a class that is not derived from one.</summary>
    public static INamedTypeSymbol? CatalogueAbove(INamedTypeSymbol type) =>
        Above(type).FirstOrDefault(one => Attribute(one, EntityTypeAttribute) is { } attribute && Named(attribute, "KindFrom") is string);

    /// <summary>The nearest base that is a class of entities; null if there is none.</summary>
    public static INamedTypeSymbol? EntityAbove(INamedTypeSymbol type) => Above(type).FirstOrDefault(IsEntityType);

    /// <summary>Whether a class is said not to be saved.</summary>
    public static bool IsLeftOut(INamedTypeSymbol type) => Attribute(type, "Lodrik.NotSavedAttribute") is not null;

    /// <summary>Whether the class names no kind and is no catalogue's, so that only derived classes are kinds.</summary>
    public bool IsBaseOfEntities => Attribute(type, EntityTypeAttribute) is { } attribute
        && attribute.ConstructorArguments.FirstOrDefault().Value is not string && Named(attribute, "KindFrom") is null;

    /// <summary>A class that may stand among entities and is of no kind.</summary>
    public EntityModel Unmarked(INamedTypeSymbol above)
    {
        _sort = DeclaredSort.Derived;
        Problem(Diagnostics.BadEntity, type, type.Name, $"it is derived from '{above.Name}', so that it may stand among entities, and has no kind. Mark "
            + "it with [EntityType(\"…\")], or with [NotSaved].");
        return new EntityModel(
            DeclaredSort.Derived, HintName(), Namespace, new EquatableList<string>([]), "", type.Name, TypeCodecs.Name(type), "",
            new EquatableList<string>([]), false, null, null, false, type.IsAbstract, new EquatableList<string>([]), "", new EquatableList<PartModel>([]),
            new EquatableList<LinkModel>([]), new EquatableList<CollectionModel>([]), null, null, new EquatableList<string>([]), null, "", AccessModel(),
            new EquatableList<BoundShape>([]), new EquatableList<string>([]), null, false, new EquatableList<DiagnosticModel>(_problems));
    }

    public EntityModel ReadEntity(DeclaredSort sort)
    {
        _sort = sort;
        CheckPartial();
        CheckKind();
        if (type.IsGenericType && sort is not (DeclaredSort.Base or DeclaredSort.Scene))
            Problem(Diagnostics.BadEntity, type, type.Name, "it is generic. Derive a class from it for each type that is used.");
        if (TypeCodecs.IsStateType(type))
            Problem(Diagnostics.BadEntity, type, type.Name, "it is a state type as well, and it would depend on the reader which it is. "
                + "Leave one of the two attributes out.");
        ReadEntityMembers();
        ReadInherited();
        var parts = ReadParts();
        CheckNames(parts);
        var attribute = Attribute(type, EntityTypeAttribute);
        var isEntity = sort is DeclaredSort.Entity;
        var id = ReadId(isEntity);
        var create = sort is DeclaredSort.Entity or DeclaredSort.Component && !type.IsAbstract && !(isEntity && id == "default") ? ReadEntityCreation(parts, out _) : null;
        var reason = "";
        if (create is null && isEntity && !type.IsAbstract && _problems.Count == 0)
            ReadEntityCreation(parts, out reason);
        return new EntityModel(
            sort,
            HintName().Replace(".State.g.cs", sort == DeclaredSort.Scene ? ".Scene.g.cs" : ".Entity.g.cs"),
            Namespace,
            new EquatableList<string>(Containers()),
            Declaration(type),
            type.Name,
            TypeCodecs.Name(type),
            sort switch
            {
                DeclaredSort.Scene => "scene",
                DeclaredSort.Component => Attribute(type, ComponentTypeAttribute)?.ConstructorArguments[0].Value as string ?? "",
                _ => attribute?.ConstructorArguments.FirstOrDefault().Value as string ?? "",
            },
            new EquatableList<string>(attribute is null ? [] : Texts(attribute, "FormerKinds")),
            attribute is not null && Named(attribute, "OnlyIfChanged") is true,
            attribute is null ? null : ReadKindFrom(attribute),
            attribute is null ? null : Named(attribute, "KindsFrom") as string,
            Attribute(type, Scenes + "PlacedAttribute") is not null,
            type.IsAbstract,
            new EquatableList<string>([.. Above(type).Prepend(type).Select(one => TypeCodecs.Name(one))]),
            id,
            new EquatableList<PartModel>(parts),
            new EquatableList<LinkModel>(_links),
            new EquatableList<CollectionModel>(_collections),
            _gone,
            ReadRemove(),
            new EquatableList<string>(ReadSettled()),
            create,
            reason,
            AccessModel(),
            new EquatableList<BoundShape>([.. DescribeParts(parts)]),
            new EquatableList<string>([.. parts.Select(part => part.Name), .. _links.Select(link => link.Name)]),
            LocationModel.Of(type),
            CanBeExtended(type),
            new EquatableList<DiagnosticModel>(_problems));
    }

    private static object? Named(AttributeData attribute, string name) =>
        attribute.NamedArguments.FirstOrDefault(one => one.Key == name).Value is { Kind: not TypedConstantKind.Array } value ? value.Value : null;

    private static IReadOnlyList<string> Texts(AttributeData attribute, string name) =>
        attribute.NamedArguments.FirstOrDefault(one => one.Key == name).Value is { Kind: TypedConstantKind.Array, IsNull: false } all
            ? [.. all.Values.Select(one => one.Value as string ?? "")] : [];

    private string? ReadKindFrom(AttributeData attribute)
    {
        if (Named(attribute, "KindFrom") is not string name)
            return null;
        if (Member(name) is not IPropertySymbol and not IFieldSymbol)
            Problem(Diagnostics.BadEntity, type, type.Name, $"it has no member '{name}', which KindFrom names.");
        if (Named(attribute, "KindsFrom") is not string { Length: > 0 })
            Problem(Diagnostics.BadEntity, type, type.Name, $"'{name}' says the kind of an object, and KindsFrom does not say which there are.");
        return name;
    }

    /// <summary>A member of the class or of a base.</summary>
    private ISymbol? Member(string name) => Above(type).Prepend(type).SelectMany(one => one.GetMembers(name)).FirstOrDefault();

    /// <summary>The classes whose members are saved: those of the game's own, from the base down.</summary>
    private IEnumerable<INamedTypeSymbol> OwnOwners()
    {
        if (_sort == DeclaredSort.Derived)
            return [type];
        return Owners().Reverse().TakeWhile(one => SymbolEqualityComparer.Default.Equals(one, type) || !IsElsewhere(one) || IsEntityType(one)
            || TypeCodecs.IsStateType(one)).Reverse();
    }

    private void ReadEntityMembers()
    {
        var names = new HashSet<string>();
        foreach (var owner in OwnOwners())
        {
            var partOfClass = Attribute(owner, PartAttribute)?.ConstructorArguments[0].Value as string;
            foreach (var symbol in owner.GetMembers())
            {
                cancellation.ThrowIfCancellationRequested();
                if (symbol is not (IPropertySymbol { IsIndexer: false } or IFieldSymbol) || symbol.IsImplicitlyDeclared)
                    continue;
                if (symbol.IsOverride && names.Contains(symbol.Name))
                    continue;
                if (ReadEntityMember(symbol, owner, partOfClass))
                    names.Add(symbol.Name);
            }
        }
    }

    private bool ReadEntityMember(ISymbol symbol, INamedTypeSymbol owner, string? partOfClass)
    {
        if (Attribute(symbol, Scenes + "EntityIdAttribute") is not null)
        {
            if (_id is not null && !SymbolEqualityComparer.Default.Equals(_id, symbol))
                Problem(Diagnostics.BadEntity, symbol, type.Name, $"'{_id.Name}' and '{symbol.Name}' both are its id. Leave [EntityId] to one of them.");
            _id = symbol;
            return true;
        }
        if (symbol.IsStatic || Attribute(symbol, "Lodrik.NotSavedAttribute") is not null)
            return false;
        var memberType = TypeOf(symbol)!;
        if (Plain(memberType) == "Lodrik.SpawnNumbers")
        {
            if (_sort == DeclaredSort.Scene)
            {
                if (_numbers is not null)
                    Problem(Diagnostics.BadScene, symbol, type.Name, $"'{_numbers.Name}' and '{symbol.Name}' both give numbers. Mark one with [NotSaved].");
                _numbers = symbol;
            }
            return true;
        }
        var item = ItemOf(memberType);
        if (_sort == DeclaredSort.Scene && symbol is IPropertySymbol or IFieldSymbol && ReadPlace(symbol, memberType, item))
            return true;
        if (Attribute(symbol, Scenes + "ComponentsAttribute") is not null)
        {
            if (item is null || !Implements(memberType, "System.Collections.Generic.ICollection<T>"))
                Problem(Diagnostics.BadEntity, symbol, symbol.Name, "it is no list of components.");
            else
                _collections.Add(new CollectionModel(true, StructName(symbol.Name, "List"), Escaped(symbol.Name), TypeCodecs.Name(item), PlaceShape.Collection));
            return true;
        }
        if (Attribute(symbol, Scenes + "ChildrenAttribute") is not null)
        {
            if (item is null || !IsEntityType(item) || ShapeOf(memberType) is not (PlaceShape.List or PlaceShape.Collection))
                Problem(Diagnostics.BadEntity, symbol, symbol.Name,
                    "it is no list of entities that others can be added to, which are this one's children.");
            else
                _collections.Add(new CollectionModel(
                    false, StructName(symbol.Name, "Place"), Escaped(symbol.Name), TypeCodecs.Name(item), ShapeOf(memberType)));
            return true;
        }
        if (Attribute(symbol, Scenes + "ParentAttribute") is not null)
        {
            ReadParent(symbol, owner, memberType);
            return true;
        }
        var isShown = IsShown(symbol);
        if (!isShown)
            return false;
        if (IsEntityType(memberType) || (item is not null && IsEntityType(item)))
        {
            ReadLink(symbol, owner, memberType, item);
            return true;
        }
        if (Plain(memberType) == Scenes + "EntityReference")
        {
            AddLink(LinkSort.ById, symbol, owner, "", LinkShape.Filled, CanBeNull(memberType), hasInitial: true);
            return true;
        }
        if (ReadMember(symbol, owner, isRoot: false) is not { } member)
            return false;
        AddSaved(symbol, member, Attribute(symbol, PartAttribute)?.ConstructorArguments[0].Value as string ?? partOfClass ?? OwnPart, putBy: null);
        return true;
    }

    /// <summary>The part of members that say nothing.</summary>
    private string OwnPart => _sort == DeclaredSort.Component ? Attribute(type, ComponentTypeAttribute)!.ConstructorArguments[0].Value as string ?? ""
        : StatePart;

    /// <summary>Whether a member is public or marked, and no computed one.</summary>
    private static bool IsShown(ISymbol symbol)
    {
        var isAsked = Attribute(symbol, "Lodrik.SavedAttribute") is not null;
        return symbol switch
        {
            IPropertySymbol { GetMethod: null } => false,
            IPropertySymbol property => (property.DeclaredAccessibility == Accessibility.Public || isAsked)
                && (property.SetMethod is not null || IsAutomatic(property) || isAsked),
            IFieldSymbol { IsConst: false } field => field.DeclaredAccessibility == Accessibility.Public || isAsked,
            _ => false,
        };
    }

    private static ITypeSymbol? TypeOf(ISymbol symbol) => (symbol as IPropertySymbol)?.Type ?? (symbol as IFieldSymbol)?.Type;

    private static string Plain(ITypeSymbol type) => TypeCodecs.Plain(
        type is INamedTypeSymbol { OriginalDefinition.SpecialType: SpecialType.System_Nullable_T } nullable ? nullable.TypeArguments[0] : type);

    private static bool CanBeNull(ITypeSymbol type) => type.NullableAnnotation != NullableAnnotation.NotAnnotated
        || type.OriginalDefinition.SpecialType == SpecialType.System_Nullable_T;

    /// <summary>What a collection has; null for what is none.</summary>
    private static ITypeSymbol? ItemOf(ITypeSymbol type)
    {
        if (type.SpecialType == SpecialType.System_String)
            return null;
        if (type is IArrayTypeSymbol { Rank: 1 } array)
            return array.ElementType;
        if (type is not INamedTypeSymbol named)
            return null;
        if (MapOf(named) is { } map)
            return map.TypeArguments[1];
        return named.AllInterfaces.Prepend(named).FirstOrDefault(one =>
            one.OriginalDefinition.SpecialType == SpecialType.System_Collections_Generic_IEnumerable_T)?.TypeArguments[0];
    }

    private static INamedTypeSymbol? MapOf(INamedTypeSymbol type) => type.AllInterfaces.Prepend(type).FirstOrDefault(one =>
        one.OriginalDefinition.ToDisplayString() == "System.Collections.Generic.IDictionary<TKey, TValue>");

    private static bool Implements(ITypeSymbol type, string definition) => type.AllInterfaces.Concat(type is INamedTypeSymbol named ? [named] : [])
        .Any(one => one.OriginalDefinition.ToDisplayString() == definition);

    private static PlaceShape ShapeOf(ITypeSymbol type) => type switch
    {
        IArrayTypeSymbol => PlaceShape.Fixed,
        INamedTypeSymbol named when MapOf(named) is not null => PlaceShape.Map,
        _ when Implements(type, "System.Collections.Generic.IList<T>") => PlaceShape.List,
        _ when Implements(type, "System.Collections.Generic.ICollection<T>") => PlaceShape.Collection,
        _ => PlaceShape.Fixed,
    };

    private string StructName(string member, string ending)
    {
        var name = member.TrimStart('_') + ending;
        while (!_structs.Add(name))
            name += "_";
        return name;
    }

    private void AddSaved(ISymbol symbol, MemberModel member, string part, string? putBy)
    {
        var memberType = TypeOf(symbol)!;
        var rowCodec = codecs.Find(memberType, out _, out _)!;
        var isPlain = TypeCodecs.IsScalar(memberType) || IsPlainNullable(memberType);
        // What an object has from its constructor on may have made more of it than the member itself, such as a body in the physics.
        var isConstant = member.Setting is Setting.BackingField or Setting.ReadOnlyField && (isPlain || memberType.IsValueType || IsImmutable(memberType));
        var isFixed = putBy is null && _sort is not (DeclaredSort.Component or DeclaredSort.Scene) && (isConstant || symbol is IPropertySymbol { SetMethod.IsInitOnly: true });
        _saved.Add((part, new SavedMember(member, rowCodec, isPlain, isFixed, isFixed || putBy is not null ? null : InitialOf(symbol, memberType), putBy)));
        _symbols[member.Name] = symbol;
        _shape.Add(new ShapeMember(
            member.Key, symbol.Name, memberType, IsRequired: false, 0, IgnoresCase(symbol), member.FormerKeys is { } former ? former : []));
        CheckOwnSetter(symbol, member);
    }

    private void CheckOwnSetter(ISymbol symbol, MemberModel member)
    {
        if (member.IsRequired && symbol is IPropertySymbol { SetMethod: null })
            Problem(Diagnostics.BadEntity, symbol, symbol.Name, "it is required and has no setter.");
    }

    private static bool IsPlainNullable(ITypeSymbol type) =>
        type is INamedTypeSymbol { OriginalDefinition.SpecialType: SpecialType.System_Nullable_T } nullable
        && TypeCodecs.IsScalar(nullable.TypeArguments[0]);

    /// <summary>Whether what a member has can only be replaced as a whole.</summary>
    private static bool IsImmutable(ITypeSymbol type) => type.ContainingNamespace?.ToDisplayString()
            is "System.Collections.Immutable" or "System.Collections.Frozen"
        || type.OriginalDefinition.ToDisplayString() is "System.Collections.Generic.IReadOnlyList<T>"
            or "System.Collections.Generic.IReadOnlyCollection<T>" or "System.Collections.Generic.IEnumerable<T>"
            or "System.Collections.Generic.IReadOnlyDictionary<TKey, TValue>" or "System.Collections.Generic.IReadOnlySet<T>";

    private void ReadLink(ISymbol symbol, INamedTypeSymbol owner, ITypeSymbol memberType, ITypeSymbol? item)
    {
        if (item is null)
        {
            if (HasNoSetter(symbol))
            {
                Problem(Diagnostics.BadEntity, symbol, symbol.Name, "it refers to an entity and cannot be set. Give it a setter, or mark it with [NotSaved].");
                return;
            }
            AddLink(LinkSort.One, symbol, owner, TypeCodecs.Name(memberType), LinkShape.Filled, CanBeNull(memberType), InitialOf(symbol, memberType) is "null");
            return;
        }
        var isFilled = memberType is not IArrayTypeSymbol && Implements(memberType, "System.Collections.Generic.ICollection<T>")
            && MapOf((INamedTypeSymbol)memberType) is null;
        var isAssigned = !isFilled && !HasNoSetter(symbol) && (memberType is IArrayTypeSymbol || memberType.TypeKind == TypeKind.Interface)
            && !(memberType is INamedTypeSymbol map && MapOf(map) is not null);
        if (!isFilled && !isAssigned)
        {
            Problem(Diagnostics.BadEntity, symbol, symbol.Name,
                "it has entities, and references can be put into a list, a set or another collection with Add, or into an array with a "
                    + "setter. Use one of these, or mark it with [NotSaved].");
            return;
        }
        AddLink(LinkSort.Many, symbol, owner, TypeCodecs.Name(item), isFilled ? LinkShape.Filled : LinkShape.Assigned, CanBeNull(memberType), hasInitial: true);
    }

    private static bool HasNoSetter(ISymbol symbol) =>
        symbol is IPropertySymbol { SetMethod: null or { IsInitOnly: true } } or IFieldSymbol { IsReadOnly: true } && !HasAccessor(symbol);

    /// <summary>Whether a base in another assembly has an accessor for a member: its private setters cannot be seen.</summary>
    private static bool HasAccessor(ISymbol symbol) =>
        IsElsewhere(symbol) && AccessOf(symbol.ContainingType)?.GetMembers("Set" + symbol.Name).IsEmpty == false;

    private void AddLink(
        LinkSort sort, ISymbol symbol, INamedTypeSymbol owner, string target, LinkShape shape, bool canBeNull, bool hasInitial)
    {
        var key = Attribute(symbol, "Lodrik.SavedAttribute")?.ConstructorArguments.FirstOrDefault().Value as string ?? CamelCase(symbol.Name);
        _links.Add(new LinkModel(sort, key, StructName(symbol.Name, "Link"), Reached(symbol, owner), target, shape, canBeNull, hasInitial));
    }

    /// <summary>How a member is reached that is no state.</summary>
    private MemberModel Reached(ISymbol symbol, INamedTypeSymbol owner)
    {
        var isBase = !SymbolEqualityComparer.Default.Equals(owner, type);
        var setter = (symbol as IPropertySymbol)?.SetMethod;
        var isHidden = isBase && (setter?.DeclaredAccessibility == Accessibility.Private || HasAccessor(symbol));
        var access = isHidden && IsEntityType(owner) ? $"{TypeCodecs.Name(owner)}.{MemberModel.OwnAccess}" : MemberModel.OwnAccess;
        return new MemberModel(symbol.Name, CamelCase(symbol.Name), TypeCodecs.Name(TypeOf(symbol)!), "",
            isHidden || setter?.IsInitOnly == true ? Setting.Setter : symbol is IFieldSymbol ? Setting.Field : Setting.Assign,
            TypeCodecs.Name(owner), IsRequired: false, Access: access, HasPrivateSetter: setter is not null && IsHidden(setter));
    }

    private void ReadParent(ISymbol symbol, INamedTypeSymbol owner, ITypeSymbol memberType)
    {
        if (!IsEntityType(memberType))
            Problem(Diagnostics.BadEntity, symbol, symbol.Name, $"it is a '{TypeCodecs.Plain(memberType)}', and an entity belongs to one entity. "
                + "Give it the type of a class that is marked with [EntityType].");
        else if (_links.Exists(link => link.Sort is LinkSort.Parent or LinkSort.InheritedParent))
            Problem(Diagnostics.BadEntity, symbol, type.Name, $"it has two parents; '{symbol.Name}' is the second. Leave [Parent] to one of them.");
        else if (HasNoSetter(symbol))
            Problem(Diagnostics.BadEntity, symbol, symbol.Name, "it refers to an entity and cannot be set. Give it a setter, or mark it with [NotSaved].");
        else
            _links.Add(new LinkModel(
                LinkSort.Parent, "", StructName(symbol.Name, "Parent"), Reached(symbol, owner), TypeCodecs.Name(memberType), LinkShape.Filled,
                CanBeNull(memberType), HasInitial: true));
    }

    /// <summary>What is said of members of a base that is not the game's own.</summary>
    private void ReadInherited()
    {
        foreach (var attribute in OwnOwners().SelectMany(one => one.GetAttributes())
            .Where(one => one.AttributeClass?.ToDisplayString() == Scenes + "InheritedAttribute"))
        {
            var part = Named(attribute, "Part") as string ?? StatePart;
            var putBy = Named(attribute, "PutBy") as string;
            var sort = Named(attribute, "As") as int? ?? 0;
            foreach (var name in attribute.ConstructorArguments.SelectMany(one => one.Kind == TypedConstantKind.Array ? one.Values : [one])
                .Select(one => one.Value as string ?? ""))
                ReadInherited(name, part, putBy, sort);
        }
    }

    private void ReadInherited(string name, string part, string? putBy, int sort)
    {
        if (Member(name) is not { } symbol || TypeOf(symbol) is not { } memberType || symbol.DeclaredAccessibility == Accessibility.Private)
        {
            Problem(Diagnostics.BadEntity, type, type.Name, $"[Inherited] names '{name}', and no base of it has such a member.");
            return;
        }
        if (putBy is not null && !Above(type).Prepend(type).SelectMany(one => one.GetMembers(putBy)).Any())
        {
            Problem(Diagnostics.BadEntity, type, type.Name, $"[Inherited] names '{putBy}' to put '{name}', and it has no such member.");
            return;
        }
        var isMethod = putBy is not null
            && Above(type).Prepend(type).SelectMany(one => one.GetMembers(putBy)).FirstOrDefault() is IMethodSymbol;
        if (sort == 2)
        {
            _gone = Escaped(name);
            return;
        }
        var owner = symbol.ContainingType;
        var member = new MemberModel(symbol.Name, CamelCase(symbol.Name), TypeCodecs.Name(memberType), "",
            symbol is IFieldSymbol ? Setting.Field : Setting.Assign, TypeCodecs.Name(owner), IsRequired: false, IsNeverNull(memberType));
        var put = putBy is null ? null : isMethod ? Escaped(putBy) + "({0})" : Escaped(putBy) + " = {0}";
        var hasSetter = symbol is IFieldSymbol { IsReadOnly: false }
            or IPropertySymbol { SetMethod: { IsInitOnly: false, DeclaredAccessibility: not (Accessibility.Private or Accessibility.Internal) } };
        if (put is null && !hasSetter)
        {
            Problem(Diagnostics.BadEntity, type, $"{owner.Name}.{name}", "it has no setter that can be called. Name a method that puts it with PutBy.");
            return;
        }
        if (sort == 1)
        {
            if (_links.Exists(link => link.Sort is LinkSort.Parent or LinkSort.InheritedParent))
                Problem(Diagnostics.BadEntity, type, type.Name, $"it has two parents; '{name}' is the second.");
            else
                _links.Add(new LinkModel(LinkSort.InheritedParent, "", StructName(name, "Parent"), member, TypeCodecs.Name(memberType),
                    LinkShape.Filled, CanBeNull: true, HasInitial: true, put ?? $"{Escaped(name)} = {{0}}"));
            return;
        }
        if (codecs.Find(memberType, out var reason, out var remedy) is not { } codec)
        {
            Problem(Diagnostics.CannotBeSaved, type, $"{owner.Name}.{name}", reason, remedy);
            return;
        }
        AddSaved(symbol, member with { Codec = codec }, part, put);
    }

    private List<PartModel> ReadParts()
    {
        var rules = OwnOwners().SelectMany(one => one.GetAttributes())
            .Where(one => one.AttributeClass?.ToDisplayString() == Scenes + "PartRuleAttribute")
            .GroupBy(one => one.ConstructorArguments[0].Value as string ?? "").ToDictionary(one => one.Key, one => one.Last());
        var parts = new List<PartModel>();
        foreach (var group in _saved.GroupBy(one => one.Part))
        {
            var name = group.Key;
            if (name.Length == 0)
                Problem(Diagnostics.BadEntity, type, type.Name, "a part of it has no name.");
            rules.TryGetValue(name, out var rule);
            rules.Remove(name);
            var members = group.Select(one => one.Member).OrderBy(one => one.Member.Order).ToList();
            foreach (var twice in members.GroupBy(one => one.Member.Key).Where(one => one.Count() > 1))
                Problem(Diagnostics.DoubleKey, _symbols[twice.Last().Member.Name], twice.First().Member.Name, twice.Last().Member.Name, twice.Key);
            var row = StructName(char.ToUpperInvariant(name.Length > 0 ? name[0] : '_') + string.Concat(name.Skip(1).Select(c => char.IsLetterOrDigit(c) ? c : '_')), "Row");
            parts.Add(new PartModel(name, row, RowModel(row, members), new EquatableList<SavedMember>(members),
                rule is null ? null : ReadWhen(rule), rule is not null && Named(rule, "OnlyIfChanged") is true));
        }
        foreach (var rule in rules.Values.Where(_ => _sort != DeclaredSort.Base))
            Problem(Diagnostics.BadEntity, type, type.Name, $"[PartRule] is about \"{rule.ConstructorArguments[0].Value}\", and it has no member in such a part.");
        if (_sort == DeclaredSort.Component && parts.Count == 0)
            parts.Add(new PartModel(OwnPart, StructName(type.Name, "Row"), RowModel(type.Name + "Row", []), new EquatableList<SavedMember>([]), null, false));
        return parts;
    }

    private string? ReadWhen(AttributeData rule)
    {
        if (Named(rule, "When") is not string name)
            return null;
        switch (Member(name))
        {
            case IPropertySymbol { Type.SpecialType: SpecialType.System_Boolean } or IFieldSymbol { Type.SpecialType: SpecialType.System_Boolean }:
                return "entity." + Escaped(name);
            case IMethodSymbol { ReturnType.SpecialType: SpecialType.System_Boolean, Parameters.Length: 0 }:
                return "entity." + Escaped(name) + "()";
            default:
                Problem(Diagnostics.BadEntity, type, type.Name, $"[PartRule] names '{name}', which is no truth value of it and no method without parameters that gives one.");
                return null;
        }
    }

    /// <summary>No two parts or references may have one name.</summary>
    private void CheckNames(List<PartModel> parts)
    {
        var names = new HashSet<string>();
        foreach (var name in parts.Select(part => part.Name).Concat(_links.Where(link => link.Name.Length > 0).Select(link => link.Name)))
        {
            if (!names.Add(name))
                Problem(Diagnostics.BadEntity, type, type.Name, $"\"{name}\" is the name of two of its parts and references. Give one another name.");
        }
        // The kind of an object does not say its class, so a member of a derived class says in which part it is.
        if (_sort == DeclaredSort.Derived && parts.FirstOrDefault(part => part.Name == StatePart) is { } part)
            Problem(Diagnostics.BadEntity, type, type.Name, $"the kind of one does not say its class, so '{part.Members[0].Member.Name}' needs a part of "
                + "its own. Mark the class with [Part(\"…\")].");
    }

    private StateModel RowModel(string row, IReadOnlyList<SavedMember> members)
    {
        var name = $"{TypeCodecs.Name(type)}.{CodeName}.{row}";
        var fields = members.Select(one => one.Member with
        {
            Codec = one.RowCodec,
            Setting = Setting.Field,
            Owner = name,
            IsRequired = false,
            HasOwnSetter = false,
            Access = MemberModel.OwnAccess,
            HasPrivateSetter = false,
            IsHidden = false,
        }).ToList();
        return new StateModel(
            HintName().Replace(".State.g.cs", $".{row}.g.cs"), Namespace,
            new EquatableList<string>([.. Containers(), Declaration(type), $"partial class {CodeName}"]), $"internal partial struct {row}", row, name,
            IsReferenceType: false, ChecksType: false, SavedParameters: new EquatableList<string>([]), HidesCodec: false,
            new CreationModel(name, new EquatableList<ParameterModel>([]), "", TakesValues: false), Root: null,
            new EquatableList<MemberModel>(fields), new EquatableList<VariantModel>([]), UnknownMember: null, UnknownVariant: null,
            IsShared: false, Hooks.None, Shape: null, new EquatableList<string>(FindShadowedNames(fields)), new EquatableList<string>([]),
            CanBeExtended(type), IsOnlyBase: false, new EquatableList<DiagnosticModel>([]))
        { HasPresence = true };
    }

    /// <summary>What the class has accessors for.</summary>
    private StateModel AccessModel()
    {
        var members = _saved.Where(one => one.Member.PutBy is null && !one.Member.IsFixed).Select(one => one.Member.Member)
            .Concat(_links.Where(link => link.PutBy is null).Select(link => link.Member)).ToList();
        return RowModel("", []) with
        {
            TypeName = TypeCodecs.Name(type),
            IsReferenceType = true,
            ChecksType = !type.IsSealed,
            Members = new EquatableList<MemberModel>(members),
            HasPresence = false,
        };
    }

    private string ReadId(bool isNeeded)
    {
        if (_id is null)
        {
            if (isNeeded)
                Problem(Diagnostics.BadEntity, type, type.Name, "it does not say what tells its entities apart. Mark one member with [EntityId]: a "
                    + "string if the designer places them, a long if they are spawned, an EntityId if both may be.");
            return "default";
        }
        var name = "entity." + Escaped(_id.Name);
        switch (Plain(TypeOf(_id)!))
        {
            case "string":
                return $"{name} is {{ Length: > 0 }} name ? global::Lodrik.Scenes.EntityId.Placed(name) : default";
            case "long":
                return $"{name} != 0 ? global::Lodrik.Scenes.EntityId.Spawned({name}) : default";
            case Scenes + "EntityId" when !CanBeNull(TypeOf(_id)!):
                return name;
            default:
                Problem(Diagnostics.BadEntity, _id, type.Name, $"its id '{_id.Name}' is of the type '{TypeCodecs.Plain(TypeOf(_id)!)}'. An id is a "
                    + "string, a long or an EntityId.");
                return "default";
        }
    }

    private string? ReadRemove()
    {
        foreach (var owner in Above(type).Prepend(type))
        {
            if (Attribute(owner, Scenes + "RemovesAttribute")?.ConstructorArguments.FirstOrDefault().Value is string named)
            {
                if (Above(type).Prepend(type).SelectMany(one => one.GetMembers(named)).OfType<IMethodSymbol>().Any(one => one.Parameters.All(p => p.HasExplicitDefaultValue)))
                    return Escaped(named);
                Problem(Diagnostics.BadEntity, type, type.Name, $"[Removes] names '{named}', and it has no such method without parameters.");
            }
            if (owner.GetMembers().OfType<IMethodSymbol>().FirstOrDefault(one => Attribute(one, Scenes + "RemovesAttribute") is not null) is not { } method)
                continue;
            if (_sort == DeclaredSort.Scene)
                return null;
            if (method.Parameters.Length == 0 && !method.IsStatic)
                return Escaped(method.Name);
            Problem(Diagnostics.BadEntity, method, type.Name, $"'{method.Name}' removes one, and takes parameters.");
        }
        return null;
    }

    private List<string> ReadSettled()
    {
        var calls = new List<string>();
        foreach (var method in OwnOwners().SelectMany(one => one.GetMembers()).OfType<IMethodSymbol>()
            .Where(one => Attribute(one, Scenes + "SettledAttribute") is not null && !one.IsOverride))
        {
            if (method is { Parameters.Length: <= 1, IsStatic: false } && !(method.DeclaredAccessibility == Accessibility.Private
                && !SymbolEqualityComparer.Default.Equals(method.ContainingType, type)))
                calls.Add(method.Parameters.Length == 0 ? $"entity.{Escaped(method.Name)}();"
                    : $"entity.{Escaped(method.Name)}(({TypeCodecs.Name(method.Parameters[0].Type)})scene);");
            else
                Problem(Diagnostics.BadEntity, method, type.Name, $"'{method.Name}' is to be called once the scene is there. It has to take the scene or nothing, "
                    + "and must not be private to a base class.");
        }
        return calls;
    }

    private IEnumerable<BoundShape> DescribeParts(List<PartModel> parts)
    {
        var shapes = new TypeShapes(codecs);
        var members = _shape.ToDictionary(one => one.Name, one => one);
        var result = new List<(string Name, string Shape)>();
        foreach (var part in parts)
        {
            var all = part.Members.Where(one => members.ContainsKey(one.Member.Name)).Select(one => members[one.Member.Name]).ToList();
            var name = $"{TypeShapes.NameOf(type)}.{part.Name}";
            shapes.Add(name, all);
            result.Add((part.Name, name));
        }
        result.AddRange(_links.Where(link => link.Name.Length > 0)
            .Select(link => (link.Name, link.Sort == LinkSort.Many ? "list<reference>" : "reference?")));
        var described = new EquatableList<string>([.. shapes.Described.Select(one => $"{TypeShapes.Quote(one.Key)}: {one.Value}")]);
        return result.Select(one => new BoundShape("kinds", "", one.Name, one.Shape, described));
    }
}
