using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// The saves of this process that are still being written in the background. A process that returns or is ended by a signal with its
/// stores open waits for them.
/// </summary>
internal static class Unfinished
{
    /// <summary>How long the end of the process is put off at most: a place that does not answer must not keep it alive for ever.</summary>
    private static readonly TimeSpan MostDelay = TimeSpan.FromSeconds(30);

    private static readonly HashSet<Task> Tasks = [];

    static Unfinished() => ProcessEnd.Add(Wait);

    /// <summary>Notes what is being written until it is done.</summary>
    public static void Add(Task task)
    {
        lock (Tasks)
            Tasks.Add(task);
        task.ContinueWith(
            done =>
            {
                lock (Tasks)
                    Tasks.Remove(done);
            },
            CancellationToken.None, TaskContinuationOptions.ExecuteSynchronously, TaskScheduler.Default);
    }

    private static void Wait()
    {
        Task[] tasks;
        lock (Tasks)
            tasks = [.. Tasks];
        Task.WaitAll(tasks, MostDelay);
    }
}
