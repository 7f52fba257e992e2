namespace Lodrik.Scenes;

/// <summary>A scene that is declared with <see cref="SceneTypeAttribute"/>. Implemented by generated code.</summary>
/// <typeparam name="TSelf">The scene.</typeparam>
public interface ISceneType<TSelf> where TSelf : ISceneType<TSelf>
{
    /// <summary>
    /// Says what the objects of such a scene are. They are made again for each session and each live scene, so that threads share none.
    /// </summary>
    static abstract SceneBindings<TSelf> MakeBindings();

    /// <summary>The names of the scenes of this class, as <see cref="SceneTypeAttribute"/> has them; empty if it has none.</summary>
    static abstract IReadOnlyList<string> Names { get; }
}
