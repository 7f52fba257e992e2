using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik;

/// <summary>
/// Says once what the objects of a game's scenes are, kind by kind. Made when the game starts, and used for every scene of this
/// type: <see cref="Begin"/> gives what captures and restores one.
/// </summary>
/// <typeparam name="TScene">The game's own scene: whatever its objects are found in.</typeparam>
public sealed class SceneBindings<TScene>
{
    private readonly Dictionary<string, IBoundKind<TScene>> _kinds = new(StringComparer.Ordinal);

    internal IEnumerable<IBoundKind<TScene>> Kinds => _kinds.Values;

    internal Func<TScene, SpawnNumbers>? Numbers { get; private set; }

    internal Action<TScene>? SceneSettled { get; private set; }

    /// <summary>Binds a kind.</summary>
    /// <param name="kind">The kind's name in the save.</param>
    /// <param name="entities">The objects of this kind that are in a scene now.</param>
    /// <param name="describe">Says what they are.</param>
    /// <exception cref="SceneException">The description cannot work; the message says why.</exception>
    public SceneBindings<TScene> Kind<TEntity>(
        string kind, Func<TScene, IEnumerable<TEntity>> entities, Action<KindBinding<TScene, TEntity>> describe) where TEntity : notnull
    {
        ArgumentException.ThrowIfNullOrEmpty(kind);
        ArgumentNullException.ThrowIfNull(entities);
        ArgumentNullException.ThrowIfNull(describe);
        var binding = new KindBinding<TScene, TEntity>(kind, entities);
        describe(binding);
        binding.Check();
        if (!_kinds.TryAdd(kind, new BoundKind<TScene, TEntity>(binding)))
            throw new SceneException(SaveErrorCode.BadBinding, $"The kind \"{kind}\" is bound twice.");
        return this;
    }

    /// <summary>Where a scene keeps the numbers of its spawned entities, so that they go on after loading.</summary>
    public SceneBindings<TScene> SpawnNumbers(Func<TScene, SpawnNumbers> numbers)
    {
        ArgumentNullException.ThrowIfNull(numbers);
        Numbers = numbers;
        return this;
    }

    /// <summary>What to do once a whole scene is there: where an interface redraws itself.</summary>
    public SceneBindings<TScene> Settled(Action<TScene> settled)
    {
        ArgumentNullException.ThrowIfNull(settled);
        SceneSettled = settled;
        return this;
    }

    /// <summary>
    /// Takes hold of a scene as the designer left it, before the player has changed anything: what is there now is the manifest,
    /// against which a capture tells what is gone.
    /// </summary>
    /// <exception cref="SceneException">Two objects of the scene have one id.</exception>
    public LiveScene<TScene> Begin(TScene scene)
    {
        ArgumentNullException.ThrowIfNull(scene);
        return new LiveScene<TScene>(this, scene);
    }

    internal IBoundKind<TScene>? Find(string kind) => _kinds.GetValueOrDefault(kind);

    internal PartColumn? MakeColumn(string kind, string part) => Find(kind)?.MakeColumn(part);
}
