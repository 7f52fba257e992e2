using Lodrik.State;

namespace Lodrik.Sessions;

/// <summary>A part of the game that keeps a section of its own, with its type out of sight.</summary>
internal interface ISubsystem
{
    string Name { get; }

    /// <summary>Takes the subsystem's state down into the archive.</summary>
    void Take(SessionArchive archive);

    /// <summary>Decodes the subsystem's state, a fresh one where the archive has none; what this gives then puts it.</summary>
    /// <exception cref="SaveException">The content does not fit.</exception>
    Action Prepare(SessionArchive archive);
}

internal sealed class Subsystem<T>(string name, Func<T> take, Action<T> put) : ISubsystem where T : IStateType<T>
{
    public string Name => name;

    public void Take(SessionArchive archive) => archive.Put(name, StateContent.Copy(take()));

    public Action Prepare(SessionArchive archive)
    {
        var state = archive.Contains(name) ? archive.Get<T>(name)! : T.CreateState();
        return () => put(state);
    }
}
