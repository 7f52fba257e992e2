using System.Text;

namespace Lodrik.Generator;

/// <summary>
/// Writes the code of a scene: which kinds there are, where their entities are found, and how they come and go. What the scene and the
/// classes of its entities do not agree on is found here.
/// </summary>
internal sealed class SceneSource
{
    private const string Scenes = "global::Lodrik.Scenes.";
    private const string CodeName = "SceneCode";

    private readonly SceneModel _scene;
    private readonly List<EntityModel> _entities;
    private readonly List<EntityModel> _derived;
    private readonly List<(EntityModel Entity, ScenePlace? Place)> _kinds = [];
    private readonly List<DiagnosticModel> _problems = [];
    private readonly StringBuilder _text = new();
    private int _depth;

    public SceneSource(SceneModel scene, IEnumerable<EntityModel> entities, IEnumerable<EntityModel> derived)
    {
        _scene = scene;
        _entities = [.. entities.Concat(scene.Foreign)];
        _derived = [.. derived];
        FindKinds();
    }

    public IReadOnlyList<DiagnosticModel> Problems => _problems;

    /// <summary>The classes of entities that may be in the scene.</summary>
    public IEnumerable<string> Held => _kinds.Select(kind => kind.Entity.TypeName);

    private EntityModel Own => _scene.Own;

    private bool HasState => Own.Parts.Count > 0 || Own.Links.Count > 0;

    private void FindKinds()
    {
        foreach (var entity in _entities.Where(one => one.Sort == DeclaredSort.Entity && !one.IsAbstract))
        {
            var places = _scene.Places.Where(place => entity.Bases.Contains(place.ItemType)).ToList();
            if (places.Count == 0)
                continue;
            var owners = places.Where(place => place.IsOwner).ToList();
            if (places.Count > 1 && owners.Count != 1)
                Problem(Diagnostics.BadScene.Id, places[1].Location, Own.Name,
                    $"'{places[0].Name}' and '{places[1].Name}' may both have a '{entity.Name}'. Mark the one that it is added to and "
                        + "removed from with "
                        + "[Entities].");
            _kinds.Add((entity, places.Count == 1 ? places[0] : owners.FirstOrDefault() ?? places[0]));
        }
        // What is found in these is in the scene as well.
        for (var i = 0; i < _kinds.Count; i++)
        {
            foreach (var list in _kinds[i].Entity.Collections.Where(list => !list.IsComponents))
            {
                foreach (var child in _entities.Where(one =>
                    one.Sort == DeclaredSort.Entity && !one.IsAbstract && one.Bases.Contains(list.ItemType)))
                {
                    if (!_kinds.Exists(kind => kind.Entity.TypeName == child.TypeName))
                        _kinds.Add((child, null));
                }
            }
        }
        CheckKinds();
    }

    private void CheckKinds()
    {
        var names = new Dictionary<string, EntityModel>();
        foreach (var (entity, place) in _kinds)
        {
            foreach (var name in entity.FormerKinds.Prepend(entity.Kind).Where(_ => entity.KindFrom is null))
            {
                if (name.Length == 0 || name == "*")
                    Problem(Diagnostics.BadEntity.Id, entity.Location, entity.Name, $"\"{name}\" is not a valid name for a kind.");
                else if (name == "scene" && HasState)
                    Problem(Diagnostics.BadEntity.Id, entity.Location, entity.Name,
                        "the kind \"scene\" is what the scene's own state is saved as.");
                else if (names.TryGetValue(name, out var other))
                    Problem(Diagnostics.BadEntity.Id, entity.Location, entity.Name, $"the kind \"{name}\" is '{other.Name}' already.");
                else
                    names.Add(name, entity);
            }
            if (entity.IsPlaced)
                continue;
            if (entity.Creation is null && entity.CannotCreate.Length > 0 && SpawnOf(entity) is null or { IsAdding: true })
                Problem(Diagnostics.BadEntity.Id, entity.Location ?? Own.Location, entity.Name,
                    $"it cannot be created: {entity.CannotCreate}. Add [Spawns] to a static method of it or a method of the scene, or "
                        + "[Placed] to the "
                        + "class if its entities are always there.");
            if (place is { Shape: PlaceShape.Fixed } && RemoveOf(entity) is null)
                Problem(Diagnostics.BadScene.Id, place.Location, Own.Name,
                    $"nothing can be removed from '{place.Name}'. Say with [Removes] how a '{entity.Name}' is removed.");
            if (place is { Shape: PlaceShape.Fixed } && SpawnOf(entity) is null && entity.Creation is not null)
                Problem(Diagnostics.BadScene.Id, place.Location, Own.Name,
                    $"nothing can be added to '{place.Name}'. Say with [Spawns] on a method of the scene how a "
                    + $"'{entity.Name}' gets there.");
            if (place is { Shape: PlaceShape.Map } && KeyOf(place, "creation.Id") is null)
                Problem(Diagnostics.BadScene.Id, place.Location, Own.Name,
                    $"the keys of '{place.Name}' are of the type '{place.KeyType}'. Entities are in a dictionary by "
                    + "their ids: a string, a long, an int or an EntityId.");
            if (_scene.Numbers is null && !_scene.HasDescribe && !entity.IdExpression.Contains("Placed("))
                Problem(Diagnostics.BadScene.Id, Own.Location, Own.Name,
                    $"entities such as a '{entity.Name}' are spawned, and nothing gives them numbers. Add "
                    + "'public SpawnNumbers Numbers { get; } = new();'.");
        }
    }

    private void Problem(string id, LocationModel? location, params string[] arguments)
    {
        var problem = new DiagnosticModel(id, location, new EquatableList<string>(arguments));
        if (!_problems.Contains(problem))
            _problems.Add(problem);
    }

    private SceneMethod? SpawnOf(EntityModel entity) => Nearest(_scene.Spawns, entity);

    /// <summary>How an entity is removed by a method; null if it is taken out of a collection.</summary>
    private string? RemoveOf(EntityModel entity) => Nearest(_scene.Removes, entity) is { } method ? method.Call
        : entity.Remove is not null ? $"{Scenes}DeclaredScene.RemoveItself(entity)" : null;

    private static SceneMethod? Nearest(IReadOnlyList<SceneMethod> methods, EntityModel entity) =>
        entity.Bases.Select(one => methods.FirstOrDefault(method => method.ItemType == one)).FirstOrDefault(method => method is not null);

    public string Write()
    {
        Line("// <auto-generated>Made by Lodrik's generator from the members of the scene; not to be edited.</auto-generated>");
        Line("#nullable disable");
        Line("#pragma warning disable CS0108, CS0109, CS0436, CS0612, CS0618, CS1591");
        Line();
        if (Own.Namespace.Length > 0)
        {
            Line($"namespace {Own.Namespace};");
            Line();
        }
        foreach (var container in Own.Containers)
            Open(container);
        Open($"{Own.Declaration} : {Scenes}ISceneType<{Own.TypeName}>");
        WriteKindNames();
        WriteSceneNames();
        Line("/// <summary>Adds what attributes cannot say; it need not be there.</summary>");
        Line($"static partial void Describe({Scenes}SceneBindings<{Own.TypeName}> bindings);");
        Line();
        Line(StateTypeSource.CodeMarks);
        Line($"static {Scenes}SceneBindings<{Own.TypeName}> {Scenes}ISceneType<{Own.TypeName}>.MakeBindings() => {CodeName}.Make();");
        Line();
        Line(StateTypeSource.CodeMarks);
        Line($"static global::System.Collections.Generic.IReadOnlyList<string> {Scenes}ISceneType<{Own.TypeName}>.Names => "
            + $"{(_scene.Names.Count == 0 ? "[]" : SceneNamesClass + ".All")};");
        Line();
        Line("/// <summary>Where entities are found, and how they come and go.</summary>");
        Line(StateTypeSource.CodeMarks);
        Open($"private static class {CodeName}");
        WriteBindings();
        foreach (var (entity, place) in _kinds)
            WritePlace(entity, place);
        if (HasState)
            WriteOwnPlace();
        Close();
        Close();
        foreach (var _ in Own.Containers)
            Close();
        return _text.ToString();
    }

    private void WriteKindNames()
    {
        var names = _kinds.Where(kind => kind.Entity.Kind.Length > 0).Select(kind => kind.Entity.Kind).Distinct().ToList();
        if (names.Count == 0)
            return;
        Line("/// <summary>The names of its kinds in the save.</summary>");
        var owner = _scene.HasKinds ? "SavedKinds" : "Kinds";
        Open($"public static class {owner}");
        foreach (var line in EntitySource.Constants(names, owner))
            Line(line);
        Close();
        Line();
    }

    private void WriteSceneNames()
    {
        if (_scene.Names.Count == 0)
            return;
        Line("/// <summary>The names that its scenes have in saves.</summary>");
        Open($"public static class {SceneNamesClass}");
        foreach (var line in EntitySource.Constants(_scene.Names, SceneNamesClass, "All"))
            Line(line);
        Line("/// <summary>All of them.</summary>");
        Line($"public static global::System.Collections.Generic.IReadOnlyList<string> All {{ get; }} = [{AllNames}];");
        Close();
        Line();
    }

    private string SceneNamesClass => _scene.HasScenes ? "SavedScenes" : "Scenes";

    private string AllNames => string.Join(", ", _scene.Names.Select(Quote));

    private void WriteBindings()
    {
        Line("// Not before they are asked for: a catalogue of kinds has to be filled first.");
        Open($"public static {Scenes}SceneBindings<{Own.TypeName}> Make()");
        Line($"var bindings = new {Scenes}SceneBindings<{Own.TypeName}>();");
        if (_scene.Numbers is { } numbers)
            Line($"bindings.SpawnNumbers(static scene => scene.{numbers});");
        if (Own.Settled.Count > 0)
        {
            Open("bindings.Settled(static entity =>");
            Line("var scene = entity;");
            foreach (var call in Own.Settled)
                Line(call);
            _depth--;
            Line("});");
        }
        foreach (var place in _scene.Places.Where(place => _kinds.Exists(kind => kind.Place == place)))
            Line($"{Scenes}DeclaredScene.Found<{Own.TypeName}, {place.ItemType}>(bindings, static scene => {place.Expression});");
        foreach (var (entity, _) in _kinds)
        {
            if (entity.KindFrom is not { } kindFrom)
            {
                Line($"{Scenes}DeclaredScene.Kind<{Own.TypeName}, {entity.TypeName}, {PlaceName(entity)}>(bindings);");
                continue;
            }
            var names = entity.KindsFrom is { Length: > 0 } named ? named.Contains('.') ? "global::" + named
                : $"{entity.TypeName}.{named}" : "[]";
            Open($"{Scenes}DeclaredScene.Kinds<{Own.TypeName}, {entity.TypeName}, {PlaceName(entity)}>(bindings, {names}, static entity => "
                + $"entity.{kindFrom}, static derived =>");
            foreach (var derived in _derived.Where(one => one.Bases.Contains(entity.TypeName)))
                Line($"derived.Add<{derived.TypeName}>();");
            _depth--;
            Line("});");
        }
        if (HasState)
        {
            Line($"{Scenes}DeclaredScene.Found<{Own.TypeName}, {Own.TypeName}>(bindings, static scene => [scene]);");
            Line($"{Scenes}DeclaredScene.Kind<{Own.TypeName}, {Own.TypeName}, OwnPlace>(bindings);");
        }
        Line("Describe(bindings);");
        Line("return bindings;");
        Close();
        Line();
    }

    private string PlaceName(EntityModel entity)
    {
        var index = _kinds.FindIndex(kind => kind.Entity.TypeName == entity.TypeName);
        var isTaken = _kinds.Take(index).Any(kind => kind.Entity.Name == entity.Name);
        return $"{entity.Name}Place{(isTaken ? index.ToString(System.Globalization.CultureInfo.InvariantCulture) : "")}";
    }

    private void WritePlace(EntityModel entity, ScenePlace? place)
    {
        Open($"public readonly struct {PlaceName(entity)} : {Scenes}IEntityPlace<{Own.TypeName}, {entity.TypeName}>");
        if (entity.IsPlaced)
            Line("public static bool CanSpawn => false;");
        Open($"public static {entity.TypeName} Spawn({Own.TypeName} scene, in {Scenes}EntityCreation creation)");
        var method = SpawnOf(entity);
        var add = method is { IsAdding: true } ? method.Call + ";" : place is null ? null : AddTo(place);
        if (method is { IsAdding: false })
        {
            Line($"return ({entity.TypeName}){method.Call};");
        }
        else if (entity.IsPlaced || add is null)
        {
            Line($"throw {Scenes}DeclaredScene.NoPlace(creation.Kind, creation.Id);");
        }
        else
        {
            Line($"var entity = {Scenes}DeclaredScene.Create<{entity.TypeName}>(creation);");
            Line(add);
            Line("return entity;");
        }
        Close();
        Line($"public static void Remove({Own.TypeName} scene, {entity.TypeName} entity)");
        Open("");
        if (RemoveOf(entity) is { } remove)
            Line(remove + ";");
        else if (place is not null && RemoveFrom(place, entity) is { } from)
            Line(from);
        Close();
        Close();
        Line();
    }

    private static string? AddTo(ScenePlace place) => place.Shape switch
    {
        PlaceShape.List => $"{place.Target}.Add(entity);",
        // Some collections have it from the interface only.
        PlaceShape.Collection => $"({AsCollection(place)}).Add(entity);",
        PlaceShape.Map when KeyOf(place, "creation.Id") is { } key => $"{place.Target}[{key}] = entity;",
        PlaceShape.Single => $"{place.Target} = entity;",
        _ => null,
    };

    private static string AsCollection(ScenePlace place) =>
        $"(global::System.Collections.Generic.ICollection<{place.ItemType}>){place.Target}";

    private static string? RemoveFrom(ScenePlace place, EntityModel entity) => place.Shape switch
    {
        PlaceShape.List => $"{Scenes}DeclaredScene.Remove({place.Target}, entity);",
        PlaceShape.Collection => $"({AsCollection(place)})?.Remove(entity);",
        PlaceShape.Map when KeyOf(place, $"{Scenes}DeclaredScene.IdOf<{entity.TypeName}>(entity)") is { } key =>
            $"{Scenes}DeclaredScene.Remove({place.Target}, {key}, entity);",
        PlaceShape.Single => $"if (ReferenceEquals({place.Target}, entity)) {place.Target} = null;",
        _ => null,
    };

    private static string? KeyOf(ScenePlace place, string id) => place.KeyType switch
    {
        "string" => $"{id}.Name",
        "long" => $"{id}.Number",
        "int" => $"checked((int){id}.Number)",
        "Lodrik.Scenes.EntityId" => id,
        _ => null,
    };

    private void WriteOwnPlace()
    {
        Open($"public readonly struct OwnPlace : {Scenes}IEntityPlace<{Own.TypeName}, {Own.TypeName}>");
        Line("public static bool CanSpawn => false;");
        Line($"public static {Own.TypeName} Spawn({Own.TypeName} scene, in {Scenes}EntityCreation creation) => scene;");
        Line($"public static void Remove({Own.TypeName} scene, {Own.TypeName} entity) {{ }}");
        Close();
    }

    private static string Quote(string text) => Microsoft.CodeAnalysis.CSharp.SymbolDisplay.FormatLiteral(text, quote: true);

    private void Open(string line)
    {
        if (line.Length > 0)
            Line(line);
        Line("{");
        _depth++;
    }

    private void Close()
    {
        _depth--;
        Line("}");
    }

    private void Line(string line = "")
    {
        if (line.Length > 0)
            _text.Append(' ', 4 * _depth).Append(line);
        _text.Append('\n');
    }
}
