using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik;

/// <summary>
/// The scenes of a save, by name: a member of the save root. Each scene is its own section, and is decoded when it is asked
/// for; a scene that was not visited stays as it was loaded.
/// </summary>
public sealed class SceneArchive : ISectionGroup, IWarningGroup
{
    // A value is a SceneRecord, or the UndecodedSection that it will be made of.
    private readonly SortedDictionary<string, object> _scenes = new(StringComparer.Ordinal);

    /// <summary>The names of the scenes, in order.</summary>
    public IReadOnlyCollection<string> Names => _scenes.Keys;

    IEnumerable<string> ISectionGroup.SectionNames => _scenes.Keys;

    /// <summary>Whether there is a scene of that name.</summary>
    public bool Contains(string name) => _scenes.ContainsKey(name);

    /// <summary>Keeps a scene under a name, instead of the one that was there.</summary>
    /// <param name="name">The scene's name: not empty, and without lone surrogates.</param>
    /// <param name="scene">The scene as it was captured.</param>
    /// <exception cref="ArgumentException">The name is not valid.</exception>
    public void Put(string name, SceneRecord scene)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        ArgumentNullException.ThrowIfNull(scene);
        if (LoneSurrogates.AreIn(name))
            throw new ArgumentException("The name of the scene contains a lone surrogate, which no file can hold.", nameof(name));
        _scenes[name] = scene;
    }

    /// <summary>Forgets a scene; false if there was none.</summary>
    public bool Delete(string name) => _scenes.Remove(name);

    /// <summary>
    /// Gives scenes other names, all at once, so that two can exchange theirs. One whose new name is another's keeps the one that it has.
    /// </summary>
    /// <param name="newName">The new name of a scene; null if it keeps its name.</param>
    internal void Rename(Func<string, string?> newName)
    {
        var renamed = _scenes.Keys.Select(former => (Former: former, Name: newName(former)!))
            .Where(one => one.Name is not null).DistinctBy(one => one.Name, StringComparer.Ordinal)
            .ToDictionary(one => one.Former, one => one.Name, StringComparer.Ordinal);
        // A scene that keeps its name may be in the way of another one, which then keeps its own too.
        while (renamed.FirstOrDefault(one => _scenes.ContainsKey(one.Value) && !renamed.ContainsKey(one.Value)).Key is { } kept)
            renamed.Remove(kept);
        var scenes = renamed.Select(one => (one.Value, Scene: _scenes[one.Key])).ToList();
        foreach (var former in renamed.Keys)
            _scenes.Remove(former);
        foreach (var (name, scene) in scenes)
            _scenes.Add(name, scene);
    }

    /// <summary>A scene with its parts as trees; null if there is none of that name.</summary>
    /// <exception cref="SaveException">The scene's content does not fit.</exception>
    public SceneRecord? Get(string name) => Get(name, SceneTypes.None);

    internal SceneRecord? Get(string name, SceneTypes types) => _scenes.ContainsKey(name) ? Reader(name)(types) : null;

    /// <summary>What reads a scene that is there, whatever becomes of the archive.</summary>
    internal Func<SceneTypes, SceneRecord> Reader(string name)
    {
        var scene = _scenes[name];
        return types =>
        {
            if (scene is SceneRecord record)
                return record;
            var decoder = new Decoder(types);
            ((UndecodedSection)scene).Decode(decoder);
            return decoder.Scene!;
        };
    }

    // A record is a copy that nothing changes: another content is another record.
    object? ISectionGroup.IdentityOf(string name) => _scenes.GetValueOrDefault(name);

    IReadOnlyList<string> IWarningGroup.WarningsOf(string name) => (_scenes.GetValueOrDefault(name) as SceneRecord)?.Warnings ?? [];

    void ISectionGroup.WriteSection<TWriter>(string name, ref TWriter writer) => Get(name)!.Write(ref writer);

    void ISectionGroup.TakeSections(IReadOnlyList<UndecodedSection> sections)
    {
        _scenes.Clear();
        foreach (var section in sections)
        {
            _scenes[section.Name] = section;
            // What was edited by hand is looked at while the save is loaded, and not when the player gets to the scene.
            if (!section.IsIntact)
                Get(section.Name);
        }
    }

    private sealed class Decoder(SceneTypes types) : ISectionDecoder
    {
        public SceneRecord? Scene { get; private set; }

        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct =>
            Scene = SceneRecord.Read(ref reader, types);
    }
}

/// <summary>
/// Hands out the numbers of spawned entities, each once. Give it to the scene's bindings, and it is saved and restored with the
/// scene, so that a number is never used again after loading.
/// </summary>
public sealed class SpawnNumbers
{
    /// <summary>The number that comes next.</summary>
    public long Upcoming { get; private set; } = 1;

    /// <summary>Takes the next number.</summary>
    public long Next() => Upcoming++;

    // Scenes may share one source: restoring one of them must not hand out a number that another uses.
    internal void ContinueFrom(long upcoming) => Upcoming = Math.Max(Upcoming, upcoming);

    /// <summary>
    /// Whether counting could get to a number. Engines have ids that are spread over all 64 bits; one of those must not use up the numbers.
    /// </summary>
    internal static bool IsInReach(long number) => number / 3 <= SceneRecord.LargestNextSpawn / 2;
}
