using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

// Scenes: where their entities are, and how they come and go.
internal sealed partial class ModelReader
{
    public SceneModel ReadScene()
    {
        if (type.IsGenericType || type.IsStatic || type.TypeKind != TypeKind.Class)
            Problem(Diagnostics.BadScene, type, type.Name, "a scene is a class that is neither static nor generic.");
        var own = ReadEntity(DeclaredSort.Scene);
        var methods = Above(type).Prepend(type).SelectMany(one => one.GetMembers()).OfType<IMethodSymbol>().ToList();
        foreach (var method in Marked(methods, "EntitiesAttribute"))
            ReadQuery(method);
        return new SceneModel(
            own,
            _numbers is null ? null : Escaped(_numbers.Name),
            new EquatableList<ScenePlace>(_places),
            new EquatableList<SceneMethod>([.. Marked(methods, "SpawnsAttribute").Select(ReadSpawns).OfType<SceneMethod>()]),
            new EquatableList<SceneMethod>([.. Marked(methods, "RemovesAttribute").Select(ReadRemoves).OfType<SceneMethod>()]),
            type.GetMembers("Describe").OfType<IMethodSymbol>().Any(one =>
                one is { IsStatic: true, IsPartialDefinition: false, Parameters.Length: 1 }),
            type.GetMembers("Kinds").Length > 0,
            type.GetMembers("Scenes").Length > 0,
            new EquatableList<string>(ReadSceneNames()),
            new EquatableList<EntityModel>([.. ReadForeign()]),
            new EquatableList<DiagnosticModel>(_problems));
    }

    private List<string> ReadSceneNames()
    {
        var attribute = Attribute(type, SceneTypeAttribute);
        var names = attribute?.ConstructorArguments.FirstOrDefault() is { Kind: TypedConstantKind.Array, IsNull: false } all
            ? all.Values.Select(one => one.Value as string ?? "").ToList() : [];
        foreach (var name in names.Where(name => name.Length == 0 || name.Contains('>')).Take(1))
            Problem(
                Diagnostics.BadScene, type, type.Name,
                $"\"{name}\" is not a valid name for a scene. A name must not be empty or contain '>'.");
        foreach (var name in names.GroupBy(name => name).Where(group => group.Count() > 1).Take(1))
            Problem(Diagnostics.BadScene, type, type.Name, $"it has two scenes of the name \"{name.Key}\". Leave one out.");
        return names;
    }

    private static IEnumerable<IMethodSymbol> Marked(List<IMethodSymbol> methods, string attribute) =>
        methods.Where(one => Attribute(one, Scenes + attribute) is not null);

    /// <summary>A member of a scene that has entities; false if it is none.</summary>
    private bool ReadPlace(ISymbol symbol, ITypeSymbol memberType, ITypeSymbol? item)
    {
        var isAsked = Attribute(symbol, Scenes + "EntitiesAttribute") is not null;
        var isSingle = IsEntityType(memberType);
        if (!isSingle && (item is null || !IsEntityType(item)) && !isAsked)
            return false;
        if (!isAsked && !IsShown(symbol))
            return false;
        if (!isSingle && (item is null || !IsEntityType(item)))
        {
            Problem(Diagnostics.BadScene, symbol, type.Name,
                $"'{symbol.Name}' is marked with [Entities], and does not give objects of a class that is marked with [EntityType].");
            return true;
        }
        var isComputed = symbol is IPropertySymbol property && !IsAutomatic(property) && property.SetMethod is null;
        var name = "scene." + Escaped(symbol.Name);
        var shape = isSingle
            ? (symbol is IPropertySymbol { SetMethod: null } or IFieldSymbol { IsReadOnly: true } ? PlaceShape.Fixed : PlaceShape.Single)
            : isComputed ? PlaceShape.Fixed : ShapeOf(memberType);
        var itemType = isSingle ? memberType : item!;
        var map = !isSingle && memberType is INamedTypeSymbol named ? MapOf(named) : null;
        var expression = isSingle ? $"{name} is {{ }} one ? [one] : null" : map is not null ? $"{name}?.Values" : name;
        _places.Add(new ScenePlace(
            symbol.Name, expression, name, TypeCodecs.Name(itemType), itemType.Name, shape,
            map is null ? "" : Plain(map.TypeArguments[0]), isAsked,
            LocationModel.Of(symbol)));
        return true;
    }

    private void ReadQuery(IMethodSymbol method)
    {
        if (method.Parameters.Length > 0 || method.IsStatic || ItemOf(method.ReturnType) is not { } item || !IsEntityType(item))
        {
            Problem(Diagnostics.BadScene, method, type.Name,
                $"'{method.Name}' is marked with [Entities]. It has to take nothing, and to give objects of a class "
                + "that is marked with [EntityType].");
            return;
        }
        _places.Add(new ScenePlace(
            method.Name, $"scene.{Escaped(method.Name)}()", "", TypeCodecs.Name(item), item.Name, PlaceShape.Fixed, "", true,
            LocationModel.Of(method)));
    }

    private SceneMethod? ReadSpawns(IMethodSymbol method)
    {
        if (method.ReturnsVoid && !method.IsStatic && method.Parameters.Length == 1 && IsEntityType(method.Parameters[0].Type))
            return new SceneMethod($"scene.{Escaped(method.Name)}(entity)", TypeCodecs.Name(method.Parameters[0].Type), IsAdding: true);
        var arguments = new List<string>();
        foreach (var parameter in method.Parameters)
        {
            var argument = Plain(parameter.Type) switch
            {
                Scenes + "EntityId" => "creation.Id",
                "long" when IsNamed("number", parameter) || IsNamed("id", parameter) || method.Parameters.Length == 1 => "creation.Number",
                "string" when IsNamed("kind", parameter) => "creation.Kind",
                "string" when IsNamed("name", parameter) || IsNamed("id", parameter) || method.Parameters.Length == 1 => "creation.Name",
                _ when IsEntityType(parameter.Type) => $"creation.Parent as {TypeCodecs.Name(parameter.Type)}",
                _ when parameter.HasExplicitDefaultValue => "",
                _ => null,
            };
            if (argument is null)
            {
                Problem(Diagnostics.BadScene, method, type.Name,
                    $"'{method.Name}' creates entities, and asks for '{TypeCodecs.Plain(parameter.Type)} {parameter.Name}', "
                    + "which is neither the id, the kind nor the parent of one.");
                return null;
            }
            if (argument.Length > 0)
                arguments.Add($"{Escaped(parameter.Name)}: {argument}");
        }
        if (!IsEntityType(method.ReturnType))
        {
            Problem(Diagnostics.BadScene, method, type.Name,
                $"'{method.Name}' is marked with [Spawns], and does neither give an object of a class that is marked with [EntityType] nor "
                    + "take one to add.");
            return null;
        }
        return new SceneMethod(
            $"{(method.IsStatic ? TypeCodecs.Name(type) : "scene")}.{Escaped(method.Name)}({string.Join(", ", arguments)})",
            TypeCodecs.Name(method.ReturnType));
    }

    private SceneMethod? ReadRemoves(IMethodSymbol method)
    {
        if (method.Parameters.Length == 1 && IsEntityType(method.Parameters[0].Type))
            return new SceneMethod($"scene.{Escaped(method.Name)}(entity)", TypeCodecs.Name(method.Parameters[0].Type));
        Problem(Diagnostics.BadScene, method, type.Name,
            $"'{method.Name}' is marked with [Removes]. It has to take the entity that it removes, and nothing else.");
        return null;
    }

    /// <summary>The classes of entities that another assembly declares and that may be in this scene.</summary>
    private IEnumerable<EntityModel> ReadForeign()
    {
        var assemblies = new List<IAssemblySymbol>();
        foreach (var symbol in OwnOwners().SelectMany(one => one.GetMembers()))
        {
            var shown = symbol switch
            {
                IPropertySymbol property => property.Type,
                IFieldSymbol field => field.Type,
                IMethodSymbol method when Attribute(method, Scenes + "EntitiesAttribute") is not null => method.ReturnType,
                _ => null,
            };
            if (shown is null || (IsEntityType(shown) ? shown : ItemOf(shown)) is not { } item || !IsEntityType(item)
                || SymbolEqualityComparer.Default.Equals(item.ContainingAssembly, type.ContainingAssembly))
                continue;
            if (!assemblies.Exists(one => SymbolEqualityComparer.Default.Equals(one, item.ContainingAssembly)))
                assemblies.Add(item.ContainingAssembly);
        }
        foreach (var one in assemblies.SelectMany(one => AllTypes(one.GlobalNamespace)).Where(one =>
            IsEntityType(one) && !one.IsGenericType))
        {
            var sort = Attribute(one, EntityTypeAttribute)!.ConstructorArguments.FirstOrDefault().Value is string ? DeclaredSort.Entity
                : DeclaredSort.Base;
            yield return new ModelReader(one, codecs, cancellation, source, position).ReadEntity(sort) with
            {
                Problems = new EquatableList<DiagnosticModel>([]),
                Location = null,
            };
        }
    }

    private static IEnumerable<INamedTypeSymbol> AllTypes(INamespaceOrTypeSymbol container) =>
        container.GetMembers().SelectMany(one => one switch
    {
        INamespaceSymbol inner => AllTypes(inner),
        INamedTypeSymbol named => AllTypes(named).Prepend(named),
        _ => [],
    });
}
