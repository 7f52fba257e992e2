namespace Lodrik.Scenes;

/// <summary>What is known of a scene that is being played, whoever works on it.</summary>
internal sealed class OpenScene<TScene>(TScene scene)
{
    public TScene Scene => scene;

    /// <summary>The placed entities of the scene as the designer left it, and their kinds.</summary>
    public Dictionary<EntityId, string> Manifest { get; } = [];

    /// <summary>Whether the manifest is what was in the scene when it began, and not one that was stored.</summary>
    public bool IsManifestAuthored { get; set; }

    /// <summary>The scene as the designer left it.</summary>
    public SceneRecord Authored { get; set; } = new();

    /// <summary>What the last restored save has and the game cannot show.</summary>
    public KeptState Kept { get; } = new();

    /// <summary>How many entities there were last time.</summary>
    public int ExpectedCount { get; set; }

    /// <summary>Its name among the scenes that are there together; null if it is alone.</summary>
    public string? Name { get; private set; }

    /// <summary>The scenes that are there together with it; null if there are none.</summary>
    public INeighbours<TScene>? Neighbours { get; private set; }

    public void Join(INeighbours<TScene>? neighbours, string? name) => (Neighbours, Name) = (neighbours, name);
}

/// <summary>Scenes that are there together.</summary>
internal interface INeighbours<TScene>
{
    /// <summary>The reference to an object of another scene; null if none has it.</summary>
    /// <param name="from">The name of the scene that refers to it.</param>
    /// <param name="entity">The object.</param>
    /// <param name="seen">What is in the other scenes: looked at once, and kept for the next object.</param>
    EntityReference? NameOf(string? from, object entity, Dictionary<string, LiveSet<TScene>> seen);

    /// <summary>The object of a reference to another scene; null if it is not there.</summary>
    /// <param name="reference">The reference.</param>
    /// <param name="seen">What is in the other scenes: looked at once, and kept for the next reference.</param>
    object? Find(EntityReference reference, Dictionary<string, LiveSet<TScene>> seen);
}
