namespace Lodrik.Scenes;

/// <summary>
/// Scenes that are there together, such as the parts of a large level. Their entities may refer to each other, and they are restored
/// together, phase by phase: what one of them loses and another refers to is there again before anything is referred to.
/// </summary>
/// <typeparam name="TScene">The game's own scene.</typeparam>
/// <param name="bindings">What the objects of all these scenes are.</param>
/// <remarks>It is used from one thread: the one on which the game changes the scenes.</remarks>
public sealed class SceneSet<TScene>(SceneBindings<TScene> bindings) : INeighbours<TScene>
{
    private readonly SortedDictionary<string, LiveScene<TScene>> _scenes = new(StringComparer.Ordinal);

    /// <summary>The names of the scenes that are there, in order.</summary>
    public IReadOnlyCollection<string> Names => _scenes.Keys;

    /// <summary>The scene of that name; null if it is not there.</summary>
    public LiveScene<TScene>? this[string name] => _scenes.GetValueOrDefault(name);

    /// <summary>A scene is there now, as the designer left it.</summary>
    /// <param name="name">Its name in the save: not empty, and without '>'.</param>
    /// <param name="scene">The scene.</param>
    /// <exception cref="SceneException">A scene of that name is there already; or the scene contradicts itself.</exception>
    public LiveScene<TScene> Begin(string name, TScene scene)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        _ = new EntityReference(default, name);
        if (_scenes.ContainsKey(name))
            throw new SceneException(
                SaveErrorCode.SceneConflict, $"The scene \"{name}\" has begun already.", remedy: "End it before it begins again.");
        ArgumentNullException.ThrowIfNull(scene);
        var live = new LiveScene<TScene>(bindings, scene, null);
        live.Open.Join(this, name);
        _scenes.Add(name, live);
        return live;
    }

    /// <summary>A scene is not there any more; false if it was not.</summary>
    /// <exception cref="SceneException">It is being restored.</exception>
    public bool End(string name)
    {
        if (!_scenes.TryGetValue(name, out var live))
            return false;
        live.RefuseWhileRestoring();
        live.Open.Join(null, null);
        return _scenes.Remove(name);
    }

    /// <summary>Captures all scenes that are there; those that are not stay in the archive as they are.</summary>
    /// <exception cref="SceneException">One of them could not be restored as it is; the archive is unchanged.</exception>
    public void CaptureTo(SceneArchive archive)
    {
        ArgumentNullException.ThrowIfNull(archive);
        foreach (var (name, record) in _scenes.Select(scene => (scene.Key, scene.Value.Capture())).ToList())
            archive.Put(name, record);
    }

    /// <summary>
    /// Restores all scenes that are there from an archive; one that it does not have was never visited, and becomes what the designer made.
    /// If a callback of the game throws, all of them are rolled back to what they were before.
    /// </summary>
    /// <exception cref="SaveException">The content of a scene does not fit, or a callback of the game threw.</exception>
    public RestoreReport RestoreFrom(SceneArchive archive) => Begin(archive, isSliced: false).Finish();

    /// <summary>Restores all scenes that are there step by step.</summary>
    /// <inheritdoc cref="RestoreFrom"/>
    public SceneRestoration<TScene> BeginRestoreFrom(SceneArchive archive) => Begin(archive, isSliced: true);

    private SceneRestoration<TScene> Begin(SceneArchive archive, bool isSliced)
    {
        ArgumentNullException.ThrowIfNull(archive);
        foreach (var live in _scenes.Values)
            live.RefuseWhileRestoring();
        var restoration = new SceneRestoration<TScene>(
            bindings, [.. _scenes.Select(scene => scene.Value.AtWork(archive, scene.Key, isSliced))]);
        foreach (var live in _scenes.Values)
            live.Follow(restoration);
        return restoration;
    }

    EntityReference? INeighbours<TScene>.NameOf(string? from, object entity, Dictionary<string, LiveSet<TScene>> seen)
    {
        foreach (var (name, live) in _scenes)
        {
            if (name == from)
                continue;
            if (Look(name, live, seen).IdOf(entity) is { } id)
                return new EntityReference(id, name);
        }
        return null;
    }

    object? INeighbours<TScene>.Find(EntityReference reference, Dictionary<string, LiveSet<TScene>> seen) =>
        _scenes.TryGetValue(reference.Scene!, out var live) ? Look(reference.Scene!, live, seen).ObjectOf(reference.Id) : null;

    private static LiveSet<TScene> Look(string name, LiveScene<TScene> live, Dictionary<string, LiveSet<TScene>> seen)
    {
        if (!seen.TryGetValue(name, out var there))
            seen.Add(name, there = live.LookAround());
        return there;
    }
}
