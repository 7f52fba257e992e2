using Microsoft.CodeAnalysis;

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
    private ISymbol? _idByName;
    private readonly List<ScenePlace> _places = [];
    private readonly HashSet<string> _structs = [];
    private ISymbol? _id;
    private ISymbol? _numbers;
    private string? _gone;
    private DeclaredSort _sort;

    public static bool IsEntityType(ITypeSymbol type) => type switch
    {
        INamedTypeSymbol { TypeKind: TypeKind.Class } named => Attribute(named.OriginalDefinition, EntityTypeAttribute) is not null,
        ITypeParameterSymbol parameter => parameter.ConstraintTypes.Any(one => one is INamedTypeSymbol && IsEntityType(one)),
        _ => false,
    };

    /// <summary>
    /// The class of entities that says, of each object, of which kind it is; null for a class that is not derived from one.
    /// </summary>
    public static INamedTypeSymbol? CatalogueAbove(INamedTypeSymbol type) =>
        Above(type).FirstOrDefault(one => Attribute(one, EntityTypeAttribute) is { } attribute && Named(attribute, "KindFrom") is string);

    /// <summary>The nearest base that is a class of entities; null if there is none.</summary>
    public static INamedTypeSymbol? EntityAbove(INamedTypeSymbol type) => Above(type).FirstOrDefault(IsEntityType);

    /// <summary>Whether a class is said not to be saved.</summary>
    public static bool IsLeftOut(INamedTypeSymbol type) => Attribute(type, "Lodrik.NotSavedAttribute") is not null;

    /// <summary>Whether the class names no kind and is not a catalogue's, so that only derived classes are kinds.</summary>
    public bool IsBaseOfEntities => Attribute(type, EntityTypeAttribute) is { } attribute
        && attribute.ConstructorArguments.FirstOrDefault().Value is not string && Named(attribute, "KindFrom") is null;

    /// <summary>A class that may be among entities and is of no kind.</summary>
    public EntityModel Unmarked(INamedTypeSymbol above)
    {
        _sort = DeclaredSort.Derived;
        Problem(Diagnostics.BadEntity, type, type.Name,
            $"it is derived from '{above.Name}', so it can be among entities, but it has no kind. Mark "
            + "it with [EntityType(\"…\")], or with [NotSaved].");
        return new EntityModel(
            DeclaredSort.Derived, HintName(), Namespace, new EquatableList<string>([]), "", type.Name, TypeCodecs.Name(type), "",
            new EquatableList<string>([]), false, null, null, false, type.IsAbstract, new EquatableList<string>([]), "",
            new EquatableList<PartModel>([]),
            new EquatableList<LinkModel>([]), new EquatableList<CollectionModel>([]), null, null, new EquatableList<string>([]), null, "",
            AccessModel(),
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
        var create = sort is DeclaredSort.Entity or DeclaredSort.Component && !type.IsAbstract && !(isEntity && id == "default")
            ? ReadEntityCreation(parts, out _) : null;
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
        attribute.NamedArguments.FirstOrDefault(one => one.Key == name).Value is { Kind: not TypedConstantKind.Array } value ? value.Value
            : null;

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
            Problem(Diagnostics.BadEntity, type, type.Name,
                $"'{name}' says the kind of an object, and KindsFrom does not say which there are.");
        return name;
    }

    /// <summary>A member of the class or of a base.</summary>
    private ISymbol? Member(string name) => Above(type).Prepend(type).SelectMany(one => one.GetMembers(name)).FirstOrDefault();

    /// <summary>The classes whose members are saved: those of the game's own, from the base down.</summary>
    private IEnumerable<INamedTypeSymbol> OwnOwners()
    {
        if (_sort == DeclaredSort.Derived)
            return [type];
        return Owners().Reverse().TakeWhile(one =>
            SymbolEqualityComparer.Default.Equals(one, type) || !IsElsewhere(one) || IsEntityType(one)
            || TypeCodecs.IsStateType(one)).Reverse();
    }

    private void ReadEntityMembers()
    {
        var names = new HashSet<string>();
        _idByName = FindIdByName();
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

    /// <summary>The member that is called Id; null if another is marked, and where there can be none.</summary>
    private ISymbol? FindIdByName()
    {
        if (_sort is not (DeclaredSort.Entity or DeclaredSort.Base))
            return null;
        var members = OwnOwners().SelectMany(owner => owner.GetMembers()).Where(one => one is IPropertySymbol or IFieldSymbol).ToList();
        return members.Exists(one => Attribute(one, Scenes + "EntityIdAttribute") is not null)
            ? null
            : members.FindLast(one => one is { Name: "Id", IsStatic: false } && Attribute(one, "Lodrik.NotSavedAttribute") is null);
    }

    private bool ReadEntityMember(ISymbol symbol, INamedTypeSymbol owner, string? partOfClass)
    {
        if (Attribute(symbol, Scenes + "EntityIdAttribute") is not null || SymbolEqualityComparer.Default.Equals(symbol, _idByName))
        {
            if (_id is not null && !SymbolEqualityComparer.Default.Equals(_id, symbol))
                Problem(Diagnostics.BadEntity, symbol, type.Name,
                    $"'{_id.Name}' and '{symbol.Name}' both are its id. Leave [EntityId] to one of them.");
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
                    Problem(Diagnostics.BadScene, symbol, type.Name,
                        $"'{_numbers.Name}' and '{symbol.Name}' both give numbers. Mark one with [NotSaved].");
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
                Problem(Diagnostics.BadEntity, symbol, symbol.Name, "it is not a list of components.");
            else
                _collections.Add(new CollectionModel(true, StructName(symbol.Name, "List"), Escaped(symbol.Name), TypeCodecs.Name(item),
                    PlaceShape.Collection));
            return true;
        }
        if (Attribute(symbol, Scenes + "ChildrenAttribute") is not null)
        {
            if (item is null || !IsEntityType(item) || ShapeOf(memberType) is not (PlaceShape.List or PlaceShape.Collection))
                Problem(Diagnostics.BadEntity, symbol, symbol.Name,
                    "it is not a list of child entities to which others can be added.");
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
        var part = Attribute(symbol, PartAttribute)?.ConstructorArguments[0].Value as string ?? partOfClass ?? OwnPart;
        AddSaved(symbol, member, part, putBy: null);
        return true;
    }

    /// <summary>The part of members that say nothing.</summary>
    private string OwnPart =>
        _sort == DeclaredSort.Component ? Attribute(type, ComponentTypeAttribute)!.ConstructorArguments[0].Value as string ?? ""
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
        type is INamedTypeSymbol { OriginalDefinition.SpecialType: SpecialType.System_Nullable_T } nullable ? nullable.TypeArguments[0]
            : type);

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

    private static bool Implements(ITypeSymbol type, string definition) =>
        type.AllInterfaces.Concat(type is INamedTypeSymbol named ? [named] : [])
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

    private string ReadId(bool isNeeded)
    {
        if (_id is null)
        {
            if (isNeeded)
                Problem(Diagnostics.BadEntity, type, type.Name,
                    "it does not say what tells its entities apart. Give it a member that is called Id, or mark one with [EntityId]: a "
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
                Problem(Diagnostics.BadEntity, _id, type.Name,
                    $"its id '{_id.Name}' is of the type '{TypeCodecs.Plain(TypeOf(_id)!)}'. An id is a "
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
                if (Above(type).Prepend(type).SelectMany(one => one.GetMembers(named)).OfType<IMethodSymbol>().Any(one =>
                    one.Parameters.All(p => p.HasExplicitDefaultValue)))
                    return Escaped(named);
                Problem(Diagnostics.BadEntity, type, type.Name,
                    $"[Removes] names '{named}', and it has no such method without parameters.");
            }
            if (owner.GetMembers().OfType<IMethodSymbol>().FirstOrDefault(one =>
                Attribute(one, Scenes + "RemovesAttribute") is not null) is not { } method)
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
                Problem(Diagnostics.BadEntity, method, type.Name,
                    $"'{method.Name}' is to be called once the scene is there. It has to take the scene or nothing, "
                    + "and must not be private to a base class.");
        }
        return calls;
    }
}
