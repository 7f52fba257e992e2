using Lodrik.State;

namespace Lodrik.Sessions;

/// <summary>A part of the game that keeps its own section, with its type out of sight.</summary>
internal interface ISubsystem
{
    string Name { get; }

    /// <summary>Whether it stays as it is when the player goes back to a checkpoint.</summary>
    bool Survives { get; }

    /// <summary>Takes the subsystem's state down into the archive.</summary>
    /// <exception cref="SessionException">The game's own code threw.</exception>
    void Take(SessionArchive archive);

    /// <summary>Decodes the subsystem's state, a fresh one where the archive has none; what this gives then puts it.</summary>
    /// <exception cref="SaveException">The content does not fit. What puts it throws where the game's own code does.</exception>
    Action Prepare(SessionArchive archive);
}

internal sealed class Subsystem<T>(string name, Func<T> take, Action<T> put, bool survives) : ISubsystem where T : IStateType<T>
{
    public string Name => name;

    public bool Survives => survives;

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
                SaveErrorCode.ForeignFailure,
                $"The part \"{name}\" of the game failed while its state was being saved: {exception.Message}",
                remedy: "Nothing was saved, and the game goes on.", innerException: exception);
        }
        archive.Put(name, StateContent.Copy(state));
    }

    public Action Prepare(SessionArchive archive)
    {
        var state = archive.Contains(name) ? archive.Get<T>(name)! : T.CreateState();
        return () =>
        {
            try
            {
                put(state);
            }
            catch (Exception exception) when (exception is not OutOfMemoryException)
            {
                throw new SessionException(
                    SaveErrorCode.ForeignFailure, $"The part \"{name}\" of the game failed while it was receiving its state: "
                        + $"{exception.Message}",
                    innerException: exception);
            }
        };
    }
}

/// <summary>What the parts of the game had before they were given something else.</summary>
internal sealed class SubsystemMemory
{
    private readonly List<(string Name, Action? PutBack, Exception? Problem)> _before = [];

    /// <summary>Remembers what a part has now. What cannot be remembered is an error only if it has to be restored.</summary>
    public void Remember(ISubsystem subsystem)
    {
        try
        {
            var archive = new SessionArchive();
            subsystem.Take(archive);
            _before.Add((subsystem.Name, subsystem.Prepare(archive), null));
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            _before.Add((subsystem.Name, null, exception));
        }
    }

    /// <summary>A part that is registered while others have something new already: it goes back to what an archive has for it.</summary>
    public void Remember(ISubsystem subsystem, SessionArchive archive) =>
        _before.Add((subsystem.Name, () => subsystem.Prepare(archive)(), null));

    /// <summary>Gives each part what it had before.</summary>
    /// <returns>The first part that is not as it was, and why; null if all are.</returns>
    public (string Name, Exception Problem)? PutBack()
    {
        (string, Exception)? failed = null;
        foreach (var (name, putBack, problem) in _before)
        {
            try
            {
                if (putBack is null)
                    failed ??= (name, problem!);
                else
                    putBack();
            }
            catch (Exception exception) when (exception is not OutOfMemoryException)
            {
                failed ??= (name, exception);
            }
        }
        return failed;
    }
}
