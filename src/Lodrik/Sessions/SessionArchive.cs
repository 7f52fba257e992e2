using Lodrik.Sessions;
using Lodrik.State;

namespace Lodrik;

/// <summary>What a save root has for a <see cref="GameSession{TSave, TScene}"/>: the scenes, and the session's own part.</summary>
public interface ISessionSave
{
    /// <summary>The scenes that were visited.</summary>
    SceneArchive Scenes { get; }

    /// <summary>Where the player is, how long was played, and what the game's subsystems keep.</summary>
    SessionArchive Session { get; }
}

/// <summary>
/// The session's part of a save: a member of the save root. Where the player is, how long was played, checkpoints, and a section for each
/// subsystem that was registered. A subsystem's section that nobody asks for stays as it was loaded.
/// </summary>
public sealed class SessionArchive : ISectionGroup
{
    internal const string PlaceSection = "place";
    internal const string ClockSection = "clock";
    internal const string NamesSection = "names";
    internal const string CheckpointPrefix = CheckpointShape.Prefix;

    private readonly SortedDictionary<string, ISessionSection> _sections = new(StringComparer.Ordinal);

    /// <summary>The names of the sections, in order.</summary>
    public IReadOnlyCollection<string> Names => _sections.Keys;

    IEnumerable<string> ISectionGroup.SectionNames => _sections.Keys;

    /// <summary>Whether there is a section of that name.</summary>
    public bool Contains(string name) => _sections.ContainsKey(name);

    /// <summary>Gives a section its content.</summary>
    /// <param name="name">The section's name: not empty.</param>
    /// <param name="state">The content. It is written when the save is.</param>
    public void Put<T>(string name, T state) where T : IStateType<T>
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        _sections[name] = new TypedSection<T>(state);
    }

    /// <summary>Gets the content of a section.</summary>
    /// <returns>
    /// A copy, or what was put in as another type read as this one; null, or the default value, where there is no such section.
    /// </returns>
    /// <exception cref="SaveException">The content does not fit the type.</exception>
    public T? Get<T>(string name) where T : IStateType<T> => _sections.TryGetValue(name, out var section) ? section.As<T>(name) : default;

    /// <summary>The former names of scenes that are not used any more.</summary>
    internal IReadOnlyCollection<string> Renamed => Get<NamesState>(NamesSection)?.Renamed ?? [];

    internal void Put(string name, ISessionSection section) => _sections[name] = section;

    /// <summary>A section as it is kept; null if there is none.</summary>
    internal ISessionSection? Find(string name) => _sections.GetValueOrDefault(name);

    /// <summary>Forgets a section; false if there was none.</summary>
    public bool Delete(string name) => _sections.Remove(name);

    object? ISectionGroup.IdentityOf(string name) => _sections[name].Identity;

    void ISectionGroup.WriteSection<TWriter>(string name, ref TWriter writer) => _sections[name].Write(ref writer);

    void ISectionGroup.TakeSections(IReadOnlyList<UndecodedSection> sections)
    {
        _sections.Clear();
        foreach (var section in sections)
        {
            var loaded = new LoadedSection(section);
            // What was edited by hand is looked at while the save is loaded, and not when a subsystem asks for it.
            if (!section.IsIntact)
                loaded.ToTree();
            _sections[section.Name] = loaded;
        }
    }
}
