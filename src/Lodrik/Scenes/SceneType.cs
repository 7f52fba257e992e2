namespace Lodrik.Scenes;

/// <summary>A scene that is declared with <see cref="SceneTypeAttribute"/>. Implemented by generated code.</summary>
/// <typeparam name="TSelf">The scene.</typeparam>
public interface ISceneType<TSelf> where TSelf : ISceneType<TSelf>
{
    /// <summary>What the objects of such a scene are. Made when it is first asked for.</summary>
    static abstract SceneBindings<TSelf> Bindings { get; }

    /// <summary>The names of the scenes of this class, as <see cref="SceneTypeAttribute"/> has them; empty where it has none.</summary>
    static abstract IReadOnlyList<string> Names { get; }
}
