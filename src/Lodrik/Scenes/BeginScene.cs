using Lodrik.Scenes;

namespace Lodrik;

/// <summary>Takes hold of live scenes.</summary>
public static class LiveScene
{
    /// <summary>Takes hold of a declared scene as the designer left it, before the player has changed anything.</summary>
    /// <exception cref="SceneException">An object of the scene has no id, or two have the same; or a getter of the game threw.</exception>
    public static LiveScene<TScene> Begin<TScene>(TScene scene) where TScene : ISceneType<TScene> => TScene.MakeBindings().Begin(scene);

    /// <summary>Takes hold of a declared scene of which a manifest was stored: what that names and is not there now is gone.</summary>
    /// <exception cref="SceneException">An object of the scene has no id, or two have the same; or a getter of the game threw.</exception>
    public static LiveScene<TScene> Begin<TScene>(TScene scene, SceneManifest manifest) where TScene : ISceneType<TScene> =>
        TScene.MakeBindings().Begin(scene, manifest);

    /// <summary>For declared scenes that are there together: each is begun with the set.</summary>
    public static SceneSet<TScene> BeginSet<TScene>() where TScene : ISceneType<TScene> => new(TScene.MakeBindings());

    /// <summary>
    /// Takes hold of a scene as the designer left it, before the player has changed anything: what is there now is the manifest,
    /// against which a capture tells what is gone. All of it is taken down, to be restored where a save does not mention it.
    /// </summary>
    /// <exception cref="SceneException">An object of the scene has no id, or two have the same; or a getter of the game threw.</exception>
    public static LiveScene<TScene> Begin<TScene>(this SceneBindings<TScene> bindings, TScene scene)
    {
        ArgumentNullException.ThrowIfNull(bindings);
        ArgumentNullException.ThrowIfNull(scene);
        return new LiveScene<TScene>(bindings, scene, null);
    }

    /// <summary>Takes hold of a scene of which a manifest was stored: what that names and is not there now is gone.</summary>
    /// <exception cref="SceneException">An object of the scene has no id, or two have the same; or a getter of the game threw.</exception>
    public static LiveScene<TScene> Begin<TScene>(this SceneBindings<TScene> bindings, TScene scene, SceneManifest manifest)
    {
        ArgumentNullException.ThrowIfNull(bindings);
        ArgumentNullException.ThrowIfNull(scene);
        ArgumentNullException.ThrowIfNull(manifest);
        return new LiveScene<TScene>(bindings, scene, manifest);
    }
}
