using Lodrik.State;

namespace Lodrik.Sessions;

/// <summary>
/// The names of scenes in saves, and those of today. A save says which former names it does not use any more, so that a new scene may have
/// the name that another one had before.
/// </summary>
internal sealed class SceneNames
{
    private readonly IReadOnlyCollection<string> _known;
    private readonly IReadOnlyDictionary<string, string> _former;
    private readonly ScenePlace _start;
    private readonly ScenePlace? _fallback;

    public SceneNames(IReadOnlyCollection<string> known, IReadOnlyDictionary<string, string> former, ScenePlace start, ScenePlace? fallback)
    {
        (_known, _former, _start, _fallback) = (known, former, start, fallback);
        foreach (var scene in new[] { start.Scene, fallback?.Scene ?? start.Scene }.Concat(former.Values))
        {
            if (!IsKnown(scene))
                throw new SessionException(
                    SaveErrorCode.NoSuchScene, $"The options name the scene \"{scene}\", which the game does not have.",
                    remedy: $"Valid scenes: {string.Join(", ", known)}.");
        }
    }

    /// <summary>Refuses a place that the game does not have.</summary>
    /// <exception cref="SessionException">There is no such scene.</exception>
    /// <exception cref="ArgumentException">The place cannot be saved.</exception>
    public void Check(ScenePlace place)
    {
        ArgumentException.ThrowIfNullOrEmpty(place.Scene, nameof(place));
        ArgumentNullException.ThrowIfNull(place.Entrance, nameof(place));
        if (LoneSurrogates.AreIn(place.Scene) || LoneSurrogates.AreIn(place.Entrance))
            throw new ArgumentException(
                "The name of the scene or of the entrance contains a lone surrogate, which no file can hold.", nameof(place));
        if (!IsKnown(place.Scene))
            throw new SessionException(
                SaveErrorCode.NoSuchScene, $"There is no scene \"{place.Scene}\".",
                remedy: Spelling.Nearest(place.Scene, _known) is { } meant
                    ? $"Did you mean \"{meant}\"?"
                    : $"There are: {string.Join(", ", _known)}.");
    }

    /// <summary>The former names that are used no more where a state is that had these already.</summary>
    public IReadOnlyCollection<string> RenamedAfter(IReadOnlyCollection<string> already) =>
        already.Count == 0 ? [.. _former.Keys] : [.. _former.Keys.Union(already, StringComparer.Ordinal)];

    /// <summary>Gives the scenes of a save the names of today.</summary>
    /// <param name="scenes">The scenes.</param>
    /// <param name="renamed">The former names that the save does not use.</param>
    public void Rename(SceneArchive scenes, IReadOnlyCollection<string> renamed)
    {
        if (_former.Keys.Any(former => !renamed.Contains(former) && scenes.Contains(former)))
            scenes.Rename(name => renamed.Contains(name) ? null : _former.GetValueOrDefault(name));
    }

    /// <summary>A place that a save names, under the names of today; the fallback where the game has it no more.</summary>
    /// <param name="place">The place.</param>
    /// <param name="renamed">The former names that the save does not use.</param>
    /// <param name="warnings">Gets the warning that the player is elsewhere.</param>
    public ScenePlace Today(ScenePlace place, IReadOnlyCollection<string> renamed, List<string> warnings)
    {
        if (!renamed.Contains(place.Scene) && _former.TryGetValue(place.Scene, out var today))
            place = place with { Scene = today };
        if (IsKnown(place.Scene))
            return place;
        var fallback = _fallback ?? _start;
        warnings.Add(
            $"The save is in the scene \"{place.Scene}\", which the game no longer has; the player is in \"{fallback.Scene}\" now.");
        return fallback;
    }

    /// <summary>Whether it is certain that a name is one of today.</summary>
    public bool IsOfToday(string scene) => _known.Contains(scene);

    private bool IsKnown(string scene) => _known.Count == 0 || _known.Contains(scene);
}
