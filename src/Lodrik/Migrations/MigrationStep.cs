using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>
/// What turns a save of one version into one of the next: operations in their order, on the sections of the save. A checkpoint that a save
/// has in it is turned as well.
/// </summary>
public sealed class MigrationStep : MigrationScope<MigrationStep>
{
    private const string AnyName = "*";
    private readonly string _scenes;
    private readonly string _session;

    internal MigrationStep(int from, string scenes, string session) => (From, _scenes, _session) = (from, scenes, session);

    /// <summary>The version that the step leads up from.</summary>
    public int From { get; }

    /// <summary>The version that it leads up to.</summary>
    public int To => From + 1;

    /// <summary>The sections that the step looks at; those of a group as <c>name/*</c>. No other is decoded for it.</summary>
    public IReadOnlyList<string> Sections =>
        [.. Operations.SelectMany(operation => operation.Sections).Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal)];

    /// <summary>Works on each entity of a kind, in all scenes, by paths such as <c>/parts/flame/oil</c>.</summary>
    /// <param name="kind">The kind; <c>*</c> for all.</param>
    /// <param name="describe">The operations.</param>
    public MigrationStep ForEachEntity(string kind, Action<MigrationItem> describe)
    {
        ArgumentException.ThrowIfNullOrEmpty(kind);
        RefuseIfPresent(nameof(ForEachEntity));
        return AddGroup(prefix => $"each {(kind == AnyName ? "entity" : kind)}: {prefix}", InScenes, Describe(describe),
            claim => claim.WithinEntities(kind), root => Entities(root, kind).Select(entity => entity.Place));
    }

    /// <summary>Works on a part of each entity of a kind that has it, in all scenes, by paths from the part on.</summary>
    /// <param name="kind">The kind; <c>*</c> for all.</param>
    /// <param name="part">The part's name.</param>
    /// <param name="describe">The operations.</param>
    public MigrationStep ForEachPart(string kind, string part, Action<MigrationItem> describe)
    {
        ArgumentException.ThrowIfNullOrEmpty(kind);
        ArgumentException.ThrowIfNullOrEmpty(part);
        RefuseIfPresent(nameof(ForEachPart));
        return AddGroup(
            prefix => $"{part} of each {(kind == AnyName ? "entity" : kind)}: {prefix}", InScenes, Describe(describe),
            claim => claim with { Kind = kind, Part = part },
                root => Entities(root, kind).Select(entity => PartOf(entity, part)).OfType<MigrationPlace>()
                    .Where(place => place.Value is not SaveScalar { Kind: SaveValueKind.Null }));
    }

    /// <summary>Gives a kind another name.</summary>
    public MigrationStep RenameKind(string from, string to)
    {
        ArgumentException.ThrowIfNullOrEmpty(from);
        ArgumentException.ThrowIfNullOrEmpty(to);
        RefuseIfPresent(nameof(RenameKind));
        return Add(new MigrationOperation(at => [$"{at}the kind {from} becomes {to}"], InScenes,
            [OfKind(from), OfKind(to, isNew: true)], root =>
        {
            foreach (var (_, entity) in Entities(root, from))
                entity["kind"] = to;
            foreach (var kinds in KnownKinds(root))
            {
                // If the kind of today is there as well, both are of one game and have the same members.
                if (kinds.TryGet(from, out var known) && kinds.Remove(from) && !kinds.TryGet(to, out _))
                    kinds[to] = known;
            }
        }));
    }

    /// <summary>Removes all entities of a kind from all scenes.</summary>
    public MigrationStep RemoveKind(string kind)
    {
        ArgumentException.ThrowIfNullOrEmpty(kind);
        RefuseIfPresent(nameof(RemoveKind));
        return Add(new MigrationOperation(at => [$"{at}the kind {kind} is removed"], InScenes, [OfKind(kind)], root =>
        {
            // From the last on: what is removed from a list moves those after it.
            foreach (var (place, _) in Entities(root, kind).Reverse().ToList())
                place.Remove();
            foreach (var kinds in KnownKinds(root))
                kinds.Remove(kind);
        }));
    }

    /// <summary>Gives a part of a kind another name.</summary>
    /// <param name="kind">The kind; <c>*</c> for all.</param>
    /// <param name="from">The part's name in older saves.</param>
    /// <param name="to">Its name from now on.</param>
    public MigrationStep RenamePart(string kind, string from, string to)
    {
        ArgumentException.ThrowIfNullOrEmpty(kind);
        ArgumentException.ThrowIfNullOrEmpty(from);
        ArgumentException.ThrowIfNullOrEmpty(to);
        RefuseIfPresent(nameof(RenamePart));
        return Add(new MigrationOperation(
            at => [$"{at}the part {from} of {(kind == AnyName ? "every kind" : kind)} becomes {to}"], InScenes,
            [OfPart(kind, from), OfPart(kind, to, isNew: true)], root =>
        {
            foreach (var entity in Entities(root, kind))
            {
                if (PartOf(entity, from) is { } part && !part.TryRename(to))
                    throw new OperationException($"The entity has a part \"{to}\" already.", part.Locate());
            }
            foreach (var members in KnownKinds(root).SelectMany(kinds => kinds)
                .Where(known => kind == AnyName || known.Key == kind).Select(known => MembersOf(known.Value)).OfType<SaveList>())
            {
                for (var i = 0; i < members.Count; i++)
                {
                    if (members[i].TextIfSingle() == from)
                        members[i] = to;
                }
            }
        }));
    }

    /// <summary>
    /// Gives a scene another name: its section, the place of the player and of checkpoints, and what refers to its entities from a part of
    /// its own. A reference that is a member of a state type has to be converted by its path.
    /// </summary>
    public MigrationStep RenameScene(string from, string to)
    {
        ArgumentException.ThrowIfNullOrEmpty(from);
        ArgumentException.ThrowIfNullOrEmpty(to);
        RefuseIfPresent(nameof(RenameScene));
        // Whether a scene can be referred to by that name is known now, and not when the first save is loaded.
        _ = new EntityReference(default, to);
        var section = MigrationPath.Of(_scenes, from);
        return Add(new MigrationOperation(at => [$"{at}the scene {from} becomes {to}"], [.. InScenes, $"{_session}/place"],
            [new StepClaim(ClaimSort.Place, section), new StepClaim(ClaimSort.Place, MigrationPath.Of(_scenes, to), IsNew: true)], root =>
        {
            if (root.FindOne(section) is { } scene && !scene.TryRename(to))
                throw new OperationException($"There is a scene \"{to}\" already.", scene.Locate());
            foreach (var place in PlacesIn(root, from))
                place["scene"] = to;
            foreach (var (_, entity) in Entities(root, AnyName))
                RenameReferences(entity, from, to);
        }));
    }

    /// <summary>
    /// Changes the places of the player and of checkpoints that are in a scene. Use it if the scene was split or its entrances were
    /// renamed. <see cref="Run"/> reaches the saved data inside a checkpoint, but not the checkpoint's own place.
    /// </summary>
    /// <param name="scene">The scene in older saves.</param>
    /// <param name="does">What happens to the places, in words: "the north gate is in the far marsh".</param>
    /// <param name="place">Gets the entrance, which may be empty, and returns the new scene and entrance.</param>
    public MigrationStep MovePlaces(string scene, string does, Func<string, (string Scene, string Entrance)> place)
    {
        ArgumentException.ThrowIfNullOrEmpty(scene);
        ArgumentException.ThrowIfNullOrEmpty(does);
        ArgumentNullException.ThrowIfNull(place);
        RefuseIfPresent(nameof(MovePlaces));
        return Add(new MigrationOperation(at => [$"{at}places in {scene}: {does}"], [$"{_session}/*"], [], root =>
        {
            foreach (var old in PlacesIn(root, scene).ToList())
            {
                var (to, entrance) = Call(() => place(old.TryGet("entrance", out var known) ? known.AsText() ?? "" : ""));
                if (string.IsNullOrEmpty(to))
                    throw new OperationException($"The step returned no scene for a place in {scene}.");
                old["scene"] = to;
                old["entrance"] = entrance ?? "";
            }
        }));
    }

    /// <summary>The places of the player and of checkpoints that are in a scene.</summary>
    private IEnumerable<SaveMap> PlacesIn(MigrationRoot root, string scene)
    {
        var checkpoints = ((SaveRoot)root).Store.Names.Where(CheckpointShape.IsName).Select(name =>
        {
            var group = name[..name.IndexOf('/', StringComparison.Ordinal)];
            return MigrationPath.Of(group, name[(group.Length + 1)..]);
        });
        return checkpoints.Prepend(MigrationPath.Of(_session, "place")).ToList().Select(path => root.FindOne(path)?.Value)
            .OfType<SaveMap>().Where(place => place.TryGet("scene", out var its)
                && its is SaveScalar { Kind: SaveValueKind.Text, Text: var name }
                && name == scene);
    }

    private static TResult Call<TResult>(Func<TResult> code)
    {
        try
        {
            return code();
        }
        catch (Exception exception) when (exception is not (OperationException or SaveException or OutOfMemoryException))
        {
            throw new OperationException($"The step's code failed: {exception.Message}", innerException: exception);
        }
    }

    /// <summary>Does what no other operation does.</summary>
    /// <param name="does">What that is, in words: "the tally is made of the letters".</param>
    /// <param name="sections">The sections that the code may look at; of a group, <c>name/*</c>.</param>
    /// <param name="code">The code. What it throws is an error of the step.</param>
    public MigrationStep Run(string does, IReadOnlyList<string> sections, Action<MigrationSave> code)
    {
        ArgumentException.ThrowIfNullOrEmpty(does);
        ArgumentNullException.ThrowIfNull(sections);
        ArgumentNullException.ThrowIfNull(code);
        RefuseIfPresent(nameof(Run));
        List<string> allowed = [.. sections];
        var claims = allowed.Select(section => Placed(new StepClaim(ClaimSort.Section, MigrationPath.Of(
            [.. section.Split('/', 2).Where(name => name != AnyName)]), IsNew: true))).ToList();
        return Add(new MigrationOperation(at => [$"{at}{does}"], allowed, claims, root =>
        {
            Call(() =>
            {
                code(new MigrationSave((SaveRoot)root, allowed));
                return true;
            });
        }));
    }

    /// <summary>The operations, one line each, as <c>3 → 4: /warden/hp becomes /warden/health</c>.</summary>
    public override string ToString() => string.Join(Environment.NewLine, Lines);

    internal IEnumerable<string> Lines => Operations.Count == 0
        ? [$"{From} → {To}: nothing changes"]
        : Operations.SelectMany(operation => operation.Describe("")).Select(line => $"{From} → {To}: {line}");

    private string[] InScenes => [$"{_scenes}/*"];

    /// <summary>The entities of a kind in all scenes, each with what is there.</summary>
    private IEnumerable<(MigrationPlace Place, SaveMap Entity)> Entities(MigrationRoot root, string kind)
    {
        foreach (var (place, _) in root.Find(MigrationPath.Of(_scenes, null, "entities"), mayMiss: true))
        {
            if (place.Value is not SaveMap entities)
                continue;
            foreach (var (id, value) in entities)
            {
                if (value is SaveMap entity && IsOf(entity, kind))
                    yield return (new MigrationPlace(place, entities, id), entity);
            }
        }
        // Those that wait for a game that knows them as well: it may be the one that this step leads to.
        foreach (var (place, _) in root.Find(MigrationPath.Of(_scenes, null, "kept"), mayMiss: true))
        {
            if (place.Value is not SaveList kept)
                continue;
            for (var index = 0; index < kept.Count; index++)
            {
                if (kept[index] is SaveMap entity && IsOf(entity, kind))
                    yield return (new MigrationPlace(place, kept, index), entity);
            }
        }
    }

    private static bool IsOf(SaveMap entity, string kind) => kind == AnyName
        || (entity.TryGet("kind", out var its) && its is SaveScalar { Kind: SaveValueKind.Text } text && text.Text == kind);

    /// <summary>What the kinds of each scene had in the game that made the save.</summary>
    private IEnumerable<SaveMap> KnownKinds(MigrationRoot root) =>
        root.Find(MigrationPath.Of(_scenes, null, "kinds"), mayMiss: true).Select(found => found.Place.Value).OfType<SaveMap>();

    private static SaveList? MembersOf(SaveValue known) =>
        known is SaveMap map && map.TryGet("members", out var members) ? members as SaveList : null;

    private static MigrationPlace? PartOf((MigrationPlace Place, SaveMap Entity) entity, string part) =>
        entity.Entity.TryGet("parts", out var value) && value is SaveMap parts && parts.TryGet(part, out _)
            ? new MigrationPlace(new MigrationPlace(entity.Place, entity.Entity, "parts"), parts, part)
            : null;

    private static void RenameReferences(SaveMap entity, string from, string to)
    {
        if (!entity.TryGet("parts", out var value) || value is not SaveMap parts)
            return;
        foreach (var name in parts.Keys.ToList())
        {
            switch (parts[name])
            {
                case SaveScalar one:
                    parts[name] = Renamed(one);
                    break;
                case SaveList list when list.Any(item => item is SaveScalar { Kind: SaveValueKind.Text }):
                    for (var i = 0; i < list.Count; i++)
                        list[i] = Renamed(list[i]);
                    break;
            }
        }

        SaveValue Renamed(SaveValue part) => part is SaveScalar { Kind: SaveValueKind.Text, Text: var text }
            && EntityReference.TryParse(text, out var reference) && reference.Scene == from
            ? new EntityReference(reference.Id, to).ToString()
            : part;
    }

    private static StepClaim OfKind(string kind, bool isNew = false) =>
        new(ClaimSort.Kind, MigrationPath.Of(), Kind: kind, IsNew: isNew);

    private static StepClaim OfPart(string kind, string part, bool isNew = false) =>
        new(ClaimSort.Place, MigrationPath.Of(), Kind: kind, Part: part, IsNew: isNew);

    private protected override StepClaim Placed(StepClaim claim) => claim.InScenes(_scenes);

    private protected override MigrationPath Parse(string path) => MigrationPath.Parse(path) is { Steps.Count: > 0 } parsed
        ? parsed
        : throw new ArgumentException("A step works on sections, so its paths have to begin with the name of one.");

    private protected override IReadOnlyList<string> SectionsOf(IReadOnlyList<MigrationPath> paths) => [.. paths.Select(path =>
        path.Steps is [{ } group, ..] && (group == _scenes || group == _session)
            ? $"{group}/{(path.Steps.Count > 1 ? path.Steps[1] ?? AnyName : AnyName)}"
            : path.Steps[0] ?? AnyName)];
}

/// <summary>A save as the own code of a migration step sees it: trees under paths, in the sections that the step names.</summary>
public sealed class MigrationSave
{
    private readonly SaveRoot _root;
    private readonly IReadOnlyList<string> _allowed;

    internal MigrationSave(SaveRoot root, IReadOnlyList<string> allowed) => (_root, _allowed) = (root, allowed);

    /// <summary>The names of the sections that are there and that the step names.</summary>
    public IReadOnlyList<string> Sections => [.. _root.Store.Names.Where(IsAllowed)];

    /// <summary>What is at a path without <c>*</c>; null if there is nothing.</summary>
    public SaveValue? Find(string path) => _root.FindOne(Allowed(path))?.Value;

    /// <summary>All that a path finds.</summary>
    public IReadOnlyList<MigrationPlace> Each(string path) => _root.Find(Allowed(path), mayMiss: true).ConvertAll(match => match.Place);

    /// <summary>Puts a value at a path, instead of what is there. Maps on the way that are missing are made.</summary>
    public void Set(string path, SaveValue value)
    {
        ArgumentNullException.ThrowIfNull(value);
        var parsed = Allowed(path);
        if (_root.FindOne(parsed) is { } place)
            place.Value = value;
        else
            _root.Put(parsed, value);
    }

    /// <summary>Takes out what is at a path; false if there is nothing.</summary>
    public bool Remove(string path)
    {
        var place = _root.FindOne(Allowed(path));
        place?.Remove();
        return place is not null;
    }

    private MigrationPath Allowed(string path)
    {
        var parsed = MigrationPath.Parse(path);
        var isAllowed = parsed.Steps is [{ } section, ..]
            && (IsAllowed(section) || _allowed.Contains($"{section}/*")
                || (parsed.Steps is [_, { } name, ..] && IsAllowed(SectionStore.NameOf(section, name))));
        return isAllowed
            ? parsed
            : throw new ArgumentException($"The step does not name the section of \"{path}\". It names: {string.Join(", ", _allowed)}.");
    }

    private bool IsAllowed(string section) => _allowed.Contains(section)
        || (section.IndexOf('/', StringComparison.Ordinal) is > 0 and var slash && _allowed.Contains($"{section[..slash]}/*"));
}
