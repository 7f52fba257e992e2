using System.Runtime.InteropServices;

namespace Lodrik.Storage;

/// <summary>
/// What has to be done before the process ends: when its program returns, and when a signal ends it that asks for that (SIGTERM, SIGINT,
/// SIGHUP, SIGQUIT; POSIX.1-2024, section 2.4.3). The runtime does not call the handlers of an exit when a signal ends the process.
/// </summary>
internal static class ProcessEnd
{
    private static readonly Lock Lock = new();
    private static readonly List<Action> Actions = [];
    private static List<PosixSignalRegistration>? _signals;

    /// <summary>Notes what has to be done. It may be done more than once: a game may answer a signal in its own way and go on.</summary>
    public static void Add(Action act)
    {
        lock (Lock)
        {
            Actions.Add(act);
            if (_signals is not null)
                return;
            AppDomain.CurrentDomain.ProcessExit += (_, _) => Act();
            _signals =
            [
                .. new[] { PosixSignal.SIGTERM, PosixSignal.SIGINT, PosixSignal.SIGHUP, PosixSignal.SIGQUIT }
                    .Select(signal => PosixSignalRegistration.Create(signal, _ => Act())),
            ];
        }
    }

    /// <summary>It does not have to be done any more.</summary>
    public static void Remove(Action act)
    {
        lock (Lock)
            Actions.Remove(act);
    }

    private static void Act()
    {
        Action[] actions;
        lock (Lock)
            actions = [.. Actions];
        foreach (var act in actions)
        {
            try
            {
                act();
            }
            catch (Exception exception) when (exception is not OutOfMemoryException)
            {
                // The process ends, and the others have to be done as well.
            }
        }
    }
}
