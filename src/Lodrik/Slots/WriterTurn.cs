namespace Lodrik.Slots;

/// <summary>
/// A place in the line of those who change saves, in the order in which they asked. It has to be ended, whether or not its turn has come.
/// </summary>
internal sealed class WriterTurn
{
    private readonly TaskCompletionSource _begun = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private readonly Action<WriterTurn> _end;

    /// <param name="end">What is done when it is over.</param>
    /// <param name="change">How many changes other than saves had been asked for by then.</param>
    public WriterTurn(Action<WriterTurn> end, long change) => (_end, Change) = (end, change);

    /// <summary>Done as soon as it is this one's turn.</summary>
    public Task Begun => _begun.Task;

    /// <summary>How many changes other than saves had been asked for by then.</summary>
    public long Change { get; }

    /// <summary>Whether it is over, or was given up before it came.</summary>
    public bool IsOver { get; set; }

    public void Begin() => _begun.TrySetResult();

    /// <summary>Lets the next one come.</summary>
    public void End() => _end(this);
}
