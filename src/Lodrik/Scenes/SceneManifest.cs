using System.Numerics;
using Lodrik.Scenes.Authoring;

namespace Lodrik.Scenes;

/// <summary>
/// The placed entities of a scene as the designer left it, with the ids that distinguish them: what a level tool stores beside the level,
/// and gives to the next <see cref="ManifestBuilder"/> so that ids stay.
/// </summary>
[StateType]
public sealed partial class SceneManifest
{
    /// <summary>The placed entities, in the order of their ids.</summary>
    public List<ManifestEntry> Entries { get; set; } = [];
}

/// <summary>One placed entity of a manifest.</summary>
[StateType]
public sealed partial class ManifestEntry
{
    /// <summary>Its id, the same in every save and every version of the game.</summary>
    public EntityId Id { get; set; }

    /// <summary>Its kind.</summary>
    public string Kind { get; set; } = "";

    /// <summary>Where it is in the level's tree, in the level tool's own spelling; may be empty.</summary>
    public string Path { get; set; } = "";

    /// <summary>Where the designer put it.</summary>
    public Vector3 Place { get; set; }

    /// <summary>Whether it is not in the level any more. Its id is not given to anything else.</summary>
    public bool IsRetired { get; set; }
}
