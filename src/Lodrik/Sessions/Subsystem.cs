using Lodrik.State;

namespace Lodrik.Sessions;

/// <summary>A part of the game that keeps a section of its own, with its type out of sight.</summary>
internal interface ISubsystem
{
    string Name { get; }

    /// <summary>Takes the subsystem's state down into the archive.</summary>
    /// <exception cref="SessionException">The game's own code threw.</exception>
    void Take(SessionArchive archive);

    /// <summary>Decodes the subsystem's state, a fresh one where the archive has none; what this gives then puts it.</summary>
    /// <exception cref="SaveException">The content does not fit.</exception>
    Action Prepare(SessionArchive archive);
}

internal sealed class Subsystem<T>(string name, Func<T> take, Action<T> put) : ISubsystem where T : IStateType<T>
{
    public string Name => name;

    public void Take(SessionArchive archive)
    {
        T state;
        try
        {
            state = take();
        }
        catch (Exception exception) when (exception is not (OutOfMemoryException or SaveException))
        {
            throw new SessionException(
                SaveErrorCode.ForeignFailure, $"The part \"{name}\" of the game failed when its state was to be saved: {exception.Message}",
                remedy: "Nothing was saved, and the game goes on.", innerException: exception);
        }
        archive.Put(name, StateContent.Copy(state));
    }

    public Action Prepare(SessionArchive archive)
    {
        var state = archive.Contains(name) ? archive.Get<T>(name)! : T.CreateState();
        return () => put(state);
    }
}
