using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik;

/// <summary>Creates sessions of games whose scenes are declared.</summary>
public static class GameSession
{
    /// <summary>
    /// Creates a session without a game: start a new one or load a save. A scene is built at once, on the way to it. If the current
    /// one is asked for, it is kept and restored in place.
    /// </summary>
    /// <typeparam name="TSave">The game's save root.</typeparam>
    /// <typeparam name="TScene">The game's own scene, marked with <see cref="SceneTypeAttribute"/>.</typeparam>
    /// <param name="store">The game's saves. The session does not close it.</param>
    /// <param name="build">
    /// Builds a scene as its designer left it. If it throws, the scene before it must still be usable, because the player goes on in it.
    /// </param>
    /// <param name="options">How the session works.</param>
    /// <exception cref="SessionException">
    /// An option names a section or a scene that does not exist, or the scene waits for frames and no budget for a frame is set.
    /// </exception>
    public static GameSession<TSave, TScene> Begin<TSave, TScene>(
        SaveStore<TSave> store, Func<SceneChange, TScene> build, SessionOptions<TSave> options)
        where TSave : class, IStateRoot<TSave>, ISessionSave where TScene : ISceneType<TScene>
    {
        ArgumentNullException.ThrowIfNull(build);
        return new GameSession<TSave, TScene>(store, TScene.MakeBindings(), options, TScene.Names, build);
    }

    /// <summary>
    /// Creates a session without a game, whose scenes take a while to build: <see cref="SessionOptions{TSave}.ChangeScene"/> begins to, and
    /// the game says when it has arrived.
    /// </summary>
    /// <typeparam name="TSave">The game's save root.</typeparam>
    /// <typeparam name="TScene">The game's own scene, marked with <see cref="SceneTypeAttribute"/>.</typeparam>
    /// <param name="store">The game's saves. The session does not close it.</param>
    /// <param name="options">How the session works, and what it asks of the game.</param>
    /// <exception cref="SessionException">
    /// An option names a section or a scene that does not exist, or the scene waits for frames and no budget for a frame is set.
    /// </exception>
    public static GameSession<TSave, TScene> Begin<TSave, TScene>(SaveStore<TSave> store, SessionOptions<TSave> options)
        where TSave : class, IStateRoot<TSave>, ISessionSave where TScene : ISceneType<TScene> =>
        new(store, TScene.MakeBindings(), options, TScene.Names, null);
}
