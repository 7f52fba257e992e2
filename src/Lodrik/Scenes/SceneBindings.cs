using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// Says once what the objects of a game's scenes are, kind by kind. Made when the game starts, and used for every scene of this
/// type: <see cref="LiveScene.Begin{TScene}(SceneBindings{TScene}, TScene)"/> gives what captures and restores one.
/// </summary>
/// <typeparam name="TScene">The game's own scene: whatever its objects are found in.</typeparam>
public sealed class SceneBindings<TScene>
{
    private readonly Dictionary<string, SceneKind<TScene>> _kinds = new(StringComparer.Ordinal);
    private readonly Dictionary<string, string> _aliases = new(StringComparer.Ordinal);
    private readonly List<IEntityFamily<TScene>> _families = [];
    private readonly Dictionary<Type, IEntityFamily<TScene>[]> _familiesOf = [];

    /// <summary>Makes bindings without any kind.</summary>
    public SceneBindings() => Types = new BoundTypes(this, null);

    internal IReadOnlyList<IEntityFamily<TScene>> Families => _families;

    internal SceneTypes Types { get; }

    internal Func<TScene, SpawnNumbers>? Numbers { get; private set; }

    internal Action<TScene>? SceneSettled { get; private set; }

    internal Action<TScene>? LowerCurtain { get; private set; }

    internal Action<TScene>? RaiseCurtain { get; private set; }

    internal Func<TScene, object, EntityReference?>? FindElsewhere { get; private set; }

    internal Func<TScene, EntityReference, object?>? ResolveElsewhere { get; private set; }

    /// <summary>Whether the game says where the numbers of spawned entities come from.</summary>
    internal bool KnowsNumbers { get; private set; }

    /// <summary>Whether entities of some kind are left out of a record if they are unchanged.</summary>
    internal bool OmitsUnchanged { get; private set; }

    internal int FramesToSettle { get; private set; }

    /// <summary>The kinds that are declared by attributes.</summary>
    internal DeclaredKinds<TScene> Declared { get; } = new();

    /// <summary>Binds a kind.</summary>
    /// <param name="kind">The kind's name in the save.</param>
    /// <param name="entities">The objects of this kind that are in a scene now.</param>
    /// <param name="describe">Says what they are.</param>
    /// <exception cref="SceneException">The description cannot work; the message says why.</exception>
    public SceneBindings<TScene> Kind<TEntity>(
        string kind, Func<TScene, IEnumerable<TEntity>> entities, Action<KindBinding<TScene, TEntity>> describe) where TEntity : notnull =>
        Bind([kind], entities, null, describe);

    /// <summary>Binds a kind whose entities are numbers: the places in a list of ids, of which those that are not set are free.</summary>
    /// <param name="kind">The kind's name in the save.</param>
    /// <param name="ids">Gets the ids, such as an array of the scene's.</param>
    /// <param name="describe">Says what the entities have, and how they come and go.</param>
    /// <exception cref="SceneException">The description cannot work; the message says why.</exception>
    public SceneBindings<TScene> Table(string kind, Func<TScene, IReadOnlyList<EntityId>> ids, Action<TableBinding<TScene>> describe)
    {
        ArgumentNullException.ThrowIfNull(ids);
        ArgumentNullException.ThrowIfNull(describe);
        return Kind<int>(kind, scene => Taken(ids(scene)), one => describe(new TableBinding<TScene>(
            one, (scene, number) => ids(scene) is var all && (uint)number < (uint)all.Count ? all[number] : default)));
    }

    private static IEnumerable<int> Taken(IReadOnlyList<EntityId> ids)
    {
        for (var number = 0; number < ids.Count; number++)
        {
            if (ids[number] != default)
                yield return number;
        }
    }

    /// <summary>
    /// Binds several kinds with one description: the classes of a hierarchy, or whatever a catalogue has. Parts that only some of them have
    /// say so by <c>when</c>.
    /// </summary>
    /// <param name="kinds">The kinds' names in the save, such as the names of a catalogue.</param>
    /// <param name="entities">The objects of all these kinds that are in a scene now.</param>
    /// <param name="kindOf">The kind of an object.</param>
    /// <param name="describe">Says what they are.</param>
    /// <exception cref="SceneException">The description cannot work; the message says why.</exception>
    public SceneBindings<TScene> Kinds<TEntity>(
        IEnumerable<string> kinds, Func<TScene, IEnumerable<TEntity>> entities, Func<TEntity, string> kindOf,
        Action<KindBinding<TScene, TEntity>> describe)
        where TEntity : notnull
    {
        ArgumentNullException.ThrowIfNull(kinds);
        ArgumentNullException.ThrowIfNull(kindOf);
        return Bind([.. kinds], entities, kindOf, describe);
    }

    /// <summary>Says that a kind had another name in earlier saves.</summary>
    /// <param name="former">The name that saves have.</param>
    /// <param name="kind">The name of today, bound already.</param>
    /// <exception cref="SceneException">The kind is not bound, or the former name is another kind's.</exception>
    public SceneBindings<TScene> FormerKind(string former, string kind)
    {
        ArgumentException.ThrowIfNullOrEmpty(former);
        ArgumentException.ThrowIfNullOrEmpty(kind);
        if (!_kinds.ContainsKey(kind))
            throw new SceneException(SaveErrorCode.BadBinding,
                $"The kind \"{kind}\" is not bound, so \"{former}\" cannot be its former name.", remedy: "Bind the kind first.");
        if (_kinds.ContainsKey(former) || !_aliases.TryAdd(former, kind))
            throw new SceneException(
                SaveErrorCode.BadBinding, $"\"{former}\" cannot be a former name of \"{kind}\": a kind already has this name.");
        return this;
    }

    /// <summary>Where a scene keeps the numbers of its spawned entities, so that they continue after loading.</summary>
    public SceneBindings<TScene> SpawnNumbers(Func<TScene, SpawnNumbers> numbers)
    {
        ArgumentNullException.ThrowIfNull(numbers);
        (Numbers, KnowsNumbers) = (numbers, true);
        return this;
    }

    /// <summary>
    /// The game numbers its spawned entities itself, saves how far it has got, and never uses a number again. Without this and without
    /// <see cref="SpawnNumbers"/>, a scene with spawned entities is not captured: after loading, numbers would begin at 1 again.
    /// </summary>
    public SceneBindings<TScene> OwnNumbers()
    {
        KnowsNumbers = true;
        return this;
    }

    /// <summary>What to do before a scene is touched: where the screen is covered.</summary>
    public SceneBindings<TScene> CurtainDown(Action<TScene> lower)
    {
        ArgumentNullException.ThrowIfNull(lower);
        LowerCurtain = lower;
        return this;
    }

    /// <summary>
    /// What to do last, once everything has settled, or is as it was before because something failed: where the screen is uncovered.
    /// </summary>
    public SceneBindings<TScene> CurtainUp(Action<TScene> raise)
    {
        ArgumentNullException.ThrowIfNull(raise);
        RaiseCurtain = raise;
        return this;
    }

    /// <summary>What to do once a whole scene is there: where an interface redraws itself.</summary>
    public SceneBindings<TScene> Settled(Action<TScene> settled)
    {
        ArgumentNullException.ThrowIfNull(settled);
        SceneSettled = settled;
        return this;
    }

    /// <summary>How references reach what is not in the scene, such as an entity of another one.</summary>
    /// <param name="find">The reference to an object that is not in the scene; null if it is unknown.</param>
    /// <param name="resolve">The object of such a reference; null if it is not there now. The reference is kept all the same.</param>
    public SceneBindings<TScene> Elsewhere(Func<object, EntityReference?> find, Func<EntityReference, object?> resolve)
    {
        ArgumentNullException.ThrowIfNull(find);
        ArgumentNullException.ThrowIfNull(resolve);
        return Elsewhere((_, entity) => find(entity), (_, reference) => resolve(reference));
    }

    /// <summary>How references reach what is not in the scene, if that needs the scene that they start from.</summary>
    /// <inheritdoc cref="Elsewhere(Func{object, EntityReference?}, Func{EntityReference, object})"/>
    public SceneBindings<TScene> Elsewhere(
        Func<TScene, object, EntityReference?> find, Func<TScene, EntityReference, object?> resolve)
    {
        ArgumentNullException.ThrowIfNull(find);
        ArgumentNullException.ThrowIfNull(resolve);
        FindElsewhere = find;
        ResolveElsewhere = resolve;
        return this;
    }

    /// <summary>
    /// How many frames an engine takes over what it does with a new object, such as giving it an id or overwriting its position. A
    /// restoration that spawned something waits for so many further calls of <see cref="SceneRestoration{TScene}.Step"/>, one in each
    /// frame, and puts the parts of what it spawned once more before the scene settles.
    /// </summary>
    /// <param name="frames">The number of frames, from 1.</param>
    public SceneBindings<TScene> SettleAfter(int frames)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(frames, 1);
        FramesToSettle = frames;
        return this;
    }

    /// <summary>The types, for decoding a record of a scene of which it is known how the designer left it.</summary>
    internal SceneTypes TypesFor(SceneRecord authored) => new BoundTypes(this, authored);

    /// <summary>The families that objects of a type may be found in.</summary>
    internal IEntityFamily<TScene>[] FamiliesOf(Type type) =>
        _familiesOf.TryGetValue(type, out var families) ? families : FindFamiliesOf(type);

    private IEntityFamily<TScene>[] FindFamiliesOf(Type type)
    {
        IEntityFamily<TScene>[] families = [.. _families.Where(family => family.Has(type))];
        _familiesOf.Add(type, families);
        return families;
    }

    internal SceneKind<TScene>? Find(string kind) => _kinds.GetValueOrDefault(_aliases.GetValueOrDefault(kind, kind));

    internal void Add(IEntityFamily<TScene> family)
    {
        _familiesOf.Clear();
        _families.Add(family);
    }

    /// <exception cref="SceneException">The kind is bound already.</exception>
    internal void Add(SceneKind<TScene> kind)
    {
        if (_aliases.ContainsKey(kind.Name) || !_kinds.TryAdd(kind.Name, kind))
            throw new SceneException(SaveErrorCode.BadBinding, $"The kind \"{kind.Name}\" is bound twice.");
        OmitsUnchanged |= kind.OmitsUnchanged;
    }

    private SceneBindings<TScene> Bind<TEntity>(
        IReadOnlyList<string> kinds, Func<TScene, IEnumerable<TEntity>> entities, Func<TEntity, string>? kindOf,
        Action<KindBinding<TScene, TEntity>> describe)
        where TEntity : notnull
    {
        ArgumentNullException.ThrowIfNull(entities);
        ArgumentNullException.ThrowIfNull(describe);
        if (kinds.Count == 0)
            throw new SceneException(SaveErrorCode.BadBinding, "The description has no kinds.", remedy: "Name the kinds.");
        foreach (var kind in kinds)
            ArgumentException.ThrowIfNullOrEmpty(kind, nameof(kinds));
        var binding = new KindBinding<TScene, TEntity>(kinds[0]);
        describe(binding);
        binding.Check();
        var bound = new Dictionary<string, BoundKind<TScene, TEntity>>(StringComparer.Ordinal);
        foreach (var kind in kinds)
        {
            var one = new BoundKind<TScene, TEntity>(kind, binding);
            Add(one);
            bound.Add(kind, one);
        }
        Add(new BoundFamily<TScene, TEntity>(binding, bound, entities, kindOf));
        return this;
    }

    /// <summary>What decoding a record asks of the bindings.</summary>
    private sealed class BoundTypes(SceneBindings<TScene> bindings, SceneRecord? authored) : SceneTypes
    {
        public override int AuthoredIndexOf(EntityId id) => authored?.TryIndexOf(id) ?? -1;

        public override PartColumn? AuthoredColumn(string kind, string part) => authored?.FindColumn(kind, part);

        public override bool HasFormerKinds => bindings._aliases.Count > 0;

        public override string KindName(string saved) => bindings._aliases.GetValueOrDefault(saved, saved);

        public override PartColumn? MakeColumn(string kind, string part) => bindings.Find(kind)?.MakeColumn(part);
    }
}
